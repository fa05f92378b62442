package printing

import (
	"cmp"
	"path"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"fanfold/internal/core/audit"
)

// Found is a file that somebody recorded.
type Found struct {
	Path     string // within its folder, with slashes
	Channels int
}

// How is how a file was matched.
type How string

// Ways in which files are matched.
const (
	ByHand   How = "by hand"
	ByName   How = "by its name"
	ByNumber How = "by its number"
	ByNobody How = ""
)

// Match is what a file is.
type Match struct {
	Path   string     `json:"path"`
	Right  string     `json:"right,omitempty"` // of a pair of files of one channel: the other
	Role   audit.Role `json:"role"`
	Wanted int        `json:"wanted"` // among the plan's files; -1 for none
	How    How        `json:"how"`
}

// Key is what is remembered of a file from one recording to the next: its name without its
// folder and ending, and without what counts takes.
func Key(name string) string {
	return strings.Join(dropTake(words(strings.TrimSuffix(path.Base(name), path.Ext(name)))), " ")
}

// Words that say what a file is when it is not a stem (common practice, no source).
var (
	mixWords     = []string{"mix", "mixdown", "full", "mixed"}
	limitedWords = []string{"limited", "master", "mastered", "loud"}
	guideWords   = []string{"dialogue", "dialog", "dx", "dia", "fx", "sfx", "effects", "guide", "temp", "production", "click"}
	leftWords    = []string{"l", "left"}
	rightWords   = []string{"r", "right"}
	takeWords    = []string{"take", "tk", "version", "ver", "v", "print", "final"}
	plainWords   = append([]string{"stem", "stems", "the", "of", "and", "wav", "stereo", "st"}, append(slices.Clone(mixWords), limitedWords...)...)
)

// words splits a name where letters end, where small ones are followed by capitals, and where
// numbers begin; in lower case, numbers without zeros in front.
func words(name string) (out []string) {
	var word []rune
	flush := func() {
		if len(word) > 0 {
			w := strings.ToLower(string(word))
			if n, err := strconv.Atoi(w); err == nil {
				w = strconv.Itoa(n)
			}
			out = append(out, w)
			word = word[:0]
		}
	}
	var last rune
	for _, r := range name {
		isLetter, isNumber := unicode.IsLetter(r), unicode.IsNumber(r)
		switch {
		case !isLetter && !isNumber:
			flush()
			last = 0
			continue
		case last != 0 && (isNumber != unicode.IsNumber(last) || unicode.IsUpper(r) && unicode.IsLower(last)):
			flush()
		}
		word = append(word, r)
		last = r
	}
	flush()
	return out
}

// dropTake takes the number of a take away: "take 3", "v2".
func dropTake(list []string) []string {
	var out []string
	for n := 0; n < len(list); n++ {
		if n+1 < len(list) && slices.Contains(takeWords, list[n]) {
			if _, err := strconv.Atoi(list[n+1]); err == nil {
				n++
				continue
			}
		}
		out = append(out, list[n])
	}
	return out
}

// Recorded matches files that somebody recorded to those of a plan. Hand says, by the Key of a
// file, which bus it is, which role it has ("guide", "mix", "limited"), or "other"; it comes
// first. Then names: a file is the stem whose words it has most of. Then numbers, where no
// name says anything. Two files of one channel whose names end in left and right are one.
func (p *Plan) Recorded(files []Found, hand map[string]string) []Match {
	out := pairs(files)
	taken := map[int]bool{}
	set := func(m *Match, wanted int, how How) {
		m.Wanted, m.Role, m.How = wanted, p.Files[wanted].Role, how
		taken[wanted] = true
	}
	for n := range out {
		m := &out[n]
		m.Wanted, m.Role = -1, audit.Other
		says, is := hand[Key(m.Path)]
		if !is {
			continue
		}
		m.How = ByHand
		if role := audit.Role(says); role == audit.Guide || role == audit.Mix || role == audit.Limited || role == audit.Other {
			m.Role = role
			continue
		}
		if k := slices.IndexFunc(p.Files, func(w Wanted) bool { return string(w.Bus) == says }); k >= 0 && !taken[k] {
			set(m, k, ByHand)
		} else {
			m.How = ByNobody
		}
	}
	p.byName(out, taken, set)
	p.byNumber(out, taken, set)
	p.byRole(out, taken)
	return out
}

type score struct{ file, wanted, points int }

