// Package sampler plays sample patches: it is the engine of the stand-in. A patch, made of
// an SFZ file or a preset of a SoundFont, and MIDI messages with their times go in; blocks
// of stereo sound come out. The same input gives the same bits, whatever the size of the
// blocks. It knows nothing of templates, machines or networks.
package sampler

import "fmt"

// Patch is a sound that can be played. It is immutable, and several engines may play it.
type Patch struct {
	Name     string
	Zones    []Zone
	Controls map[int]float64 // values that controllers start with, 0..127
	// Notes say what in the file could not be followed.
	Notes   []string
	Missing []string // samples that are not there, or cannot be read

	byKey    [128][]int32 // zones that a note of a key may sound, in their order
	switches [128]bool    // keys that choose among zones
	first    int          // the switch it starts with, -1 for none
	held     []*Sample    // what Close gives back
	store    *Store
}

// Zone is where and how one sample sounds.
type Zone struct {
	Keys, Vels Span
	Ranges     []Range
	Fades      []Fade
	Switch     int // the key switch that selects it, -1 for none
	Down, Up   int // keys that must be held, or must not be; -1 for none
	Sequence   int // of so many notes it sounds in one
	Turn       int // which, from 1
	RandLow    float64
	RandHigh   float64 // 1 includes all
	Trigger    Trigger
	Group      int64 // 0 for none
	OffBy      int64 // sounds until a zone of that group does; 0 for none
	OffFor     float64

	Sample *Sample
	Offset int64 // frames
	End    int64 // frames, not included
	Loop   Loop

	Centre           float64 // the key as recorded
	KeyTrack         float64 // cents for each key
	Tune             float64 // cents
	BendUp, BendDown float64 // cents at the ends of the pitch wheel
	GainDB           float64
	Pan              float64 // -1 left .. 1 right
	Width            float64 // of a stereo sample: 1 as it is, 0 mono, -1 the other way round
	VelTrack         float64 // what velocity does to the level: 1 is 40 log10(v/127) dB
	RtDecayDB        float64 // for each second the key was held, of a release
	Delay            float64 // s
	FixedKey         int     // plays whatever the key; -1 for none
	FixedVel         int

	Filter                Filter
	Amp, FilterEnv, Pitch Envelope
	AmpLFO, FilLFO        LFO
	PitchLFO, ModLFO      LFO // both of pitch; controllers change the first
	Mods                  []Mod
}

// Span is a run of numbers, both ends of it.
type Span struct{ Low, High int }

func (s Span) has(n int) bool { return s.Low <= n && n <= s.High }

// Range is what a controller must be for a zone to sound.
type Range struct {
	CC        int
	Low, High float64
}

// By is what a crossfade goes by.
type By byte

// A crossfade goes by key, velocity or a controller.
const (
	ByKey By = iota
	ByVelocity
	ByController
)

// Fade is a crossfade: what lies between Low and High comes in, or goes out.
type Fade struct {
	By        By
	CC        int
	Low, High float64
	Out       bool
	Linear    bool // in gain; otherwise in power
}

// Trigger is what makes a zone sound.
type Trigger byte

// The triggers.
const (
	Attack     Trigger = iota
	Release            // of the key and the pedal
	ReleaseKey         // of the key
	First              // no other key is held
	Legato             // another key is
)

// LoopMode is how a sample repeats.
type LoopMode byte

// The modes of a loop.
const (
	NoLoop     LoopMode = iota
	OneShot             // to its end, whatever the key does
	Continuous          // for as long as it sounds
	Sustained           // for as long as the key is held
)

// Loop is a run of frames that repeats, End not included.
type Loop struct {
	Mode       LoopMode
	Start, End int64
}

// Envelope has times in s and levels from 0 to 1. That of the amplitude falls evenly in dB,
// the others in a straight line.
type Envelope struct {
	Delay, Attack, Hold, Decay, Release float64
	Start, Sustain                      float64
	Cents                               float64 // what it does to pitch or filter at its top
	KeyHold, KeyDecay                   float64 // how much longer they are for each key below 60, cents of time
}

// LFO goes up and down: Hz, s, and what it does at its top, dB or cents.
type LFO struct {
	Hz, Delay, Fade, Depth float64
	Triangle               bool
}

// FilterKind is what a filter lets through.
type FilterKind byte

// The kinds of filter, of one pole and of two.
const (
	NoFilter FilterKind = iota
	LowPass1
	HighPass1
	LowPass
	HighPass
	BandPass
	BandStop
)

// Filter is what a sample goes through.
type Filter struct {
	Kind        FilterKind
	Hz          float64
	ResonanceDB float64
	KeyCents    float64 // for each key from Centre
	VelCents    float64 // at full velocity
	Centre      float64
}

// index lists zones by their keys; errors in the file are reported where it is read.
func (p *Patch) index() error {
	p.first = -1
	for n, z := range p.Zones {
		if z.Sample == nil {
			return fmt.Errorf("%s: zone %d has no sample", p.Name, n+1)
		}
		for key := max(0, z.Keys.Low); key <= min(127, z.Keys.High); key++ {
			p.byKey[key] = append(p.byKey[key], int32(n))
		}
	}
	return nil
}

// Close gives the patch's samples back; engines that play it fall silent.
func (p *Patch) Close() {
	for _, s := range p.held {
		p.store.release(s)
	}
	p.held = nil
}
