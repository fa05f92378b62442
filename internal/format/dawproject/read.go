package dawproject

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
)

// The bounds of a session that is read.
const (
	mostXML    = 128 << 20
	mostTracks = 60_000
	mostDeep   = 30 // folders in folders
	mostNotes  = 2_000_000
	mostEvents = 100_000 // tempi, metres and markers
	mostTurns  = 200_000 // of clips that loop
)

// Read reads a session of so many bytes. What it holds beside, such as devices and recordings, is
// named in Left. The error says what is wrong with the file, and where.
func Read(r io.ReaderAt, size int64) (session.Session, error) {
	archive, f, err := opened(r, size)
	if err != nil {
		return session.Session{}, err
	}
	in, err := f.Open()
	if err != nil {
		return session.Session{}, fmt.Errorf("project.xml cannot be unpacked: %w", err)
	}
	defer in.Close()
	p, err := decoded(io.LimitReader(in, mostXML))
	if err != nil {
		return session.Session{}, err
	}
	return newReader(p).session(title(archive))
}

// opened finds project.xml in an archive.
func opened(r io.ReaderAt, size int64) (*zip.Reader, *zip.File, error) {
	archive, err := zip.NewReader(r, size)
	if err != nil {
		return nil, nil, errors.New("this is not a DAWproject file: it is not a ZIP archive, or is cut off")
	}
	at := projectIn(archive)
	if at < 0 {
		return nil, nil, errors.New("this is not a DAWproject file: there is no project.xml in it")
	}
	if f := archive.File[at]; f.UncompressedSize64 > mostXML {
		return nil, nil, fmt.Errorf("project.xml has %d MiB; %d are read at most", f.UncompressedSize64>>20, mostXML>>20)
	}
	return archive, archive.File[at], nil
}

func decoded(in io.Reader) (*project, error) {
	var p project
	decoder := xml.NewDecoder(in)
	decoder.CharsetReader = func(charset string, _ io.Reader) (io.Reader, error) {
		return nil, fmt.Errorf("it is written in %s; DAWproject files are UTF-8", charset)
	}
	if err := decoder.Decode(&p); err != nil {
		line, _ := decoder.InputPos()
		if errors.Is(err, io.EOF) {
			err = errors.New("it holds nothing")
		}
		return nil, fmt.Errorf("project.xml, line %d: %w", line, err)
	}
	return &p, nil
}

func newReader(p *project) *reader {
	return &reader{p: p, channels: map[string]template.ID{}, fed: map[string]bool{}, seen: map[template.ID]bool{}, byID: map[string]*session.Track{}, left: map[string]int{}}
}

// title is what metadata.xml says the session is called; empty where it says nothing.
func title(archive *zip.Reader) string {
	for _, f := range archive.File {
		if !strings.EqualFold(f.Name, "metadata.xml") {
			continue
		}
		in, err := f.Open()
		if err != nil {
			return ""
		}
		defer in.Close()
		var m metaData
		if xml.NewDecoder(io.LimitReader(in, 1<<20)).Decode(&m) != nil {
			return ""
		}
		return strings.TrimSpace(m.Title)
	}
	return ""
}

type reader struct {
	p        *project
	channels map[string]template.ID // tracks by the IDs of their channels
	fed      map[string]bool        // channels that something goes to
	seen     map[template.ID]bool   // IDs of tracks
	byID     map[string]*session.Track
	count    int
	notes    int
	turns    int
	bpm      float64
	left     map[string]int
	err      error
}

func (r *reader) fail(reason string, args ...any) {
	if r.err == nil {
		r.err = fmt.Errorf("project.xml: "+reason, args...)
	}
}

func (r *reader) session(name string) (session.Session, error) {
	s := session.Session{Name: name}
	r.ways(r.p.Structure.Tracks)
	for _, c := range r.p.Structure.Channels {
		r.way(&c)
	}
	s.Tracks = r.tracks(r.p.Structure.Tracks, 0)
	for n := range r.p.Structure.Channels {
		c := &r.p.Structure.Channels[n]
		t := &session.Track{ID: r.id(c.ID), Name: c.Name, Colour: c.Color, Kind: session.Sums, Loaded: true}
		r.channel(t, c)
		s.Tracks = append(s.Tracks, t)
	}
	r.join(s.Tracks)
	r.time(&s)
	r.lanes(&r.p.Arrangement.Lanes, "", cmp.Or(r.p.Arrangement.TimeUnit, "beats"), 0)
	for what, n := range r.left {
		s.Left = append(s.Left, fmt.Sprintf("%s (%d)", what, n))
	}
	slices.Sort(s.Left)
	return s, r.err
}

