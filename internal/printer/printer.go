// Package printer prints a piece: every stem of every fold, dry and wet, and the mix, in one
// pass, into files that grow as it goes. A score, a template and the folders of its libraries
// go in; files and their figures come out. The same piece gives the same bytes, however many
// cores there are.
package printer

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/dsp"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/share"
	"fanfold/internal/core/template"
	"fanfold/internal/effect"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/format/wav"
	"fanfold/internal/render"
	"fanfold/internal/roots"
	"fanfold/internal/sampler"
)

// Piece is what is printed.
type Piece struct {
	Fan     *fan.Fan
	Score   *render.Score
	Plan    printing.Plan
	Roots   roots.Roots
	Effects effect.Options // QuarterS and RateHz are those of the piece
	RateHz  int            // one of render.Rates
	Samples wav.Samples
	Long    bool    // RF64 from the start
	Begin   int64   // where the files begin, samples since midnight
	From    int64   // the tick they begin with
	TrimDB  float64 // by which all files are louder, so that none goes beyond full scale
	// Softer makes all files softer by as much as it takes to keep them within full scale: the
	// piece is played once to know.
	Softer   bool
	LeaveOut bool // rows that cannot sound are left out; otherwise nothing is printed
	// Recording opens what was recorded over, by its SHA-256; it may be nil where nothing was.
	Recording func(digest string) (*soundfile.Sound, error)
	Title     string    // of the piece
	Made      time.Time // that the files state; zero for none
	// Progress is told how many seconds are printed, of about how many; it may be nil.
	Progress func(done, of float64)

	own bool // a file for each row
}

// Printed is what came of it.
type Printed struct {
	Frames int64            `json:"frames"`
	Files  []File           `json:"files"`  // as in the plan
	Silent []render.Silence `json:"silent"` // rows and parts that do not sound, with the reason
	Voices render.Count     `json:"voices"`
	TrimDB float64          `json:"trimDb"` // by which all files are louder than the template plays them
	// PeakDB is the highest peak of all files, dBFS: beyond 0, whole numbers are cut.
	PeakDB float64 `json:"peakDb"`
	Pace   float64 `json:"pace"` // how many times faster than it sounds
}

// File is one printed file.
type File struct {
	Name     string       `json:"name"` // of the stem or mix
	Loudness wav.Loudness `json:"loudness"`
	PeakDB   float64      `json:"peakDb"`
	Clipped  int64        `json:"clipped"` // samples beyond full scale
	Silent   bool         `json:"silent"`  // nothing was played in it
}

// Sizes of the work.
const (
	// blocksAtOnce is how many blocks are made together: a third of a second at 48 kHz.
	blocksAtOnce = 64
	// The files go on until everything has been quiet for a second, and at most this long.
	mostTailS = 20.0
	quietS    = 1.0
)

// quiet is what counts as having died away: -90 dBFS.
var quiet = dsp.Amplitude(-90)

// BytesOf is how much so many files take at most, bytes, to be shown before it begins.
func (p *Piece) BytesOf(files int) int64 {
	seconds := p.Score.Seconds(p.Score.End()) - p.Score.Seconds(p.From) + mostTailS
	return int64(seconds*float64(p.RateHz)) * int64(2*p.Samples.Bytes()*files)
}

// fullScaleDB is what the highest peak of a print may be, dBFS.
const fullScaleDB = -1.0

// Print prints a piece. Files gives what each file of the plan is written to; they are whole
// only when there is no error.
func Print(ctx context.Context, p Piece, files func(n int) (io.WriteSeeker, error)) (Printed, error) {
	if !slices.Contains(render.Rates, p.RateHz) {
		return Printed{}, fmt.Errorf("sound is made at one of %v Hz, not at %d", render.Rates, p.RateHz)
	}
	began := time.Now()
	progress := p.Progress
	if p.Softer && p.Samples != wav.Float32 {
		p.Progress = half(progress, 0)
		done, err := printOnce(ctx, p, nil)
		if err != nil {
			return done, err
		}
		if over := done.PeakDB - fullScaleDB; over > 0 {
			p.TrimDB -= math.Ceil(over)
		}
		p.Progress = half(progress, .5)
	}
	done, err := printOnce(ctx, p, files)
	played := float64(done.Frames) / float64(p.RateHz)
	done.TrimDB, done.Pace = p.TrimDB, played/(time.Since(began).Seconds()+1e-9)
	return done, err
}

