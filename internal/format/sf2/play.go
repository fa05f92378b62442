package sf2

import (
	"fmt"
	"io"

	"fanfold/internal/format/bounded"
)

// The generators that say how a zone sounds (2.04, section 8.1.2), by their number.
const (
	StartOffset, EndOffset, LoopStartOffset, LoopEndOffset, StartCoarse               = 0, 1, 2, 3, 4
	ModLFOToPitch, VibLFOToPitch, ModEnvToPitch, FilterCutoff, FilterQ                = 5, 6, 7, 8, 9
	ModLFOToFilter, ModEnvToFilter, EndCoarse, ModLFOToVolume                         = 10, 11, 12, 13
	Pan                                                                               = 17
	DelayModLFO, FreqModLFO, DelayVibLFO, FreqVibLFO                                  = 21, 22, 23, 24
	DelayModEnv, AttackModEnv, HoldModEnv, DecayModEnv, SustainModEnv, ReleaseModEnv  = 25, 26, 27, 28, 29, 30
	KeyToModHold, KeyToModDecay                                                       = 31, 32
	DelayVolEnv, AttackVolEnv, HoldVolEnv, DecayVolEnv, SustainVolEnv, ReleaseVolEnv  = 33, 34, 35, 36, 37, 38
	KeyToVolHold, KeyToVolDecay                                                       = 39, 40
	LoopStartCoarse, FixedKey, FixedVelocity, Attenuation                             = 45, 46, 47, 48
	LoopEndCoarse, CoarseTune, FineTune, SampleModes, ScaleTuning, Exclusive, RootKey = 50, 51, 52, 54, 56, 57, 58
	Generators                                                                        = 61
)

// Defaults are the values of generators that a file does not set (2.04, section 8.1.3).
var Defaults = func() (out [Generators]int32) {
	for g, v := range map[int]int32{
		FilterCutoff: 13500, DelayModLFO: -12000, DelayVibLFO: -12000,
		DelayModEnv: -12000, AttackModEnv: -12000, HoldModEnv: -12000, DecayModEnv: -12000, ReleaseModEnv: -12000,
		DelayVolEnv: -12000, AttackVolEnv: -12000, HoldVolEnv: -12000, DecayVolEnv: -12000, ReleaseVolEnv: -12000,
		FixedKey: -1, FixedVelocity: -1, ScaleTuning: 100, RootKey: -1,
	} {
		out[g] = v
	}
	return out
}()

// Modulator changes a generator by a controller (2.04, section 8.2).
type Modulator struct {
	Source    uint16
	To        uint16
	Amount    int32
	By        uint16 // a second source
	Transform uint16
}

// Sounding is a zone with all that says how it sounds.
type Sounding struct {
	Zone
	Values     [Generators]int32 // of the instrument, with those of the preset added
	Modulators []Modulator       // beside the default ones; one of the same ends takes its place
	Added      []Modulator       // those of the preset, which add to the others
}

// Header is a sample header with its loop.
type Header struct {
	Sample
	LoopStart, LoopEnd uint32 // frames of the smpl chunk
	CorrectCents       int
}

// Playing is one preset, read for playing.
type Playing struct {
	Name    string
	Zones   []Sounding
	Samples []Header
	SoundAt int64 // of the smpl chunk in the file, bytes: 16 bits a frame, one channel
	Notes   []string
}

// ReadPreset reads one preset of a SoundFont for playing. The error says what is wrong and
// where, or that there is no such preset.
func ReadPreset(src io.ReaderAt, size int64, bank, programme int) (*Playing, error) {
	r := bounded.New(src, size)
	f := &File{}
	tables, err := f.chunks(r)
	if err == nil {
		err = r.Err()
	}
	if err != nil {
		return nil, fmt.Errorf("read SoundFont: %w", err)
	}
	p := &Playing{SoundAt: f.soundAt}
	if err := p.assemble(f, tables, bank, programme); err != nil {
		return nil, fmt.Errorf("read SoundFont: %w", err)
	}
	p.Notes = f.Notes
	return p, nil
}

