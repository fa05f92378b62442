package proof_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
)

// However a template is damaged: every remedy that a mark offers, applied, takes that
// mark away, and brings no other; the whole is proved again each time.
func TestEveryRemedyThatIsOfferedMends(t *testing.T) {
	base := sound()
	marks, offered, several := 0, 0, 0
	rapid.Check(t, func(r *rapid.T) {
		now := base
		damage := coretest.Any
		if rapid.IntRange(0, 2).Draw(r, "how") == 0 {
			damage = coretest.Anything
		}
		for range rapid.IntRange(1, 6).Draw(r, "steps") {
			if len(now.Instruments) < 8 {
				break
			}
			if after, _, err := change.Apply(now, damage(now).Draw(r, "change")); err == nil {
				now = after
			}
		}
		p := proof.Check(now, "")
		for n, m := range p.Marks {
			if n == 12 {
				break
			}
			marks++
			remedies, at := p.Remedies(m)
			require.NotEmpty(r, remedies, m.Message)
			for k, x := range remedies {
				if x.Build == nil {
					continue
				}
				offered++
				c, err := p.Carry(m, m.Remedies[at[k]], coretest.Mint())
				require.NoError(r, err)
				require.Equal(r, x.Label, c.Label)
				if len(c.Changes) > 1 {
					several++
				}
				after := coretest.Must(now, c)
				require.NoError(r, after.Validate())
				mended := proof.Check(after, "")
				before, left := p.Counts(), mended.Counts()
				require.Less(r, left[m.Code], before[m.Code], "%s: %s", m.Message, x.Label)
				for code, count := range left {
					require.LessOrEqual(r, count, before[code], "%s: %s brings %s", m.Message, x.Label, code)
				}
			}
		}
	})
	t.Logf("%d marks, %d remedies, %d of them in several steps", marks, offered, several)
	require.Greater(t, offered, marks/2)
}

// A stem that is set to go to the mix alone stands alone in every fold: it is no
// mistake, and there is nothing to fix.
func TestAStemThatStandsAloneCountsInEveryFold(t *testing.T) {
	base := sound()
	solo := base.StemsOf("fold-fine")[0].Clone()
	solo.Routes = []template.Route{{To: base.TheMix().ID, Tap: template.Post}}
	alone := coretest.Must(base, change.Put{Buses: []change.Entry[template.Bus]{change.Append(solo)}})
	for _, fold := range alone.Folds {
		p := proof.Check(alone, fold.ID)
		require.Empty(t, p.Marks, "%v", p.Marks)
		sum := p.Fan.Sum(fold)
		require.True(t, sum.AddsUp())
		require.Equal(t, len(alone.Instruments), sum.DryRows)
	}
	require.Equal(t, len(base.StemsOf("fold-sections"))+1, len(alone.Delivered("fold-sections")))

	wandering := solo.Clone() // over a group into its section after all
	group := base.ParentStem(base.StemsOf("fold-fine")[0])
	wandering.Routes = []template.Route{{To: "round", Tap: template.Post}}
	round := &template.Bus{ID: "round", Kind: template.Group, Name: "Round", Routes: []template.Route{{To: group.ID, Tap: template.Post}}}
	over := coretest.Must(base, change.Put{Buses: []change.Entry[template.Bus]{change.Append(round), change.Append(wandering)}})
	require.Equal(t, len(base.StemsOf("fold-sections")), len(over.Delivered("fold-sections")))
	require.True(t, proof.Check(over, "").Fan.Sum(over.Folds[1]).AddsUp())
}
