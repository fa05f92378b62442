package seating

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Elsewhere is what it would mean for an instrument to sit on a machine.
type Elsewhere struct {
	Machine *template.Machine
	Can     bool
	Text    string // why it cannot, or what it would cost
}

// Why is why an instrument sits where it sits.
type Why struct {
	Instrument *template.Instrument
	Reasons    []string    // what binds it to its place
	Elsewhere  []Elsewhere // the other machines
}

// Explain says why an instrument sits where it sits, or why it has no seat.
func Explain(t *template.Template, id template.ID) (Why, error) {
	asked := t.Instrument(id)
	i := t.Home(asked)
	if i == nil || !i.NeedsSeat() {
		return Why{}, &change.Refused{Subject: id, Reason: "only a sampled instrument of the template has a seat"}
	}
	h := newHall(t)
	for _, o := range t.Instruments {
		if o.Seat != nil && o.With == "" && o != i {
			h.take(o, *o.Seat)
		}
	}
	why := Why{Instrument: i, Reasons: h.reasons(i)}
	if asked != i {
		why.Reasons = append([]string{"it sits with " + i.Name}, why.Reasons...)
	}
	for _, m := range t.Machines {
		if i.Seat == nil || i.Seat.Machine != m.ID {
			why.Elsewhere = append(why.Elsewhere, h.elsewhere(i, m))
		}
	}
	return why, nil
}

func (h *hall) reasons(i *template.Instrument) []string {
	var out []string
	if i.SeatByHand {
		out = append(out, "it was seated by hand")
	}
	if m := h.t.Index().Machines[i.Style.Machine]; m != nil {
		out = append(out, "it stays on "+m.Name)
	} else if id, only := h.boundTo(i); only {
		out = append(out, fmt.Sprintf("what it plays is installed on %s alone", h.t.Index().Machines[id].Name))
	}
	if i.Seat == nil {
		return append(out, "it has no seat")
	}
	if r := h.refuses(i, *i.Seat); r != nil {
		return append(out, "its seat breaks a limit: "+r.text())
	}
	for _, o := range h.t.Instruments {
		if o.With == i.ID {
			out = append(out, o.Name+" sits there, too")
		}
	}
	if x := h.spread[i.Spread]; x != nil && x.rows > 1 {
		out = append(out, fmt.Sprintf("it shares a player with %d more rows, on one port", x.rows-1))
	}
	if use := h.pairs[pairKey{i.Seat.Machine, i.Seat.Riser, i.Seat.Pair}]; use != nil {
		out = append(out, fmt.Sprintf("%d more of its group leave over outputs %s there", use.rows, i.Seat.Outputs()))
	}
	if len(out) == 0 {
		out = append(out, "there was room for it")
	}
	return out
}

// elsewhere finds the cheapest seat on a machine and says what it would cost.
func (h *hall) elsewhere(i *template.Instrument, m *template.Machine) Elsewhere {
	out := Elsewhere{Machine: m}
	var best template.Seat
	found, least := false, 0.0
	for r := 1; r <= h.t.Risers(m); r++ {
		s, refusal := h.onRiser(i, template.Seat{Machine: m.ID, Riser: r})
		if cost := h.tally.joining(i, s); refusal == nil && (!found || cost < least) {
			best, found, least = s, true, cost
		}
	}
	if !found {
		out.Text = h.whyNotOn(i, m)
		return out
	}
	out.Can = true
	switch {
	case h.use(best).seats == 0:
		out.Text = fmt.Sprintf("riser %d is free, and would be one riser more in use", best.Riser)
	case len(h.first[groupOn{riserOf(best), h.group(i)}]) == 0:
		out.Text = fmt.Sprintf("there is a seat on riser %d, for one output pair more", best.Riser)
	case least > 0:
		out.Text = fmt.Sprintf("there is a seat on riser %d, against a wish", best.Riser)
	default:
		out.Text = fmt.Sprintf("riser %d would do as well", best.Riser)
	}
	return out
}

// Fill is how far something is used up, of a machine or one of its risers.
type Fill struct {
	Machine *template.Machine
	Riser   int    // 0 for the machine
	What    string // "memory", "seats", "output pairs", "heavy instruments"
	Used    float64
	Of      float64
	Beside  float64 // of what is used, what other templates hold, MiB
}

// Share is the used share, 0 to 1 and beyond.
func (f Fill) Share() float64 { return f.Used / max(1e-9, f.Of) }

// Text says it in words: "30.1 GiB of 32.0 GiB".
func (f Fill) Text() string {
	if f.What == "memory" {
		text := calls.FormatMiB(f.Used) + " of " + calls.FormatMiB(f.Of)
		if f.Beside > 0 {
			text += ", " + calls.FormatMiB(f.Beside) + " of it other templates'"
		}
		return text
	}
	return fmt.Sprintf("%.0f of %.0f", f.Used, f.Of)
}

