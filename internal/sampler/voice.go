package sampler

import "math"

// quantum is how many frames are made at a time: controllers, envelopes and pitch move at
// its ends, notes begin within it.
const quantum = 64

// mostRatio bounds how much faster than recorded a sample plays: five octaves.
const mostRatio = 32

// voice is one sounding zone.
type voice struct {
	zone     *Zone
	key, vel int   // as it sounds
	pressed  int   // the key that began it
	note     int64 // which note began it
	born     int64 // frames
	delay    int   // frames until it begins
	held     bool  // its key is down
	down     bool  // a pedal holds it
	choked   bool  // it stops at once
	pos      int64 // whole frames of the sample
	frac     uint32
	looping  bool
	gain     [2]float32 // at the end of the last quantum
	begun    bool
	baseDB   float64 // what does not change while it sounds
	weight   float64
	amp      envelope
	fil      envelope
	pitch    envelope
	ampLFO   lfo
	filLFO   lfo
	pitchLFO lfo
	modLFO   lfo
	filter   biquad
}

// begin starts a zone for a note.
func (v *voice) begin(e *Engine, z *Zone, key, vel int, held bool) {
	*v = voice{zone: z, key: key, pressed: key, vel: vel, note: e.notes, held: held, pos: z.Offset, weight: 1}
	v.delay = int(z.Delay * e.rate)
	if z.FixedKey >= 0 {
		v.key = z.FixedKey
	}
	if z.FixedVel >= 0 {
		v.vel = z.FixedVel
	}
	v.baseDB = z.GainDB + z.VelTrack*40*math.Log10(float64(max(1, v.vel))/127)
	if z.VelTrack < 0 {
		v.baseDB = z.GainDB - z.VelTrack*40*math.Log10(float64(max(1, 127-v.vel))/127)
	}
	for _, f := range z.Fades {
		switch f.By {
		case ByKey:
			v.weight *= f.weight(float64(v.key))
		case ByVelocity:
			v.weight *= f.weight(float64(v.vel))
		}
	}
	v.amp.start(z.Amp, true, v.key)
	for _, m := range z.Mods {
		switch m.To {
		case ToAttack:
			v.amp.Attack = max(0, v.amp.Attack+e.mod(v, m))
		case ToRelease:
			v.amp.Release = max(0, v.amp.Release+e.mod(v, m))
		}
	}
	v.fil.start(z.FilterEnv, false, v.key)
	v.pitch.start(z.Pitch, false, v.key)
	v.ampLFO.LFO, v.filLFO.LFO, v.pitchLFO.LFO, v.modLFO.LFO = z.AmpLFO, z.FilLFO, z.PitchLFO, z.ModLFO
	v.looping = z.Loop.Mode == Continuous || z.Loop.Mode == Sustained
}

func (v *voice) release() {
	v.held, v.down = false, false
	if v.zone.Loop.Mode == OneShot {
		return
	}
	if v.zone.Loop.Mode == Sustained {
		v.looping = false
	}
	v.amp.release()
	v.fil.release()
	v.pitch.release()
}

// choke stops the voice in a time, s.
func (v *voice) choke(seconds float64) {
	v.held, v.down, v.choked = false, false, true
	v.amp.Release = min(seconds, max(v.amp.Release, .001))
	if v.amp.stage != releasing && v.amp.stage != ended {
		v.amp.stage, v.amp.spent = releasing, 0
	}
}

