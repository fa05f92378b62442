package sampler

import "slices"

// Kind is what a MIDI message says.
type Kind byte

// The kinds of message.
const (
	NoteOff Kind = iota
	NoteOn
	Control
	PitchWheel // Value -8192 .. 8191
	Pressure
	PolyPressure
)

// KindOf is the kind of a MIDI message by its status on channel 1: a note that ends or begins,
// or a controller. ok is false for others.
func KindOf(status byte) (kind Kind, ok bool) {
	switch status {
	case 0x80:
		return NoteOff, true
	case 0x90:
		return NoteOn, true
	case 0xB0:
		return Control, true
	}
	return 0, false
}

// Message is a MIDI message for one channel, and when it is heard.
type Message struct {
	At    int64 // frames from the engine's start; one that is past is heard at once
	Kind  Kind
	Key   int // or the controller
	Value int // velocity, value of the controller, pressure
}

// Options of an engine.
type Options struct {
	RateHz  float64 // defaults to 48,000
	Quality Quality
	Seed    uint64 // of random choices: say which row it is
	Voices  int    // at most at once; defaults to 128
	Wait    bool   // for samples that are read from the disk; otherwise they drop out, and Dry counts
}

// Engine plays one patch.
type Engine struct {
	patch   *Patch
	rate    float64
	quality Quality
	seed    uint64
	limit   int
	wait    bool

	queue   []Message
	now     int64 // frames made
	notes   int64
	control [128]float64
	keys    [128]uint8 // how hard they are held; 0 for up
	since   [128]int64 // when each went down
	stay    [128]bool  // keys that the middle pedal holds
	polys   [128]float64
	touch   float64
	bend    float64 // -1..1
	gain    float64 // of volume and expression
	trim    float64 // of all that comes out
	pan     float64
	switchd int
	turns   []int
	voices  []voice
	stolen  int
	dry     int

	left, right [quantum]float32
	sumL, sumR  [quantum]float64
	window      []float32
	rest        int // frames of the sums that are not given yet
}

// The controllers that the engine knows (MIDI 1.0).
const (
	ccVolume, ccPan, ccExpression, ccSustain, ccSostenuto, ccSoft = 7, 10, 11, 64, 66, 67
	ccAllSoundOff, ccReset, ccAllNotesOff                         = 120, 121, 123
)

// defaultVoices is how many voices an engine has unless told.
const defaultVoices = 128

// mostQueued bounds messages that wait; what comes beyond is dropped.
const mostQueued = 1 << 20

// New makes an engine for a patch.
func New(p *Patch, o Options) *Engine {
	e := &Engine{patch: p, rate: o.RateHz, quality: o.Quality, seed: o.Seed, limit: o.Voices, wait: o.Wait, switchd: p.first, turns: make([]int, len(p.Zones))}
	e.trim = 1
	if e.rate == 0 {
		e.rate = 48_000
	}
	if e.limit == 0 {
		e.limit = defaultVoices
	}
	if e.quality == Print {
		banks() // made before the first block
	}
	e.voices = make([]voice, 0, e.limit+e.limit/4+1)
	e.reset()
	e.control[ccVolume], e.control[ccPan] = 127, 64
	for cc, x := range p.Controls {
		e.control[cc] = x
	}
	e.level()
	return e
}

// reset puts controllers back as MIDI says (Recommended Practice 015): volume, pan and
// those of sounds stay.
func (e *Engine) reset() {
	for _, cc := range []int{1, ccSustain, ccSostenuto, ccSoft} {
		e.control[cc] = 0
	}
	e.control[ccExpression], e.bend, e.touch, e.polys = 127, 0, 0, [128]float64{}
}

// level is what volume and expression come to: a square law each (General MIDI level 2).
func (e *Engine) level() {
	v, x := e.control[ccVolume]/127, e.control[ccExpression]/127
	e.gain = v * v * x * x
	e.pan = (e.control[ccPan] - 64) / 63
	if e.control[ccPan] < 64 {
		e.pan = (e.control[ccPan] - 64) / 64
	}
}

// Send takes a message. Messages of one time are heard in the order they came. What does
// not fit, after a million that wait, is dropped.
func (e *Engine) Send(m Message) {
	if len(e.queue) >= mostQueued || m.Key < 0 || m.Key > 127 {
		return
	}
	at := len(e.queue)
	for at > 0 && e.queue[at-1].At > m.At {
		at--
	}
	e.queue = slices.Insert(e.queue, at, m)
}

// Trim sets the gain of all that comes out, linear; 1 at the beginning.
func (e *Engine) Trim(gain float64) { e.trim = gain }

// Now is how many frames have been made.
func (e *Engine) Now() int64 { return e.now - int64(e.rest) }

