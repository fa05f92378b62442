package bounded_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/bounded"
)

func reader(b ...byte) *bounded.Reader { return bounded.New(bytes.NewReader(b), int64(len(b))) }

func TestNumbersAreLittleEndian(t *testing.T) {
	r := reader(1, 2, 1, 2, 3, 4, 8, 7, 6, 5, 4, 3, 2, 1)
	require.EqualValues(t, 0x0201, r.U16())
	require.EqualValues(t, 0x04030201, r.U32())
	require.EqualValues(t, 0x0102030405060708, r.U64())
	require.Zero(t, r.Left())
	require.NoError(t, r.Err())
}

// The first error sticks, for every part of the source; nothing is read after.
func TestTheFirstErrorSticks(t *testing.T) {
	r := reader(1, 2, 3, 4, 5, 6)
	part := r.Part(2)
	require.Nil(t, part.Bytes(3))
	require.EqualError(t, r.Err(), "at byte 0: 3 bytes are announced, 2 are there")
	require.Zero(t, r.U32())
	require.Zero(t, r.Left())
	r.Fail("something later")
	require.ErrorContains(t, r.Err(), "announced")
	require.Zero(t, r.Part(1).Left())
}

func TestSizesThatCanNotBe(t *testing.T) {
	r := reader(1, 2)
	r.Skip(-1)
	require.Error(t, r.Err())
	huge := bounded.New(bytes.NewReader([]byte{1}), 1<<40) // the source is shorter than it was said to be
	require.Nil(t, huge.Bytes(bounded.MostBytes+1))
	require.ErrorContains(t, huge.Err(), "in one piece")
	short := bounded.New(bytes.NewReader([]byte{1}), 100)
	require.Nil(t, short.Bytes(50))
	require.Error(t, short.Err())
}

// Chunks of odd size are followed by one byte more (RIFF).
func TestChunks(t *testing.T) {
	r := reader('o', 'd', 'd', ' ', 3, 0, 0, 0, 7, 8, 9, 0, 'e', 'v', 'e', 'n', 2, 0, 0, 0, 1, 2)
	c, ok := r.Chunk()
	require.True(t, ok)
	require.Equal(t, "odd ", c.Tag)
	require.Equal(t, []byte{7, 8, 9}, c.Body.Bytes(3))
	c, ok = r.Chunk()
	require.True(t, ok)
	require.Equal(t, "even", c.Tag)
	require.EqualValues(t, 20, c.Body.At())
	_, ok = r.Chunk()
	require.False(t, ok)
	require.NoError(t, r.Err())
	cut := reader('l', 'o', 'n', 'g', 9, 0, 0, 0, 1)
	_, ok = cut.Chunk()
	require.False(t, ok)
	require.ErrorContains(t, cut.Err(), "9 bytes are announced, 1 are there")
}
