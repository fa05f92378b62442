package handover

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Entry is a name and the page it is on.
type Entry struct {
	Name string
	Page int
}

// indexAcross is how many columns an index has.
const indexAcross = 6

// Index lists names by the alphabet with their pages, in columns. Names that only differ in their last
// word, as "Oboe 1 long" and "Oboe 1 short", are one.
func Index(named []Entry) Page {
	alike := map[string]int{}
	for _, e := range named {
		alike[apart(e.Name)]++
	}
	pages := map[string][]int{}
	for _, e := range named {
		name := e.Name
		if stem := apart(name); stem != "" && alike[stem] > 1 {
			name = stem
		}
		pages[name] = append(pages[name], e.Page)
	}
	names := slices.SortedFunc(maps.Keys(pages), func(a, b string) int {
		return cmp.Or(strings.Compare(strings.ToLower(a), strings.ToLower(b)), strings.Compare(a, b))
	})
	p := Page{Title: "Index of instruments"}
	p.Headings = []string{""}
	for _, name := range names {
		slices.Sort(pages[name])
		said := strings.Trim(strings.ReplaceAll(fmt.Sprint(slices.Compact(pages[name])), " ", ", "), "[]")
		p.Rows = append(p.Rows, []string{name + "  " + said})
	}
	p.Table = sideBySide(p.Table, indexAcross)
	return p
}

// apart is a name before its last word; empty for a single one.
func apart(name string) string {
	return name[:max(0, strings.LastIndexByte(name, ' '))]
}
