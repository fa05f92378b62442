package sampler

import (
	"encoding/binary"
	"fmt"
	"io"
	"io/fs"
	"math"

	"fanfold/internal/format/sf2"
)

// openSF2 opens a preset of a SoundFont. Velocity does nothing to the filter,
// unless the file says so: the default modulator of 2.04, 8.4.2, is left out, as players do
// (common practice, no source).
func openSF2(store *Store, f File) (*Patch, error) {
	name := f.Source.File
	p := &Patch{Name: name, Controls: map[int]float64{ccVolume: 100}, store: store}
	err := withFile(f.Folder, name, func(src io.ReaderAt, size int64) error {
		file, err := sf2.ReadPreset(src, size, f.Source.Bank, f.Source.Programme)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		p.Notes = file.Notes
		for _, z := range file.Zones {
			h := file.Samples[z.Sample]
			x, err := p.sample(fmt.Sprintf("%s\x00%s\x00%d", f.Place, name, z.Sample), func() (*Sample, error) { return openSF2Sample(f.Folder, name, file.SoundAt, h) })
			if err != nil {
				if len(p.Missing) < mostMissing {
					p.Missing = append(p.Missing, err.Error())
				}
				continue
			}
			p.Zones = append(p.Zones, zoneOfSF2(z, h, x))
		}
		return nil
	})
	if err != nil {
		p.Close()
		return nil, err
	}
	if err := p.ready(func() (int, []int) { return -1, nil }); err != nil {
		return nil, err
	}
	return p, nil
}

func openSF2Sample(folder fs.FS, name string, soundAt int64, h sf2.Header) (*Sample, error) {
	frames := int64(h.End) - int64(h.Start)
	if frames < 1 || h.RateHz < 400 || h.RateHz > 192_000 {
		return nil, fmt.Errorf("%s: the sample %s has %d frames at %d Hz, which cannot be played", name, h.Name, max(0, frames), h.RateHz)
	}
	x := &Sample{Name: h.Name, RateHz: float64(h.RateHz), Channels: 1, Frames: frames}
	if l := (Loop{Continuous, int64(h.LoopStart) - int64(h.Start), int64(h.LoopEnd) - int64(h.Start)}); l.Start >= 0 && l.End <= frames && l.End-l.Start >= shortestLoop {
		x.Loop = l
	}
	x.read = func(into []float32, from int64) error {
		return withFile(folder, name, func(src io.ReaderAt, _ int64) error {
			raw := make([]byte, 2*len(into))
			n, err := src.ReadAt(raw, soundAt+2*(int64(h.Start)+from))
			if n < len(raw) && err != nil {
				return fmt.Errorf("read the sample %s: %w", h.Name, err)
			}
			for k := range into {
				into[k] = float32(int16(binary.LittleEndian.Uint16(raw[2*k:]))) / (1 << 15)
			}
			return nil
		})
	}
	x.head = make([]float32, min(headFrames, frames))
	return x, x.read(x.head, 0)
}

// attenuationShare is what of a zone's attenuation counts: files were made by ear on
// hardware that did so, and players follow it rather than section 8.1.3 (common practice;
// fluidsynth does likewise).
const attenuationShare = 0.4

// seconds of a time in cents; -12,000 and less is none.
func seconds(timecents int32) float64 {
	if timecents <= -12000 {
		return 0
	}
	return math.Exp2(float64(min(timecents, 8000)) / 1200)
}

// hertz of a pitch in cents from that of key 0.
func hertz(cents int32) float64 { return 8.176 * math.Exp2(float64(cents)/1200) }

