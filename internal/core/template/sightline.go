package template

import "slices"

// Sightline is a way to look at the template: which rows show, in what order and
// how, and which leaves are open. What it speaks of and is no longer there counts
// nothing.
type Sightline struct {
	ID      ID                 `json:"id"`
	Name    string             `json:"name"`
	Fixed   bool               `json:"fixed,omitempty"`   // shows the rows it lists; otherwise those that match
	Rows    []ID               `json:"rows,omitempty"`    // of a fixed one
	Match   Match              `json:"match,omitzero"`    // of a live one
	Buses   []BusKind          `json:"buses,omitempty"`   // shows these in the routing, and no rows; of SightBuses
	Order   SightOrder         `json:"order,omitempty"`   // empty: as they stand, by section
	Folded  []ID               `json:"folded,omitempty"`  // sections that are folded
	Columns []string           `json:"columns,omitempty"` // of the orchestra; none for all there is room for
	Leaves  []string           `json:"leaves,omitempty"`  // that are open; none leaves them as they are
	Widths  map[string]float64 `json:"widths,omitempty"`  // shares of the open leaves, MinWidth..MaxWidth
	Fold    ID                 `json:"fold,omitempty"`    // whose stems show
	Key     int                `json:"key,omitempty"`     // switched to with this digit, 1..9; 0 for none
}

// Match is what the rows of a live sightline have in common. A row must meet
// every condition that is said; of a list, one.
type Match struct {
	Sections  []ID   `json:"sections,omitempty"` // stands in one of them, or deeper
	Kinds     []Kind `json:"kinds,omitempty"`
	Stems     []ID   `json:"stems,omitempty"` // reaches one of them
	Libraries []ID   `json:"libraries,omitempty"`
	Machines  []ID   `json:"machines,omitempty"` // sits on one of them
	Text      string `json:"text,omitempty"`     // in its name, notes, section or articulations
	State     string `json:"state,omitempty"`    // ready, tuning, failed, printed or tacet; of what runs, not of the template
}

// SightOrder is the order rows show in.
type SightOrder string

// The orders, beside that of the score.
const (
	ByName   SightOrder = "name"
	BySeat   SightOrder = "seat"
	ByMemory SightOrder = "memory" // largest first
)

// The limits of sightlines.
const (
	MaxSightlines = 200
	MinWidth      = 0.1
	MaxWidth      = 10
)

// SightStates lists the states a sightline can ask for.
var SightStates = []string{"", "ready", "tuning", "failed", "printed", "tacet"}

func (v *validator) sightlines() {
	if len(v.t.Sightlines) > MaxSightlines {
		v.fail("sightlines", "%d sightlines; a template holds %d at most", len(v.t.Sightlines), MaxSightlines)
	}
	keys, ids := map[int]bool{}, map[ID]bool{}
	for n, s := range v.t.Sightlines {
		if s.ID == "" || len(s.ID) > 64 || ids[s.ID] {
			v.fail(at("sightlines", n, "id"), "an id has 1 to 64 characters and is used once")
		}
		ids[s.ID] = true
		v.name("sightlines", n, s.Name)
		v.ranged("sightlines", n, "key", float64(s.Key), 0, 9, "")
		if s.Key != 0 && keys[s.Key] {
			v.fail(at("sightlines", n, "key"), "two sightlines have the key %d", s.Key)
		}
		keys[s.Key] = true
		switch s.Order {
		case "", ByName, BySeat, ByMemory:
		default:
			v.fail(at("sightlines", n, "order"), "%q is not an order; orders are name, seat and memory", s.Order)
		}
		for _, kind := range s.Buses {
			if !slices.Contains(SightBuses, kind) || s.Fixed {
				v.fail(at("sightlines", n, "buses"), "a live sightline can show groups, returns and stems, but no %q", kind)
			}
		}
		if !slices.Contains(SightStates, s.Match.State) {
			v.fail(at("sightlines", n, "match.state"), "%q is not a state", s.Match.State)
		}
		if len([]rune(s.Match.Text)) > MaxShort {
			v.fail(at("sightlines", n, "match.text"), "a text to match has at most %d letters", MaxShort)
		}
		for leaf, w := range s.Widths {
			if w < MinWidth || w > MaxWidth {
				v.fail(at("sightlines", n, "widths"), "%g is not a share for %s; shares are %g to %g", w, leaf, MinWidth, float64(MaxWidth))
			}
		}
	}
}
