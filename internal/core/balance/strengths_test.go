package balance_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/balance"
	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// weighed is a template with a group for each of some rows: their sound, their roles, and how
// many rows there are.
func weighed(t *testing.T, groups map[string]struct {
	sound, role string
	rows        int
}) *template.Template {
	x := template.New("t", "One")
	x.Folds = []*template.Fold{{ID: "f", Name: "Stems"}}
	stem := &template.Bus{ID: "stem", Kind: template.Stem, Fold: "f", Name: "All", Routes: []template.Route{{To: x.TheMix().ID, Tap: template.Post}}}
	x.Buses = append(x.Buses, stem)
	x.Libraries = []*template.Library{{ID: "l", Name: "Odd", Code: "OD"}}
	x.Players = []*template.Player{{ID: "k", Name: "Odd player", Sounds: 16, Outputs: 4}}
	x.Sections = []*template.Section{{ID: "s", Name: "All"}}
	x.Machines = []*template.Machine{{ID: "m", Name: "Birch", MemoryMiB: 4096, Cores: 4, DiskMiBs: 500}}
	for name, g := range groups {
		id := template.ID(name)
		x.Buses = append(x.Buses, &template.Bus{ID: id, Kind: template.Group, Name: name, Routes: []template.Route{{To: "stem", Tap: template.Post}}})
		p := &template.Patch{ID: "p" + id, Library: "l", Player: "k", Name: name, Sound: g.sound, KeyHigh: 127}
		if g.role != "" {
			p.Roles = []string{g.role}
		}
		x.Patches = append(x.Patches, p)
		for n := range g.rows {
			for _, how := range []string{"long", "staccato"} { // the second is not a part of a chord that is held
				x.Instruments = append(x.Instruments, &template.Instrument{
					ID: template.ID(name + string(rune('1'+n)) + how), Section: "s", Name: fmt.Sprint(name, " ", n+1, " ", how), Kind: template.Sampled, Articulations: []string{how},
					Patches: []template.ID{p.ID}, Routes: []template.Route{{To: id, Tap: template.Post}},
					Seat: &template.Seat{Machine: "m", Riser: 1 + len(x.Instruments)/16, Port: 1, Channel: 1 + len(x.Instruments)%16, Pair: 1},
				})
			}
		}
	}
	x.Normalise()
	require.NoError(t, x.Validate())
	return x
}

// The worked example of the table's source: one trumpet, two horns, four woodwinds and two
// sections of strings are as strong as each other (N. Rimsky-Korsakov, Principles of
// Orchestration, from memory). Percussion and a solo violin have no figure.
func TestStrengthsOfAChord(t *testing.T) {
	type of = struct {
		sound, role string
		rows        int
	}
	x := weighed(t, map[string]of{
		"Trumpet": {"brass.trumpet", "solo", 1}, "Horns": {"brass.french-horn", "solo", 2}, "Oboes": {"wind.reed.oboe", "solo", 4}, "Violas": {"strings.viola", "", 2},
		"Gong": {"metal.gong", "", 1}, "Soloist": {"strings.violin", "solo", 1},
	})
	list := balance.WeightsOf(x, fan.New(x))
	to, then := map[string]float64{}, map[string]float64{}
	for _, w := range list {
		to[w.Group.Name], then[w.Group.Name] = w.ToDB, w.ThenDB
		require.InDelta(t, w.NowDB+w.ToDB, w.ThenDB, 1e-9)
	}
	require.Equal(t, map[string]float64{"Trumpet": 0, "Horns": -3, "Oboes": -6, "Violas": -3}, to)
	for _, w := range list {
		require.Equal(t, len(w.Rows), w.Desks, w.Group.Name)
	}
	for name, db := range then {
		require.InDelta(t, balance.WorkingDB, db, .05, name)
	}
	c, err := balance.TakeWeights(x, fan.New(x), []template.ID{"Horns"})
	require.NoError(t, err)
	after, undo, err := change.Apply(x, c)
	require.NoError(t, err)
	require.InDelta(t, -3, after.Index().Buses["Horns"].GainDB, 0)
	require.Zero(t, after.Index().Buses["Oboes"].GainDB)
	c, err = balance.TakeWeights(after, fan.New(after), nil)
	require.NoError(t, err)
	all, _, err := change.Apply(after, c)
	require.NoError(t, err)
	_, err = balance.TakeWeights(all, fan.New(all), nil)
	require.ErrorContains(t, err, "already")
	back, _, err := change.Apply(after, undo)
	require.NoError(t, err)
	require.Zero(t, back.Index().Buses["Horns"].GainDB)
}

// Four horns that are played as one are as strong as four, and a row of them stands for two
// trumpets.
func TestStrengthOfManyPlayedAsOne(t *testing.T) {
	x := weighed(t, map[string]struct {
		sound, role string
		rows        int
	}{"Horns a 4": {"brass.french-horn", "", 1}, "Trumpet": {"brass.trumpet", "solo", 1}})
	for _, w := range balance.WeightsOf(x, fan.New(x)) {
		require.InDelta(t, map[string]float64{"Horns a 4": 0, "Trumpet": -3}[w.Group.Name], w.ToDB, 1e-9, w.Group.Name)
		require.NotEmpty(t, w.Why)
	}
}
