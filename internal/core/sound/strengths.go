package sound

import "strings"

// strengths are how strong players are in forte beside each other, as shares of power: one
// trumpet, trombone or tuba is as strong as two horns, and as four woodwinds; each section of
// the strings in full number as two woodwinds, one of each pair doubled (N. Rimsky-Korsakov,
// Principles of Orchestration, chapter I, from memory). The longest beginning of an ID counts.
// Who is not named there has none.
var strengths = []struct {
	id    string
	of    float64
	alone bool // of one player, who may be several; otherwise of the whole section
}{
	{"wind.", 1, true}, {"brass.", 4, true}, {"brass.french-horn", 2, true}, {"brass.wagner-tuba", 2, true}, {"strings.", 2, false},
}

// Strength is how strong one who plays a sound is in forte, a woodwind being 1; false for who
// has no figure, and for a group of many instruments. several tells that many play it as one,
// players how many, 0 when that is not known.
func Strength(id string, several bool, players int) (float64, bool) {
	best := -1
	for n, s := range strengths {
		if strings.HasPrefix(id, s.id) && (best < 0 || len(s.id) > len(strengths[best].id)) {
			best = n
		}
	}
	if best < 0 || strings.HasSuffix(id, ".group") {
		return 0, false
	}
	s := strengths[best]
	if !s.alone {
		return s.of, several // one violin has no figure
	}
	return s.of * float64(max(1, players)), true
}
