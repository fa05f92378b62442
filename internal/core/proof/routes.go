package proof

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

var routeRules = []Rule{
	{Code: "orphan", About: "an instrument reaches no stem", reads: rows | routes | buses, find: orphans},
	{Code: "leak", About: "a guide reaches a stem or the mix", reads: rows | routes | buses, find: leaks},
	{Code: "double-path", About: "the same sound reaches a bus twice", reads: routes | buses, find: doublePaths},
	{Code: "cycle", About: "buses feed each other in a loop", reads: buses, find: cycles},
	{Code: "shared-return", About: "a return is fed by several stems", reads: routes | buses, find: sharedReturns},
	{Code: "fold-mismatch", About: "the stems of a fold do not add up to the mix", reads: routes | buses, find: foldMismatches},
}

func (s *subject) sounding(i *template.Instrument) bool {
	return i.Kind == template.Sampled || i.Kind == template.Input
}

func orphans(s *subject) []Mark {
	out := unheard(s)
	if s.fold == nil {
		return out
	}
	for n, i := range s.t.Instruments {
		if s.sounding(i) && len(s.stems[n]) == 0 {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name,
				Message:  fmt.Sprintf("%s reaches no stem of the %s fold", i.Name, s.fold.Name),
				Remedies: s.stemRemedies(i),
			})
		}
	}
	return out
}

// stemRemedies proposes the stem most of the section goes to.
func (s *subject) stemRemedies(i *template.Instrument) []Remedy {
	votes := map[*template.Bus]int{}
	top := s.t.TopSection(i.Section)
	for n, other := range s.t.Instruments {
		weight := 0
		if other.Section == i.Section {
			weight = 1000
		} else if s.t.TopSection(other.Section) == top {
			weight = 1
		}
		for _, stem := range s.stems[n] {
			votes[stem] += weight
		}
	}
	var best *template.Bus
	for _, stem := range s.t.StemsOf(s.fold.ID) {
		if best == nil || votes[stem] > votes[best] {
			best = stem
		}
	}
	if best == nil {
		return []Remedy{s.firstStem(i, top)}
	}
	return []Remedy{{
		Label: "Send it to " + best.Name,
		Build: always(change.AssignStem{IDs: []template.ID{i.ID}, Stem: best.ID}),
	}}
}

// firstStem makes a stem of the top section's name, for a template that has
// none, and sends an instrument there.
func (s *subject) firstStem(i *template.Instrument, top *template.Section) Remedy {
	b := &template.Bus{ID: "stem-" + top.ID, Kind: template.Stem, Name: top.Name, Fold: s.fold.ID, Section: top.ID,
		Routes: []template.Route{{To: s.t.TheMix().ID, Tap: template.Post}}}
	return Remedy{Label: "Make the stem " + b.Name + " and send it there", Build: always(change.Batch{Changes: []change.Change{
		change.Put{Buses: []change.Entry[template.Bus]{change.Append(b)}}, change.AssignStem{IDs: []template.ID{i.ID}, Stem: b.ID},
	}})}
}

func leaks(s *subject) []Mark {
	var out []Mark
	for n, i := range s.t.Instruments {
		if i.Kind != template.Guide {
			continue
		}
		var reached []string
		for _, r := range s.fan.FromRow(n) {
			b := s.fan.Bus(r)
			if (b.Kind.Is().Stem || b.Kind.Is().Only) && !slices.Contains(reached, b.Name) {
				reached = append(reached, b.Name)
			}
		}
		if len(reached) > 0 {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name,
				Message:  fmt.Sprintf("Guide %s reaches %s", i.Name, list(reached)),
				Remedies: []Remedy{{Label: "Send it straight to the speakers", Build: always(change.ToSpeakers(s.t, i))}},
			})
		}
	}
	return out
}

func doublePaths(s *subject) []Mark {
	out := heardTwice(s)
	mark := func(id template.ID, name string, routes []template.Route, fader float64) {
		d, found := s.fan.DoubledFrom(id, routes, fader)
		if !found || d.To.Kind.Is().Last && s.feedsPrint(routes) {
			return // over the print bus: told for all sources at once
		}
		extra := s.t.Index().Buses[d.Extra]
		out = append(out, Mark{
			Subject: id, Name: name,
			Message: fmt.Sprintf("%s reaches %s twice, %s too loud", name, d.To.Name, fan.FormatDB(math.Round(d.RiseDB*100)/100)),
			Remedies: []Remedy{{
				Label: fmt.Sprintf("Disconnect %s from %s", name, extra.Name),
				Build: always(disconnect(id, d.Extra)),
			}},
		})
	}
	for _, b := range s.t.Buses {
		mark(b.ID, b.Name, b.Routes, b.GainDB)
	}
	for n, i := range s.t.Instruments {
		if i.Played() && slices.ContainsFunc(s.fan.FromRow(n), func(r fan.Reach) bool { return r.Ways > 1 }) {
			mark(i.ID, i.Name, i.Routes, i.GainDB)
		}
	}
	return out
}

