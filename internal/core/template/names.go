package template

import "fmt"

// Names is how rows are named.
type Names struct {
	Pattern       string         `json:"pattern,omitempty"`       // last used: "{desk} {articulation}"
	ShortPattern  string         `json:"shortPattern,omitempty"`  // what small displays show, likewise; empty shortens the name
	ShortLimit    int            `json:"shortLimit,omitempty"`    // letters of a small display, 1..MaxShort; 0 for any
	Abbreviations []Abbreviation `json:"abbreviations,omitempty"` // beside the standard ones; those of a catalogue are the studio's
}

// Abbreviation is a word or a few, and what stands for them where room is short.
type Abbreviation struct {
	Long  string `json:"long"`
	Short string `json:"short"`
}

// The limits of names.
const (
	MaxShort         = 200
	MaxAbbreviations = 2000
)

func (v *validator) names() {
	n := v.t.Settings.Names
	v.setting("names.shortLimit", float64(n.ShortLimit), 0, MaxShort)
	v.setting("names.abbreviations", float64(len(n.Abbreviations)), 0, MaxAbbreviations)
	seen := map[string]bool{}
	for k, a := range n.Abbreviations {
		where := fmt.Sprintf("settings.names.abbreviations[%d]", k)
		switch err := CheckName(a.Long); {
		case err != nil:
			v.fail(where+".long", "%s", err)
		case len([]rune(a.Short)) > MaxShort:
			v.fail(where+".short", "an abbreviation has at most %d letters", MaxShort)
		case seen[FoldName(a.Long)]:
			v.fail(where+".long", "%q is abbreviated twice", a.Long)
		}
		seen[FoldName(a.Long)] = true
	}
}