// byName matches by the words of names, the best first.
func (p *Plan) byName(out []Match, taken map[int]bool, set func(*Match, int, How)) {
	names := make([][]string, len(p.Files))
	for n, w := range p.Files {
		names[n] = words(w.Name + " " + p.foldsOf(w))
		if w.Role == audit.Mix {
			names[n] = nil
		}
	}
	var all []score
	for f := range out {
		if out[f].How != ByNobody {
			continue
		}
		has := dropTake(words(strings.TrimSuffix(out[f].Path, path.Ext(out[f].Path))))
		for n, w := range p.Files {
			if w.Role != audit.Stem {
				continue
			}
			if points := points(has, words(w.Name), words(w.File), names[n]); points > 0 {
				all = append(all, score{f, n, points})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b score) int { return cmp.Compare(b.points, a.points) })
	for k, s := range all {
		if out[s.file].How != ByNobody || taken[s.wanted] {
			continue
		}
		// As good a match for another file or stem is none: a person has to say.
		same := slices.ContainsFunc(all, func(o score) bool {
			return o != all[k] && o.points == s.points && (o.file == s.file && !taken[o.wanted] || o.wanted == s.wanted && out[o.file].How == ByNobody)
		})
		if !same {
			set(&out[s.file], s.wanted, ByName)
		}
	}
}

func (p *Plan) foldsOf(w Wanted) string {
	var names []string
	for _, f := range p.Folds {
		if slices.Contains(w.Folds, f.ID) {
			names = append(names, f.Name)
		}
	}
	return strings.Join(names, " ")
}

// points tells how well the words of a file's name fit a stem: all of the stem's own words must
// be there; its fold's are worth a little, and words of its own that nobody asks for cost a
// little less.
func points(has, name, file, withFold []string) int {
	own := name
	if !allIn(own, has) {
		if own = file; len(own) == 0 || !allIn(own, has) {
			return 0
		}
	}
	out := 100 * len(own)
	for _, w := range withFold {
		if slices.Contains(has, w) && !slices.Contains(own, w) {
			out += 10
		}
	}
	for _, w := range has {
		if !slices.Contains(own, w) && !slices.Contains(withFold, w) && !slices.Contains(plainWords, w) && !number(w) {
			out--
		}
	}
	return out
}

func number(w string) bool {
	_, err := strconv.Atoi(w)
	return err == nil
}

func allIn(list, in []string) bool {
	for _, w := range list {
		if !slices.Contains(in, w) {
			return false
		}
	}
	return len(list) > 0
}

// byNumber matches by the only number of names, where no name has matched and every file has
// another.
func (p *Plan) byNumber(out []Match, taken map[int]bool, set func(*Match, int, How)) {
	if slices.ContainsFunc(out, func(m Match) bool { return m.How == ByName }) {
		return
	}
	numbers := map[int]int{}
	for f := range out {
		if out[f].How != ByNobody {
			continue
		}
		for _, w := range dropTake(words(strings.TrimSuffix(path.Base(out[f].Path), path.Ext(out[f].Path)))) {
			if n, err := strconv.Atoi(w); err == nil {
				if _, is := numbers[n]; is {
					return // one number twice says nothing
				}
				numbers[n] = f
				break
			}
		}
	}
	for k, w := range p.Files {
		if f, is := numbers[w.Number]; is && w.Role == audit.Stem && !taken[k] {
			set(&out[f], k, ByNumber)
		}
	}
}

// byRole finds the mix and guides among what is left.
func (p *Plan) byRole(out []Match, taken map[int]bool) {
	mix := slices.IndexFunc(p.Files, func(w Wanted) bool { return w.Role == audit.Mix })
	any := func(has, of []string) bool {
		return slices.ContainsFunc(of, func(w string) bool { return slices.Contains(has, w) })
	}
	for f := range out {
		m := &out[f]
		if m.How != ByNobody {
			continue
		}
		has := words(strings.TrimSuffix(path.Base(m.Path), path.Ext(m.Path)))
		switch {
		case any(has, guideWords) && !any(has, mixWords):
			m.Role, m.How = audit.Guide, ByName
		case any(has, limitedWords):
			m.Role, m.How = audit.Limited, ByName
			if heard := slices.IndexFunc(p.Files, func(w Wanted) bool { return w.Role == audit.Limited }); heard >= 0 && !taken[heard] {
				m.Wanted, taken[heard] = heard, true
			}
		case (any(has, mixWords) || mix >= 0 && allIn(words(p.Files[mix].Name), has)) && mix >= 0 && !taken[mix]:
			m.Role, m.Wanted, m.How = audit.Mix, mix, ByName
			taken[mix] = true
		}
	}
}

// pairs makes one match of two files of one channel that are left and right of each other.
func pairs(files []Found) []Match {
	sides := map[string][2]string{}
	side := func(f Found) (base string, right, ok bool) {
		if f.Channels != 1 {
			return "", false, false
		}
		list := words(strings.TrimSuffix(path.Base(f.Path), path.Ext(f.Path)))
		if len(list) < 2 {
			return "", false, false
		}
		last := list[len(list)-1]
		base = path.Dir(f.Path) + "/" + strings.Join(list[:len(list)-1], " ")
		return base, slices.Contains(rightWords, last), slices.Contains(leftWords, last) || slices.Contains(rightWords, last)
	}
	for _, f := range files {
		if base, right, ok := side(f); ok {
			x := sides[base]
			if right {
				x[1] = f.Path
			} else {
				x[0] = f.Path
			}
			sides[base] = x
		}
	}
	var out []Match
	for _, f := range files {
		base, right, ok := side(f)
		x := sides[base]
		switch {
		case !ok || x[0] == "" || x[1] == "":
			out = append(out, Match{Path: f.Path})
		case !right:
			out = append(out, Match{Path: f.Path, Right: x[1]})
		}
	}
	return out
}