// half tells of one half of the work.
func half(tell func(done, of float64), from float64) func(done, of float64) {
	if tell == nil {
		return nil
	}
	return func(done, of float64) { tell(from*of+done/2, of) }
}

// PrintRows prints rows by themselves, into a file each: as they sound before their faders, pans and
// routes, so that what is recorded can play in their place. Of the piece neither plan nor trim is
// used.
func PrintRows(ctx context.Context, p Piece, voices []*render.Voice, files func(n int) (io.WriteSeeker, error)) (Printed, error) {
	score := *p.Score
	score.Voices = voices
	p.Score, p.own, p.Softer, p.TrimDB, p.Plan = &score, true, false, 0, printing.Plan{}
	for _, v := range voices {
		p.Plan.Files = append(p.Plan.Files, printing.Wanted{Name: v.Home.Name, File: v.Home.Name, Role: audit.Stem})
	}
	return Print(ctx, p, files)
}

// printOnce plays a piece into files, or only looks for its peaks where there are none.
func printOnce(ctx context.Context, p Piece, files func(n int) (io.WriteSeeker, error)) (Printed, error) {
	j := &job{Piece: p, rate: float64(p.RateHz)}
	defer j.close()
	if err := j.prepare(); err != nil {
		return j.done, err
	}
	if err := j.open(files); err != nil {
		return j.done, err
	}
	if err := j.run(ctx); err != nil {
		return j.done, err
	}
	return j.done, j.finish()
}

// job is a piece while it is printed.
type job struct {
	Piece
	rate       float64
	graph      *render.Graph
	ensemble   *render.Ensemble
	voices     []*voice
	recordings []*render.Recording
	patches    []*sampler.Patch
	last       int64 // frame of the last message
	outs       []*out
	done       Printed
}

type voice struct {
	player   *render.Player
	messages []sampler.Message
	next     int
}

// out is a file that grows.
type out struct {
	file  *wav.Writer
	loud  *dsp.Loudness
	peaks [2]dsp.TruePeak
	peak  float64
	high  float64 // of the present piece
	mono  bool
	trim  float64
	sound [2][]float64
}

func (j *job) close() {
	for _, p := range j.patches {
		p.Close()
	}
}

// prepare finds out who plays, and opens what they play.
func (j *job) prepare() error {
	s := j.Score
	var rows []*template.Instrument
	for _, v := range s.Voices {
		rows = append(rows, v.Home)
	}
	if len(rows) == 0 {
		return errors.New("nobody plays: none of the parts has a row that can sound")
	}
	j.done.Silent = slices.Clone(s.Silent)
	without, err := j.wire(rows)
	if err != nil {
		return err
	}
	layers, reasons := j.layers(rows)
	var seats []render.Seat
	for n, v := range s.Voices {
		if v.Over != nil {
			recording, err := j.recording(v.Over)
			if err != nil {
				without = append(without, render.Silence{Name: v.Home.Name, Reason: err.Error()})
				continue
			}
			j.last = max(j.last, int64((v.Over.At+v.Over.Seconds-s.Seconds(j.From))*j.rate))
			j.recordings = append(j.recordings, recording)
			seats = append(seats, render.Seat{Playing: recording, Ways: j.ways(v.Home)})
			continue
		}
		messages, err := s.Messages(v, j.From, j.rate)
		if err != nil {
			reasons[n] = err.Error()
		}
		if reasons[n] != "" {
			without = append(without, render.Silence{Name: v.Home.Name, Reason: reasons[n]})
		}
		if len(messages) > 0 {
			j.last = max(j.last, messages[len(messages)-1].At)
		}
		player := render.NewPlayer(string(v.Home.ID), layers[n], sampler.Options{RateHz: j.rate, Quality: sampler.Print, Wait: true})
		j.voices = append(j.voices, &voice{player: player, messages: messages})
		seats = append(seats, render.Seat{Playing: player, Ways: j.ways(v.Home)})
	}
	j.done.Silent = append(j.done.Silent, without...)
	if len(without) > 0 && !j.LeaveOut {
		return &NotWhole{without}
	}
	lanes := 0
	if j.graph != nil {
		lanes = j.graph.Lanes()
	}
	j.ensemble = render.NewEnsemble(seats, lanes)
	return nil
}

