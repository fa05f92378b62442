package sheetpdf

import (
	"slices"
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/bidi"
	"golang.org/x/text/unicode/norm"
)

// visual is a line in the order its signs are seen from left to right: Hebrew and Arabic
// run to the left (Unicode Standard Annex 9), and Arabic letters take the forms they join
// in. Other lines stay as they are.
func visual(line string) string {
	if !strings.ContainsFunc(line, func(r rune) bool { return unicode.In(r, unicode.Hebrew, unicode.Arabic) }) {
		return line
	}
	var p bidi.Paragraph
	if _, err := p.SetString(joined(line)); err != nil {
		return line
	}
	order, err := p.Order()
	if err != nil {
		return line
	}
	var runs []string
	for n := range order.NumRuns() {
		run := order.Run(n)
		text := run.String()
		if run.Direction() == bidi.RightToLeft {
			text = bidi.ReverseString(text)
		}
		runs = append(runs, text)
	}
	if !p.IsLeftToRight() {
		slices.Reverse(runs)
	}
	return strings.Join(runs, "")
}

// forms are the shapes of an Arabic letter: by itself, at the end, at the beginning and in
// the middle of a word. Letters with two do not join to what follows.
type forms []rune

// shapes are the letters that join, and of lam with alef, by their compatibility
// decompositions in Unicode's Arabic Presentation Forms A and B, which list the shapes of
// each letter in this order.
var shapes = sync.OnceValues(func() (map[rune]forms, map[[2]rune]forms) {
	letters, pairs := map[rune]forms{}, map[[2]rune]forms{}
	for _, block := range [][2]rune{{0xFB50, 0xFBB1}, {0xFBD3, 0xFBE7}, {0xFBFC, 0xFBFF}, {0xFE80, 0xFEFC}} {
		for r := block[0]; r <= block[1]; r++ {
			of := []rune(norm.NFC.String(norm.NFKD.String(string(r))))
			switch {
			case len(of) == 1 && of[0] != r:
				letters[of[0]] = append(letters[of[0]], r)
			case len(of) == 2 && of[0] == 'ل':
				pairs[[2]rune{of[0], of[1]}] = append(pairs[[2]rune{of[0], of[1]}], r)
			}
		}
	}
	return letters, pairs
})

// joined gives Arabic letters the shapes they join in.
func joined(line string) string {
	letters, pairs := shapes()
	in := []rune(line)
	mark := func(r rune) bool { return unicode.Is(unicode.Mn, r) }
	// joins tells whether the letter that is next from a place on joins to the one there.
	next := func(n, step int) rune {
		for n += step; n >= 0 && n < len(in); n += step {
			if !mark(in[n]) {
				return in[n]
			}
		}
		return 0
	}
	const tatweel = 'ـ'
	out := make([]rune, 0, len(in))
	for n := 0; n < len(in); n++ {
		r := in[n]
		before, after := next(n, -1), next(n, 1)
		fromBefore := before == tatweel || len(letters[before]) == 4
		if pair := pairs[[2]rune{r, after}]; len(pair) == 2 && n+1 < len(in) && in[n+1] == after {
			if fromBefore {
				out = append(out, pair[1])
			} else {
				out = append(out, pair[0])
			}
			n++
			continue
		}
		own := letters[r]
		toAfter := len(own) == 4 && (after == tatweel || len(letters[after]) >= 2)
		shape := 0
		switch {
		case len(own) < 2:
			out = append(out, r)
			continue
		case fromBefore && toAfter:
			shape = 3
		case toAfter:
			shape = 2
		case fromBefore:
			shape = 1
		}
		out = append(out, own[shape])
	}
	return string(out)
}
