package articulation

import (
	"regexp"
	"slices"
	"strings"

	"fanfold/internal/core/template"
)

var wordBreaks = regexp.MustCompile(`[\s,;/()]+`)

// kindsOfPlaying are words of names for what a row holds that are no
// articulations.
var kindsOfPlaying = []string{"long", "longs", "short", "shorts", "legato", "effect", "effects", "fx"}

// Desk is a row's name without the articulations it speaks of: that of "Flute 1
// short" is "Flute 1". The first word always stays.
func Desk(v *Vocabulary, name string) string {
	words := wordBreaks.Split(strings.TrimSpace(name), -1)
	var out []string
	for at := 0; at < len(words); at++ {
		long := 0
		for n := min(3, len(words)-at); n > 0 && at > 0 && long == 0; n-- {
			phrase := strings.Join(words[at:at+n], " ")
			if v.Find(phrase) != nil || slices.Contains(kindsOfPlaying, template.FoldName(phrase)) {
				long = n
			}
		}
		if long > 0 {
			at += long - 1
		} else {
			out = append(out, words[at])
		}
	}
	return strings.Join(out, " ")
}
