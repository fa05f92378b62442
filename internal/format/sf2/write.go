package sf2

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
)

// Font is a SoundFont to write.
type Font struct {
	Name    string
	Presets []FontPreset
	Samples []FontSample
}

// FontPreset is one sound of it, with an instrument of its own.
type FontPreset struct {
	Name            string
	Bank, Programme int
	Zones           []FontZone
}

// FontZone is where a sample sounds, and the generators that say how, by their numbers.
type FontZone struct {
	Sample          int // position in Font.Samples
	KeyLow, KeyHigh int
	VelLow, VelHigh int
	Generators      [][2]int
}

// FontSample is a sample of one channel and 16 bits.
type FontSample struct {
	Name               string
	RateHz, Key        int
	LoopStart, LoopEnd int // frames, the end not included; both 0 for none
	Frames             []int16
}

// between is how many frames of silence stand behind every sample (2.04, section 6.1).
const between = 46

// Write writes a SoundFont 2.04. It must be shorter than 2 GiB.
func Write(w io.Writer, f Font) error {
	var sound bytes.Buffer
	var shdr bytes.Buffer
	for _, s := range f.Samples {
		start := sound.Len() / 2
		put(&sound, s.Frames)
		sound.Write(make([]byte, 2*between))
		name(&shdr, s.Name)
		put(&shdr, [5]uint32{uint32(start), uint32(start + len(s.Frames)), uint32(start + s.LoopStart), uint32(start + s.LoopEnd), uint32(s.RateHz)})
		put(&shdr, [2]uint8{uint8(s.Key), 0})
		put(&shdr, [2]uint16{0, 1})
	}
	if sound.Len() > 1<<31-1<<20 {
		return fmt.Errorf("write SoundFont: its sound takes %d MiB; at most 2 GiB can be written", sound.Len()>>20)
	}
	name(&shdr, "EOS")
	shdr.Write(make([]byte, sampleSize-20))

	var phdr, pbag, pgen, inst, ibag, igen bytes.Buffer
	for n, p := range f.Presets {
		name(&phdr, p.Name)
		put(&phdr, [3]uint16{uint16(p.Programme), uint16(p.Bank), uint16(n)})
		put(&phdr, [3]uint32{})
		put(&pbag, [2]uint16{uint16(n), 0})
		put(&pgen, [2]uint16{genInstrument, uint16(n)})
		name(&inst, p.Name)
		put(&inst, uint16(ibag.Len()/bagSize))
		for _, z := range p.Zones {
			put(&ibag, [2]uint16{uint16(igen.Len() / generatorSize), 0})
			put(&igen, uint16(genKeyRange))
			put(&igen, [2]uint8{uint8(z.KeyLow), uint8(z.KeyHigh)})
			put(&igen, uint16(genVelRange))
			put(&igen, [2]uint8{uint8(z.VelLow), uint8(z.VelHigh)})
			for _, g := range z.Generators {
				put(&igen, [2]uint16{uint16(g[0]), uint16(int16(g[1]))})
			}
			put(&igen, [2]uint16{genSampleID, uint16(z.Sample)}) // it must be the last
		}
	}
	name(&phdr, "EOP")
	put(&phdr, [3]uint16{0, 0, uint16(len(f.Presets))})
	put(&phdr, [3]uint32{})
	put(&pbag, [2]uint16{uint16(len(f.Presets)), 0})
	put(&pgen, [2]uint16{})
	name(&inst, "EOI")
	put(&inst, uint16(ibag.Len()/bagSize))
	put(&ibag, [2]uint16{uint16(igen.Len() / generatorSize), 0})
	put(&igen, [2]uint16{})
	none := make([]byte, modulatorSize)

	title := append([]byte(f.Name), 0)
	if len(title)%2 == 1 {
		title = append(title, 0)
	}
	var body bytes.Buffer
	body.WriteString("sfbk")
	list(&body, "INFO", chunk("ifil", []byte{2, 0, 4, 0}), chunk("isng", []byte("Fanfold\x00")), chunk("INAM", title))
	list(&body, "sdta", chunk("smpl", sound.Bytes()))
	list(&body, "pdta", chunk("phdr", phdr.Bytes()), chunk("pbag", pbag.Bytes()), chunk("pmod", none), chunk("pgen", pgen.Bytes()),
		chunk("inst", inst.Bytes()), chunk("ibag", ibag.Bytes()), chunk("imod", none), chunk("igen", igen.Bytes()), chunk("shdr", shdr.Bytes()))
	if _, err := w.Write(chunk("RIFF", body.Bytes())); err != nil {
		return fmt.Errorf("write SoundFont: %w", err)
	}
	return nil
}

// put writes numbers, the lowest byte first.
func put(b *bytes.Buffer, x any) { _ = binary.Write(b, binary.LittleEndian, x) } // memory takes it

// name writes a name of 20 bytes, cut to fit.
func name(b *bytes.Buffer, s string) {
	var out [20]byte
	copy(out[:19], s)
	b.Write(out[:])
}

func chunk(tag string, data []byte) []byte {
	out := binary.LittleEndian.AppendUint32([]byte(tag), uint32(len(data)))
	out = append(out, data...)
	if len(data)%2 == 1 {
		out = append(out, 0)
	}
	return out
}

func list(b *bytes.Buffer, kind string, chunks ...[]byte) {
	b.Write(chunk("LIST", append([]byte(kind), bytes.Join(chunks, nil)...)))
}
