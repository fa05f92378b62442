package compare_test

import (
	"reflect"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// Templates that differ are told apart, whatever it is they differ in; and what is
// taken no longer differs.
func TestWhatDiffersIsToldAndTaken(t *testing.T) {
	here := coretest.Must(coretest.Orchestra(16, 2), coretest.Spare())
	here = coretest.Must(here, coretest.Again(here, here.Instruments[1].ID))
	nouns := map[compare.Noun]int{}
	for range 3 {
		rapid.Check(t, func(r *rapid.T) {
			there := here
			for range rapid.IntRange(1, 6).Draw(r, "steps") {
				if len(there.Instruments) < 6 || len(there.Machines) == 0 {
					break
				}
				if after, _, err := change.Apply(there, coretest.Anything(there).Draw(r, "change")); err == nil {
					there = after
				}
			}
			list := compare.Pair(here, there)
			if change.Between(here, there) == nil {
				require.Empty(r, list)
				return
			}
			if len(list) == 0 {
				require.True(r, sameButOrder(here, there), "they differ, and nothing is told")
				return
			}
			var picks []compare.Pick
			for _, d := range list {
				nouns[d.Noun]++
				picks = append(picks, compare.Pick{Noun: d.Noun, ID: d.ID})
			}
			c, err := compare.Take(here, there, picks, coretest.Mint())
			require.NoError(r, err)
			after, _, err := change.Apply(here, c)
			if err != nil {
				return // what is taken away is still spoken of; that is told
			}
			require.NoError(r, after.Validate())
			require.Empty(r, left(compare.Pair(after, there)), "all was said to be taken")
		})
	}
	for _, n := range compare.Nouns {
		require.Positive(t, nouns[n], "no %s ever differed", n)
	}
}

// left are differences but those of seats, which somebody else may have.
func left(list []compare.Difference) []compare.Difference {
	var out []compare.Difference
	for _, d := range list {
		var fields []compare.Field
		for _, f := range d.Fields {
			if f.Name != "seat" && f.Name != "seat by hand" && f.Name != "number" {
				fields = append(fields, f)
			}
		}
		if d.How != compare.Changed || len(fields) > 0 {
			d.Fields = fields
			out = append(out, d)
		}
	}
	return out
}

// sameButOrder tells whether two templates hold the same things.
func sameButOrder(a, b *template.Template) bool {
	if len(a.Instruments) != len(b.Instruments) {
		return false
	}
	for _, i := range a.Instruments {
		if !i.Like(b.Instrument(i.ID)) {
			return false
		}
	}
	return true
}

// Every field of every noun has words of its own, or its key is a word.
func TestFieldsAreCalledInWords(t *testing.T) {
	for _, noun := range []any{
		template.Instrument{}, template.Bus{}, template.Section{}, template.Fold{}, template.Patch{}, template.Player{}, template.Library{}, template.Machine{},
		template.Call{}, template.Term{}, template.CastingList{}, template.StemRule{}, template.ReturnSet{}, template.Sightline{}, template.Settings{},
	} {
		is := reflect.TypeOf(noun)
		for n := range is.NumField() {
			key := compare.KeyOf(is.Field(n).Tag)
			if regexp.MustCompile(`[a-z][A-Z]`).MatchString(key) {
				require.NotEqual(t, key, compare.Called(key), "%s wants words", is)
			}
		}
	}
}
