package smf_test

import (
	"bytes"
	"encoding/csv"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
	"fanfold/internal/demo"
	"fanfold/internal/format/smf"
)

// The file is read back by an independent reader, Debian's midicsv, and says
// what the song says. Channel and port limits are those of MIDI 1.0 and of
// Standard MIDI Files 1.0.
func TestMidicsvReadsTheSameBack(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	song := handover.NewSong(lantern)
	var out bytes.Buffer
	require.NoError(t, smf.Write(&out, song))
	path := filepath.Join(t.TempDir(), "out.mid")
	require.NoError(t, os.WriteFile(path, out.Bytes(), 0o644))
	text, err := exec.Command("midicsv", path).Output()
	require.NoError(t, err, "Debian's package midicsv is needed")
	reader := csv.NewReader(bytes.NewReader(text))
	reader.FieldsPerRecord, reader.TrimLeadingSpace = -1, true
	events, err := reader.ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"0", "0", "Header", "1", strconv.Itoa(len(song.Tracks) + 1), "480"}, events[0])

	byTrack := map[string][][]string{}
	for _, e := range events {
		byTrack[e[0]] = append(byTrack[e[0]], e[1:])
	}
	lead := byTrack["1"]
	require.Contains(t, lead, []string{"0", "Tempo", "500000"}, "120 quarter notes a minute")
	require.Contains(t, lead, []string{"7680", "Marker_t", "Cue start, bar 5"})
	for n, track := range song.Tracks {
		got := byTrack[strconv.Itoa(n+2)]
		require.Contains(t, got, []string{"0", "Title_t", track.Name})
		if track.Channel == 0 {
			continue
		}
		require.True(t, track.Channel <= 16 && track.Port < 128)
		require.Contains(t, got, []string{"0", "MIDI_port", strconv.Itoa(track.Port)})
		channel := strconv.Itoa(track.Channel - 1)
		for _, c := range track.Upbeat {
			require.Contains(t, got, []string{"0", "Control_c", channel, strconv.Itoa(c.Number), strconv.Itoa(c.Value)})
		}
		device := ""
		for _, e := range got {
			if e[1] == "Unknown_meta_event" && e[2] == "9" {
				for _, code := range e[4:] {
					b, err := strconv.Atoi(code)
					require.NoError(t, err)
					device += string(rune(b))
				}
			}
		}
		require.Equal(t, track.Device, device)
	}
	require.True(t, strings.HasPrefix(song.Tracks[0].Name, "Piccolo"), "score order")
}

// Beyond the 128 ports that FF 21 numbers, the device tells a track's port, and the
// file says so.
func TestPortsBeyond128AreTold(t *testing.T) {
	song := handover.Song{Name: "Wide", TempoBPM: 120, Tracks: []handover.Track{{Name: "In", Device: "Elm riser 1 port 1", Port: 127, Channel: 1}, {Name: "Out", Device: "Elm riser 17 port 1", Port: -1, Channel: 1}}}
	var out bytes.Buffer
	require.NoError(t, smf.Write(&out, song))
	f, err := smf.Read(&out)
	require.NoError(t, err)
	require.Equal(t, "1 tracks are on ports beyond the 128 that FF 21 numbers; their device names (FF 09) tell which.", f.Tracks[0].Texts[0].Text)
	require.Equal(t, []any{127, -1, "Elm riser 17 port 1"}, []any{f.Tracks[1].Port, f.Tracks[2].Port, f.Tracks[2].Device})
}
