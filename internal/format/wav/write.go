package wav

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"
)

// Samples is how the samples of a file are written.
type Samples string

// Whole numbers of 16 and 24 bits, with dither, and floating point of 32 bits.
const (
	Whole16 Samples = "16"
	Whole24 Samples = "24"
	Float32 Samples = "float"
)

// AllSamples are the ways in which samples are written.
var AllSamples = []Samples{Whole16, Whole24, Float32}

// Bytes is the size of one sample; 0 for a way that is not known.
func (s Samples) Bytes() int {
	switch s {
	case Whole16:
		return 2
	case Whole24:
		return 3
	case Float32:
		return 4
	}
	return 0
}

// Spec says what file is written.
type Spec struct {
	Channels, RateHz int
	Samples          Samples
	Broadcast        *Broadcast // nil for a file that says nothing beside its sound
	Long             bool       // as RF64 (EBU Tech 3306) however short it is
	Seed             uint64     // of the dither: the same sound with the same seed gives the same bytes
}

// room64 is the size of the ds64 chunk's body, which RF64 needs in front: a file that may grow
// keeps it free as a JUNK chunk.
const room64 = 28

// head is what stands before the sound of so many bytes.
func (s Spec) head(sound int64, grows bool) []byte {
	le := binary.LittleEndian
	var b []byte
	chunk := func(tag string, body []byte) {
		b = append(b, tag...)
		b = le.AppendUint32(b, uint32(len(body)))
		b = append(b, body...)
		if len(body)%2 == 1 {
			b = append(b, 0)
		}
	}
	b = append(b, "RIFF\x00\x00\x00\x00WAVE"...)
	if grows || s.Long {
		chunk("JUNK", make([]byte, room64))
	}
	if s.Broadcast != nil {
		chunk("bext", s.Broadcast.bytes())
	}
	size := s.Samples.Bytes()
	var form []byte
	code := whole
	if s.Samples == Float32 {
		code = floating
	}
	form = le.AppendUint16(form, uint16(code))
	form = le.AppendUint16(form, uint16(s.Channels))
	form = le.AppendUint32(form, uint32(s.RateHz))
	form = le.AppendUint32(form, uint32(s.RateHz*s.Channels*size))
	form = le.AppendUint16(form, uint16(s.Channels*size))
	form = le.AppendUint16(form, uint16(8*size))
	frames := sound / int64(s.Channels*size)
	if code == floating {
		form = le.AppendUint16(form, 0)
		chunk("fmt ", form)
		chunk("fact", le.AppendUint32(nil, uint32(min(frames, math.MaxUint32))))
	} else {
		chunk("fmt ", form)
	}
	b = append(b, "data"...)
	whole := int64(len(b)) + 4 + sound + sound%2 - 8
	if !s.Long && whole <= math.MaxUint32 {
		b = le.AppendUint32(b, uint32(sound))
		le.PutUint32(b[4:], uint32(whole))
		return b
	}
	b = le.AppendUint32(b, math.MaxUint32)
	copy(b, "RF64")
	le.PutUint32(b[4:], math.MaxUint32)
	copy(b[12:], "ds64")
	le.PutUint64(b[20:], uint64(whole))
	le.PutUint64(b[28:], uint64(sound))
	le.PutUint64(b[36:], uint64(frames))
	return b
}

func (s Spec) check() error {
	if s.Channels < 1 || s.Channels > MostChannels || s.RateHz < 1 || s.Samples.Bytes() == 0 {
		return fmt.Errorf("write WAV file: %d channels at %d Hz in samples of %q cannot be written", s.Channels, s.RateHz, s.Samples)
	}
	return nil
}

// Write16 writes sound of 16 bits, frame by frame, as a WAV file of so many channels. It
// must be shorter than 4 GiB.
func Write16(w io.Writer, rateHz, channels int, sound []int16) error {
	return write16(w, Spec{Channels: channels, RateHz: rateHz, Samples: Whole16}, sound)
}

// WriteBroadcast16 is Write16 of a broadcast WAV file.
func WriteBroadcast16(w io.Writer, rateHz, channels int, sound []int16, says Broadcast) error {
	return write16(w, Spec{Channels: channels, RateHz: rateHz, Samples: Whole16, Broadcast: &says}, sound)
}

func write16(w io.Writer, s Spec, sound []int16) error {
	size := int64(len(sound)) * 2
	if err := s.check(); err != nil {
		return err
	}
	if size > math.MaxUint32-(1<<20) || len(sound)%s.Channels != 0 {
		return fmt.Errorf("write WAV file: %d samples of %d channels are too many, or no whole frames", len(sound), s.Channels)
	}
	b := s.head(size, false)
	for _, x := range sound {
		b = binary.LittleEndian.AppendUint16(b, uint16(x))
	}
	if _, err := w.Write(b); err != nil {
		return fmt.Errorf("write WAV file: %w", err)
	}
	return nil
}

