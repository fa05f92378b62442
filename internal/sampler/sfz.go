package sampler

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"fanfold/internal/format/sfz"
)

// mostMissing is how many missing samples of a patch are named.
const mostMissing = 20

// openSFZ opens an SFZ file. Samples that cannot be read are left out and told; the error
// is of the file itself, or that nothing of it can sound.
func openSFZ(store *Store, f File) (*Patch, error) {
	name := f.Source.File
	file, err := sfz.ReadSounds(f.Folder, name)
	if err != nil {
		return nil, err
	}
	p := &Patch{Name: name, Controls: file.Controls, store: store}
	lacking := map[string]bool{}
	for n := range file.Sounds {
		s := &file.Sounds[n]
		if s.Sample == "" || s.End < 0 || lacking[s.Sample] || s.Position != "" && len(f.Mics) > 0 && !slices.Contains(f.Mics, s.Position) {
			continue
		}
		x, err := p.sample(f.Place+"\x00"+s.Sample, func() (*Sample, error) {
			if strings.HasPrefix(s.Sample, "*") {
				return made(s.Sample)
			}
			return openSound(f.Folder, s.Sample)
		})
		if err != nil {
			lacking[s.Sample] = true
			if len(p.Missing) < mostMissing {
				p.Missing = append(p.Missing, err.Error())
			}
			continue
		}
		p.Zones = append(p.Zones, zoneOfSFZ(s, x))
	}
	for _, opcode := range slices.Sorted(maps.Keys(file.PassedOver)) {
		p.Notes = append(p.Notes, fmt.Sprintf("%s is passed over (%d times)", opcode, file.PassedOver[opcode]))
	}
	if err := p.ready(func() (int, []int) { return sfzSwitches(file.Sounds) }); err != nil {
		return nil, err
	}
	return p, nil
}

// ready indexes the patch and its switches, or gives everything back.
func (p *Patch) ready(switches func() (first int, keys []int)) error {
	err := p.index()
	if err == nil && len(p.Zones) == 0 {
		err = fmt.Errorf("%s: nothing of it can sound", p.Name)
		if len(p.Missing) > 0 {
			err = fmt.Errorf("%w: %s", err, p.Missing[0])
		}
	}
	if err != nil {
		p.Close()
		return err
	}
	first, keys := switches()
	p.first = first
	for _, k := range keys {
		p.switches[k] = true
	}
	return nil
}

// sample holds a sample for as long as the patch is open.
func (p *Patch) sample(key string, open func() (*Sample, error)) (*Sample, error) {
	x, err := p.store.hold(key, open)
	if err == nil {
		p.held = append(p.held, x)
	}
	return x, err
}

// sfzSwitches are the keys that choose, and the one chosen at the start: what a file says,
// or the first.
func sfzSwitches(list []sfz.Sound) (first int, keys []int) {
	first = -1
	lowest := 128
	for _, s := range list {
		if s.Switch < 0 {
			continue
		}
		keys = append(keys, s.Switch)
		lowest = min(lowest, s.Switch)
		if s.SwitchDefault >= 0 {
			first = int(s.SwitchDefault)
		}
	}
	if first < 0 && lowest < 128 {
		first = lowest
	}
	return first, keys
}

var triggers = map[string]Trigger{"attack": Attack, "release": Release, "release_key": ReleaseKey, "first": First, "legato": Legato}

var filters = map[string]FilterKind{"lpf_1p": LowPass1, "hpf_1p": HighPass1, "lpf_2p": LowPass, "hpf_2p": HighPass, "bpf_2p": BandPass, "brf_2p": BandStop}

