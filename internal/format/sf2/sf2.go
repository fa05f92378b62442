// Package sf2 reads SoundFont 2 files (SoundFont Technical Specification
// 2.04, 2006): presets, their zones and the samples behind them. A file goes
// in; presets come out. The sound itself is not read.
package sf2

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"fanfold/internal/format/bounded"
)

// MostZones bounds the zones of all presets of a file together, since presets
// can share instruments many times over.
const MostZones = 250_000

// File is a SoundFont.
type File struct {
	Name        string
	Presets     []Preset
	Instruments int
	Samples     []Sample
	SampleBytes int64 // of the whole smpl chunk
	// Notes say what in the file was not followed, such as samples that reach
	// beyond its sound.
	Notes   []string
	soundAt int64 // of the smpl chunk, bytes
}

// Preset is one sound of a SoundFont, its zones flattened: every zone of the
// preset with every zone of its instrument that it lets through.
type Preset struct {
	Name    string
	Bank    int
	Program int
	Zones   []Zone
}

// Zone is where one sample sounds.
type Zone struct {
	Sample          int // position in File.Samples
	KeyLow, KeyHigh int // MIDI notes
	VelLow, VelHigh int // MIDI velocities
	Looped          bool
}

// Sample is one sample header.
type Sample struct {
	Name       string
	Start, End uint32 // in frames of the smpl chunk, End not included; none of one in a ROM
	RateHz     uint32
	Key        int // as recorded
}

// Bytes is the size of the sample's sound, 16 bits a frame.
func (s Sample) Bytes() int64 { return 2 * int64(max(s.End, s.Start)-s.Start) }

// The sizes of the records of the pdta list, bytes (2.04, section 7).
const (
	presetSize, bagSize, generatorSize, modulatorSize, instrumentSize, sampleSize = 38, 4, 4, 10, 22, 46
)

// The generators that tell where a zone sounds (2.04, section 8.1.2).
const (
	genInstrument  = 41
	genKeyRange    = 43
	genVelRange    = 44
	genSampleID    = 53
	genSampleModes = 54
)

// Read reads a SoundFont of the given size in bytes. The error says what is
// wrong and where.
func Read(src io.ReaderAt, size int64) (*File, error) {
	r := bounded.New(src, size)
	file, err := read(r)
	if err == nil {
		err = r.Err()
	}
	if err != nil {
		return nil, fmt.Errorf("read SoundFont: %w", err)
	}
	return file, nil
}

func read(r *bounded.Reader) (*File, error) {
	f := &File{}
	tables, err := f.chunks(r)
	if err != nil {
		return nil, err
	}
	return f, f.assemble(tables)
}

// chunks reads the tables of a file, and notes where its sound lies.
func (f *File) chunks(r *bounded.Reader) (map[string][]byte, error) {
	if form, _, kind := r.Tag(), r.U32(), r.Tag(); r.Err() == nil && (form != "RIFF" || kind != "sfbk") {
		return nil, fmt.Errorf("it begins %q and %q, not as a SoundFont", form, kind)
	}
	tables := map[string][]byte{}
	for c, ok := r.Chunk(); ok; c, ok = r.Chunk() {
		if c.Tag != "LIST" {
			continue
		}
		list := c.Body.Tag()
		for sub, ok := c.Body.Chunk(); ok; sub, ok = c.Body.Chunk() {
			switch {
			case list == "sdta" && sub.Tag == "smpl":
				f.SampleBytes, f.soundAt = sub.Body.Left(), sub.Body.At()
			case list == "INFO" && sub.Tag == "INAM":
				f.Name = text(sub.Body.Bytes(min(sub.Body.Left(), 256)))
			case list == "pdta":
				tables[sub.Tag] = sub.Body.Bytes(sub.Body.Left())
			}
		}
	}
	return tables, r.Err()
}

// text cuts a name at its first zero byte.
func text(b []byte) string {
	if n := strings.IndexByte(string(b), 0); n >= 0 {
		b = b[:n]
	}
	return strings.ToValidUTF8(strings.TrimSpace(string(b)), "?")
}

func u16(b []byte) int    { return int(b[0]) | int(b[1])<<8 }
func u32(b []byte) uint32 { return uint32(u16(b)) | uint32(u16(b[2:]))<<16 }

// table is one list of records of equal size. Its last record only ends it.
type table struct {
	name string
	data []byte
	size int
}

func (t table) len() int { return len(t.data)/t.size - 1 }

func (t table) at(n int) []byte { return t.data[n*t.size : (n+1)*t.size] }

// tableSize is a table of the pdta list with the size of its records.
type tableSize struct {
	name string
	size int
}

// scanTables are those that tell where samples sound, soundingTables those that tell how, too.
var (
	scanTables     = []tableSize{{"phdr", presetSize}, {"pbag", bagSize}, {"pgen", generatorSize}, {"inst", instrumentSize}, {"ibag", bagSize}, {"igen", generatorSize}, {"shdr", sampleSize}}
	soundingTables = append(slices.Clone(scanTables), tableSize{"pmod", modulatorSize}, tableSize{"imod", modulatorSize})
)