// wire makes the graph to the files; rows by themselves need none.
func (j *job) wire(rows []*template.Instrument) (without []render.Silence, err error) {
	if j.own {
		return nil, nil
	}
	taps := make([]render.Tap, len(j.Plan.Files))
	for n, w := range j.Plan.Files {
		taps[n] = render.Tap{Bus: w.Bus, Before: w.Role == audit.Mix}
	}
	o := j.Effects
	o.RateHz, o.QuarterS = j.rate, j.Score.QuarterS(j.From)
	j.graph, without, err = render.NewGraphTo(j.Fan, taps, rows, o)
	return without, err
}

func (j *job) ways(i *template.Instrument) []render.Way {
	if j.graph == nil {
		return nil
	}
	return j.graph.Ways(i)
}

// recording opens what plays in a row's place.
func (j *job) recording(over *template.Printed) (*render.Recording, error) {
	if j.Recording == nil {
		return nil, errors.New("its recording is not here: let the row play again")
	}
	s, err := j.Recording(over.Audio)
	if err != nil {
		return nil, fmt.Errorf("its recording is not here (%w): let the row play again", err)
	}
	return render.NewRecording(render.Recorded{Channels: s.Channels, RateHz: s.RateHz, Frames: s.Frames, ReadAt: s.ReadAt}, j.Score.Seconds(j.From)-over.At, j.rate)
}

// NotWhole is the error of a piece in which somebody cannot sound.
type NotWhole struct{ Silent []render.Silence }

func (e *NotWhole) Error() string {
	var list []string
	for n, s := range e.Silent {
		if n == 3 {
			list = append(list, fmt.Sprintf("and %d more", len(e.Silent)-n))
			break
		}
		list = append(list, fmt.Sprintf("%s: %s", s.Name, s.Reason))
	}
	return "not everything can sound, so nothing is printed: " + strings.Join(list, "; ") + ". Fix that, or print without them"
}

// layers opens the patches of rows; reasons tell of those that cannot sound, or not wholly.
func (j *job) layers(rows []*template.Instrument) (out [][]render.Layer, reasons []string) {
	t := j.Fan.Template()
	out, reasons = make([][]render.Layer, len(rows)), make([]string, len(rows))
	opened := make([][]*sampler.Patch, len(rows))
	share.Out(len(rows), func(n int) {
		i := rows[n]
		if j.Score.Voices[n].Over != nil {
			return // it loads nothing
		}
		for _, p := range t.PatchesOf(i) {
			x, err := j.Roots.Open(roots.Of(t, i, p))
			if err != nil {
				reasons[n] = err.Error()
				continue
			}
			opened[n] = append(opened[n], x)
			out[n] = append(out[n], render.Layer{Patch: x, Trim: template.Gain(i.LevelTrimDB + i.LayerTrim(p.ID))})
		}
	})
	for _, list := range opened {
		j.patches = append(j.patches, list...)
	}
	return out, reasons
}

