// Package session holds a template as a session of a sequencer, and reads one back: which track is
// which row, what differs, and what somebody has to say because it is unsure. A template and a
// session go in; a template as the session has it comes out, to be compared with the first.
package session

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
	Name    string   `json:"name"`
	Comment string   `json:"comment,omitempty"`
	Tracks  []*Track `json:"tracks"` // in order; folders hold others
	Tempi   []Tempo  `json:"tempi"`  // the first at beat 0
	Metres  []Metre  `json:"metres"` // likewise
	Markers []Marker `json:"markers,omitempty"`
	Flat    bool     `json:"flat,omitempty"` // it knows no folders, colours, levels and ways: a MIDI file
	Left    []string `json:"left,omitempty"` // what a session cannot say, or what in it is not read, in words
}

// WithoutNotes is the session without the notes of its tracks; how many tracks have some is told in
// Left.
func (s *Session) WithoutNotes() *Session {
	c := *s
	with := 0
	var plain func(list []*Track) []*Track
	plain = func(list []*Track) (out []*Track) {
		for _, x := range list {
			y := *x
			if len(x.Notes) > 0 {
				with++
			}
			y.Notes, y.Children = nil, plain(x.Children)
			out = append(out, &y)
		}
		return out
	}
	if c.Tracks = plain(s.Tracks); with > 0 {
		c.Left = append(slices.Clone(s.Left), fmt.Sprintf("notes (on %d tracks); in Cues, choose the session as the music of its cue", with))
	}
	return &c
}

// Kind says what a track is.
type Kind string

// The kinds of track.
const (
	Folder Kind = "folder"
	Notes  Kind = "notes"
	Audio  Kind = "audio"
	Sums   Kind = "sums" // a bus
)

// Role is what the channel of a track does.
type Role string

// The roles of channels; a folder has none.
const (
	NoRole  Role = ""
	Regular Role = "regular"
	Submix  Role = "submix"
	Effect  Role = "effect" // a return
	Master  Role = "master"
)

// Track is a track.
type Track struct {
	ID       template.ID `json:"id"`             // within the session; of one that Fanfold lays out that of the row, bus or section
	Mark     template.ID `json:"mark,omitempty"` // as read: the row, bus or section that it says it is
	Name     string      `json:"name"`
	Colour   string      `json:"colour,omitempty"` // "#8fb58a"; empty for none
	Kind     Kind        `json:"kind"`
	Role     Role        `json:"role,omitempty"` // of its channel
	Loaded   bool        `json:"loaded,omitempty"`
	To       template.ID `json:"to,omitempty"` // the track whose channel it feeds; empty for none
	Gain     float64     `json:"gain"`         // of its fader, linear
	Pan      float64     `json:"pan"`          // -1..1
	Mono     bool        `json:"mono,omitempty"`
	Recorded bool        `json:"recorded,omitempty"` // as read: audio lies on it
	Sends    []Send      `json:"sends,omitempty"`
	Comment  string      `json:"comment,omitempty"`
	Notes    []Note      `json:"notes,omitempty"`
	Children []*Track    `json:"children,omitempty"`
}

// Send is a send to a bus.
type Send struct {
	To   template.ID `json:"to"`
	Pre  bool        `json:"pre,omitempty"`
	Gain float64     `json:"gain"` // linear
}

// Note is a note of a track.
type Note struct {
	Beat     float64 `json:"beat"`     // quarter notes
	Beats    float64 `json:"beats"`    // its length, quarter notes
	Channel  int     `json:"channel"`  // 1..16
	Key      int     `json:"key"`      // 0..127
	Velocity float64 `json:"velocity"` // 0..1
}

// Tempo is a tempo from a beat on, quarter notes; with Ramp it moves towards the next.
type Tempo struct {
	Beat float64 `json:"beat"`
	BPM  float64 `json:"bpm"`
	Ramp bool    `json:"ramp,omitempty"`
}

// Metre is a metre from a beat on.
type Metre struct {
	Beat  float64 `json:"beat"`
	Beats int     `json:"beats"`
	Unit  int     `json:"unit"`
}

// Marker is a name at a beat.
type Marker struct {
	Beat float64 `json:"beat"`
	Name string  `json:"name"`
}