// ways notes which channels something goes to.
func (r *reader) ways(list []track) {
	for n := range list {
		if c := list[n].Channel; c != nil {
			r.way(c)
		}
		r.ways(list[n].Tracks)
	}
}

func (r *reader) way(c *channel) {
	r.fed[c.Destination] = true
	if c.Sends != nil {
		for _, s := range c.Sends.List {
			r.fed[s.Destination] = true
		}
	}
}

// id is one that no other track has.
func (r *reader) id(said string) template.ID {
	if r.count++; r.count > mostTracks {
		r.fail("there are more than %d tracks", mostTracks)
	}
	id := template.ID(said)
	if said == "" || len(said) > 200 || r.seen[id] {
		id = template.ID(fmt.Sprintf("track-%d", r.count))
	}
	r.seen[id] = true
	return id
}

func (r *reader) tracks(list []track, deep int) (out []*session.Track) {
	if deep > mostDeep {
		r.fail("folders lie in folders more than %d deep", mostDeep)
		return nil
	}
	for n := range list {
		x := &list[n]
		t := &session.Track{ID: r.id(x.ID), Name: x.Name, Colour: x.Color, Comment: x.Comment, Loaded: x.Loaded != "false", Kind: r.kind(x)}
		if t.Kind != session.Folder {
			t.Gain = 1
		}
		if at := mark.FindStringSubmatchIndex(x.Comment); at != nil {
			t.Mark, t.Comment = template.ID(x.Comment[at[2]:at[3]]), x.Comment[:at[0]]
		} else if own, is := strings.CutPrefix(x.ID, markedID); is {
			t.Mark = template.ID(own)
		}
		if t.Kind == "" {
			continue
		}
		if _, twice := r.byID[x.ID]; x.ID != "" && !twice {
			r.byID[x.ID] = t
		}
		t.Children = r.tracks(x.Tracks, deep+1)
		out = append(out, t)
		switch {
		case x.Channel == nil:
		case t.Kind != session.Folder:
			r.channel(t, x.Channel)
		case r.fed[x.Channel.ID]: // a folder that is a bus as well
			bus := &session.Track{ID: r.id(string(t.ID) + ".bus"), Name: x.Name, Colour: x.Color, Kind: session.Sums, Loaded: true}
			r.channel(bus, x.Channel)
			out = append(out, bus)
		}
	}
	return out
}

// kind is what a track is; empty for what is not read.
func (r *reader) kind(x *track) session.Kind {
	role := session.Submix
	if x.Channel != nil {
		role = session.Role(cmp.Or(x.Channel.Role, string(session.Regular)))
	}
	holds := func(what string) bool { return slices.Contains(strings.Fields(x.ContentType), what) }
	switch {
	case role == "vca":
		r.left["VCA tracks"]++
	case holds("tracks") || len(x.Tracks) > 0:
		return session.Folder
	case x.Channel == nil && (holds("automation") || holds("markers") || holds("video")):
		r.left["tracks for pictures, markers and automation"]++
	case role == session.Master || role == session.Effect || role == session.Submix && x.Channel != nil:
		return session.Sums
	case holds("notes"):
		return session.Notes
	case holds("audio"):
		return session.Audio
	case holds("video") || holds("markers") || holds("automation"):
		r.left["tracks for pictures, markers and automation"]++
	default:
		return session.Notes
	}
	return ""
}

// channel takes over where a track goes, by the IDs of channels until join.
func (r *reader) channel(t *session.Track, c *channel) {
	if c.ID != "" {
		r.channels[c.ID] = t.ID
	}
	t.Role = session.Role(cmp.Or(c.Role, string(session.Regular)))
	switch t.Role {
	case session.Regular, session.Submix, session.Effect, session.Master:
	default:
		t.Role = session.Regular
	}
	if t.Kind == session.Sums && t.Role == session.Regular {
		t.Role = session.Submix
	}
	t.To, t.Mono, t.Gain = template.ID(c.Destination), c.AudioChannels == 1, 1
	if c.Volume != nil {
		t.Gain = gain(*c.Volume)
	}
	t.Pan = pan(c.Pan)
	if c.Sends != nil {
		for _, s := range c.Sends.List {
			t.Sends = append(t.Sends, session.Send{To: template.ID(s.Destination), Pre: s.Type == "pre", Gain: gain(s.Volume)})
		}
	}
	if len(c.Devices.List) > 0 {
		r.left["channels with devices"]++
	}
	if c.Mute.Value == "true" {
		r.left["muted channels"]++
	}
}