// NearlyFull lists what is used to a share or more, beside what other templates hold,
// the fullest first.
func NearlyFull(t *template.Template, share float64, held Held) []Fill {
	h := newHall(t)
	for _, i := range t.Instruments {
		if i.Seat != nil && i.With == "" {
			h.take(i, *i.Seat)
		}
	}
	var out []Fill
	add := func(f Fill) {
		if f.Of > 0 && f.Share() >= share {
			out = append(out, f)
		}
	}
	for _, m := range t.Machines {
		memory := Fill{Machine: m, What: "memory", Of: m.LimitMiB()}
		for _, g := range h.glasses {
			memory.Used = max(memory.Used, g.UsedMiB(m.ID))
		}
		memory.Used += held[m.ID]
		memory.Beside = held[m.ID]
		add(memory)
		for r := 1; r <= t.Risers(m); r++ {
			use := h.use(template.Seat{Machine: m.ID, Riser: r})
			add(Fill{Machine: m, Riser: r, What: "seats", Used: float64(use.seats), Of: float64(t.Settings.RiserPorts * template.PortChannels)})
			add(Fill{Machine: m, Riser: r, What: "output pairs", Used: float64(use.pairs), Of: float64(t.Settings.RiserPairs - t.Settings.FirstPair + 1)})
			add(Fill{Machine: m, Riser: r, What: "heavy instruments", Used: float64(use.heavy), Of: float64(t.Settings.Seating.HeavyPerRiser)})
		}
	}
	slices.SortStableFunc(out, func(a, b Fill) int { return cmp.Compare(b.Share(), a.Share()) })
	return out
}

// Outcome compares a seating with what it would become.
type Outcome struct {
	Change change.Change // what is supposed
	Now    Cost
	Then   Cost
	Plan   Plan // the seats then
}

// WhatIf plans for a template as it would be after a change, such as another
// machine, and keeps everybody seated who can stay.
func WhatIf(t *template.Template, c change.Change) (Outcome, error) {
	after, _, err := change.Apply(t, c)
	if err != nil {
		return Outcome{}, err
	}
	out := Outcome{Change: c, Now: Judge(t), Plan: Everyone(after, Options{})}
	out.Then = out.Plan.Cost
	final, _, err := change.Apply(after, out.Plan.Change())
	if err != nil {
		return Outcome{}, err
	}
	out.Then.Moved = 0
	for _, i := range t.Instruments {
		if then := final.Instrument(i.ID); i.Seat != nil && then != nil && then.Seat != nil && i.With == "" && *then.Seat != *i.Seat {
			out.Then.Moved++
		}
	}
	return out, nil
}

// Judge is what a template's present seats cost.
func Judge(t *template.Template) Cost {
	h := newHall(t)
	for _, i := range t.Instruments {
		if i.Seat != nil && i.TakesSeat() {
			h.take(i, *i.Seat)
		}
	}
	return h.tally.cost()
}

// WithoutMachine supposes that a machine is gone.
func WithoutMachine(id template.ID) change.Change { return change.RemoveMachine{ID: id} }

// WithMemory supposes that a machine has so much more memory, MiB.
func WithMemory(t *template.Template, id template.ID, more float64) (change.Change, error) {
	m := t.Index().Machines[id]
	if m == nil {
		return nil, &change.Refused{Subject: id, Reason: "there is no such machine"}
	}
	c := *m
	c.MemoryMiB += more
	return change.Put{Machines: []change.Entry[template.Machine]{change.Append(&c)}}, nil
}

// WithAnother supposes one machine more, like another.
func WithAnother(t *template.Template, like template.ID, mint template.Mint) (change.Change, error) {
	m := t.Index().Machines[like]
	if m == nil {
		return nil, &change.Refused{Subject: like, Reason: "there is no such machine"}
	}
	c := *m
	c.ID, c.Name = mint("machine"), "Another "+m.Name
	put := change.Put{Machines: []change.Entry[template.Machine]{change.Append(&c)}}
	for _, l := range t.Libraries {
		if slices.ContainsFunc(l.Machines, func(name string) bool { return template.FoldName(name) == template.FoldName(m.Name) }) {
			l := *l
			l.Machines = append(slices.Clone(l.Machines), c.Name)
			put.Libraries = append(put.Libraries, change.Append(&l))
		}
	}
	return put, nil
}

// WithLibrary supposes that a library is installed on one more machine.
func WithLibrary(t *template.Template, library, machine template.ID) (change.Change, error) {
	l, m := t.Index().Libraries[library], t.Index().Machines[machine]
	if l == nil || m == nil {
		return nil, &change.Refused{Subject: library, Reason: "there is no such library or machine"}
	}
	if len(l.Machines) == 0 {
		return nil, &change.Refused{Subject: library, Reason: l.Name + " is installed on every machine already"}
	}
	c := *l
	c.Machines = append(slices.Clone(l.Machines), m.Name)
	return change.Put{Libraries: []change.Entry[template.Library]{change.Append(&c)}}, nil
}