// Writer writes a file piece by piece. It is a whole file only once it is closed.
type Writer struct {
	spec    Spec
	to      io.WriteSeeker
	sound   int64 // bytes
	clipped int64
	random  uint64
	buffer  []byte
}

// NewWriter begins a file, at its beginning. It becomes RF64 by itself when it grows beyond
// 4 GiB.
func NewWriter(to io.WriteSeeker, s Spec) (*Writer, error) {
	if err := s.check(); err != nil {
		return nil, err
	}
	w := &Writer{spec: s, to: to, random: s.Seed * 0x632be59bd9b4e019}
	if _, err := to.Write(s.head(0, true)); err != nil {
		return nil, fmt.Errorf("write WAV file: %w", err)
	}
	return w, nil
}

// Frames is how many frames were written, and Clipped how many samples of them were beyond
// full scale and are cut to it; floating point is not cut.
func (w *Writer) Frames() int64 {
	return w.sound / int64(w.spec.Channels*w.spec.Samples.Bytes())
}

// Clipped is how many samples were cut to full scale.
func (w *Writer) Clipped() int64 { return w.clipped }

// Write appends sound: for each channel its samples, all as many, full scale 1.
func (w *Writer) Write(sound ...[]float64) error {
	if len(sound) != w.spec.Channels {
		return fmt.Errorf("write WAV file: %d channels into a file of %d", len(sound), w.spec.Channels)
	}
	size := w.spec.Samples.Bytes()
	stride := size * len(sound)
	need := stride * len(sound[0])
	if cap(w.buffer) < need {
		w.buffer = make([]byte, need)
	}
	b := w.buffer[:need]
	for c, samples := range sound {
		w.put(b[min(need, c*size):], samples, stride)
	}
	n, err := w.to.Write(b)
	w.sound += int64(n)
	if err != nil {
		return fmt.Errorf("write WAV file: %w", err)
	}
	return nil
}

// put writes the samples of one channel, a stride of bytes apart.
func (w *Writer) put(b []byte, samples []float64, stride int) {
	le := binary.LittleEndian
	switch at := 0; w.spec.Samples {
	case Whole16:
		w.each(samples, 1<<15, func(v int32) {
			le.PutUint16(b[at:], uint16(v))
			at += stride
		})
	case Whole24:
		w.each(samples, 1<<23, func(v int32) {
			b[at], b[at+1], b[at+2] = byte(v), byte(v>>8), byte(v>>16)
			at += stride
		})
	default:
		for _, x := range samples {
			le.PutUint32(b[at:], math.Float32bits(float32(finite(x))))
			at += stride
		}
	}
}

// each rounds samples to a whole number of steps, with a dither of triangular density, of two
// steps from end to end: the error that is left is noise of the same strength whatever the
// sound is (Lipshitz, Wannamaker and Vanderkooy, Quantization and Dither, 1992). Silence stays
// silence. Chance is SplitMix64 (Steele, Lea and Flood, 2014), written out: it is most of the
// work.
func (w *Writer) each(samples []float64, full float64, put func(int32)) {
	random := w.random
	for _, x := range samples {
		if x == 0 || x != x { //nolint:gocritic // what is not a number is silence
			put(0)
			continue
		}
		random += 0x9e3779b97f4a7c15
		r := random
		r = (r ^ r>>30) * 0xbf58476d1ce4e5b9
		r = (r ^ r>>27) * 0x94d049bb133111eb
		r ^= r >> 31
		v := math.Floor(x*full + (float64(uint32(r))-float64(uint32(r>>32)))*(1./(1<<32)) + .5)
		if v > full-1 || v < -full {
			if math.Abs(x) > 1 {
				w.clipped++
			}
			v = max(-full, min(full-1, v))
		}
		put(int32(v))
	}
	w.random = random
}

// Close makes the file whole; loudness, nil when not measured, is said in a broadcast file.
// What it is written to is not closed.
func (w *Writer) Close(loudness *Loudness) error {
	s := w.spec
	if s.Broadcast != nil {
		says := *s.Broadcast
		says.Loudness = loudness
		s.Broadcast = &says
	}
	if w.sound%2 == 1 {
		if _, err := w.to.Write([]byte{0}); err != nil {
			return fmt.Errorf("write WAV file: %w", err)
		}
	}
	if _, err := w.to.Seek(0, io.SeekStart); err != nil {
		return fmt.Errorf("write WAV file: %w", err)
	}
	if _, err := w.to.Write(s.head(w.sound, true)); err != nil {
		return fmt.Errorf("write WAV file: %w", err)
	}
	_, err := w.to.Seek(0, io.SeekEnd)
	return err
}