func zoneOfSFZ(s *sfz.Sound, x *Sample) Zone {
	z := Zone{
		Keys: Span{s.KeyLow, s.KeyHigh}, Vels: Span{s.VelLow, s.VelHigh}, Switch: s.Switch, Down: int(s.SwitchDown), Up: int(s.SwitchUp),
		Sequence: s.Sequence, Turn: s.Sounded, RandLow: s.LowRand, RandHigh: s.HiRand, Trigger: triggers[s.Trigger],
		Group: int64(s.Group), OffBy: int64(s.OffBy), OffFor: .006,
		Sample: x, Offset: min(int64(s.Offset), x.Frames-1), End: x.Frames,
		Centre: s.KeyCentre, KeyTrack: s.KeyTrack, Tune: s.Tune + 100*s.Transpose, BendUp: s.BendUp, BendDown: s.BendDown,
		GainDB: s.Volume, Pan: s.Pan / 100, Width: s.Width / 100, VelTrack: s.VelTrack / 100, RtDecayDB: s.RtDecay, Delay: s.Delay,
		FixedKey: -1, FixedVel: -1,
		Amp: envelopeOfSFZ(s.Amp), FilterEnv: envelopeOfSFZ(s.Fil), Pitch: envelopeOfSFZ(s.Pitch),
		AmpLFO:   LFO{Hz: s.AmpL.Freq, Delay: s.AmpL.Delay, Fade: s.AmpL.Fade, Depth: s.AmpL.Depth},
		FilLFO:   LFO{Hz: s.FilL.Freq, Delay: s.FilL.Delay, Fade: s.FilL.Fade, Depth: s.FilL.Depth},
		PitchLFO: LFO{Hz: s.PitchL.Freq, Delay: s.PitchL.Delay, Fade: s.PitchL.Fade, Depth: s.PitchL.Depth},
	}
	switch s.OffMode {
	case "normal":
		z.OffFor = s.Amp.Release
	case "time":
		z.OffFor = s.OffTime
	}
	if s.End < sfz.MostFrames {
		z.End = min(z.End, int64(s.End)+1)
	}
	z.Offset = min(z.Offset, z.End-1)
	z.Loop = loopOfSFZ(s, x)
	if s.Amplitude > 0 {
		z.GainDB += 20 * math.Log10(s.Amplitude/100)
	} else {
		z.GainDB = -144
	}
	if s.Cutoff > 0 {
		z.Filter = Filter{filters[s.Filter], s.Cutoff, s.Resonance, s.FilKey, s.FilVel, s.FilCentre}
	}
	z.FilterEnv.Cents += s.Fil.VelDepth // of a full velocity, as if each note had it
	for _, r := range s.Ranges {
		z.Ranges = append(z.Ranges, Range{r.CC, r.Low, r.High})
	}
	for _, f := range s.Fades {
		by := map[string]By{"key": ByKey, "vel": ByVelocity, "cc": ByController}[f.By]
		curve := map[string]string{"key": s.KeyCurve, "vel": s.VelCurve, "cc": s.CtrlCurve}[f.By]
		z.Fades = append(z.Fades, Fade{by, f.CC, f.Low, f.High, f.Out, curve == "gain"})
	}
	for _, m := range s.Mods {
		z.Mods = append(z.Mods, modOfSFZ(m))
	}
	return z
}

func envelopeOfSFZ(e sfz.Envelope) Envelope {
	return Envelope{Delay: e.Delay, Attack: e.Attack, Hold: e.Hold, Decay: e.Decay, Release: max(.001, e.Release), Start: e.Start / 100, Sustain: e.Sustain / 100, Cents: e.Depth}
}

// loopOfSFZ is the loop of a region: as it says, else as its sample does. One that does not
// lie within the sample is left out.
func loopOfSFZ(s *sfz.Sound, x *Sample) Loop {
	l := x.Loop
	switch s.LoopMode {
	case "no_loop":
		return Loop{}
	case "one_shot":
		return Loop{Mode: OneShot}
	case "loop_continuous":
		l.Mode = Continuous
	case "loop_sustain":
		l.Mode = Sustained
	}
	if s.LoopStart >= 0 {
		l.Start = int64(s.LoopStart)
	}
	if s.LoopEnd >= 0 {
		l.End = int64(s.LoopEnd) + 1
	} else if l.End == 0 {
		l.End = x.Frames
	}
	if l.Mode == NoLoop || l.Start < 0 || l.End > x.Frames || l.End-l.Start < shortestLoop {
		return Loop{}
	}
	return l
}

// shortestLoop is the fewest frames that repeat.
const shortestLoop = 2

func modOfSFZ(m sfz.Mod) Mod {
	out := Mod{Source: Source{From: Controller, CC: m.CC}, Amount: m.Depth}
	switch m.To {
	case "volume":
		out.To = ToGain
	case "amplitude":
		out.To, out.Amount = ToAmplitude, m.Depth/100
	case "pan":
		out.To, out.Amount = ToPan, m.Depth/100
	case "tune":
		out.To = ToPitch
	case "cutoff":
		out.To = ToCutoff
	case "resonance":
		out.To = ToResonance
	case "attack":
		out.To = ToAttack
	case "release":
		out.To = ToRelease
	}
	return out
}

// made makes a sample that a file names by a star.
func made(name string) (*Sample, error) {
	const long = 1024
	x := &Sample{Name: name, RateHz: 440 * math.Exp2(-9.0/12) * long, Channels: 1, Frames: long, Loop: Loop{Continuous, 0, long}}
	x.head = make([]float32, long)
	for n := range x.head {
		phase := float64(n) / long
		switch name {
		case "*sine":
			x.head[n] = float32(math.Sin(2 * math.Pi * phase))
		case "*triangle":
			x.head[n] = float32(1 - 4*math.Abs(math.Mod(phase+.25, 1)-.5))
		case "*silence":
		default:
			return nil, fmt.Errorf("%s is not sound that is made here", name)
		}
	}
	return x, nil
}