func (j *job) open(files func(n int) (io.WriteSeeker, error)) error {
	for n, w := range j.Plan.Files {
		o := &out{trim: dsp.Amplitude(j.TrimDB), mono: w.Mono, loud: dsp.NewLoudness(j.rate, dsp.StereoWeights)}
		channels := 2
		if w.Mono {
			channels, o.loud = 1, dsp.NewLoudness(j.rate, dsp.StereoWeights[:1])
		}
		for c := range o.sound {
			o.sound[c] = make([]float64, blocksAtOnce*render.Frames)
		}
		if j.outs = append(j.outs, o); files == nil {
			continue
		}
		to, err := files(n)
		if err != nil {
			return err
		}
		bits := string(j.Samples)
		if j.Samples == wav.Float32 {
			bits = "32F"
		}
		shape := map[int]string{1: "mono", 2: "stereo"}[channels]
		o.file, err = wav.NewWriter(to, wav.Spec{
			Channels: channels, RateHz: j.RateHz, Samples: j.Samples, Long: j.Long, Seed: uint64(n) + 1,
			Broadcast: &wav.Broadcast{
				Description: strings.TrimPrefix(j.Title+", "+w.Name, ", "), Originator: "Fanfold", Reference: j.Title, Made: j.Made, Begin: j.Begin,
				History: fmt.Sprintf("A=PCM,F=%d,W=%s,M=%s,T=Fanfold", j.RateHz, bits, shape),
			},
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// run prints piece by piece, until everything has died away.
func (j *job) run(ctx context.Context) error {
	end := j.last
	most := end + int64(mostTailS*j.rate)
	still := int64(0)
	for at := int64(0); at < most; {
		if err := ctx.Err(); err != nil {
			return err
		}
		blocks := int(min(blocksAtOnce, (most-at+render.Frames-1)/render.Frames))
		until := at + int64(blocks)*render.Frames
		for _, v := range j.voices {
			for ; v.next < len(v.messages) && v.messages[v.next].At < until; v.next++ {
				v.player.Send(v.messages[v.next])
			}
		}
		heard := j.heard(blocks)
		for _, r := range j.recordings {
			if err := r.Err(); err != nil {
				return err
			}
		}
		if err := j.write(heard); err != nil {
			return err
		}
		high := 0.0
		for _, o := range j.outs {
			high = max(high, o.high)
		}
		at = until
		if still += int64(blocks) * render.Frames; high > quiet {
			still = 0
		}
		j.done.Frames = at
		if j.Progress != nil {
			j.Progress(float64(at)/j.rate, float64(end)/j.rate+quietS)
		}
		if at > end && float64(still) >= quietS*j.rate {
			break
		}
	}
	j.done.Voices = j.ensemble.Count()
	return nil
}

// heard makes the next blocks: of each what goes into every file, nil where that is silent.
func (j *job) heard(blocks int) [][]*render.Block {
	if j.graph != nil {
		return j.graph.RunTaps(j.ensemble.Render(blocks))
	}
	made := j.ensemble.Own(blocks)
	out := make([][]*render.Block, blocks)
	for k := range out {
		out[k] = make([]*render.Block, len(made))
		for n := range made {
			out[k][n] = made[n][k]
		}
	}
	return out
}

// write appends a piece to every file.
func (j *job) write(heard [][]*render.Block) error {
	errs := make([]error, len(j.outs))
	share.Out(len(j.outs), func(n int) { errs[n] = j.outs[n].write(heard, n) })
	return errors.Join(errs...)
}

func (o *out) write(heard [][]*render.Block, n int) error {
	o.high = 0
	frames := len(heard) * render.Frames
	for c := range o.sound {
		o.sound[c] = o.sound[c][:frames]
	}
	for k, block := range heard {
		b := block[n]
		for c := range o.sound {
			into := o.sound[c][k*render.Frames : (k+1)*render.Frames]
			if b == nil {
				clear(into)
				continue
			}
			for k, v := range b[c] {
				v *= o.trim
				into[k] = v
				if v = math.Abs(v); v > o.high {
					o.high = v
				}
			}
		}
	}
	o.peak = max(o.peak, o.high)
	sound := o.sound[:]
	if o.mono {
		sound = sound[:1]
	}
	if o.file == nil { // only peaks are looked for
		return nil
	}
	if o.high == 0 {
		o.loud.Silence(frames)
		return o.file.Write(sound...)
	}
	o.loud.Add(sound...)
	for c := range sound {
		o.peaks[c].Add(sound[c])
	}
	return o.file.Write(sound...)
}

// finish makes the files whole.
func (j *job) finish() error {
	j.done.PeakDB = dsp.Silence
	for n, o := range j.outs {
		f := File{Name: j.Plan.Files[n].Name, PeakDB: dsp.DB(o.peak), Silent: o.peak < quiet}
		j.done.PeakDB = max(j.done.PeakDB, f.PeakDB)
		if o.file == nil {
			continue
		}
		f.Loudness = wav.Loudness{Integrated: o.loud.Integrated(), Range: o.loud.Range(), TruePeak: dsp.Silence, MostMoment: dsp.Silence, MostShort: dsp.Silence}
		for c := range o.peaks {
			f.Loudness.TruePeak = max(f.Loudness.TruePeak, o.peaks[c].DBTP())
		}
		for _, v := range o.loud.Momentary() {
			f.Loudness.MostMoment = max(f.Loudness.MostMoment, v)
		}
		for _, v := range o.loud.ShortTerm() {
			f.Loudness.MostShort = max(f.Loudness.MostShort, v)
		}
		if err := o.file.Close(&f.Loudness); err != nil {
			return err
		}
		f.Clipped = o.file.Clipped()
		j.done.Files = append(j.done.Files, f)
	}
	return nil
}
