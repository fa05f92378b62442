package proof

import (
	"fmt"

	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/template"
)

// of is how many marks there are of a code and a subject.
func (p Proof) of(code string, subject template.ID) int {
	n := 0
	for _, m := range p.Marks {
		if m.Code == code && m.Subject == subject {
			n++
		}
	}
	return n
}

// mostSteps is how many remedies one may need: its own, and for what would follow.
const mostSteps = 4

// Carry makes the change of a remedy with what follows for groups, returns and sends,
// and tries it on a copy. What it would bring with it is fixed in the same step, and
// said in the label of the change; one that leaves its mark there, or a new one, is
// refused. The error is a *change.Refused that says why.
func (p Proof) Carry(m Mark, r Remedy, mint template.Mint) (change.Batch, error) {
	if r.Build == nil {
		return change.Batch{}, &change.Refused{Subject: m.Subject, Reason: "that remedy is for a person to carry out"}
	}
	now, done, err := p.step(r, mint)
	if err != nil {
		return change.Batch{}, err
	}
	out := change.Batch{Label: r.Label, Changes: []change.Change{done}}
	for {
		if now.of(m.Code, m.Subject) >= p.of(m.Code, m.Subject) || now.Counts()[m.Code] >= p.Counts()[m.Code] {
			return out, &change.Refused{Subject: m.Subject, Reason: fmt.Sprintf("that would not clear the mark: %s", m.Message)}
		}
		added := p.added(now)
		if len(added) == 0 {
			return out, nil
		}
		followed := false
		for _, next := range added[0].Remedies {
			if next.Build == nil || len(out.Changes) == mostSteps {
				continue
			}
			then, c, err := now.step(next, mint)
			if err != nil || len(p.added(then)) >= len(added) {
				continue
			}
			now, followed = then, true
			out.Label += ", then: " + next.Label
			out.Changes = append(out.Changes, c)
			break
		}
		if !followed {
			return out, &change.Refused{Subject: m.Subject, Reason: fmt.Sprintf("that would bring another mark: %s", added[0].Message)}
		}
	}
}

// step is the proof after a remedy, with what follows for the wiring.
func (p Proof) step(r Remedy, mint template.Mint) (Proof, change.Change, error) {
	c, err := r.Build()
	if err != nil {
		return p, nil, err
	}
	if c, err = deliver.Settle(p.t, c, mint); err != nil {
		return p, nil, err
	}
	after, _, err := change.Apply(p.t, c)
	if err != nil {
		return p, nil, err
	}
	fold := template.ID("")
	if p.fold != nil {
		fold = p.fold.ID
	}
	return Recheck(p, after, fold), c, nil
}

// added are the marks of another proof that are not in this one, of codes it has more of.
func (p Proof) added(now Proof) []Mark {
	before, after := p.Counts(), now.Counts()
	var out []Mark
	for _, n := range now.Marks {
		if after[n.Code] > before[n.Code] && p.of(n.Code, n.Subject) == 0 {
			out = append(out, n)
		}
	}
	return out
}

// Remedies are those of a mark that fix it, by what they are when carried out, and
// those that are for a person; with the place of each in the mark's list.
func (p Proof) Remedies(m Mark) (mend []Remedy, at []int) {
	n := 0
	mint := func(kind string) template.ID {
		n++
		return template.ID(fmt.Sprintf("tried-%s-%d", kind, n))
	}
	said := map[string]bool{}
	for k, r := range m.Remedies {
		if r.Build != nil {
			c, err := p.Carry(m, r, mint)
			if err != nil || said[c.Label] {
				continue
			}
			r.Label = c.Label
		}
		said[r.Label] = true
		mend, at = append(mend, r), append(at, k)
	}
	if len(mend) == 0 {
		return []Remedy{{Label: "No single step fixes this: open it, and set its routes or its seat by hand"}}, []int{-1}
	}
	return mend, at
}
