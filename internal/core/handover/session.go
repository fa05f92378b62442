package handover

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/palette"
	"fanfold/internal/core/template"
)

// Session is a template as a session of a sequencer: its sections as folders, its rows and buses
// as tracks with channels, and the time of a cue.
type Session struct {
	Name    string
	Comment string
	Tracks  []*SessionTrack // in order; folders hold others
	Tempi   []SessionTempo  // the first at beat 0
	Metres  []SessionMetre  // likewise
	Markers []SessionMarker
	Left    []string // what a session can not say, in words
}

// SessionKind says what a track is.
type SessionKind string

// The kinds of track.
const (
	Folder SessionKind = "folder"
	Notes  SessionKind = "notes"
	Audio  SessionKind = "audio"
	Sums   SessionKind = "sums" // a bus
)

// SessionTrack is a track.
type SessionTrack struct {
	ID       template.ID
	Name     string
	Colour   string // "#8fb58a"; empty for none
	Kind     SessionKind
	Role     string // of its channel: regular, submix, effect or master; empty for a folder
	Loaded   bool
	To       template.ID // the bus that its channel feeds; empty for none
	Gain     float64     // of its fader, linear
	Pan      float64     // -1..1
	Mono     bool
	Sends    []SessionSend
	Comment  string
	Children []*SessionTrack
}

// SessionSend is a send to a bus.
type SessionSend struct {
	To   template.ID
	Pre  bool
	Gain float64 // linear
}

// SessionTempo is a tempo from a beat on, quarter notes; with Ramp it moves towards the next.
type SessionTempo struct {
	Beat, BPM float64
	Ramp      bool
}

// SessionMetre is a metre from a beat on.
type SessionMetre struct {
	Beat        float64
	Beats, Unit int
}

// SessionMarker is a name at a beat.
type SessionMarker struct {
	Beat float64
	Name string
}

// MostSessionGain is the loudest that a session's fader goes, linear: +6 dB.
const MostSessionGain = 2.0

// NewSession lays a template out as a session, in the time of its settings. loaded says which
// rows are to be ready; nil is all.
func NewSession(t *template.Template, loaded map[template.ID]bool) Session {
	b := &sessionBuilder{t: t, loaded: loaded, folders: map[template.ID]*SessionTrack{}, left: map[string]int{}}
	s := Session{
		Name: t.Name, Tempi: []SessionTempo{{BPM: t.Settings.TempoBPM}}, Metres: []SessionMetre{{Beats: 4, Unit: 4}},
		Markers: []SessionMarker{{Beat: float64(4 * (t.Settings.CueBar - 1)), Name: fmt.Sprintf("Cue start, bar %d", t.Settings.CueBar)}},
	}
	for _, x := range t.SectionsInOrder() {
		f := &SessionTrack{ID: x.ID, Name: x.Name, Kind: Folder, Colour: b.colour(t.TintOf(x.ID)), Loaded: true}
		b.folders[x.ID] = f
		if parent := b.folders[x.Parent]; parent != nil {
			parent.Children = append(parent.Children, f)
		} else {
			s.Tracks = append(s.Tracks, f)
		}
	}
	guides := &SessionTrack{ID: "guides-apart", Name: "Guides", Kind: Folder, Loaded: true}
	for _, i := range t.ScoreOrder() {
		if i.Kind == template.Spare {
			b.left["spare rows"]++
			continue
		}
		track := b.row(i)
		if folder := b.folders[i.Section]; i.Kind == template.Guide {
			guides.Children = append(guides.Children, track)
		} else if folder != nil {
			folder.Children = append(folder.Children, track)
		}
	}
	s.Tracks = slices.DeleteFunc(s.Tracks, empty)
	for _, f := range b.folders {
		f.Children = slices.DeleteFunc(f.Children, empty)
	}
	s.Tracks = slices.DeleteFunc(s.Tracks, empty)
	if len(guides.Children) > 0 {
		s.Tracks = append(s.Tracks, guides)
	}
	for _, kind := range []template.BusKind{template.Group, template.Return, template.Stem, template.Mix} {
		for _, bus := range t.Buses {
			if bus.Kind == kind {
				s.Tracks = append(s.Tracks, b.bus(bus))
			}
		}
	}
	s.Left = b.leftOut()
	return s
}

