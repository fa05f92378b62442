package coretest

import (
	"fmt"
	"math/rand/v2"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// ToSeat is a template to be seated: so many instruments in so many groups of
// uneven size, on machines of uneven size, whose memory they fill to a share.
// Two players hold them: one of sixteen sounds, each with its output pair, one of a
// single sound. A tenth of the instruments are heavy.
func ToSeat(instruments, machines, groups int, full float64, seed uint64) *template.Template {
	r := rand.New(rand.NewPCG(seed, 1))
	t := template.New("template-seats", "Seats")
	players := []*template.Player{
		{ID: "player-many", Name: "Sixteen", Sounds: 16, Outputs: 16},
		{ID: "player-one", Name: "Single", Sounds: 1, Outputs: 1},
	}
	put := change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "library", Name: "Library"})},
	}
	for _, p := range players {
		put.Players = append(put.Players, change.Append(p))
	}
	sizes := []float64{60, 140, 260, 420}
	for n, mib := range sizes {
		for _, p := range players {
			for _, heavy := range []bool{false, true} {
				put.Patches = append(put.Patches, change.Append(&template.Patch{
					ID: patchOf(p, n, heavy), Library: "library", Player: p.ID, Name: fmt.Sprintf("%s %d %t", p.Name, n, heavy),
					PreloadMiB: mib, FullMiB: 4 * mib, Voices: 8 + 8*n, KeyLow: 24, KeyHigh: 96, Heavy: heavy,
				}))
			}
		}
	}
	var add change.Add
	total := 0.0
	for g := range groups {
		id := template.ID(fmt.Sprintf("stem-%d", g))
		put.Sections = append(put.Sections, change.Append(&template.Section{ID: template.ID(fmt.Sprintf("section-%d", g)), Name: fmt.Sprintf("Section %d", g)}))
		put.Buses = append(put.Buses, change.Append(&template.Bus{ID: id, Kind: template.Stem, Name: fmt.Sprintf("Stem %d", g), Fold: t.Folds[0].ID,
			Routes: []template.Route{{To: t.TheMix().ID, Tap: template.Post}}}))
	}
	for n := range instruments {
		g := n % groups
		if r.IntN(3) == 0 {
			g = r.IntN(1 + groups/4)
		}
		p, size := players[r.IntN(8)/6], r.IntN(len(sizes))
		total += sizes[size]
		add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: &template.Instrument{
			ID: template.ID(fmt.Sprintf("i-%d", n)), Section: template.ID(fmt.Sprintf("section-%d", g)), Name: fmt.Sprintf("I %d", n),
			Kind: template.Sampled, Articulations: []string{"long"}, Patches: []template.ID{patchOf(p, size, r.IntN(10) == 0)},
			Routes: []template.Route{{To: template.ID(fmt.Sprintf("stem-%d", g)), Tap: template.Post}},
		}})
	}
	shares, sum := make([]float64, machines), 0.0
	for m := range shares {
		shares[m] = 1 + float64(r.IntN(4))/2
		sum += shares[m]
	}
	for m, share := range shares {
		put.Machines = append(put.Machines, change.Append(&template.Machine{
			ID: template.ID(fmt.Sprintf("machine-%d", m+1)), Name: fmt.Sprintf("Machine %d", m+1),
			MemoryMiB: max(2048, total*share/sum/full), Cores: 8 + 8*r.IntN(3), DiskMiBs: 1000,
		}))
	}
	return Must(t, put, add)
}

func patchOf(p *template.Player, size int, heavy bool) template.ID {
	return template.ID(fmt.Sprintf("patch-%s-%d-%t", p.ID, size, heavy))
}

// Rig is a template to be seated: a row of each size, MiB, on machines with so much
// memory each, MiB, and the cores of one riser. Rows are in calls by their numbers; without
// calls, everything must fit at once.
func Rig(sizes, machines []float64, calls ...[]int) *template.Template {
	t := template.New("template-rig", "Rig")
	player := &template.Player{ID: "player", Name: "Single", Sounds: 1, Outputs: 1}
	put := change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "library", Name: "Library"})},
		Players:   []change.Entry[template.Player]{change.Append(player)},
		Sections:  []change.Entry[template.Section]{change.Append(&template.Section{ID: "section", Name: "Section"})},
		Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{
			ID: "stem", Kind: template.Stem, Name: "Stem", Fold: t.Folds[0].ID, Routes: []template.Route{{To: t.TheMix().ID, Tap: template.Post}},
		})},
	}
	var add change.Add
	for n, mib := range sizes {
		patch := &template.Patch{ID: template.ID(fmt.Sprintf("patch-%d", n)), Library: "library", Player: player.ID, Name: fmt.Sprintf("Patch %d", n), PreloadMiB: mib, KeyHigh: 127}
		put.Patches = append(put.Patches, change.Append(patch))
		add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: &template.Instrument{
			ID: template.ID(fmt.Sprintf("i-%d", n)), Section: "section", Name: fmt.Sprintf("I %d", n), Kind: template.Sampled,
			Articulations: []string{}, Patches: []template.ID{patch.ID}, Routes: []template.Route{{To: "stem", Tap: template.Post}},
		}})
	}
	for m, mib := range machines {
		put.Machines = append(put.Machines, change.Append(&template.Machine{
			ID: template.ID(fmt.Sprintf("machine-%d", m+1)), Name: fmt.Sprintf("Machine %d", m+1), MemoryMiB: mib, Cores: 8, DiskMiBs: 1000,
		}))
	}
	t = Must(t, put, add)
	if len(calls) == 0 {
		set := t.Settings
		set.MemoryRule = template.FitEverything
		return Must(t, change.Configure{Name: t.Name, Settings: set})
	}
	var named change.Put
	for n, rows := range calls {
		c := &template.Call{ID: template.ID(fmt.Sprintf("call-%d", n)), Name: fmt.Sprintf("Call %d", n)}
		for _, r := range rows {
			c.Instruments = append(c.Instruments, template.ID(fmt.Sprintf("i-%d", r)))
		}
		named.Calls = append(named.Calls, change.Append(c))
	}
	set := t.Settings
	set.MemoryRule = template.FitCalls
	return Must(t, named, change.Configure{Name: t.Name, Settings: set})
}

// Sizes are those of rows that take from a low to a high share of a machine of so many
// MiB: 15 to 45 % are hard to seat.
func Sizes(r *rand.Rand, rows int, mib, low, high float64) []float64 {
	out := make([]float64, rows)
	for n := range out {
		out[n] = float64(int(mib * (low + (high-low)*r.Float64())))
	}
	return out
}

// Sets are so many sets of rows by their numbers, each row in each with a chance.
func Sets(r *rand.Rand, sets, rows int, chance float64) [][]int {
	out := make([][]int, sets)
	for k := range out {
		for n := range rows {
			if r.Float64() < chance {
				out[k] = append(out[k], n)
			}
		}
	}
	return out
}

// Orders are all orders of a list.
func Orders[T any](list []T) [][]T {
	if len(list) == 0 {
		return [][]T{{}}
	}
	var out [][]T
	for n := range list {
		rest := slices.Delete(slices.Clone(list), n, n+1)
		for _, o := range Orders(rest) {
			out = append(out, append([]T{list[n]}, o...))
		}
	}
	return out
}