// run makes a quantum of the voice and adds it to the sums. false when it has ended.
func (v *voice) run(e *Engine, left, right *[quantum]float64) bool {
	from := 0
	if v.delay > 0 {
		if v.delay >= quantum {
			v.delay -= quantum
			return !v.choked
		}
		from, v.delay = v.delay, 0
	}
	seconds := float64(quantum-from) / e.rate
	wasLevel := v.amp.level
	level := v.amp.pass(seconds)
	cents, cutoff, resonance := v.moves(e, seconds)
	gl, gr := v.gains(e, level)
	if !v.begun { // from where it begins, without a ramp
		v.begun = true
		v.gain = [2]float32{}
		if v.zone.Amp.Attack <= 0 || wasLevel >= 1 {
			v.gain = [2]float32{gl, gr}
		}
	}
	ratio := math.Exp2(cents/1200) * v.zone.Sample.RateHz / e.rate
	step := uint64(min(ratio, mostRatio) * (1 << fraction))
	n := quantum - from
	silent := gl == 0 && gr == 0 && v.gain == [2]float32{}
	var more bool
	if silent {
		more = v.advance(step, n)
	} else {
		a, b := e.left[:n], e.right[:n]
		more = v.resample(e, a, b, step)
		if f := v.zone.Filter; f.Kind != NoFilter {
			v.filter.set(f.Kind, cutoff, resonance, e.rate)
			v.filter.run(a, &v.filter.left)
			if v.zone.Sample.Channels == 2 {
				v.filter.run(b, &v.filter.right)
			}
		}
		v.mix(a, b, gl, gr, left[from:], right[from:])
	}
	v.gain = [2]float32{gl, gr}
	return more && v.amp.stage != ended
}

// mix adds the quantum to the sums, with gains on their way from the last to these.
func (v *voice) mix(a, b []float32, gl, gr float32, left, right []float64) {
	n := len(a)
	dl, dr := (gl-v.gain[0])/float32(n), (gr-v.gain[1])/float32(n)
	l, r := v.gain[0], v.gain[1]
	left, right = left[:n], right[:n]
	if v.zone.Sample.Channels == 1 {
		for k, x := range a {
			l += dl
			r += dr
			left[k] += float64(x * l)
			right[k] += float64(x * r)
		}
		return
	}
	b = b[:n]
	if w := float32(v.zone.Width); w != 1 {
		for k := range a {
			mid, side := (a[k]+b[k])/2, (a[k]-b[k])/2*w
			a[k], b[k] = mid+side, mid-side
		}
	}
	for k := range a {
		l += dl
		r += dr
		left[k] += float64(a[k] * l)
		right[k] += float64(b[k] * r)
	}
}

// moves are pitch, cents, and the filter's cutoff, Hz, and resonance, dB, after some time.
func (v *voice) moves(e *Engine, seconds float64) (cents, cutoff, resonance float64) {
	z := v.zone
	cents = (float64(v.key)-z.Centre)*z.KeyTrack + z.Tune
	if e.bend >= 0 {
		cents += e.bend * z.BendUp
	} else {
		cents -= e.bend * z.BendDown
	}
	vibrato := z.PitchLFO.Depth
	filterCents := 0.0
	resonance = z.Filter.ResonanceDB
	for _, m := range z.Mods {
		switch m.To {
		case ToPitch:
			cents += e.mod(v, m)
		case ToCutoff:
			filterCents += e.mod(v, m)
		case ToResonance:
			resonance += e.mod(v, m)
		case ToVibrato:
			vibrato += e.mod(v, m)
		}
	}
	if z.Pitch.Cents != 0 {
		cents += z.Pitch.Cents * v.pitch.pass(seconds)
	}
	if vibrato != 0 {
		cents += vibrato * v.pitchLFO.swing(seconds)
	}
	cents += v.modLFO.pass(seconds)
	if z.Filter.Kind == NoFilter {
		return cents, 0, 0
	}
	filterCents += (float64(v.key)-z.Filter.Centre)*z.Filter.KeyCents + z.Filter.VelCents*float64(v.vel)/127
	if z.FilterEnv.Cents != 0 {
		filterCents += z.FilterEnv.Cents * v.fil.pass(seconds)
	}
	filterCents += v.filLFO.pass(seconds)
	return cents, z.Filter.Hz * math.Exp2(filterCents/1200), resonance
}

