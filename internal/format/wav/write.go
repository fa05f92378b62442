package wav

import (
	"encoding/binary"
	"fmt"
	"io"
)

// WriteMono16 writes sound of one channel and 16 bits as a WAV file. It must
// be shorter than 2 GiB.
func WriteMono16(w io.Writer, rateHz int, sound []int16) error {
	const headBytes, frameBytes = 36, 2
	size := len(sound) * frameBytes
	if size > 1<<31-1-headBytes {
		return fmt.Errorf("write WAV file: %d samples are too many", len(sound))
	}
	b := make([]byte, 0, 8+headBytes+size)
	b = append(b, "RIFF"...)
	b = binary.LittleEndian.AppendUint32(b, uint32(headBytes+size))
	b = append(b, "WAVEfmt "...)
	b = binary.LittleEndian.AppendUint32(b, 16)
	b = binary.LittleEndian.AppendUint16(b, 1) // PCM
	b = binary.LittleEndian.AppendUint16(b, 1)
	b = binary.LittleEndian.AppendUint32(b, uint32(rateHz))
	b = binary.LittleEndian.AppendUint32(b, uint32(rateHz*frameBytes))
	b = binary.LittleEndian.AppendUint16(b, frameBytes)
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
