package api_test

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/coretest"
	"fanfold/internal/format/templatefile"
)

type seatingCost struct{ Unseated, Moved, Risers, Pairs int }

type seatingPlan struct {
	Running             bool
	Now, Then           seatingCost
	LowerBound, Changes int
	Unseated            []struct{ Name, Reason string }
}

// What a person does on Seating: plan, take the plan, ask why and what if, and
// seat by hand.
func TestSeatingFromPlanToHand(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	var file bytes.Buffer
	require.NoError(t, templatefile.Write(&file, coretest.ToSeat(140, 3, 8, 0.5, 2)))
	made := c.do("POST", "/api/templates/file", file.Bytes())
	require.Equal(t, 201, made.status, "%s", made.body)
	path := "/api/templates/" + made.field(t, "id").(string)
	require.Equal(t, 422, c.do("GET", path+"/seating/plan", nil).status, "nothing is planned yet")

	started := decode[seatingPlan](t, c.do("POST", path+"/seating/plan", map[string]any{"fresh": true}))
	require.Equal(t, 140, started.Now.Unseated)
	require.Eventually(t, func() bool {
		return !decode[seatingPlan](t, c.do("GET", path+"/seating/plan", nil)).Running
	}, 60*time.Second, 50*time.Millisecond, "it ends by itself")
	plan := decode[seatingPlan](t, c.do("DELETE", path+"/seating/plan", nil))
	require.Equal(t, 140, plan.Changes)
	require.Empty(t, plan.Unseated)
	require.LessOrEqual(t, plan.LowerBound, plan.Then.Risers)
	require.Equal(t, 200, c.do("POST", path+"/seating/plan/take", nil).status)

	type state struct {
		RisersUsed, LowerBound int
		Cost                   seatingCost
		Full                   []struct{ What, Text string }
	}
	now := decode[state](t, c.do("GET", path+"/seating", nil))
	require.Equal(t, plan.Then.Risers, now.RisersUsed)
	require.Zero(t, now.Cost.Unseated)

	type outcome struct{ Now, Then seatingCost }
	gone := decode[outcome](t, c.do("POST", path+"/seating/whatif", map[string]any{"kind": "gone", "machine": "machine-1"}))
	require.Equal(t, now.Cost.Risers, gone.Now.Risers)
	more := decode[outcome](t, c.do("POST", path+"/seating/whatif", map[string]any{"kind": "memory", "machine": "machine-1", "mib": 4096}))
	require.Zero(t, more.Then.Moved)
	require.Equal(t, 422, c.do("POST", path+"/seating/whatif", map[string]any{"kind": "library", "machine": "machine-1", "library": "library"}).status)
	require.Equal(t, 422, c.do("POST", path+"/seating/whatif", map[string]any{"kind": "library", "machine": "nowhere"}).status)

	why := decode[struct {
		Reasons   []string
		Elsewhere []struct{ Machine, Text string }
	}](t, c.do("GET", path+"/seating/why/i-0", nil))
	require.NotEmpty(t, why.Reasons)
	require.Len(t, why.Elsewhere, 2)
	require.Equal(t, 422, c.do("GET", path+"/seating/why/nobody", nil).status)

	freed := 0
	for _, machine := range []string{"machine-1", "machine-2", "machine-3"} { // the plan may leave some empty
		answer := c.do("POST", path+"/seating/moves", map[string]any{"kind": "memory", "machine": machine, "mib": 100, "take": false})
		if answer.status != 200 {
			require.Contains(t, answer.field(t, "detail"), "frees 0 MiB")
			continue
		}
		moves := decode[struct {
			Text     string
			Moves    []struct{ Name, To string }
			Revision int64
		}](t, answer)
		require.Regexp(t, `^\d+ moves free .* on Machine \d$`, moves.Text)
		require.NotEmpty(t, moves.Moves)
		require.Zero(t, moves.Revision)
		freed++
	}
	require.Positive(t, freed)
	require.Equal(t, 422, c.do("POST", path+"/seating/moves", map[string]any{"kind": "empty", "machine": "machine-1", "riser": 30, "take": true}).status)

	require.Equal(t, 200, c.do("POST", path+"/seating/hand", map[string]any{"kind": "pair", "ids": []string{"i-0", "i-1"}, "from": 50}).status)
	beyond := c.do("POST", path+"/seating/hand", map[string]any{"kind": "pair", "ids": []string{"i-0", "i-1"}, "from": 64})
	require.Equal(t, 422, beyond.status)
	require.Contains(t, beyond.field(t, "detail"), "output pairs run from 2 to 64")
	require.Equal(t, 200, c.do("POST", path+"/seating/hand", map[string]any{"kind": "release", "ids": []string{"i-0", "i-1"}}).status)
}

// Two calls are compared by what they load, rest and keep.
func TestComparingCalls(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	rows := c.delivered(path).Template.Instruments
	require.Len(t, rows, 2)
	type comparison struct {
		Loads, Rests, Stays []string
		Cost                struct{ Unseated int }
	}
	a, b := []string{rows[0].ID}, []string{rows[1].ID}
	one := decode[comparison](t, c.do("POST", path+"/calls/compare", map[string]any{"from": a, "to": b, "both": false}))
	require.Equal(t, b, one.Loads)
	require.Equal(t, a, one.Rests)
	require.Empty(t, one.Stays)
	require.Equal(t, 1, one.Cost.Unseated, "it has no seat yet")
	both := decode[comparison](t, c.do("POST", path+"/calls/compare", map[string]any{"from": a, "to": b, "both": true}))
	require.Equal(t, a, both.Stays)
	require.Empty(t, both.Rests)
}
