package printing_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/filename"
	"fanfold/internal/core/printing"
)

func TestNamesByAPattern(t *testing.T) {
	p := printing.Plan{Files: []printing.Wanted{{File: "Strings", Number: 1}, {File: "strings", Number: 2}, {File: "Mix"}}}
	n := printing.Naming{Cue: "1M02", Title: "The lamp is lit", RateHz: 48_000, Start: "01:02:03:04"}
	require.Equal(t, []string{"1M02 The lamp is lit Strings.wav", "1M02 The lamp is lit strings 2.wav", "1M02 The lamp is lit Mix.wav"}, p.Names(n, ".wav"))
	n.Pattern = "{cue}_{number}_{stem}_{rate}_{start}"
	require.Equal(t, []string{"1M02_01_Strings_48k_01-02-03-04.wav", "1M02_02_strings_48k_01-02-03-04.wav", "1M02__Mix_48k_01-02-03-04.wav"}, p.Names(n, ".wav"))
	require.NoError(t, filename.CheckPattern(filename.DefaultPattern))
	require.ErrorContains(t, filename.CheckPattern("{cue} {steam}"), "there is no field {steam}")
	require.ErrorContains(t, filename.CheckPattern("{cue}"), "add it")
	p = printing.Plan{Files: []printing.Wanted{{File: "con"}, {File: "NUL.x"}, {File: " .. "}}}
	require.Equal(t, []string{"_con.wav", "_NUL.x.wav", "file.wav"}, p.Names(printing.Naming{Pattern: "{stem}"}, ".wav"))
}

// Whatever things are called, names are safe, not too long, and each is another.
func TestNamesAreSafe(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{"", "CON", "a/b", "..", strings.Repeat("ü", 200)}))
		var p printing.Plan
		for n := range rapid.IntRange(1, 12).Draw(t, "files") {
			p.Files = append(p.Files, printing.Wanted{File: text.Draw(t, "stem"), Number: n})
		}
		names := p.Names(printing.Naming{Cue: text.Draw(t, "cue"), Title: text.Draw(t, "title"), Pattern: "{title} {cue}{stem}"}, ".wav")
		seen := map[string]bool{}
		for _, n := range names {
			require.False(t, seen[strings.ToLower(n)])
			seen[strings.ToLower(n)] = true
			require.LessOrEqual(t, len(n), 255)
			require.True(t, utf8.ValidString(n))
			require.False(t, strings.ContainsAny(n, "/\\:*?\"<>|\x00\n"))
			base := strings.TrimSuffix(n, ".wav")
			require.NotEmpty(t, base)
			require.Equal(t, strings.Trim(base, " ."), base)
		}
	})
}