// The folder of guides, which stand apart from the sections.
const guidesFolder, guidesName = "guides-apart", "Guides"

// MostGain is the loudest that a session's fader goes, linear: +6 dB.
const MostGain = 2.0

// Of lays a template out as a session, in the time of its settings. loaded says which
// rows are to be ready; nil is all.
func Of(t *template.Template, loaded map[template.ID]bool) Session {
	b := &builder{t: t, loaded: loaded, folders: map[template.ID]*Track{}, left: map[string]int{}}
	s := Session{
		Name: t.Name, Tempi: []Tempo{{BPM: t.Settings.TempoBPM}}, Metres: []Metre{{Beats: 4, Unit: 4}},
		Markers: []Marker{{Beat: float64(4 * (t.Settings.CueBar - 1)), Name: fmt.Sprintf("Cue start, bar %d", t.Settings.CueBar)}},
	}
	for _, x := range t.SectionsInOrder() {
		f := &Track{ID: x.ID, Name: x.Name, Kind: Folder, Colour: b.colour(t.TintOf(x.ID)), Loaded: true}
		b.folders[x.ID] = f
		if parent := b.folders[x.Parent]; parent != nil {
			parent.Children = append(parent.Children, f)
		} else {
			s.Tracks = append(s.Tracks, f)
		}
	}
	guides := &Track{ID: guidesFolder, Name: guidesName, Kind: Folder, Loaded: true}
	for _, i := range t.ScoreOrder() {
		if i.Kind == template.Spare {
			b.left["spare rows"]++
			continue
		}
		if i.Kind == template.Divider {
			b.left["dividers"]++
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
func empty(x *Track) bool {
	if x.Kind != Folder {
		return false
	}
	return !slices.ContainsFunc(x.Children, func(c *Track) bool { return !empty(c) })
}

type builder struct {
	t       *template.Template
	loaded  map[template.ID]bool
	folders map[template.ID]*Track
	left    map[string]int
}

func (b *builder) colour(tint string) string {
	p := b.t.ThePalette()
	for _, x := range p.Tints {
		if x.Tint == tint {
			return palette.On(p, x, false).Screen().Hex()
		}
	}
	return ""
}

func (b *builder) row(i *template.Instrument) *Track {
	tint := i.Colour
	if tint == "" {
		tint = b.t.TintOf(i.Section)
	}
	x := &Track{ID: i.ID, Name: i.Name, Colour: b.colour(tint), Kind: Notes, Role: Regular, Pan: i.Pan, Loaded: b.loaded == nil || b.loaded[i.ID]}
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
var roles = map[template.BusKind]Role{template.Group: Submix, template.Stem: Submix, template.Return: Effect, template.Mix: Master}

func (b *builder) bus(bus *template.Bus) *Track {
	x := &Track{ID: bus.ID, Name: bus.Name, Kind: Sums, Role: roles[bus.Kind], Mono: bus.Mono, Loaded: true, Comment: bus.Process}
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
func (b *builder) routes(x *Track, routes []template.Route, faderDB, trimDB float64) {
	x.Gain = b.gain(faderDB + trimDB)
	buses := b.t.Index().Buses
	for _, r := range routes {
		to := buses[r.To]
		if to == nil || roles[to.Kind] == NoRole {
			continue // print and speakers lie outside of a session
		}
		if x.To == "" && r.Tap == template.Post && r.GainDB == 0 && to.Kind != template.Return {
			x.To = r.To
			continue
		}
		send := Send{To: r.To, Pre: r.Tap != template.Post, Gain: b.gain(r.GainDB)}
		if send.Pre {
			send.Gain = b.gain(r.GainDB + trimDB)
		}
		x.Sends = append(x.Sends, send)
	}
}

func (b *builder) gain(db float64) float64 {
	g := math.Pow(10, db/20)
	if g > MostGain {
		b.left["levels above +6 dB"]++
		return MostGain
	}
	return math.Round(g*1e6) / 1e6
}

func (b *builder) leftOut() []string {
	var out []string
	for what, n := range b.left {
		out = append(out, fmt.Sprintf("%s (%d)", what, n))
	}
	slices.Sort(out)
	return out
}