func (s *subject) feedsPrint(routes []template.Route) bool {
	return slices.ContainsFunc(routes, func(r template.Route) bool { return s.t.Index().Buses[r.To].Kind.Is().Prints })
}

func cycles(s *subject) []Mark {
	var out []Mark
	for _, loop := range s.fan.Cycles() {
		var names []string
		for _, id := range loop {
			names = append(names, s.t.Index().Buses[id].Name)
		}
		m := Mark{
			Subject: loop[0], Name: names[0],
			Message: fmt.Sprintf("%s feed each other in a loop; routes inside it carry nothing", list(names)),
		}
		for _, id := range loop {
			b := s.t.Index().Buses[id]
			for _, r := range b.Routes {
				if slices.Contains(loop, r.To) {
					m.Remedies = append(m.Remedies, Remedy{
						Label: fmt.Sprintf("Disconnect %s from %s", b.Name, s.t.Index().Buses[r.To].Name),
						Build: always(disconnect(id, r.To)),
					})
				}
			}
		}
		out = append(out, m)
	}
	return out
}

func foldMismatches(s *subject) []Mark {
	var out []Mark
	for _, fold := range s.t.Folds {
		if len(s.t.StemsOf(fold.ID)) == 0 {
			continue
		}
		sum := s.fan.Sum(fold)
		if sum.AddsUp() {
			continue
		}
		first := sum.Mismatches[0]
		out = append(out, Mark{
			Subject: fold.ID, Name: fold.Name,
			Message: fmt.Sprintf("%d stems of the %s fold do not add up to the mix: %d ways differ, first %s (%s), stems %s, mix %s",
				sum.Stems, fold.Name, len(sum.Mismatches), first.Instrument.Name, s.fan.ChainName(first.Chain), level(first.Stems), level(first.Mix)),
			Remedies: s.mismatchRemedies(first),
		})
	}
	return out
}

func level(gain float64) string {
	if gain == 0 {
		return "silent"
	}
	return fan.FormatDB(math.Round(template.Decibels(gain)*100) / 100)
}

// mismatchRemedies offers to take away a way to the mix that passes no stem,
// or to set the stems' ways onward to 0 dB; and, whatever is wrong, to lead
// everything over one stem of each fold.
func (s *subject) mismatchRemedies(m fan.Mismatch) []Remedy {
	mix := s.t.TheMix()
	var out []Remedy
	var level change.Connect
	for _, b := range s.t.Buses {
		for _, r := range b.Routes {
			switch {
			case r.To == mix.ID && !b.Kind.Is().Stem:
				out = append(out, Remedy{Label: fmt.Sprintf("Disconnect %s from %s", b.Name, mix.Name), Build: always(disconnect(b.ID, mix.ID))})
			case b.Kind.Is().Stem && (r.GainDB != 0 || r.Tap != template.Post):
				level.Wires = append(level.Wires, change.Wire{From: b.ID, To: r.To, Level: &change.WireSetting{Tap: template.Post}})
			}
		}
	}
	if len(level.Wires) > 0 {
		out = append(out, Remedy{Label: "Set every stem's way onward to 0 dB after its fader", Build: always(level)})
	}
	for _, r := range m.Instrument.Routes {
		if r.To == mix.ID {
			out = append(out, Remedy{Label: fmt.Sprintf("Disconnect %s from %s", m.Instrument.Name, mix.Name), Build: always(disconnect(m.Instrument.ID, mix.ID))})
		}
	}
	out = append(out, s.wetRemedies(m)...)
	if len(out) == 0 && m.Chain == fan.Dry && s.sounding(m.Instrument) {
		out = append(out, s.stemRemedies(m.Instrument)...)
	}
	return append(out, Remedy{
		Label: "Lead everything over one stem of each fold",
		Build: func() (change.Change, error) { return deliver.Straighten(s.t) },
	})
}

// wetRemedies offers to lead a return that misses the stems of the chosen fold
// into the stem that carries its sound.
func (s *subject) wetRemedies(m fan.Mismatch) []Remedy {
	chain := s.fan.Chain(m.Chain)
	if m.Stems != 0 || s.fold == nil || len(chain) == 0 {
		return nil
	}
	last := chain[len(chain)-1]
	stems := s.fan.Stems(m.Instrument, s.fold.ID)
	if !last.Kind.Is().Wet() || len(stems) == 0 {
		return nil
	}
	home := s.t.WetHome(stems[0])
	if home == nil || home.Fold != s.fold.ID {
		return nil
	}
	c := change.Connect{Wires: []change.Wire{{From: last.ID, To: home.ID, Level: &change.WireSetting{Tap: template.Post}}}}
	for _, r := range last.Routes {
		if r.To != home.ID {
			c.Wires = append(c.Wires, change.Wire{From: last.ID, To: r.To})
		}
	}
	return []Remedy{{Label: fmt.Sprintf("Lead %s into %s", last.Name, home.Name), Build: always(c)}}
}

func list(names []string) string {
	if len(names) > 4 {
		names = append(slices.Clone(names[:4]), fmt.Sprintf("%d more", len(names)-4))
	}
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}
