package seating

import "fanfold/internal/core/template"

// Draft is a plan in the making: it can be improved for as long as somebody
// wants to wait, and is a sound plan at any time.
type Draft struct {
	p     *planner
	pack  *packer // while rows are shared out among machines
	round int
}

// Begin builds a first plan, to be improved.
func Begin(t *template.Template, o Options) *Draft {
	d := &Draft{p: newPlanner(t, o)}
	d.p.build()
	d.p.least = lowerBound(d.p.h)
	if len(o.Only) == 0 && d.p.worthPacking() {
		d.pack = d.p.newPacker(false)
	}
	return d
}

// Improve tries one more plan, keeps it if it is cheaper, and tells whether it
// was. False for good when no other plan could be cheaper.
func (d *Draft) Improve() bool {
	if !d.p.canImprove() {
		return false
	}
	d.round++
	if d.pack == nil {
		return d.p.round(d.round)
	}
	if d.pack.spent == 0 && d.pack.begin() {
		return true
	}
	better := d.pack.more()
	if d.pack.done() {
		d.pack = nil
	}
	return better
}

// Rounds is how many plans were tried.
func (d *Draft) Rounds() int { return d.round }

// Cost is what the best plan so far costs.
func (d *Draft) Cost() Cost { return d.p.h.tally.cost() }

// Plan is the best plan so far. The draft is finished by it.
func (d *Draft) Plan() Plan {
	d.p.tidy()
	return d.p.plan()
}