// Voices is how many sound.
func (e *Engine) Voices() int { return len(e.voices) }

// Stolen is how many voices had to stop for others since the engine began.
func (e *Engine) Stolen() int { return e.stolen }

// Dry is how many blocks of voices were silent since their samples were not read in time.
func (e *Engine) Dry() int { return e.dry }

// Idle tells whether nothing sounds, and nothing waits to.
func (e *Engine) Idle() bool { return len(e.voices) == 0 && len(e.queue) == 0 && e.rest == 0 }

// Render adds the next frames to both channels, as many as left has.
func (e *Engine) Render(left, right []float64) {
	for done := 0; done < len(left); {
		if e.rest == 0 {
			e.make()
		}
		from := quantum - e.rest
		n := min(e.rest, len(left)-done)
		for k := range n {
			left[done+k] += e.trim * e.sumL[from+k]
			right[done+k] += e.trim * e.sumR[from+k]
		}
		e.rest -= n
		done += n
	}
}

// Skip moves on by so many frames of an engine that is idle.
func (e *Engine) Skip(frames int) {
	e.now += int64(frames - frames%quantum)
	if over := frames % quantum; over > 0 {
		e.make()
		e.rest -= over
	}
}

// make makes a quantum.
func (e *Engine) make() {
	taken := 0
	for _, m := range e.queue {
		if m.At >= e.now+quantum {
			break
		}
		e.hear(m)
		taken++
	}
	e.queue = e.queue[:copy(e.queue, e.queue[taken:])]
	e.sumL, e.sumR = [quantum]float64{}, [quantum]float64{}
	kept := 0
	for n := range e.voices {
		if e.voices[n].run(e, &e.sumL, &e.sumR) {
			if kept != n {
				e.voices[kept] = e.voices[n]
			}
			kept++
		}
	}
	e.voices = e.voices[:kept]
	e.now += quantum
	e.rest = quantum
}

func (e *Engine) hear(m Message) {
	switch m.Kind {
	case NoteOn:
		if m.Value <= 0 {
			e.noteOff(m.Key)
			return
		}
		e.noteOn(m.Key, min(127, m.Value), int(max(0, m.At-e.now)))
	case NoteOff:
		e.noteOff(m.Key)
	case Control:
		e.controller(m.Key, min(127, max(0, m.Value)))
	case PitchWheel:
		e.bend = min(1, max(-1, float64(m.Value)/8192))
	case Pressure:
		e.touch = float64(min(127, max(0, m.Value))) / 127
	case PolyPressure:
		e.polys[m.Key] = float64(min(127, max(0, m.Value))) / 127
	}
}

func (e *Engine) controller(cc, value int) {
	was := e.control[cc]
	e.control[cc] = float64(value)
	switch cc {
	case ccVolume, ccExpression, ccPan:
		e.level()
	case ccSustain:
		if was >= 64 && value < 64 {
			e.pedalUp()
		}
	case ccSostenuto:
		if was < 64 && value >= 64 {
			for key := range e.keys {
				e.stay[key] = e.keys[key] > 0
			}
		}
		if value < 64 {
			e.stay = [128]bool{}
			e.pedalUp()
		}
	case ccAllSoundOff:
		for n := range e.voices {
			e.voices[n].choke(.005)
		}
		e.keys = [128]uint8{}
	case ccReset:
		e.reset()
		e.level()
		e.pedalUp()
	case ccAllNotesOff:
		for key := range e.keys {
			e.noteOff(key)
		}
	}
}

// pedalUp lets go of what no pedal holds any longer.
func (e *Engine) pedalUp() {
	var freed [128]bool
	for n := range e.voices {
		if v := &e.voices[n]; v.down && !e.pedalled(v.pressed) {
			freed[v.pressed] = true
			v.release()
		}
	}
	for key, is := range freed {
		if is {
			e.trigger(key, afterPedal, Release)
		}
	}
}

func (e *Engine) pedalled(key int) bool { return e.control[ccSustain] >= 64 || e.stay[key] }

// softDB is what the left pedal takes off notes that begin: common practice, no source.
const softDB = -4.5

func (e *Engine) noteOn(key, vel, offset int) {
	others := false
	for k, v := range e.keys {
		others = others || v > 0 && k != key
	}
	for n := range e.voices { // the same string or pipe
		if v := &e.voices[n]; v.pressed == key && (v.held || v.down) {
			v.release()
		}
	}
	e.keys[key], e.since[key] = uint8(vel), e.now
	if e.patch.switches[key] {
		e.switchd = key
	}
	e.notes++
	for _, n := range e.patch.byKey[key] {
		z := &e.patch.Zones[n]
		switch z.Trigger {
		case First:
			if others {
				continue
			}
		case Legato:
			if !others {
				continue
			}
		case Release, ReleaseKey:
			continue
		}
		if e.sounds(int(n), z, key, vel) {
			v := e.start(z, key, vel, true)
			v.delay += offset
			if e.control[ccSoft] >= 64 {
				v.baseDB += softDB
			}
		}
	}
}