// empty tells whether a folder holds nothing.
func empty(x *SessionTrack) bool {
	if x.Kind != Folder {
		return false
	}
	return !slices.ContainsFunc(x.Children, func(c *SessionTrack) bool { return !empty(c) })
}

type sessionBuilder struct {
	t       *template.Template
	loaded  map[template.ID]bool
	folders map[template.ID]*SessionTrack
	left    map[string]int
}

func (b *sessionBuilder) colour(tint string) string {
	p := b.t.ThePalette()
	for _, x := range p.Tints {
		if x.Tint == tint {
			return palette.On(p, x, false).Screen().Hex()
		}
	}
	return ""
}

func (b *sessionBuilder) row(i *template.Instrument) *SessionTrack {
	tint := i.Colour
	if tint == "" {
		tint = b.t.TintOf(i.Section)
	}
	x := &SessionTrack{ID: i.ID, Name: i.Name, Colour: b.colour(tint), Kind: Notes, Role: "regular", Pan: i.Pan, Loaded: b.loaded == nil || b.loaded[i.ID]}
	if i.Kind != template.Sampled {
		x.Kind = Audio
		x.Loaded = true
	}
	var said []string
	if i.Seat != nil {
		said = append(said, b.t.DeviceName(*i.Seat), fmt.Sprintf("channel %d", i.Seat.Channel), "outputs "+i.Seat.Outputs())
		b.left["ports, MIDI channels and outputs of rows"]++
	}
	for _, p := range b.t.PatchesOf(i) {
		said = append(said, p.Name)
	}
	if len(b.t.PatchesOf(i)) > 0 {
		b.left["patches, and how articulations are switched"]++
	}
	x.Comment = strings.Join(said, ", ")
	b.routes(x, i.Routes, i.GainDB, i.LevelTrimDB)
	return x
}

// roles are those of buses in a session.
var roles = map[template.BusKind]string{template.Group: "submix", template.Stem: "submix", template.Return: "effect", template.Mix: "master"}

func (b *sessionBuilder) bus(bus *template.Bus) *SessionTrack {
	x := &SessionTrack{ID: bus.ID, Name: bus.Name, Kind: Sums, Role: roles[bus.Kind], Mono: bus.Mono, Loaded: true, Comment: bus.Process}
	if bus.Section != "" {
		x.Colour = b.colour(b.t.TintOf(bus.Section))
	}
	if len(bus.Runs) > 0 {
		b.left["effects on buses"]++
	}
	if bus.Kind == template.Mix {
		x.Gain = b.gain(bus.GainDB)
		return x
	}
	b.routes(x, bus.Routes, bus.GainDB, 0)
	return x
}

// routes makes a channel of routes: the first that goes after the fader without a gain of its own
// is where it goes, the others are sends. A level trim stands before both: it is in the fader, and
// in sends before it.
func (b *sessionBuilder) routes(x *SessionTrack, routes []template.Route, faderDB, trimDB float64) {
	x.Gain = b.gain(faderDB + trimDB)
	buses := b.t.Index().Buses
	for _, r := range routes {
		to := buses[r.To]
		if to == nil || roles[to.Kind] == "" {
			continue // print and speakers lie outside of a session
		}
		if x.To == "" && r.Tap == template.Post && r.GainDB == 0 && to.Kind != template.Return {
			x.To = r.To
			continue
		}
		send := SessionSend{To: r.To, Pre: r.Tap != template.Post, Gain: b.gain(r.GainDB)}
		if send.Pre {
			send.Gain = b.gain(r.GainDB + trimDB)
		}
		x.Sends = append(x.Sends, send)
	}
}

func (b *sessionBuilder) gain(db float64) float64 {
	g := math.Pow(10, db/20)
	if g > MostSessionGain {
		b.left["levels above +6 dB"]++
		return MostSessionGain
	}
	return math.Round(g*1e6) / 1e6
}

func (b *sessionBuilder) leftOut() []string {
	var out []string
	for what, n := range b.left {
		out = append(out, fmt.Sprintf("%s (%d)", what, n))
	}
	slices.Sort(out)
	return out
}
