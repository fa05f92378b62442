package gpl_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/format/gpl"
)

// A file as the format's own program writes it (from memory).
const written = "GIMP Palette\nName: Reeds\nColumns: 4\n#\n120 140 100\tmoss\n  0   0   0\tUntitled\n255 255 255\n"

func TestReadAndWrite(t *testing.T) {
	p, err := gpl.Read(strings.NewReader(written))
	require.NoError(t, err)
	require.Equal(t, gpl.Palette{Name: "Reeds", Colours: []gpl.Colour{{RGB: [3]int{120, 140, 100}, Name: "moss"}, {Name: "Untitled"}, {RGB: [3]int{255, 255, 255}}}}, p)
	var b bytes.Buffer
	require.NoError(t, gpl.Write(&b, p))
	back, err := gpl.Read(&b)
	require.NoError(t, err)
	require.Equal(t, p, back)
	for text, says := range map[string]string{
		"":                         "line 1: the file is empty",
		"JPEG":                     `line 1: it begins with "JPEG"`,
		"GIMP Palette\n1 2":        `line 2: "1 2" is not a colour`,
		"GIMP Palette\n#\n1 2 256": `line 3: "256" is not a number from 0 to 255`,
	} {
		_, err := gpl.Read(strings.NewReader(text))
		require.ErrorContains(t, err, says)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(written))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := gpl.Read(bytes.NewReader(data))
		if err != nil {
			return
		}
		var b bytes.Buffer
		require.NoError(t, gpl.Write(&b, p))
		back, err := gpl.Read(&b)
		require.NoError(t, err)
		require.Len(t, back.Colours, len(p.Colours))
	})
}
