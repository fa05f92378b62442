package balance_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/balance"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// The critical distance of a hall of 12,000 m³ and 2 s is 4.4 m, and of a room of 200 m³ and
// 0.5 s 1.14 m (0.057 sqrt(V/T), worked by hand).
func TestCriticalDistance(t *testing.T) {
	require.InDelta(t, 4.415, balance.CriticalDistance(12_000, 2), .001)
	require.InDelta(t, 1.140, balance.CriticalDistance(200, .5), .001)
	require.InDelta(t, 6.02, balance.DirectDB(4, 2), .01)
	require.InDelta(t, 0, balance.DirectDB(4, 4), 1e-12)
}

// ISO 9613-2, table 2: what 1 km of air takes at 20 °C and 70 %, and at 10 °C and 70 %, dB
// (values from memory, given to a tenth).
func TestAir(t *testing.T) {
	for hz, db := range map[float64]float64{125: .3, 250: 1.1, 500: 2.8, 1000: 5.0, 2000: 9.0, 4000: 22.9, 8000: 76.6} {
		require.InEpsilon(t, db, balance.AirDB(hz, 1000, 20, 70), .15, "%g Hz at 20 °C", hz)
	}
	for hz, db := range map[float64]float64{500: 1.9, 1000: 3.7, 2000: 9.7, 4000: 32.8, 8000: 117} {
		require.InEpsilon(t, db, balance.AirDB(hz, 1000, 10, 70), .05, "%g Hz at 10 °C", hz)
	}
}

// orchestra is a template with sections of these names, each with rows that send to a hall.
func orchestra(t *testing.T, names ...string) *template.Template {
	t.Helper()
	x := coretest.Orchestra(2*len(names), 1)
	var put change.Put
	hall := &template.Bus{ID: "hall", Kind: template.Return, Name: "Hall", Process: "hall", Routes: []template.Route{}}
	put.Buses = append(put.Buses, change.Append(hall))
	for n, name := range names {
		put.Sections = append(put.Sections, change.Append(&template.Section{ID: template.ID("s" + name), Name: name}))
		_ = n
	}
	x, _, err := change.Apply(x, put)
	require.NoError(t, err)
	for n, i := range x.Instruments {
		c := i.Clone()
		c.Section = template.ID("s" + names[n%len(names)])
		c.Routes = template.SortRoutes([]template.Route{{To: "hall", GainDB: -14, Tap: template.Pre}})
		x.Instruments[n] = c
	}
	require.NoError(t, x.Validate())
	return x
}

// Sections sit where they usually do: who sits farther off sounds later, softer, and with
// more of the hall; left is left. One that is put elsewhere sits there.
func TestWhereSectionsSit(t *testing.T) {
	x := orchestra(t, "Violins 1", "Cellos", "Trumpets", "Nonsense")
	at := map[string]balance.Standing{}
	for _, s := range balance.Hall(x) {
		at[s.Section.Name] = s
	}
	require.Len(t, at, 3, "nonsense sits on no stage")
	violins, trumpets := at["Violins 1"], at["Trumpets"]
	require.Zero(t, violins.DelayMs)
	require.InDelta(t, (trumpets.DistanceM-violins.DistanceM)/343.4*1000, trumpets.DelayMs, 1e-9)
	require.Less(t, trumpets.LevelDB, -4.0)
	require.Less(t, trumpets.DirectDB, violins.DirectDB)
	require.Negative(t, violins.Pan)
	require.Positive(t, at["Cellos"].Pan)
	require.Greater(t, trumpets.AirDB, violins.AirDB)

	set := x.Settings
	set.Stage = &template.StagePlan{VolumeM3: 4000, DecayS: 1.2, Areas: []template.Area{{Section: "sTrumpets", X: 0, Y: 4}}}
	moved, _, err := change.Apply(x, change.Configure{Name: x.Name, Settings: set})
	require.NoError(t, err)
	for _, s := range balance.Hall(moved) {
		if s.Section.Name == "Trumpets" {
			require.True(t, s.Own)
			require.InDelta(t, 4, s.DistanceM, 1e-9)
			require.Zero(t, s.Pan)
			require.InDelta(t, 20*math.Log10(.057*math.Sqrt(4000/1.2)/4), s.DirectDB, 1e-9)
		}
	}
}

// A dry library gets all of the hall: as much as the direct sound at the critical distance,
// 6 dB more at twice that. What a room brings is taken off; where it brings more than there
// should be, nothing is left to add.
func TestSends(t *testing.T) {
	level, none := balance.SendDB(template.Dry, 0)
	require.False(t, none)
	require.InDelta(t, 0, level, 1e-9)
	level, _ = balance.SendDB("", -6.02)
	require.InDelta(t, 6, level, .05)
	b := balance.Baked[template.Hall]
	brings := balance.DirectDB(balance.CriticalDistance(b.Stage.VolumeM3, b.Stage.DecayS), b.Distance)
	_, none = balance.SendDB(template.Hall, brings)
	require.True(t, none, "it is there already")
	level, none = balance.SendDB(template.Hall, brings-3.01)
	require.False(t, none)
	require.InDelta(t, -brings, level, .1, "half of it is there")
	_, none = balance.SendDB(template.Dry, 60)
	require.True(t, none, "nobody would hear it")
}

// What the hall asks is set as one change, which one undo takes back; a second time there is
// nothing to do. Delays and sends after the fader are left alone; a place that was measured
// is taken off.
func TestTheHallIsTaken(t *testing.T) {
	x := orchestra(t, "Violins 1", "Trumpets")
	heard := &template.Heard{By: template.ByStandIn, Position: -20, Levels: [3]float64{-30, -20, -10}}
	x, _, err := change.Apply(x, change.Edit{Edits: []change.Fields{{ID: x.Instruments[0].ID, Heard: heard}}})
	require.NoError(t, err)
	c, err := balance.TakeHall(x, nil)
	require.NoError(t, err)
	after, inverse, err := change.Apply(x, c)
	require.NoError(t, err)
	for _, s := range balance.Hall(after) {
		for n, i := range after.Instruments {
			if i.Section != s.Section.ID {
				continue
			}
			pan := s.Pan
			if n == 0 {
				pan = max(-1, s.Pan+20.0/45)
			}
			require.InDelta(t, pan, i.Pan, .006)
			want, _ := balance.SendDB(after.LibraryOf(i).Room, s.DirectDB)
			require.InDelta(t, want, i.Routes[0].GainDB, 1e-9)
			require.True(t, i.Routes[0].Hand)
		}
	}
	_, err = balance.TakeHall(after, nil)
	require.ErrorContains(t, err, "already")
	back, _, err := change.Apply(after, inverse)
	require.NoError(t, err)
	require.Equal(t, x.Instruments[1].Routes, back.Instruments[1].Routes)
	require.Zero(t, back.Instruments[1].Pan)
}