// tablesOf checks the tables that are wanted.
func tablesOf(tables map[string][]byte, wanted []tableSize) (map[string]table, error) {
	out := map[string]table{}
	for _, w := range wanted {
		t := table{w.name, tables[w.name], w.size}
		if len(t.data) < t.size || len(t.data)%t.size != 0 {
			return nil, fmt.Errorf("its %s chunk has %d bytes, not a multiple of %d above 0", t.name, len(t.data), t.size)
		}
		out[w.name] = t
	}
	return out, nil
}

func (f *File) assemble(tables map[string][]byte) error {
	all, err := tablesOf(tables, scanTables)
	if err != nil {
		return err
	}
	f.readSamples(all["shdr"])
	instruments, err := zones(all["inst"], 20, all["ibag"], all["igen"], genSampleID, len(f.Samples))
	if err != nil {
		return err
	}
	f.Instruments = len(instruments)
	presets, err := zones(all["phdr"], 24, all["pbag"], all["pgen"], genInstrument, len(instruments))
	if err != nil {
		return err
	}
	return f.flatten(all["phdr"], presets, instruments)
}

// romSample marks the type of a sample that lies in a player's ROM (2.04, section 7.10).
const romSample = 0x8000

func (f *File) readSamples(t table) {
	beyond, first := 0, ""
	for n := range t.len() {
		b := t.at(n)
		s := Sample{Name: text(b[:20]), Start: u32(b[20:]), End: u32(b[24:]), RateHz: u32(b[36:]), Key: int(b[40])}
		switch {
		case u16(b[44:])&romSample != 0:
			s.Start, s.End = 0, 0
		case int64(s.End) > f.SampleBytes/2:
			s.End = uint32(f.SampleBytes / 2)
			s.Start = min(s.Start, s.End)
			if beyond++; beyond == 1 {
				first = s.Name
			}
		}
		f.Samples = append(f.Samples, s)
	}
	switch {
	case beyond == 1:
		f.Notes = append(f.Notes, fmt.Sprintf("the sample %q ends beyond the sound of the file; it is cut there", first))
	case beyond > 1:
		f.Notes = append(f.Notes, fmt.Sprintf("%d samples end beyond the sound of the file, such as %q; they are cut there", beyond, first))
	}
}

// zones reads the zones of presets or instruments: of each owner the bags
// from its index to the next one's, of each bag the generators likewise. A
// first zone that names nothing is the owner's global one, and stands behind
// the others. refers is the generator that names what a zone plays, out of
// count things.
func zones(owners table, index int, bags, generators table, refers, count int) ([][]Zone, error) {
	out := make([][]Zone, owners.len())
	for n := range out {
		from, to := u16(owners.at(n)[index:]), u16(owners.at(n + 1)[index:])
		if from > to || to > bags.len() {
			return nil, fmt.Errorf("record %d of its %s chunk points at bags %d to %d of %d", n, owners.name, from, to, bags.len())
		}
		global := Zone{Sample: -1, KeyHigh: 127, VelHigh: 127}
		for b := from; b < to; b++ {
			z := global
			first, last := u16(bags.at(b)), u16(bags.at(b+1))
			if first > last || last > generators.len() {
				return nil, fmt.Errorf("bag %d of its %s chunk points at generators %d to %d of %d", b, bags.name, first, last, generators.len())
			}
			for g := first; g < last; g++ {
				z.generate(generators.at(g), refers)
			}
			switch {
			case z.Sample >= count:
				return nil, fmt.Errorf("bag %d of its %s chunk names number %d of %d", b, bags.name, z.Sample, count)
			case z.Sample >= 0:
				out[n] = append(out[n], z)
			case b == from:
				global = z
			}
		}
	}
	return out, nil
}

func (z *Zone) generate(g []byte, refers int) {
	switch operator := u16(g); operator {
	case refers:
		z.Sample = u16(g[2:])
	case genKeyRange:
		z.KeyLow, z.KeyHigh = int(g[2]), int(g[3])
	case genVelRange:
		z.VelLow, z.VelHigh = int(g[2]), int(g[3])
	case genSampleModes:
		z.Looped = g[2]&1 == 1
	}
}

func (f *File) flatten(headers table, presets, instruments [][]Zone) error {
	total := 0
	for n, list := range presets {
		b := headers.at(n)
		p := Preset{Name: text(b[:20]), Program: u16(b[20:]), Bank: u16(b[22:])}
		for _, outer := range list {
			for _, inner := range instruments[outer.Sample] {
				z := inner
				z.KeyLow, z.KeyHigh = max(inner.KeyLow, outer.KeyLow), min(inner.KeyHigh, outer.KeyHigh)
				z.VelLow, z.VelHigh = max(inner.VelLow, outer.VelLow), min(inner.VelHigh, outer.VelHigh)
				if total++; total > MostZones {
					return fmt.Errorf("its presets come to more than %d zones", MostZones)
				}
				if z.KeyLow > z.KeyHigh || z.VelLow > z.VelHigh {
					continue
				}
				p.Zones = append(p.Zones, z)
			}
		}
		f.Presets = append(f.Presets, p)
	}
	return nil
}
