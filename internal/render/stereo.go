package render

import (
	"encoding/binary"
	"math"
)

// StereoBytes is the size of a block as AppendStereo writes it.
const StereoBytes = 8 * Frames

// AppendStereo writes a block as it goes over a line: 32-bit floating point, the lowest byte
// first, left and right in turn.
func AppendStereo(out []byte, b *Block) []byte {
	for n := range b[0] {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(float32(b[0][n])))
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(float32(b[1][n])))
	}
	return out
}

// ReadStereo reads a block of at least StereoBytes.
func ReadStereo(data []byte) *Block {
	var b Block
	for n := range b[0] {
		b[0][n] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data[8*n:])))
		b[1][n] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data[8*n+4:])))
	}
	return &b
}
