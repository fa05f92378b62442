package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/riverqueue/river"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/audit"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/template"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/printer"
	"fanfold/internal/recorded"
	"fanfold/internal/render"
	"fanfold/internal/roots"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// printArgs names the print that a job makes.
type printArgs struct {
	Print uuid.UUID `json:"print"`
}

// Kind implements river.JobArgs.
func (printArgs) Kind() string { return "print" }

type printWorker struct {
	river.WorkerDefaults[printArgs]
	app *App
}

// Timeout implements river.Worker: a print takes as long as it takes.
func (*printWorker) Timeout(*river.Job[printArgs]) time.Duration { return -1 }

// Work implements river.Worker.
func (w *printWorker) Work(ctx context.Context, job *river.Job[printArgs]) error {
	return w.app.runPrint(ctx, job.Args.Print)
}

func pgUUID(id uuid.UUID) pgtype.UUID { return pgtype.UUID{Bytes: id, Valid: true} }

// beatEvery is how often a print says how far it is.
const beatEvery = time.Second

// working is a print that is made, as it tells of itself.
type working struct {
	app *App
	row db.Print
	ask PrintAsk
	p   Person

	fan    *fan.Fan             // of the template, or of its dry sound
	line   string               // what came of it, where nothing is proved
	softer float64              // by how much all files were made louder than asked for, dB
	silent []render.Silence     // that did not sound
	played map[template.ID]bool // buses that somebody plays in; nil where nobody knows

	mu       sync.Mutex
	state    string
	done, of float64
}

func (w *working) tell(state string, done, of float64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.state, w.done, w.of = state, done, of
}

// runPrint makes a print, or goes on with one, and proves it.
func (a *App) runPrint(ctx context.Context, id uuid.UUID) error {
	row, err := a.store.Queries().PrintOfJob(ctx, id)
	if errors.Is(store.NotFound(err), store.ErrNotFound) {
		return nil // it was deleted meanwhile
	}
	if err != nil {
		return fmt.Errorf("read the print: %w", err)
	}
	w := &working{app: a, row: row, state: printRunning, p: Person{ID: row.AuthorID.Bytes, Studio: row.StudioID, Name: "Print"}}
	if err := json.Unmarshal(row.Ask, &w.ask); err != nil {
		return fmt.Errorf("read what is printed: %w", err)
	}
	h, shut := a.Open(ctx, w.p, row.Template)
	var view View
	if shut == nil {
		if shut = h.doc.CatchUp(ctx); shut == nil { // somebody may have changed it on another server just now
			view = h.View()
		}
	}
	n, err := a.store.Queries().PrintBegin(ctx, db.PrintBeginParams{ID: id, Owner: a.own(), Revision: view.Revision})
	if err != nil || n == 0 {
		return err
	}
	ctx, abandon := context.WithCancelCause(ctx)
	defer abandon(nil)
	beaten := make(chan struct{})
	go func() { defer close(beaten); w.beat(ctx, abandon) }()
	var report *audit.Report
	if err = shut; err == nil {
		report, err = w.make(ctx, h, view)
	}
	stopped := ctx.Err() != nil
	abandon(nil)
	<-beaten
	end := db.PrintEndParams{ID: id, State: printDone}
	switch {
	case errors.Is(context.Cause(ctx), store.ErrNotMine):
		return nil // somebody stopped it, or another server has it
	case stopped && err != nil:
		return nil // the server ends; who comes next goes on
	case err != nil:
		if errors.Is(err, syscall.ENOSPC) {
			err = fmt.Errorf("the server's disk is full, and no file was saved: make room there, and go on (%w)", err)
		}
		end.State, end.Reason = printFailed, err.Error()
	case report == nil:
		end.Line = w.line
	default:
		end.Line, end.Reason = report.Line, w.said()
		for _, m := range report.Marks {
			if !m.Note {
				end.Faults++
			}
		}
		if end.Report, err = json.Marshal(report); err != nil {
			return err
		}
	}
	last, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer cancel()
	return a.store.Queries().PrintEnd(last, end)
}