// gains are those of both sides at a level of the envelope.
func (v *voice) gains(e *Engine, level float64) (left, right float32) {
	z := v.zone
	db, times, pan := v.baseDB, level*v.weight, z.Pan+e.pan
	for _, f := range z.Fades {
		if f.By == ByController {
			times *= f.weight(e.control[f.CC])
		}
	}
	for _, m := range z.Mods {
		switch m.To {
		case ToGain:
			db += e.mod(v, m)
		case ToAmplitude:
			times *= e.mod(v, m)
		case ToPan:
			pan += e.mod(v, m)
		}
	}
	if times <= 1e-6 {
		return 0, 0
	}
	db += v.ampLFO.pass(quantum / e.rate)
	g := times * math.Pow(10, db/20) * e.gain
	sin, cos := math.Sincos((min(1, max(-1, pan)) + 1) * math.Pi / 4)
	if z.Sample.Channels == 2 { // a balance: in the middle both sides as they are
		return float32(g * min(1, cos*math.Sqrt2)), float32(g * min(1, sin*math.Sqrt2))
	}
	return float32(g * cos), float32(g * sin)
}

// resample reads the sample at a step into both channels, or the first.
func (v *voice) resample(e *Engine, a, b []float32, step uint64) bool {
	z, q := v.zone, e.quality
	ch := z.Sample.Channels
	n := len(a)
	need := int((uint64(v.frac)+step*uint64(n-1))>>fraction) + q.points()
	win, ok := v.window(e, v.pos-int64(q.before()), need)
	if !ok {
		e.dry++
		clear(a)
		clear(b)
		return v.advance(step, n)
	}
	pos := uint64(v.frac)
	switch {
	case ch == 1 && q == Print:
		print1(a, win, pos, step)
	case ch == 1:
		draft1(a, win, pos, step)
	case q == Print:
		print2(a, b, win, pos, step)
	default:
		draft2(a, b, win, pos, step)
	}
	z.Sample.ahead(v.pos)
	return v.advance(step, n)
}

// advance moves on; false at the end of the sample.
func (v *voice) advance(step uint64, n int) bool {
	total := uint64(v.frac) + step*uint64(n)
	v.pos += int64(total >> fraction)
	v.frac = uint32(total)
	z := v.zone
	if v.looping {
		// It stays on the second time round, so that what lies left of it is the loop, too.
		if long := z.Loop.End - z.Loop.Start; v.pos >= z.Loop.End+long {
			v.pos -= (v.pos - z.Loop.End) / long * long
		}
		return true
	}
	return v.pos < z.End
}

// window is the frames that are looked at: from the sample itself where they lie together,
// else put together from its parts and its loop.
func (v *voice) window(e *Engine, from int64, n int) ([]float32, bool) {
	z, x := v.zone, v.zone.Sample
	ch := int64(x.Channels)
	end := z.End
	if v.looping {
		end = z.Loop.End
	}
	to := from + int64(n)
	if from >= 0 && to <= end && to*ch <= int64(len(x.head)) {
		return x.head[from*ch : to*ch], true
	}
	if need := n * int(ch); cap(e.window) < need {
		e.window = make([]float32, need)
	}
	win := e.window[:n*int(ch)]
	if !v.looping && v.pos < z.End || v.looping && to <= end {
		if to > z.End && !v.looping { // nothing after its end
			inside := max(0, z.End-from)
			clear(win[inside*ch:])
			return win, x.frames(win[:inside*ch], from, e.wait)
		}
		return win, x.frames(win, from, e.wait)
	}
	if !v.looping {
		clear(win)
		return win, true
	}
	long := z.Loop.End - z.Loop.Start
	for done := int64(0); done < int64(n); {
		at := from + done
		stop := z.Loop.End
		if at >= z.Loop.End {
			at = z.Loop.Start + (at-z.Loop.Start)%long
		}
		k := min(stop-at, int64(n)-done)
		if !x.frames(win[done*ch:(done+k)*ch], at, e.wait) {
			return nil, false
		}
		done += k
	}
	return win, true
}
