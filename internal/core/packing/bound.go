package packing

import (
	"cmp"
	"math"
	"slices"
)

// Fewest is a number of bins, each with no more than so much room, that no packing of
// items of these sizes can do with less of: the bound L2 of Martello and Toth, "Lower
// bounds and reduction procedures for the bin packing problem", 1990. For each size K up
// to half the room: items above room-K sit alone but for ones below K, items above half
// the room never two in one bin, and those from K to half the room fill what is left
// beside the latter, and bins of their own.
func Fewest(sizes []float64, room float64) int {
	sorted := slices.Clone(sizes)
	slices.Sort(sorted)
	slices.Reverse(sorted)
	if len(sorted) == 0 || room <= 0 {
		return len(sorted)
	}
	sums := make([]float64, len(sorted)+1)
	for n, x := range sorted {
		sums[n+1] = sums[n] + x
	}
	above := func(x float64) int { // how many are larger
		n, _ := slices.BinarySearchFunc(sorted, x, func(e, x float64) int {
			if e > x+exact {
				return -1
			}
			return 1
		})
		return n
	}
	half := above(room / 2)
	most := bins(sums[len(sorted)], room)
	for n := half; n <= len(sorted); n++ {
		k := 0.0
		if n < len(sorted) {
			k = sorted[n]
		}
		alone := min(above(room-k), half) // J1: sizes above room-k
		last := n + 1                     // J3 ends with the items of size k
		for last < len(sorted) && sorted[last] >= k-exact {
			last++
		}
		last = min(last, len(sorted))
		beside := float64(half-alone)*room - (sums[half] - sums[alone]) // room beside J2
		most = max(most, half+max(0, bins(sums[last]-sums[half]-beside, room)))
	}
	return most
}

func bins(amount, room float64) int { return int(math.Ceil(amount/room - 1e-9)) }

// MustLeave is how many rows are left over in every packing: of each thing, the items
// that need least of it take what room there is in all bins together.
func (p Problem) MustLeave() int {
	nowhere, all := 0, 0
	var can []int
	for n, item := range p.Items {
		all += item.Rows
		if item.Bins != nil && !slices.Contains(item.Bins, true) || len(p.Bins) == 0 {
			nowhere += item.Rows
			continue
		}
		can = append(can, n)
	}
	most := all - nowhere
	need := make([]float64, len(p.Items))
	for thing := range p.Things {
		clear(need)
		room := exact * float64(len(p.Bins))
		for _, b := range p.Bins {
			room += max(0, b.Room[thing])
		}
		for _, n := range can {
			for _, x := range p.Items[n].Needs {
				if x.Of == thing {
					need[n] = x.Amount
				}
			}
		}
		slices.SortFunc(can, func(a, b int) int {
			return cmp.Compare(need[a]/float64(p.Items[a].Rows), need[b]/float64(p.Items[b].Rows))
		})
		rows := 0
		for _, n := range can {
			if need[n] > room {
				rows += int(float64(p.Items[n].Rows) * room / need[n]) // a part of what goes together
				break
			}
			room -= need[n]
			rows += p.Items[n].Rows
		}
		most = min(most, rows)
	}
	return all - most
}
