package ribbon

import (
	"cmp"
	"slices"

	"fanfold/internal/core/template"
)

// Heights, in the units of View.Room: pixels on a screen.
const (
	gap    = 4.0
	least  = 10.0 // a label needs this much
	margin = 12.0
)

// layOut places the columns in the height, and shares each place's height among
// its ribbons.
func (d *drawer) layOut() {
	cols := make([][]int, columns)
	for n, p := range d.d.Places {
		cols[p.Column] = append(cols[p.Column], n)
	}
	d.untangle(cols)
	d.d.Height = d.stack(cols)
	d.share(
		func(r *Ribbon) (int, int) { return r.From, r.To },
		func(r *Ribbon, y, h float64) { r.Y1, r.H = y, h })
	d.share(
		func(r *Ribbon) (int, int) { return r.To, r.From },
		func(r *Ribbon, y, h float64) { r.Y2, r.H = y, min(r.H, h) })
}

// untangle orders each column by where its sound comes from, so that few
// ribbons cross. Returns stand below what is fed directly, and what nothing
// feeds stands last.
func (d *drawer) untangle(cols [][]int) {
	at := make([]float64, len(d.d.Places))
	into := make([][]*Ribbon, len(d.d.Places))
	for n := range d.d.Ribbons {
		r := &d.d.Ribbons[n]
		into[r.To] = append(into[r.To], r)
	}
	middle := func(n int) float64 {
		sum, count := 0.0, 0.0
		for _, r := range into[n] {
			if !template.BusKind(d.d.Places[r.From].Kind).Is().Sends {
				sum += at[r.From] * float64(max(1, r.Count))
				count += float64(max(1, r.Count))
			}
		}
		rank := 2.0
		if count > 0 {
			rank = sum / count
		}
		if template.BusKind(d.d.Places[n].Kind).Is().Sends {
			rank += 10
		}
		return rank
	}
	for k, col := range cols {
		if k > 0 {
			rank := map[int]float64{}
			for _, n := range col {
				rank[n] = middle(n)
			}
			slices.SortStableFunc(col, func(a, b int) int { return cmp.Compare(rank[a], rank[b]) })
		}
		for pos, n := range col {
			at[n] = float64(pos) / float64(len(col))
		}
	}
}

// stack gives every place its height, by its instruments, and returns the
// height of the whole.
func (d *drawer) stack(cols [][]int) float64 {
	most := 1
	for _, col := range cols {
		most = max(most, len(col))
	}
	height := max(d.view.Room, float64(most)*(least+gap)+2*margin)
	for _, col := range cols {
		total := 0.0
		for _, n := range col {
			total += float64(max(1, d.d.Places[n].Count))
		}
		free := height - 2*margin - float64(len(col))*(least+gap)
		y := margin
		if len(col) <= 2 {
			y, free = height*0.3, height*0.4-float64(len(col))*least
		}
		for _, n := range col {
			p := &d.d.Places[n]
			p.Y = y
			p.H = least + max(0, free)*float64(max(1, p.Count))/total
			y += p.H + gap
		}
	}
	return height
}

// share gives each ribbon its part of the height of the place at one end, in
// the order of the places at the other.
func (d *drawer) share(ends func(*Ribbon) (at, other int), give func(r *Ribbon, y, h float64)) {
	by := make([][]*Ribbon, len(d.d.Places))
	for n := range d.d.Ribbons {
		at, _ := ends(&d.d.Ribbons[n])
		by[at] = append(by[at], &d.d.Ribbons[n])
	}
	for at, list := range by {
		slices.SortStableFunc(list, func(a, b *Ribbon) int {
			_, x := ends(a)
			_, y := ends(b)
			return cmp.Compare(d.d.Places[x].Y, d.d.Places[y].Y)
		})
		total := 0.0
		for _, r := range list {
			total += float64(max(1, r.Count))
		}
		y := d.d.Places[at].Y
		for _, r := range list {
			h := d.d.Places[at].H * float64(max(1, r.Count)) / total
			give(r, y, h)
			y += h
		}
	}
}
