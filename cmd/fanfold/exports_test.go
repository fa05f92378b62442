package main

import (
	"archive/zip"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/smf"
)

// byCommand says how what a server gives as a file is written by command; empty for what is listened to
// or looked at.
var byCommand = map[string]string{
	"ArchiveStudio": "studio out", "NotesSheet": "studio activity", "PatchList": "studio patches", "Archive": "studio production",
	"Export": "export", "Handbook": "export", "CallMidi": "load --midi", "PutSessionRight": "drift --right",
	"CalibrationTest": "calibrate", "CompileMidi": "compile", "TranslateMidi": "translate", "FollowMusicOut": "follow",
	"CuesOut": "cues", "ClickTrack": "cues --click", "StartCues": "start", "CutReport": "conform --report", "RecutMidi": "conform --music",
	"PackagePrint": "deliver", "PackageDelivery": "deliver",
	"MusicOfCue": "studio production", // its music lies there as it was given
	"Recorded":   "", "PlayFilm": "", "PrintedFile": "", "PrintWave": "", "PrintSound": "",
}

// Whatever a server gives as a file can be had by command.
func TestEveryExportHasACommand(t *testing.T) {
	data, err := os.ReadFile("../../internal/api/openapi.yaml")
	require.NoError(t, err)
	var contract struct {
		Paths map[string]map[string]struct {
			OperationID string `yaml:"operationId"`
			Responses   map[string]struct {
				Content map[string]any
			}
		}
	}
	require.NoError(t, yaml.Unmarshal(data, &contract))
	seen := map[string]bool{}
	for _, methods := range contract.Paths {
		for _, o := range methods {
			for kind := range o.Responses["200"].Content {
				if kind != "application/json" {
					seen[o.OperationID] = true
				}
			}
		}
	}
	require.Len(t, seen, len(byCommand))
	for id := range seen {
		at, known := byCommand[id]
		require.True(t, known, "%s has no command", id)
		if at == "" {
			continue
		}
		name, flag, _ := strings.Cut(at, " --")
		c, rest, err := newRoot().Find(strings.Fields(name))
		require.NoError(t, err)
		require.Empty(t, rest, "%s: there is no command %s", id, name)
		require.Equal(t, "fanfold "+name, c.CommandPath())
		if flag != "" {
			require.NotNil(t, c.Flags().Lookup(flag), "%s: %s has no --%s", id, name, flag)
		}
	}
}

// lantern is the demo's template and music, as files.
func lantern(t *testing.T) (path, music string) {
	dir := t.TempDir()
	made, err := demo.Template()
	require.NoError(t, err)
	path = filepath.Join(dir, "lantern.fanfold.json")
	require.NoError(t, writeTemplate(path, made))
	data, err := demo.Cue()
	require.NoError(t, err)
	music = filepath.Join(dir, "Lamp.mid")
	require.NoError(t, os.WriteFile(music, data, 0o600))
	return path, music
}

func smfOf(t *testing.T, path string) *smf.File {
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	file, err := smf.Read(f)
	require.NoError(t, err)
	return file
}

func TestMusicByCommand(t *testing.T) {
	path, music := lantern(t)
	to := filepath.Join(t.TempDir(), "out.mid")
	piece := smfOf(t, music)
	var first string
	var notes int
	studio, err := demo.Template()
	require.NoError(t, err)
	for _, x := range piece.Tracks {
		if len(x.Notes) > 0 && slices.ContainsFunc(studio.Instruments, func(i *template.Instrument) bool { return i.Name == x.Name }) {
			first, notes = x.Name, len(x.Notes)
			break
		}
	}

	code, out, errs := do("compile", music, "--template", path, "--row", first, "-o", to) // the part with its name
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, first+" as "+first+" plays it")
	played := 0
	for _, x := range smfOf(t, to).Tracks {
		played += len(x.Notes)
	}
	require.GreaterOrEqual(t, played, notes, "its notes, and the keys that switch")

	code, out, errs = do("translate", music, "--template", path, "-o", to)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, first+": "+first)

	code, out, errs = do("follow", music, "--template", path, "-o", to)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, " bars, ")
	list := filepath.Join(t.TempDir(), "calls.csv")
	code, _, errs = do("follow", music, "--template", path, "-o", list)
	require.Equal(t, 0, code, errs)
	text, err := os.ReadFile(list)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(text), "bar,second,address,arguments"), "%.60s", text)
	require.Contains(t, string(text), first)
	require.Contains(t, string(text), "/call")

	for says, args := range map[string][]string{
		"has no row \"Kazoo\"":               {"compile", music, "--template", path, "--row", "Kazoo", "-o", to},
		"there is no part \"99\"; the parts": {"compile", music, "--template", path, "--row", first, "--part", "99", "-o", to},
		"give the template":                  {"follow", music, "-o", to},
		"say where to write":                 {"translate", music, "--template", path},
		"give one file: the music":           {"follow"},
	} {
		code, _, errs := do(args...)
		require.Equal(t, 2, code)
		require.Contains(t, errs, says)
	}
}

