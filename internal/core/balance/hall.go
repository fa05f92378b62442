package balance

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// SpeedOfSound is that of air at 20 °C, m/s: 331.3 + 0.606 t.
const SpeedOfSound = 343.4

// Halls are the halls to begin with: volumes and decays as are usual for their kind (common
// practice, no source).
var Halls = []struct {
	Name  string
	Stage template.StagePlan
}{
	{"Concert stage", template.StagePlan{VolumeM3: 18_000, DecayS: 2.0}},
	{"Scoring stage", template.StagePlan{VolumeM3: 4_000, DecayS: 1.2}},
	{"Small room", template.StagePlan{VolumeM3: 300, DecayS: 0.5}},
}

// CriticalDistance is where direct and reverberant sound are equally strong, m, of a hall's
// volume, m³, and decay by 60 dB, s: 0.057 sqrt(Q V / RT60), Q = 1 for a source that sounds
// alike to all sides (Kuttruff, Room Acoustics).
func CriticalDistance(volumeM3, decayS float64) float64 { return .057 * math.Sqrt(volumeM3/decayS) }

// DirectDB is how much stronger the direct sound is than the reverberant one at a distance,
// dB: 20 log10(d_c/d).
func DirectDB(critical, distance float64) float64 { return 20 * math.Log10(critical/distance) }

// AirDB is what a way of air takes from a tone, dB, at a temperature, °C, a relative humidity,
// %, and 101.325 kPa: ISO 9613-1, equations 3 to 5 and B.2 and B.3.
func AirDB(hz, metres, celsius, humidity float64) float64 {
	const t0, t01 = 293.15, 273.16
	t := celsius + 273.15
	h := humidity * math.Pow(10, -6.8346*math.Pow(t01/t, 1.261)+4.6151)
	oxygen := 24 + 4.04e4*h*(.02+h)/(.391+h)
	nitrogen := math.Pow(t/t0, -.5) * (9 + 280*h*math.Exp(-4.170*(math.Pow(t/t0, -1./3)-1)))
	f2 := hz * hz
	perMetre := 8.686 * f2 * (1.84e-11*math.Sqrt(t/t0) + math.Pow(t/t0, -2.5)*
		(.01275*math.Exp(-2239.1/t)/(oxygen+f2/oxygen)+.1068*math.Exp(-3352/t)/(nitrogen+f2/nitrogen)))
	return perMetre * metres
}

// Baked is the hall that a library brings along: as if it had been heard at a distance in it
// (common practice, no source). Dry ones bring none.
var Baked = map[template.Room]struct {
	Stage    template.StagePlan
	Distance float64 // m
}{
	template.Stage: {template.StagePlan{VolumeM3: 4_000, DecayS: 1.2}, 4},
	template.Hall:  {template.StagePlan{VolumeM3: 12_000, DecayS: 2.0}, 7},
}

// Standing is where a section sits in the hall, and what follows from it.
type Standing struct {
	Section   *template.Section
	Rows      int
	X, Y      float64 // m
	Own       bool    // somebody put it there; otherwise it sits where it usually does
	DistanceM float64
	DelayMs   float64 // against the nearest
	LevelDB   float64 // of the direct sound, against the nearest
	DirectDB  float64 // against the reverberant one
	AirDB     float64 // what the air takes at 8 kHz
	Pan       float64 // -1 left to 1 right, of constant power
	Sends     []Send  // of its libraries, each kind of room once
}

// Send is what rows of a kind of room need of the hall.
type Send struct {
	Room  template.Room
	Rows  int
	Level float64 // dB, before the fader
	None  bool    // nothing is left to add: they bring more than the hall has there
}

// noSend is what a send is set to where nothing is left to add, dB.
const noSend = template.MinGainDB

// leastSend is the reverberant sound that is not worth adding, dB beside the direct one.
const leastSend = -40.0

// widest is the angle from the middle at which a section stands wholly at one side, degrees:
// half of the angle that a main pair takes in (common practice, no source). A measured place
// is at one side at fullSide, since it is told as an angle of constant power.
const (
	widest   = 60.0
	fullSide = 45.0
)

// StageOf is the hall of a template: its own, or a concert stage.
func StageOf(t *template.Template) template.StagePlan {
	if t.Settings.Stage != nil {
		return *t.Settings.Stage
	}
	return Halls[0].Stage
}

// placeOf is where a section sits: where somebody put it, or the nearest above it that was
// put somewhere, else where it usually does; false for one that sits on no stage.
func placeOf(t *template.Template, stage template.StagePlan, section template.ID) (p sound.Place, own, ok bool) {
	for n, s := range t.Ancestry(section) {
		for _, a := range stage.Areas {
			if a.Section == s.ID {
				return sound.Place{X: a.X, Y: a.Y}, n == 0, true
			}
		}
	}
	p, ok = sound.PlaceOf(t.SectionPath(section))
	return p, false, ok
}