func zoneOfSF2(s sf2.Sounding, h sf2.Header, x *Sample) Zone {
	g := func(n int) float64 { return float64(s.Values[n]) }
	root := g(sf2.RootKey)
	if root < 0 || root > 127 {
		root = float64(h.Key)
	}
	if root > 127 {
		root = 60
	}
	z := Zone{
		Keys: Span{s.KeyLow, s.KeyHigh}, Vels: Span{s.VelLow, s.VelHigh}, Switch: -1, Down: -1, Up: -1, Sequence: 1, Turn: 1, RandHigh: 1,
		Group: int64(s.Values[sf2.Exclusive]), OffBy: int64(s.Values[sf2.Exclusive]), OffFor: .01,
		Sample: x, Centre: root, KeyTrack: g(sf2.ScaleTuning), Tune: 100*g(sf2.CoarseTune) + g(sf2.FineTune) + float64(h.CorrectCents),
		BendUp: 200, BendDown: -200, Width: 1, VelTrack: 1, Pan: min(1, max(-1, g(sf2.Pan)/500)),
		GainDB: -min(144, max(0, attenuationShare*g(sf2.Attenuation)/10)), FixedKey: int(s.Values[sf2.FixedKey]), FixedVel: int(s.Values[sf2.FixedVelocity]),
		Amp: Envelope{
			Delay: seconds(s.Values[sf2.DelayVolEnv]), Attack: seconds(s.Values[sf2.AttackVolEnv]), Hold: seconds(s.Values[sf2.HoldVolEnv]), Decay: seconds(s.Values[sf2.DecayVolEnv]),
			Sustain: math.Pow(10, -min(1440, max(0, g(sf2.SustainVolEnv)))/200), Release: max(.001, seconds(s.Values[sf2.ReleaseVolEnv])),
			KeyHold: g(sf2.KeyToVolHold), KeyDecay: g(sf2.KeyToVolDecay),
		},
		FilterEnv: modEnvelope(s, sf2.ModEnvToFilter), Pitch: modEnvelope(s, sf2.ModEnvToPitch),
		AmpLFO:   LFO{Hz: hertz(s.Values[sf2.FreqModLFO]), Delay: seconds(s.Values[sf2.DelayModLFO]), Depth: g(sf2.ModLFOToVolume) / 10, Triangle: true},
		FilLFO:   LFO{Hz: hertz(s.Values[sf2.FreqModLFO]), Delay: seconds(s.Values[sf2.DelayModLFO]), Depth: g(sf2.ModLFOToFilter), Triangle: true},
		ModLFO:   LFO{Hz: hertz(s.Values[sf2.FreqModLFO]), Delay: seconds(s.Values[sf2.DelayModLFO]), Depth: g(sf2.ModLFOToPitch), Triangle: true},
		PitchLFO: LFO{Hz: hertz(s.Values[sf2.FreqVibLFO]), Delay: seconds(s.Values[sf2.DelayVibLFO]), Depth: g(sf2.VibLFOToPitch), Triangle: true},
	}
	z.Offset = min(x.Frames-1, max(0, int64(s.Values[sf2.StartOffset])+32768*int64(s.Values[sf2.StartCoarse])))
	z.End = min(x.Frames, max(z.Offset+1, x.Frames+int64(s.Values[sf2.EndOffset])+32768*int64(s.Values[sf2.EndCoarse])))
	z.Loop = Loop{Start: x.Loop.Start + int64(s.Values[sf2.LoopStartOffset]) + 32768*int64(s.Values[sf2.LoopStartCoarse]), End: x.Loop.End + int64(s.Values[sf2.LoopEndOffset]) + 32768*int64(s.Values[sf2.LoopEndCoarse])}
	switch s.Values[sf2.SampleModes] & 3 {
	case 1:
		z.Loop.Mode = Continuous
	case 3:
		z.Loop.Mode = Sustained
	}
	if z.Loop.Mode == NoLoop || z.Loop.Start < 0 || z.Loop.End > x.Frames || z.Loop.End-z.Loop.Start < shortestLoop {
		z.Loop = Loop{}
	}
	z.modulate(s)
	if fc, q := g(sf2.FilterCutoff), g(sf2.FilterQ); fc < 13500 || z.FilterEnv.Cents < 0 || z.changes(ToCutoff) || q > 0 {
		z.Filter = Filter{Kind: LowPass, Hz: hertz(int32(min(13500, max(1500, fc)))), ResonanceDB: max(0, q/10), Centre: 60}
		z.GainDB -= z.Filter.ResonanceDB / 2 // 2.04, section 8.1.3, initialFilterQ
	}
	return z
}