// Each cue has a folder, which begins where the cue does.
func TestCuesStartByCommand(t *testing.T) {
	template, _ := lantern(t)
	at := written(t, map[string]string{"cues.csv": "number,title,start,end,tempo\n1M01,Salt,01:01:00:00,01:02:30:00,120\n1M02,Lamp,01:03:00:00,01:04:00:00,96\n"})
	code, out, errs := do("start", at("cues.csv"), "--template", template, "--rate", "25", "--click", "-o", at("all.zip"))
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "2 cues started")
	z, err := zip.OpenReader(at("all.zip"))
	require.NoError(t, err)
	defer z.Close()
	names := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		names[f.Name] = string(data)
	}
	for _, name := range []string{"1M01 Salt/1M01 Salt.mid", "1M01 Salt/1M01 Salt.dawproject", "1M01 Salt/1M01 Salt click.wav", "1M02 Lamp/1M02 Lamp.txt"} {
		require.Contains(t, names, name)
	}
	require.Contains(t, names["1M02 Lamp/1M02 Lamp.txt"], "01:03:00:00, which is bar 5")

	code, _, errs = do("start", at("cues.csv"), "--template", template, "--rate", "25", "--cue", "1m02", "--call", "Everything", "-o", at("one.zip"))
	require.Equal(t, 2, code)
	require.Contains(t, errs, "there is no call \"Everything\"; calls are: ")
	code, out, errs = do("start", at("cues.csv"), "--template", template, "--rate", "25", "--cue", "1m02", "-o", at("one.zip"))
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "1 cue started")
	code, _, errs = do("start", at("cues.csv"), "--template", template, "--cue", "9M9", "-o", at("none.zip"))
	require.Equal(t, 2, code)
	require.Contains(t, errs, "the cues are 1M01, 1M02")
	require.NoFileExists(t, at("none.zip"))
}

// By hand: at 120 and 24 frames a second a beat is 12 frames; the cue begins with bar 5, 76 beats
// before the seam, where 48 frames go: a bar, and what was played in it.
func TestMusicFollowsACutByCommand(t *testing.T) {
	template, music := lantern(t)
	head := "TITLE: R1\nFCM: NON-DROP FRAME\n001  A V C 00:00:00:00 "
	at := written(t, map[string]string{
		"old.edl":  head + "00:01:38:00 01:00:00:00 01:01:38:00\n002  B V C 00:00:00:00 00:00:30:00 01:01:38:00 01:02:08:00\n",
		"new.edl":  head + "00:01:38:00 01:00:00:00 01:01:38:00\n002  B V C 00:00:02:00 00:00:30:00 01:01:38:00 01:02:06:00\n",
		"cues.csv": "number,title,start,end,tempo\n1M01,Salt,01:01:00:00,01:01:55:00,120\n",
	})
	code, out, errs := do("start", at("cues.csv"), "--template", template, "-o", at("x.zip"))
	require.Equal(t, 0, code, out+errs)
	code, _, errs = do("conform", at("old.edl"), at("new.edl"), "--cues", at("cues.csv"), "--music", music, "--cue", "1M01", "-o", at("recut.mid"))
	require.Equal(t, 0, code, errs)
	require.Contains(t, errs, "takes out a bar at bar 24")
	require.NotEmpty(t, smfOf(t, at("recut.mid")).Tracks)
	for says, args := range map[string][]string{
		"which cue the music is of": {},
		"say where to write":        {"--cue", "1M01"},
		"there is no number 99":     {"--cue", "1M01", "--proposal", "99", "-o", at("y.mid")},
		"there is no cue \"2M1\"":   {"--cue", "2M1", "-o", at("y.mid")},
	} {
		code, _, errs := do(append([]string{"conform", at("old.edl"), at("new.edl"), "--cues", at("cues.csv"), "--music", music}, args...)...)
		require.Equal(t, 2, code)
		require.Contains(t, errs, says)
	}
}
