package order_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/order"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// Every section in which somebody plays keeps its spare rows at its end, seated
// and routed as the last of it; what fills one finds all that, and another comes.
func TestSpareRowsAreKept(t *testing.T) {
	base := coretest.Orchestra(40, 1)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	require.Nil(t, order.Spares(base, nil, coretest.Mint()), "nothing is asked for")
	set := base.Settings
	set.SpareRows, set.SpareShare = 1, 0.75
	base = coretest.Must(base, change.Configure{Name: base.Name, Settings: set})
	now := coretest.Must(base, order.Spares(base, nil, coretest.Mint()))
	rows, spares := map[template.ID]int{}, map[template.ID][]*template.Instrument{}
	for _, i := range now.ScoreOrder() {
		if i.Kind == template.Spare {
			spares[i.Section] = append(spares[i.Section], i)
			continue
		}
		rows[i.Section]++
		require.Empty(t, spares[i.Section], "spare rows stand last")
	}
	require.Len(t, rows, 16)
	for section, n := range rows {
		want := map[int]int{2: 2, 3: 3}[n] // three quarters, rounded up
		require.Len(t, spares[section], want)
		for _, i := range spares[section] {
			require.NotNil(t, i.Seat)
			require.NotEmpty(t, i.Routes)
		}
	}
	require.Nil(t, order.Spares(now, nil, coretest.Mint()))
	require.Empty(t, proof.Check(now, "").Marks)
	plan := seating.Everyone(now, seating.Options{Fresh: true})
	after := coretest.Must(now, plan.Change())
	require.Empty(t, plan.Unseated)
	seats := 0
	for _, i := range after.Instruments {
		if i.Seat != nil {
			seats++
		}
	}
	require.Equal(t, len(after.Instruments), seats, "a spare row that has a seat has one after a new plan, too")

	spare := spares[now.Instruments[0].Section][0]
	kind, patches := template.Sampled, now.Instruments[0].Patches
	fill := change.Edit{Edits: []change.Fields{{ID: spare.ID, Kind: &kind, Patches: &patches}}}
	filled := coretest.Must(now, order.WithSpares(now, fill, coretest.Mint()))
	i := filled.Instrument(spare.ID)
	require.Equal(t, spare.Seat, i.Seat)
	require.Equal(t, spare.Routes, i.Routes)
	require.Len(t, fan.New(filled).Stems(i, "fold-fine"), 1)
	count := 0
	for _, x := range filled.Instruments {
		if x.Section == spare.Section && x.Kind == template.Spare {
			count++
		}
	}
	require.Equal(t, 3, count, "four rows play, three quarters of them are spare")
}
