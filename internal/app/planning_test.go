package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// A plan is improved in the background, can be stopped, and becomes the seating
// in one change that can be undone.
func TestAPlanInTheMaking(t *testing.T) {
	f := setUp(t)
	_, err := f.hot.TakePlan(ctx, f.ada)
	require.ErrorContains(t, err, "no plan has been started")
	row, err := f.app.Create(ctx, f.ada, coretest.ToSeat(300, 4, 24, 0.85, 5))
	require.NoError(t, err)
	hot, err := f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)

	started := hot.StartPlan(f.ada, true)
	require.Equal(t, 300, started.Now.Unseated)
	require.Zero(t, started.Then.Unseated)
	require.Eventually(t, func() bool {
		s, err := hot.PlanState(f.ada)
		return err == nil && s.Tried > 3
	}, 20*time.Second, 5*time.Millisecond)
	_, err = hot.PlanState(f.ben)
	require.ErrorContains(t, err, "no plan", "everybody has a plan of their own")
	stopped, err := hot.StopPlan(f.ada)
	require.NoError(t, err)
	require.False(t, stopped.Running)
	require.LessOrEqual(t, stopped.Then.Total, started.Then.Total)

	revision, err := hot.TakePlan(ctx, f.ada)
	require.NoError(t, err)
	require.EqualValues(t, stopped.Revision+1, revision)
	for _, i := range hot.View().Template.Instruments {
		require.NotNil(t, i.Seat)
	}
	require.Equal(t, stopped.Then.Risers, stopped.Plan.RisersUsed)
	_, err = hot.TakePlan(ctx, f.ada)
	require.ErrorContains(t, err, "changed since", "a plan is for the template it was made for")
}

// A plan that is overtaken by a change is refused, and changes nothing.
func TestAPlanThatIsOvertaken(t *testing.T) {
	f := setUp(t)
	f.hot.StartPlan(f.ada, true)
	_, err := f.hot.Apply(ctx, f.ben, func(t *template.Template) (change.Change, error) {
		return rename(t.Instruments[0].ID, "Other"), nil
	})
	require.NoError(t, err)
	before := f.hot.View().Revision
	_, err = f.hot.TakePlan(ctx, f.ada)
	require.ErrorContains(t, err, "plan again")
	require.Equal(t, before, f.hot.View().Revision)
}