func (e *Engine) noteOff(key int) {
	if e.keys[key] == 0 {
		return
	}
	vel := int(e.keys[key])
	e.keys[key] = 0
	pedalled := e.pedalled(key)
	for n := range e.voices {
		if v := &e.voices[n]; v.held && v.pressed == key {
			if v.held = false; pedalled {
				v.down = true
			} else {
				v.release()
			}
		}
	}
	e.trigger(key, vel, ReleaseKey)
	if !pedalled {
		e.trigger(key, vel, Release)
	}
}

// afterPedal is how hard a key is taken to have been struck that a pedal let go of.
const afterPedal = 64

func (e *Engine) trigger(key, vel int, t Trigger) {
	for _, n := range e.patch.byKey[key] {
		z := &e.patch.Zones[n]
		if z.Trigger != t || !e.sounds(int(n), z, key, vel) {
			continue
		}
		v := e.start(z, key, vel, false)
		v.baseDB -= z.RtDecayDB * float64(e.now-e.since[key]) / e.rate
	}
}

// sounds tells whether a zone takes part in a note.
func (e *Engine) sounds(n int, z *Zone, key, vel int) bool {
	if !z.Vels.has(vel) || z.Switch >= 0 && z.Switch != e.switchd {
		return false
	}
	if z.Down >= 0 && e.keys[z.Down] == 0 || z.Up >= 0 && e.keys[z.Up] > 0 {
		return false
	}
	for _, r := range z.Ranges {
		if c := e.control[r.CC]; c < r.Low || c > r.High {
			return false
		}
	}
	if z.RandLow > 0 || z.RandHigh < 1 {
		if x := e.random(key); x < z.RandLow || x >= z.RandHigh && z.RandHigh < 1 {
			return false
		}
	}
	if z.Sequence > 1 {
		turn := e.turns[n] % z.Sequence
		e.turns[n]++
		return turn == z.Turn-1
	}
	return true
}

// random is a number from 0 to 1 for a note: of the row, the key and the time, so that the
// same piece sounds the same twice (mixed as by S. Vigna's splitmix64).
func (e *Engine) random(key int) float64 {
	x := e.seed ^ uint64(e.now)*0x9e3779b97f4a7c15 ^ uint64(key+1)*0xbf58476d1ce4e5b9
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return float64((x^x>>31)>>11) / (1 << 53)
}

// start begins a voice, and stops those that it turns off or has to take the place of.
func (e *Engine) start(z *Zone, key, vel int, held bool) *voice {
	if z.Group != 0 {
		for n := range e.voices {
			if v := &e.voices[n]; v.zone.OffBy == z.Group && v.note != e.notes {
				v.choke(v.zone.OffFor)
			}
		}
	}
	e.steal()
	e.voices = append(e.voices, voice{})
	v := &e.voices[len(e.voices)-1]
	v.begin(e, z, key, vel, held)
	v.born = e.now
	return v
}

// steal makes room for a voice: of those released the oldest stops, else the oldest of all.
func (e *Engine) steal() {
	live := 0
	for n := range e.voices {
		if !e.voices[n].choked {
			live++
		}
	}
	if live < e.limit {
		if len(e.voices) == cap(e.voices) { // many are on their way out
			e.voices = e.voices[:copy(e.voices, e.voices[1:])]
		}
		return
	}
	best := -1
	for n := range e.voices {
		v := &e.voices[n]
		if v.choked {
			continue
		}
		if best < 0 || v.free() && !e.voices[best].free() {
			best = n
		}
	}
	e.voices[best].choke(.002)
	e.stolen++
	if len(e.voices) == cap(e.voices) {
		e.voices = e.voices[:copy(e.voices, e.voices[1:])]
	}
}

// free tells whether nobody holds the voice.
func (v *voice) free() bool { return !v.held && !v.down }

// mod is what a modulator does now.
func (e *Engine) mod(v *voice, m Mod) float64 {
	x := m.Source.value(e.raw(v, m.Source))
	if m.By.From != Always {
		x *= m.By.value(e.raw(v, m.By))
	}
	return m.Amount * x
}

func (e *Engine) raw(v *voice, s Source) float64 {
	switch s.From {
	case Controller:
		return e.control[s.CC] / 127
	case Velocity:
		return float64(v.vel) / 127
	case Key:
		return float64(v.key) / 127
	case ChannelPressure:
		return e.touch
	case KeyPressure:
		return e.polys[v.key]
	case Wheel:
		return (e.bend + 1) / 2
	}
	return 1
}