// said tells what came of a print beside its proof.
func (w *working) said() string {
	var list []string
	if w.softer != 0 {
		list = append(list, fmt.Sprintf("all files are turned down by %.0f dB, to keep every peak below full scale", -w.softer))
	}
	for n, s := range w.silent {
		if n == 3 {
			list = append(list, fmt.Sprintf("and %d more do not sound", len(w.silent)-n))
			break
		}
		list = append(list, fmt.Sprintf("%s does not sound: %s", s.Name, s.Reason))
	}
	return strings.Join(list, "; ")
}

// beat says again and again how far the print is, and gives it up when it is no longer its own.
func (w *working) beat(ctx context.Context, abandon context.CancelCauseFunc) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		w.mu.Lock()
		state, done, of := w.state, w.done, w.of
		w.mu.Unlock()
		n, err := w.app.store.Queries().PrintBeat(ctx, db.PrintBeatParams{ID: w.row.ID, Owner: w.app.own(), State: state, DoneS: done, OfS: of})
		if err == nil && n == 0 {
			abandon(store.ErrNotMine)
			return
		}
	}
}

// make prints, unless it was recorded, and proves.
func (w *working) make(ctx context.Context, h *Hot, view View) (*audit.Report, error) {
	w.fan = view.Proof.Fan
	if len(w.ask.Over) > 0 {
		return nil, w.recordOver(ctx, h, view)
	}
	if w.ask.Dry {
		w.fan = fan.New(printing.Dry(view.Template))
	}
	plan, err := printing.NewPlan(w.fan, w.ask.Folds)
	if err != nil {
		return nil, err
	}
	if w.ask.Dry {
		plan = plan.Dry()
	}
	if w.row.Recorded {
		if err := w.match(ctx, plan); err != nil {
			return nil, err
		}
	} else if err := w.print(ctx, h, view, plan); err != nil {
		return nil, err
	}
	return w.prove(ctx, plan)
}

// toPrint is a piece that can be printed.
type toPrint struct {
	piece      printer.Piece
	production *cue.Production
	cue        *cue.Cue
}

// scoreOf casts the music of a cue within a template.
func (h *Hot) scoreOf(ctx context.Context, p Person, view View, film *Film, c *cue.Cue) (*render.Score, error) {
	music, err := film.heard(ctx, p, c)
	if err != nil {
		return nil, err
	}
	if len(music.Parts) == 0 {
		return nil, fmt.Errorf("%s has no notes", c.Music.File)
	}
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	return ScoreOf(view.Template, cat.View().Template, words, music, handOf(c, music)), nil
}

// pieceOf prepares the music of the print's cue.
func (w *working) pieceOf(ctx context.Context, h *Hot, view View) (x toPrint, err error) {
	if w.ask.Production == nil {
		return x, errors.New("the cue is no longer known; print it again")
	}
	film, err := w.app.OpenFilm(ctx, w.p, *w.ask.Production)
	if err != nil {
		return x, fmt.Errorf("open the production: %w", err)
	}
	if err := film.doc.CatchUp(ctx); err != nil {
		return x, err
	}
	x.production = film.View().Production
	x.cue = x.production.Cue(w.ask.Cue)
	if x.cue == nil || x.cue.Music == nil {
		return x, errors.New("the cue is no longer there, or keeps no music")
	}
	score, err := h.scoreOf(ctx, w.p, view, film, x.cue)
	if err != nil {
		return x, err
	}
	from, begin := beginning(score, x.cue, x.production.FrameRate(), w.ask.RateHz)
	x.piece = printer.Piece{
		Fan: w.fan, Score: score, From: from,
		Roots:   roots.Roots{Folders: w.app.scanRoots, Store: w.app.printSamples},
		Effects: w.app.effectOptions(ctx, w.p, float64(w.ask.RateHz), 0),
		RateHz:  w.ask.RateHz, Samples: w.ask.Samples, Long: w.ask.Long, Begin: begin, TrimDB: w.ask.TrimDB, Softer: w.ask.Softer, LeaveOut: w.ask.LeaveOut,
		Recording: func(digest string) (*soundfile.Sound, error) { return w.app.recordingSound(ctx, w.p, digest) },
		Title:     x.cue.Called(), Made: w.row.CreatedAt,
		Progress: func(done, of float64) { w.tell(printRunning, done, of) },
	}
	return x, nil
}