// join puts tracks in place of the channels that others go to.
func (r *reader) join(list []*session.Track) {
	for _, t := range list {
		t.To = r.channels[string(t.To)]
		t.Sends = slices.DeleteFunc(t.Sends, func(s session.Send) bool { return r.channels[string(s.To)] == "" })
		for n := range t.Sends {
			t.Sends[n].To = r.channels[string(t.Sends[n].To)]
		}
		r.join(t.Children)
	}
}

// float reads a number; what is not one becomes other.
func float(text string, other float64) float64 {
	x, err := strconv.ParseFloat(strings.TrimSpace(text), 64)
	if err != nil || math.IsNaN(x) || math.Abs(x) > 1e12 {
		return other
	}
	return x
}

// gain is a fader, linear.
func gain(p parameter) float64 {
	x := float(p.Value, 1)
	if p.Unit == "decibel" {
		x = math.Pow(10, min(x, 100)/20)
	}
	return min(1e5, max(0, x))
}

// pan is a place from left to right, -1..1.
func pan(p parameter) float64 {
	low, high := bounds(p.Unit, p.Min, p.Max)
	if p.Value == "" || high <= low {
		return 0
	}
	return min(1, max(-1, 2*(float(p.Value, (low+high)/2)-low)/(high-low)-1))
}

// bounds are the ends of a pan's parameter.
func bounds(unit, least, most string) (low, high float64) {
	if unit != "normalized" && least == "" && most == "" {
		return -1, 1
	}
	return float(least, 0), float(most, 1)
}

// time reads tempi, metres and markers.
func (r *reader) time(s *session.Session) {
	r.bpm = float(r.p.Transport.Tempo.Value, 120)
	if r.bpm <= 0 {
		r.bpm = 120
	}
	a := &r.p.Arrangement
	for _, p := range a.TempoAutomation.Points {
		t := session.Tempo{Beat: float(p.Time, -1), BPM: float(p.Value, 0), Ramp: p.Interpolation == "linear"}
		if t.Beat >= 0 && t.BPM > 0 && len(s.Tempi) < mostEvents {
			s.Tempi = append(s.Tempi, t)
		}
	}
	if len(s.Tempi) > 0 && a.TempoAutomation.TimeUnit == "seconds" {
		r.left["tempi that are placed in seconds"] += len(s.Tempi)
		s.Tempi = nil
	}
	slices.SortStableFunc(s.Tempi, func(a, b session.Tempo) int { return cmp.Compare(a.Beat, b.Beat) })
	if len(s.Tempi) == 0 || s.Tempi[0].Beat > 0 {
		s.Tempi = slices.Insert(s.Tempi, 0, session.Tempo{BPM: r.bpm})
	}
	r.bpm = s.Tempi[0].BPM
	sig := r.p.Transport.TimeSignature
	first := session.Metre{Beats: 4, Unit: 4}
	if metre(sig.Numerator, sig.Denominator) {
		first.Beats, first.Unit = sig.Numerator, sig.Denominator
	}
	for _, p := range a.TimeSignatureAutomation.Points {
		m := session.Metre{Beat: float(p.Time, -1), Beats: p.Numerator, Unit: p.Denominator}
		if m.Beat >= 0 && metre(m.Beats, m.Unit) && len(s.Metres) < mostEvents {
			s.Metres = append(s.Metres, m)
		}
	}
	slices.SortStableFunc(s.Metres, func(a, b session.Metre) int { return cmp.Compare(a.Beat, b.Beat) })
	if len(s.Metres) == 0 || s.Metres[0].Beat > 0 {
		s.Metres = slices.Insert(s.Metres, 0, first)
	}
	if a.Markers == nil {
		return
	}
	for _, m := range a.Markers.List {
		at := float(m.Time, -1)
		if a.Markers.TimeUnit == "seconds" {
			at *= r.bpm / 60
		}
		if at >= 0 && len(s.Markers) < mostEvents {
			s.Markers = append(s.Markers, session.Marker{Beat: at, Name: m.Name})
		}
	}
}

func metre(beats, unit int) bool { return beats > 0 && beats < 256 && unit > 0 && unit <= 64 }

