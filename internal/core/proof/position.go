package proof

import (
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// heard computes what reaches the speakers in both print positions. Without a
// print bus there is one way to hear, and nothing to compute.
func (s *subject) heard() []fan.Heard {
	if s.t.ThePrint() == nil {
		return nil
	}
	return []fan.Heard{s.fan.Heard(template.AtListen), s.fan.Heard(template.AtPrint)}
}

// heardTwice finds print positions in which the same sound reaches the
// speakers over two buses, such as the mix and the recorded stems.
func heardTwice(s *subject) []Mark {
	var out []Mark
	for _, h := range s.heard() {
		if len(h.Twice) == 0 {
			continue
		}
		wrong := h.Over[len(h.Over)-1]
		for _, b := range h.Over {
			if b.Kind.Is().HeardAt() != h.Position {
				wrong = b
			}
		}
		var names []string
		for _, b := range h.Over {
			names = append(names, b.Name)
		}
		out = append(out, Mark{
			Subject: wrong.ID, Name: wrong.Name,
			Message: fmt.Sprintf("In %s, %d instruments reach the speakers twice, over %s: %s too loud",
				h.Position, len(h.Twice), list(names), fan.FormatDB(math.Round(h.RiseDB*100)/100)),
			Remedies: []Remedy{{
				Label: "Open each way to the speakers in one position alone",
				Build: always(change.SetPosition{Position: s.t.Position()}),
			}},
		})
	}
	return out
}

// unheard finds instruments of the mix that one print position does not let
// through to the speakers.
func unheard(s *subject) []Mark {
	var out []Mark
	for _, h := range s.heard() {
		if len(h.Missing) == 0 {
			continue
		}
		first := h.Missing[0]
		m := Mark{
			Subject: first.ID, Name: first.Name,
			Message: fmt.Sprintf("In %s, %d instruments do not reach the speakers: first %s", h.Position, len(h.Missing), first.Name),
		}
		if c, ok := s.feedPrint(); ok && h.Position == template.AtPrint {
			m.Remedies = append(m.Remedies, Remedy{Label: "Feed the print bus from every stem of the coarsest fold", Build: always(c)})
		} else {
			m.Remedies = append(m.Remedies, Remedy{Label: "Open the mix to the speakers", Build: always(s.openMix())})
		}
		out = append(out, m)
	}
	return out
}

// feedPrint leads every stem of the coarsest fold, and no other bus, to the
// print bus.
func (s *subject) feedPrint() (change.Connect, bool) {
	var c change.Connect
	print := s.t.ThePrint()
	if print == nil {
		return c, false
	}
	var coarse template.ID
	for _, f := range s.t.Folds {
		if len(s.t.StemsOf(f.ID)) > 0 {
			coarse = f.ID
		}
	}
	for _, b := range s.t.Buses {
		fed := slices.ContainsFunc(b.Routes, func(r template.Route) bool { return r.To == print.ID })
		if is := s.t.InFold(b, coarse); is && !fed {
			c.Wires = append(c.Wires, change.Wire{From: b.ID, To: print.ID, Level: &change.WireSetting{Tap: template.Post}})
		} else if fed && !is {
			c.Wires = append(c.Wires, change.Wire{From: b.ID, To: print.ID})
		}
	}
	for _, b := range s.t.Buses {
		if b.Kind.Is().Last {
			c.Wires = append(c.Wires, change.Wire{From: print.ID, To: b.ID, Level: &change.WireSetting{Tap: template.Post, At: template.AtPrint}})
		}
	}
	return c, true
}

func (s *subject) openMix() change.Connect {
	var c change.Connect
	for _, b := range s.t.Buses {
		if b.Kind.Is().Last {
			c.Wires = append(c.Wires, change.Wire{From: s.t.TheMix().ID, To: b.ID, Level: &change.WireSetting{Tap: template.Post, At: template.AtListen}})
		}
	}
	return c
}