// roomFor tells before anything is written that this machine has too little room for so many bytes.
func (a *App) roomFor(bytes int64) error {
	for _, dir := range []string{os.TempDir(), a.audio.Folder()} {
		if dir == "" {
			continue
		}
		if err := printer.RoomFor(dir, bytes); err != nil {
			return err
		}
	}
	return nil
}

func closeSpools(list []audiostore.Spool) {
	for _, s := range list {
		if s.File != nil {
			_ = s.Close() // what is kept was read from it
		}
	}
}

// print makes the files, and keeps them when all are whole.
func (w *working) print(ctx context.Context, h *Hot, view View, plan printing.Plan) error {
	x, err := w.pieceOf(ctx, h, view)
	if err != nil {
		return err
	}
	w.played = map[template.ID]bool{}
	for _, v := range x.piece.Score.Voices {
		for _, r := range w.fan.FromInstrument(v.Home) {
			w.played[w.fan.Bus(r).ID] = true
		}
	}
	x.piece.Plan = plan
	if err := w.app.roomFor(x.piece.BytesOf(len(plan.Files))); err != nil {
		return err
	}
	spools := make([]audiostore.Spool, len(plan.Files))
	defer closeSpools(spools)
	done, err := printer.Print(ctx, x.piece, func(n int) (io.WriteSeeker, error) {
		var err error
		spools[n], err = audiostore.NewSpool()
		return spools[n], err
	})
	if err != nil {
		return err
	}
	w.softer = done.TrimDB - w.ask.TrimDB
	w.silent = done.Silent
	c, frames := x.cue, x.production.FrameRate()
	names := plan.Names(printing.Naming{Pattern: x.production.Files, Cue: c.Number, Title: c.Title, Version: fmt.Sprintf("v%d", w.row.Version), Start: frames.Format(c.Start), RateHz: w.ask.RateHz}, ".wav")
	q := w.app.store.Queries()
	if err := q.PrintFilesClear(ctx, w.row.ID); err != nil {
		return fmt.Errorf("note the files: %w", err)
	}
	for n, s := range spools {
		kept, err := w.app.audio.Keep(ctx, w.p.Studio.String(), s)
		if err != nil {
			return err
		}
		f := plan.Files[n]
		err = q.PrintFileInsert(ctx, db.PrintFileInsertParams{
			PrintID: w.row.ID, Number: int32(n), Path: names[n], Bus: string(f.Bus), Stem: f.Name, Role: string(f.Role), Sha256: kept.Digest, Bytes: kept.Bytes,
		})
		if err != nil {
			return fmt.Errorf("note a file: %w", err)
		}
	}
	return nil
}

// beginning is where the files of a cue begin: on its start, or with the bar of an upbeat before
// it. It is told as a tick of the music and as samples since midnight.
func beginning(s *render.Score, c *cue.Cue, frames timecode.Rate, rateHz int) (from, begin int64) {
	start := s.Time.Bars.Start(c.Bar)
	if from = start; s.First() < start {
		from = s.Time.Bars.Start(s.Time.Bars.At(s.First()))
	}
	before := s.Seconds(start) - s.Seconds(from)
	return from, max(0, frames.Sample(c.Start, int64(rateHz))-int64(math.Round(before*float64(rateHz))))
}

// match finds what recorded files are.
func (w *working) match(ctx context.Context, plan printing.Plan) error {
	q := w.app.store.Queries()
	files, err := q.PrintFiles(ctx, w.row.ID)
	if err != nil {
		return fmt.Errorf("read the files: %w", err)
	}
	said, err := q.PrintMatches(ctx, w.row.Template)
	if err != nil {
		return fmt.Errorf("read what files were: %w", err)
	}
	hand := map[string]string{}
	for _, s := range said {
		hand[s.Key] = s.Says
	}
	var found []printing.Found
	for _, f := range files {
		s, err := w.app.sound(ctx, w.p.Studio, f.Sha256)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Path, err)
		}
		found = append(found, printing.Found{Path: f.Path, Channels: s.Channels})
	}
	for _, m := range plan.Recorded(found, hand) {
		for _, name := range []string{m.Path, m.Right} {
			at := slices.IndexFunc(files, func(f db.PrintFile) bool { return f.Path == name })
			if name == "" || at < 0 {
				continue
			}
			f := files[at]
			f.Role, f.How, f.Bus, f.Stem = string(m.Role), string(m.How), "", ""
			if m.Wanted >= 0 {
				f.Bus, f.Stem = string(plan.Files[m.Wanted].Bus), plan.Files[m.Wanted].Name
			}
			err := q.PrintFileInsert(ctx, db.PrintFileInsertParams(f))
			if err != nil {
				return fmt.Errorf("note what a file is: %w", err)
			}
		}
	}
	return nil
}

