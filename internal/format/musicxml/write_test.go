package musicxml_test

import (
	"bytes"
	"encoding/xml"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/musicxml"
)

// The demo as an empty score: a part for each desk in score order, well formed as Debian's xmllint has
// it, with names and sounds as our reader has them, and with the same parts, clefs and transpositions as
// another reader has them (npm musicxml-io, in web/src/model/outside.test.ts).
func TestTheDemoAsAnEmptyScore(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	parts := handover.ScoreParts(lantern)
	var b bytes.Buffer
	require.NoError(t, musicxml.WriteEmpty(&b, lantern.Name, 96, parts))
	path := filepath.Join(t.TempDir(), "empty.musicxml")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	said, err := exec.Command("xmllint", "--nonet", "--noout", path).CombinedOutput()
	require.NoError(t, err, string(said))
	s, err := musicxml.Read(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	require.Equal(t, lantern.Name, s.Title)
	require.Len(t, s.Parts, len(parts))
	require.InDelta(t, 96, s.Tempi[0].BPM, 1e-9)
	for n, p := range s.Parts {
		require.Equal(t, parts[n].Name, p.Name)
		require.Empty(t, p.Notes)
		if parts[n].Sound != "" {
			require.Equal(t, []string{parts[n].Sound}, p.Sounds)
		}
	}
	// Some of them are kept for the other reader.
	const kept = "testdata/empty.musicxml"
	some := slices.DeleteFunc(slices.Clone(parts), func(p handover.ScorePart) bool {
		return !slices.Contains([]string{"Piccolo", "Flute 1", "Clarinet 1", "Horn 1", "Timpani", "Harp", "Violas", "Basses"}, p.Name)
	})
	b.Reset()
	require.NoError(t, musicxml.WriteEmpty(&b, lantern.Name, 96, some))
	if os.Getenv("FANFOLD_RENEW") != "" {
		require.NoError(t, os.WriteFile(kept, b.Bytes(), 0o644))
	}
	was, err := os.ReadFile(kept)
	require.NoError(t, err)
	require.Equal(t, string(was), b.String(), "renew it with FANFOLD_RENEW=1, for the other reader")
}

// A part is one desk, whatever its rows are for; what is for nobody has none.
func TestADeskIsAPart(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	by := map[string]handover.ScorePart{}
	for _, p := range handover.ScoreParts(lantern) {
		_, twice := by[p.Group+"/"+p.Name]
		require.False(t, twice, p.Name)
		by[p.Group+"/"+p.Name] = p
	}
	require.Equal(t, handover.ScorePart{Name: "Flute 1", Group: "Winds", Sound: "wind.flutes.flute", Written: sound.Written{Clef: sound.Treble}}, by["Winds/Flute 1"])
	require.Equal(t, -7, by["Brass/Horn 1"].Chromatic)
	require.Contains(t, by, "Winds/Piccolo")
	for _, i := range lantern.Instruments {
		if i.Kind == template.Guide {
			require.NotContains(t, by, "Guides/"+i.Name)
		}
	}
}

// What is written and transposed sounds at pitch: our reader, which is held against others, hears each
// instrument where it is.
func TestTranspositionsAreReadBack(t *testing.T) {
	for _, s := range sound.All() {
		w := sound.WrittenAs(s.ID)
		if w.Clef == sound.Percussion {
			continue
		}
		var b bytes.Buffer
		require.NoError(t, musicxml.WriteEmpty(&b, "x", 120, []handover.ScorePart{{Name: s.Name, Sound: s.ID, Written: w}}))
		// Middle C as it is written, in place of the first rest.
		note := []byte(`<note><pitch><step>C</step><octave>4</octave></pitch><duration>4</duration><voice>1</voice><staff>1</staff></note>`)
		at := bytes.Index(b.Bytes(), []byte("<note>"))
		end := at + bytes.Index(b.Bytes()[at:], []byte("</note>")) + len("</note>")
		with := append(append(append([]byte{}, b.Bytes()[:at]...), note...), b.Bytes()[end:]...)
		require.NoError(t, xml.Unmarshal(with, new(struct{})))
		score, err := musicxml.Read(bytes.NewReader(with))
		require.NoError(t, err, s.ID)
		require.Len(t, score.Parts[0].Notes, 1, s.ID)
		require.Equal(t, 60+w.Chromatic+12*w.Octaves, score.Parts[0].Notes[0].Key, s.ID)
		// A diatonic step is one or two semitones.
		steps, semitones := max(w.Diatonic, -w.Diatonic), max(w.Chromatic, -w.Chromatic)
		require.LessOrEqual(t, steps, semitones, s.ID)
		require.LessOrEqual(t, semitones, 2*steps, s.ID)
	}
}

// Handbook transpositions [common practice, from memory: the orchestration handbooks], each as the
// sounding key of a written middle C.
func TestWhereAWrittenMiddleCSounds(t *testing.T) {
	for id, want := range map[string]int{
		"wind.flutes.flute": 60, "wind.flutes.flute.piccolo": 72, "wind.flutes.flute.alto": 55, "wind.reed.english-horn": 53, "wind.reed.clarinet": 58, "wind.reed.clarinet.eflat": 63,
		"wind.reed.clarinet.bass": 46, "wind.reed.saxophone.alto": 51, "wind.reed.saxophone.tenor": 46, "wind.reed.saxophone.baritone": 39, "wind.reed.contrabassoon": 48,
		"brass.french-horn": 53, "brass.trumpet": 58, "brass.trombone": 60, "pitched-percussion.glockenspiel": 84, "pitched-percussion.xylophone": 72, "keyboard.celesta": 72,
		"pluck.guitar": 48, "strings.violin": 60, "strings.contrabass": 48,
	} {
		w := sound.WrittenAs(id)
		require.Equal(t, want, 60+w.Chromatic+12*w.Octaves, id)
	}
	for id, want := range map[string]sound.Clef{
		"strings.viola": sound.Alto, "strings.cello": sound.Bass, "wind.reed.bassoon": sound.Bass, "drum.timpani": sound.Bass, "drum.taiko": sound.Percussion, "keyboard.piano": sound.Grand,
		"voice.soprano": sound.Treble, "voice.bass": sound.Bass, "brass.tuba": sound.Bass, "": sound.Treble,
	} {
		require.Equal(t, want, sound.WrittenAs(id).Clef, id)
	}
}