// lanes goes through what lies in time, from a beat on.
func (r *reader) lanes(l *lanes, on, unit string, deep int) {
	if deep > mostDeep {
		r.fail("lanes lie in lanes more than %d deep", mostDeep)
		return
	}
	on, unit = cmp.Or(l.Track, on), cmp.Or(l.TimeUnit, unit)
	for n := range l.Lanes {
		r.lanes(&l.Lanes[n], on, unit, deep+1)
	}
	for n := range l.Clips {
		r.clips(&l.Clips[n], on, unit, window{to: math.Inf(1)}, deep+1)
	}
	r.here(on, l.Notes, len(l.Audio), len(l.Points), len(l.Video), unit, window{to: math.Inf(1)})
}

// window is what is heard of a clip: its content from one place to another, moved later, all in beats.
type window struct{ from, to, later float64 }

func (r *reader) clips(list *clips, on, unit string, w window, deep int) {
	if deep > mostDeep {
		r.fail("clips lie in clips more than %d deep", mostDeep)
		return
	}
	on, unit = cmp.Or(list.Track, on), cmp.Or(list.TimeUnit, unit)
	for n := range list.List {
		c := &list.List[n]
		if c.Enable == "false" {
			r.left["clips that are switched off"]++
			continue
		}
		begin, long := r.beats(float(c.Time, 0), unit), r.beats(float(c.Duration, math.Inf(1)), unit)
		inner := cmp.Or(c.ContentUnit, unit)
		start := r.beats(float(c.PlayStart, 0), inner)
		from, to := max(begin, w.from), min(begin+long, w.to)
		loopFrom, loopTo := r.beats(float(c.LoopStart, 0), inner), r.beats(float(c.LoopEnd, 0), inner)
		for at := begin; at < to && r.err == nil; {
			end := to
			if loopTo > loopFrom && start < loopTo {
				end = min(to, at+loopTo-start)
			}
			if end > from {
				r.content(c, on, inner, window{start + max(0, from-at), start + end - at, w.later + at - start}, deep)
			}
			if end >= to || loopTo <= loopFrom {
				break
			}
			if r.turns++; r.turns > mostTurns {
				r.fail("clips loop more than %d times", mostTurns)
			}
			at, start = end, loopFrom
			if math.IsInf(to, 1) {
				break // a loop without an end is heard once
			}
		}
	}
}

func (r *reader) content(c *clip, on, unit string, w window, deep int) {
	for n := range c.Lanes {
		l := &c.Lanes[n]
		r.here(cmp.Or(l.Track, on), l.Notes, len(l.Audio), len(l.Points), len(l.Video), cmp.Or(l.TimeUnit, unit), w)
		for k := range l.Clips {
			r.clips(&l.Clips[k], cmp.Or(l.Track, on), cmp.Or(l.TimeUnit, unit), w, deep+1)
		}
	}
	for n := range c.Clips {
		r.clips(&c.Clips[n], on, unit, w, deep+1)
	}
	r.here(on, c.Notes, len(c.Audio)+len(c.Warps), 0, len(c.Video), unit, w)
}

// here is what lies in one place of one track.
func (r *reader) here(on string, list []notes, audio, points, video int, unit string, w window) {
	t := r.byID[on]
	if audio > 0 {
		if t != nil {
			t.Recorded = true
		}
		r.left["recordings"] += audio
	}
	if points > 0 {
		r.left["automation of faders and devices"] += points
	}
	if video > 0 {
		r.left["pictures"] += video
	}
	for _, some := range list {
		for _, x := range some.List {
			at := r.beats(float(x.Time, -1), unit)
			if at < w.from || at >= w.to || x.Key < 0 || x.Key > 127 {
				continue
			}
			if r.notes++; r.notes > mostNotes {
				r.fail("there are more than %d notes", mostNotes)
				return
			}
			if t == nil {
				r.left["notes on no track"]++
				continue
			}
			t.Notes = append(t.Notes, session.Note{
				Beat: at + w.later, Beats: min(w.to-at, max(0, r.beats(float(x.Duration, 0), unit))), Channel: 1 + min(15, max(0, x.Channel)), Key: x.Key, Velocity: min(1, max(0, float(x.Velocity, .8))),
			})
		}
	}
}

// beats are quarter notes; seconds at the first tempo.
func (r *reader) beats(x float64, unit string) float64 {
	if unit == "seconds" {
		return x * r.bpm / 60
	}
	return x
}

// Is tells whether a file is a session of this format.
func Is(data []byte) bool {
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	return err == nil && projectIn(archive) >= 0
}

// projectIn is where the project lies in an archive; -1 for nowhere.
func projectIn(archive *zip.Reader) int {
	return slices.IndexFunc(archive.File, func(f *zip.File) bool { return strings.EqualFold(f.Name, "project.xml") })
}