func (p *Playing) assemble(f *File, tables map[string][]byte, bank, programme int) error {
	all, err := tablesOf(tables, soundingTables)
	if err != nil {
		return err
	}
	headers := all["shdr"]
	f.readSamples(headers)
	for n, s := range f.Samples {
		b := headers.at(n)
		p.Samples = append(p.Samples, Header{s, u32(b[28:]), u32(b[32:]), int(int8(b[41]))})
	}
	presets := all["phdr"]
	for n := range presets.len() {
		b := presets.at(n)
		if u16(b[20:]) != programme || u16(b[22:]) != bank {
			continue
		}
		p.Name = text(b[:20])
		outer, err := soundings(presets, n, 24, all["pbag"], all["pgen"], all["pmod"], genInstrument, all["inst"].len(), [Generators]int32{})
		if err != nil {
			return err
		}
		for _, o := range outer {
			inner, err := soundings(all["inst"], o.Sample, 20, all["ibag"], all["igen"], all["imod"], genSampleID, len(f.Samples), Defaults)
			if err != nil {
				return err
			}
			if len(p.Zones)+len(inner) > MostZones {
				return fmt.Errorf("the preset %s comes to more than %d zones", p.Name, MostZones)
			}
			for _, z := range inner {
				if z.within(o) {
					p.Zones = append(p.Zones, z)
				}
			}
		}
		return nil
	}
	return fmt.Errorf("it has no preset of bank %d, programme %d", bank, programme+1)
}

// within adds what the preset says; false when nothing of the zone is left.
func (s *Sounding) within(o Sounding) bool {
	s.KeyLow, s.KeyHigh = max(s.KeyLow, o.KeyLow), min(s.KeyHigh, o.KeyHigh)
	s.VelLow, s.VelHigh = max(s.VelLow, o.VelLow), min(s.VelHigh, o.VelHigh)
	for g, v := range o.Values {
		switch g {
		case StartOffset, EndOffset, LoopStartOffset, LoopEndOffset, StartCoarse, EndCoarse, LoopStartCoarse, LoopEndCoarse, FixedKey, FixedVelocity, SampleModes, Exclusive, RootKey:
		default: // those are the instrument's alone (2.04, section 8.5)
			s.Values[g] += v
		}
	}
	s.Added = o.Modulators
	return s.KeyLow <= s.KeyHigh && s.VelLow <= s.VelHigh
}

// soundings are the zones of one owner, as zones reads them, with all their generators and
// modulators.
func soundings(owners table, n, index int, bags, generators, modulators table, refers, count int, base [Generators]int32) ([]Sounding, error) {
	from, to := u16(owners.at(n)[index:]), u16(owners.at(n + 1)[index:])
	if from > to || to > bags.len() {
		return nil, fmt.Errorf("record %d of its %s chunk points at bags %d to %d of %d", n, owners.name, from, to, bags.len())
	}
	global := Sounding{Zone: Zone{Sample: -1, KeyHigh: 127, VelHigh: 127}, Values: base}
	var out []Sounding
	for b := from; b < to; b++ {
		z := global
		z.Modulators = append([]Modulator{}, global.Modulators...)
		first, last := u16(bags.at(b)), u16(bags.at(b+1))
		firstMod, lastMod := u16(bags.at(b)[2:]), u16(bags.at(b + 1)[2:])
		if first > last || last > generators.len() || firstMod > lastMod || lastMod > modulators.len() {
			return nil, fmt.Errorf("bag %d of its %s chunk points at generators %d to %d of %d and modulators %d to %d of %d", b, bags.name, first, last, generators.len(), firstMod, lastMod, modulators.len())
		}
		for g := first; g < last; g++ {
			z.generate(generators.at(g), refers)
			if operator := u16(generators.at(g)); operator < Generators {
				z.Values[operator] = int32(int16(u16(generators.at(g)[2:])))
			}
		}
		for m := firstMod; m < lastMod; m++ {
			x := modulators.at(m)
			z.modulate(Modulator{uint16(u16(x)), uint16(u16(x[2:])), int32(int16(u16(x[4:]))), uint16(u16(x[6:])), uint16(u16(x[8:]))})
		}
		switch {
		case z.Sample >= count:
			return nil, fmt.Errorf("bag %d of its %s chunk names number %d of %d", b, bags.name, z.Sample, count)
		case z.Sample >= 0:
			out = append(out, z)
		case b == from:
			global = z
		}
	}
	return out, nil
}

// modulate takes a modulator in, for an earlier one of the same ends.
func (s *Sounding) modulate(m Modulator) {
	for n, was := range s.Modulators {
		if was.Source == m.Source && was.To == m.To && was.By == m.By {
			s.Modulators[n] = m
			return
		}
	}
	s.Modulators = append(s.Modulators, m)
}