func (z *Zone) changes(to Target) bool {
	for _, m := range z.Mods {
		if m.To == to {
			return true
		}
	}
	return false
}

func modEnvelope(s sf2.Sounding, to int) Envelope {
	return Envelope{
		Delay: seconds(s.Values[sf2.DelayModEnv]), Attack: seconds(s.Values[sf2.AttackModEnv]), Hold: seconds(s.Values[sf2.HoldModEnv]), Decay: seconds(s.Values[sf2.DecayModEnv]),
		Sustain: 1 - min(1000, max(0, float64(s.Values[sf2.SustainModEnv])))/1000, Release: seconds(s.Values[sf2.ReleaseModEnv]),
		KeyHold: float64(s.Values[sf2.KeyToModHold]), KeyDecay: float64(s.Values[sf2.KeyToModDecay]), Cents: float64(s.Values[to]),
	}
}

// The default modulators that are the engine's own or a zone's (2.04, section 8.4): by
// their sources.
const (
	velocityConcave, velocityLinear, pressureLinear, modulationLinear = 0x0502, 0x0102, 0x000d, 0x0081
	volumeConcave, panLinear, expressionConcave, wheelLinear          = 0x0587, 0x028a, 0x058b, 0x020e
)

// modulate takes the modulators of a zone: those by default, unless it has its own, and
// what the preset adds.
func (z *Zone) modulate(s sf2.Sounding) {
	all := []sf2.Modulator{
		{Source: pressureLinear, To: sf2.VibLFOToPitch, Amount: 50}, {Source: modulationLinear, To: sf2.VibLFOToPitch, Amount: 50},
		{Source: velocityConcave, To: sf2.Attenuation, Amount: 960},
	}
	for _, m := range s.Modulators {
		same := -1
		for n, was := range all {
			if was.Source == m.Source && was.To == m.To && was.By == m.By {
				same = n
			}
		}
		if same >= 0 {
			all[same] = m
		} else {
			all = append(all, m)
		}
	}
	z.VelTrack = 0
	for _, m := range append(all, s.Added...) {
		switch {
		case m.Source == velocityConcave && m.To == sf2.Attenuation && m.By == 0:
			z.VelTrack += float64(m.Amount) / 960
		case m.Source == volumeConcave, m.Source == panLinear, m.Source == expressionConcave, m.Source == wheelLinear:
			// the engine does these for everybody
		default:
			if mod, ok := modOfSF2(m); ok && m.Amount != 0 {
				z.Mods = append(z.Mods, mod)
			}
		}
	}
}

func modOfSF2(m sf2.Modulator) (Mod, bool) {
	source, ok := sourceOfSF2(m.Source)
	by, also := sourceOfSF2(m.By)
	out := Mod{Source: source, By: by, Amount: float64(m.Amount)}
	if !ok || !also || source.From == Always {
		return out, false
	}
	switch m.To {
	case sf2.Attenuation:
		out.To, out.Amount = ToGain, -out.Amount/10
	case sf2.Pan:
		out.To, out.Amount = ToPan, out.Amount/500
	case sf2.CoarseTune:
		out.To, out.Amount = ToPitch, out.Amount*100
	case sf2.FineTune:
		out.To = ToPitch
	case sf2.FilterCutoff:
		out.To = ToCutoff
	case sf2.FilterQ:
		out.To, out.Amount = ToResonance, out.Amount/10
	case sf2.VibLFOToPitch:
		out.To = ToVibrato
	default:
		return out, false
	}
	return out, true
}

// sourceOfSF2 reads a source (2.04, section 8.2.1); false for one that is not known.
func sourceOfSF2(x uint16) (Source, bool) {
	s := Source{Descending: x>>8&1 == 1, Bipolar: x>>9&1 == 1}
	curve := x >> 10
	if curve > uint16(Step) {
		return s, false
	}
	s.Curve = Curve(curve)
	if x>>7&1 == 1 {
		s.From, s.CC = Controller, int(x&127)
		return s, true
	}
	from, ok := map[uint16]From{0: Always, 2: Velocity, 3: Key, 10: KeyPressure, 13: ChannelPressure, 14: Wheel}[x&127]
	s.From = from
	return s, ok
}