// sound opens audio that is kept.
func (a *App) sound(ctx context.Context, studio uuid.UUID, digest string) (*soundfile.Sound, error) {
	src, err := a.audio.Audio(ctx, studio.String(), digest)
	if err != nil {
		return nil, err
	}
	return soundfile.Open(src, src.Bytes)
}

// soundOf opens a file, or two of one channel as one.
func (a *App) soundOf(ctx context.Context, studio uuid.UUID, pair []db.PrintFile) (*soundfile.Sound, error) {
	s, err := a.sound(ctx, studio, pair[0].Sha256)
	if err == nil && len(pair) == 2 {
		var right *soundfile.Sound
		if right, err = a.sound(ctx, studio, pair[1].Sha256); err == nil {
			s, err = soundfile.Join(s, right)
		}
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", pair[0].Path, err)
	}
	return s, nil
}

// prove proves the files that are there.
func (w *working) prove(ctx context.Context, plan printing.Plan) (*audit.Report, error) {
	w.tell(printProving, 0, 1)
	files, err := w.app.store.Queries().PrintFiles(ctx, w.row.ID)
	if err != nil {
		return nil, fmt.Errorf("read the files: %w", err)
	}
	if len(files) == 0 {
		return nil, errors.New("no files have come yet")
	}
	ask := audit.Ask{
		Begin: audit.NotSaid, Folds: plan.Folds, LimitedGain: plan.LimitedGain, PeakDB: w.ask.PeakDB, LoudnessLUFS: w.ask.Loudness,
		Progress: func(done float64) { w.tell(printProving, done, 1) },
	}
	if w.row.Recorded && w.ask.Production != nil {
		if film, err := w.app.OpenFilm(ctx, w.p, *w.ask.Production); err == nil {
			if c := film.View().Production.Cue(w.ask.Cue); c != nil {
				const hz = 48_000 // any that is finer than a frame
				ask.CueAt = float64(film.View().Production.FrameRate().Sample(c.Start, hz)) / hz
			}
		}
	}
	for _, pair := range pairsOf(files) {
		f := pair[0]
		s, err := w.app.soundOf(ctx, w.p.Studio, pair)
		if err != nil {
			return nil, err
		}
		var wanted *printing.Wanted
		for n := range plan.Files {
			if x := &plan.Files[n]; string(x.Bus) == f.Bus && string(x.Role) == f.Role {
				wanted = x
			}
		}
		x := recorded.File(f.Path, audit.Role(f.Role), s, wanted)
		x.Silent = w.played != nil && wanted != nil && !w.played[wanted.Bus]
		ask.Files = append(ask.Files, x)
	}
	report, err := audit.Run(ctx, ask)
	if err != nil {
		return nil, err
	}
	for n, pair := range pairsOf(files) {
		wave := make([]byte, len(report.Files[n].Wave))
		for k, v := range report.Files[n].Wave {
			wave[k] = byte(v)
		}
		if err := w.app.audio.KeepWave(ctx, w.p.Studio.String(), pair[0].Sha256, wave); err != nil {
			return nil, err
		}
	}
	return report, nil
}

// pairsOf puts files of one stem together: two of one channel that were matched as one.
func pairsOf(files []db.PrintFile) (out [][]db.PrintFile) {
	at := map[string]int{}
	for _, f := range files {
		key := f.Role + "/" + f.Bus
		if n, is := at[key]; is && f.Bus != "" && f.Role != string(audit.Other) {
			out[n] = append(out[n], f)
			continue
		}
		at[key] = len(out)
		out = append(out, []db.PrintFile{f})
	}
	for n := range out {
		slices.SortFunc(out[n], func(a, b db.PrintFile) int { return strings.Compare(a.Path, b.Path) }) // left before right
	}
	return out
}
