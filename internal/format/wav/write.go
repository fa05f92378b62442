package wav

import (
	"encoding/binary"
	"fmt"
	"io"
)

// Write16 writes sound of 16 bits, frame by frame, as a WAV file of so many channels. It
// must be shorter than 2 GiB.
func Write16(w io.Writer, rateHz, channels int, sound []int16) error {
	const headBytes, sampleBytes = 36, 2
	size, frameBytes := len(sound)*sampleBytes, channels*sampleBytes
	if size > 1<<31-1-headBytes || channels < 1 || len(sound)%channels != 0 {
		return fmt.Errorf("write WAV file: %d samples of %d channels are too many, or no whole frames", len(sound), channels)
	}
	b := make([]byte, 0, 8+headBytes+size)
	b = append(b, "RIFF"...)
	b = binary.LittleEndian.AppendUint32(b, uint32(headBytes+size))
	b = append(b, "WAVEfmt "...)
	b = binary.LittleEndian.AppendUint32(b, 16)
	b = binary.LittleEndian.AppendUint16(b, 1) // PCM
	b = binary.LittleEndian.AppendUint16(b, uint16(channels))
	b = binary.LittleEndian.AppendUint32(b, uint32(rateHz))
	b = binary.LittleEndian.AppendUint32(b, uint32(rateHz*frameBytes))
	b = binary.LittleEndian.AppendUint16(b, uint16(frameBytes))
	b = binary.LittleEndian.AppendUint16(b, 16)
	b = append(b, "data"...)
	b = binary.LittleEndian.AppendUint32(b, uint32(size))
	for _, s := range sound {
		b = binary.LittleEndian.AppendUint16(b, uint16(s))
	}
	if _, err := w.Write(b); err != nil {
		return fmt.Errorf("write WAV file: %w", err)
	}
	return nil
}
