package wav

import (
	"encoding/binary"
	"fmt"
	"io"
)

// Broadcast is what a broadcast WAV file says beside its sound (EBU Tech 3285, version 1).
type Broadcast struct {
	Description string // 256 bytes at most are kept
	Begin       int64  // where it begins, samples since midnight of its timecode
}

// Write16 writes sound of 16 bits, frame by frame, as a WAV file of so many channels. It
// must be shorter than 2 GiB.
func Write16(w io.Writer, rateHz, channels int, sound []int16) error {
	return write16(w, rateHz, channels, sound, nil)
}

// WriteBroadcast16 is Write16 of a broadcast WAV file.
func WriteBroadcast16(w io.Writer, rateHz, channels int, sound []int16, says Broadcast) error {
	// Originator, its reference, date, time; then the version, an identifier and what is reserved.
	const descriptionBytes, betweenBytes, afterBytes = 256, 32 + 32 + 10 + 8, 64 + 190
	b := make([]byte, descriptionBytes+betweenBytes, descriptionBytes+betweenBytes+8+2+afterBytes)
	copy(b[:descriptionBytes], says.Description)
	b = binary.LittleEndian.AppendUint64(b, uint64(says.Begin))
	b = binary.LittleEndian.AppendUint16(b, 1)
	return write16(w, rateHz, channels, sound, append(b, make([]byte, afterBytes)...))
}

// write16 writes a file with a chunk of its own before the sound; nil for none.
func write16(w io.Writer, rateHz, channels int, sound []int16, says []byte) error {
	const sampleBytes = 2
	headBytes := 36
	if says != nil {
		headBytes += 8 + len(says)
	}
	size, frameBytes := len(sound)*sampleBytes, channels*sampleBytes
	if size > 1<<31-1-headBytes || channels < 1 || len(sound)%channels != 0 {
		return fmt.Errorf("write WAV file: %d samples of %d channels are too many, or no whole frames", len(sound), channels)
	}
	b := make([]byte, 0, 8+headBytes+size)
	b = append(b, "RIFF"...)
	b = binary.LittleEndian.AppendUint32(b, uint32(headBytes+size))
	b = append(b, "WAVE"...)
	if says != nil {
		b = append(b, "bext"...)
		b = binary.LittleEndian.AppendUint32(b, uint32(len(says)))
		b = append(b, says...)
	}
	b = append(b, "fmt "...)
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