// Hall is how the sections that rows stand in sit in the hall of a template, nearest first.
func Hall(t *template.Template) []Standing {
	stage := StageOf(t)
	critical := CriticalDistance(stage.VolumeM3, stage.DecayS)
	bySection := map[template.ID][]*template.Instrument{}
	for _, i := range t.Instruments {
		if i.Kind == template.Sampled {
			bySection[i.Section] = append(bySection[i.Section], i)
		}
	}
	var out []Standing
	nearest := math.Inf(1)
	for _, s := range t.Sections {
		rows := bySection[s.ID]
		if len(rows) == 0 {
			continue
		}
		p, own, ok := placeOf(t, stage, s.ID)
		if !ok {
			continue
		}
		x := Standing{Section: s, Rows: len(rows), X: p.X, Y: p.Y, Own: own, DistanceM: math.Hypot(p.X, p.Y)}
		x.DirectDB = DirectDB(critical, x.DistanceM)
		x.AirDB = AirDB(8000, x.DistanceM, 20, 50)
		x.Pan = max(-1, min(1, math.Atan2(p.X, p.Y)*180/math.Pi/widest))
		x.Sends = sendsOf(t, rows, x.DirectDB)
		nearest = min(nearest, x.DistanceM)
		out = append(out, x)
	}
	for n := range out {
		out[n].DelayMs = (out[n].DistanceM - nearest) / SpeedOfSound * 1000
		out[n].LevelDB = -20 * math.Log10(out[n].DistanceM/nearest)
	}
	slices.SortStableFunc(out, func(a, b Standing) int { return cmp.Compare(a.DistanceM, b.DistanceM) })
	return out
}

// sendsOf are the sends of rows by the rooms they bring along.
func sendsOf(t *template.Template, rows []*template.Instrument, directDB float64) []Send {
	count := map[template.Room]int{}
	for _, i := range rows {
		count[roomOf(t, i)]++
	}
	var out []Send
	for _, room := range append([]template.Room{""}, template.Rooms...) {
		if count[room] > 0 {
			level, none := SendDB(room, directDB)
			out = append(out, Send{room, count[room], level, none})
		}
	}
	return out
}

// SendDB is the level of the send before the fader that adds what a hall has beside a direct
// sound, dB, once what the room of a library brings is taken off. none tells that nothing is
// left to add. The effect is taken to give back as much as goes in.
func SendDB(room template.Room, directDB float64) (level float64, none bool) {
	wanted := math.Pow(10, -directDB/10)
	if b, ok := Baked[room]; ok {
		wanted -= math.Pow(10, -DirectDB(CriticalDistance(b.Stage.VolumeM3, b.Stage.DecayS), b.Distance)/10)
	}
	if wanted < math.Pow(10, leastSend/10) {
		return noSend, true
	}
	return min(template.MaxGainDB, math.Round(100*math.Log10(wanted))/10), false
}

func roomOf(t *template.Template, i *template.Instrument) template.Room {
	if l := t.LibraryOf(i); l != nil {
		return l.Room
	}
	return ""
}

// hallSends are a row's routes to halls: before the fader, to a return that is not a delay.
func hallSends(t *template.Template, i *template.Instrument) []template.Route {
	var out []template.Route
	for _, r := range i.Routes {
		if b := t.Index().Buses[r.To]; b != nil && b.Kind == template.Return && r.Tap == template.Pre {
			out = append(out, r)
		}
	}
	return out
}

// TakeHall sets the sends and the pans of rows as the hall asks, as one change: of rows in
// the given sections, or of all. A library recorded in its place has its pan already: that is
// taken off where it was measured.
func TakeHall(t *template.Template, sections []template.ID) (change.Change, error) {
	var edit change.Edit
	var wires change.Connect
	for _, s := range Hall(t) {
		if len(sections) > 0 && !slices.Contains(sections, s.Section.ID) {
			continue
		}
		for _, i := range t.Instruments {
			if i.Section != s.Section.ID || i.Kind != template.Sampled || i.With != "" {
				continue
			}
			pan := s.Pan
			if i.Heard.Sounds() {
				pan = max(-1, min(1, pan-i.Heard.Position/fullSide))
			}
			pan = math.Round(100*pan) / 100
			if pan != i.Pan {
				edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Pan: &pan})
			}
			level, _ := SendDB(roomOf(t, i), s.DirectDB)
			for _, r := range hallSends(t, i) {
				if r.GainDB != level {
					wires.Wires = append(wires.Wires, change.Wire{From: i.ID, To: r.To, Level: &change.WireSetting{GainDB: level, Tap: r.Tap, Hand: true}})
				}
			}
		}
	}
	var list []change.Change
	if len(edit.Edits) > 0 {
		list = append(list, edit)
	}
	if len(wires.Wires) > 0 {
		list = append(list, wires)
	}
	if len(list) == 0 {
		return nil, &change.Refused{Reason: "sends and pans suit the hall already"}
	}
	return change.Batch{Label: fmt.Sprintf("Place %d rows in the hall", max(len(edit.Edits), len(wires.Wires))), Changes: list}, nil
}
