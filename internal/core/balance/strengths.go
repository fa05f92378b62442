package balance

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Weight is how strong the rows of a group are in a chord of all in forte, and what the table
// of strengths makes of them.
type Weight struct {
	Group    *template.Bus
	Rows     []*template.Instrument // that hold notes and have a strength, in score order
	Desks    int                    // that they are: one may have a row for each way of playing
	Strength float64                // of one of them, the middle one, a woodwind being 1
	FromDB   float64                // the group's fader
	ToDB     float64                // as the table has it, the strongest group being at 0 dB
	NowDB    float64                // of all of them in the mix, dry, at the working level
	ThenDB   float64
	Why      string
}

// WeightsOf weighs the groups of a template against each other. Groups whose rows have no
// strength in the table are left out.
func WeightsOf(t *template.Template, f *fan.Fan) []Weight {
	words := articulation.NewVocabulary(t.Vocabulary)
	byGroup := map[template.ID]*Weight{}
	var out []*Weight
	strengths := map[template.ID][]float64{}
	for _, i := range t.ScoreOrder() {
		of, ok := strengthOf(t, words, i)
		if !ok {
			continue
		}
		for _, r := range i.Routes {
			b := t.Index().Buses[r.To]
			if b == nil || b.Kind != template.Group {
				continue
			}
			w := byGroup[b.ID]
			if w == nil {
				w = &Weight{Group: b, FromDB: b.GainDB}
				byGroup[b.ID] = w
				out = append(out, w)
			}
			w.Rows = append(w.Rows, i)
			strengths[b.ID] = append(strengths[b.ID], of)
			break
		}
	}
	top := 0.0
	for _, w := range out {
		list := strengths[w.Group.ID]
		slices.Sort(list)
		w.Strength = list[len(list)/2]
		top = max(top, w.Strength)
	}
	done := make([]Weight, len(out))
	for n, w := range out {
		w.ToDB = math.Round(20*math.Log10(w.Strength/top)) / 2
		sum := 0.0
		desks := desksOf(words, w.Rows)
		w.Desks = len(desks)
		for _, i := range desks {
			g := MixGain(f, i)
			sum += g * g
		}
		if sum > 0 {
			w.NowDB = WorkingDB + 10*math.Log10(sum)
			w.ThenDB = w.NowDB + w.ToDB - w.FromDB
		}
		w.Why = why(w.Strength, top)
		done[n] = *w
	}
	return done
}

// desksOf are the first rows of those who would play in a chord of all: of a desk one way of
// playing, and of many who play as one only where nobody has a desk alone.
func desksOf(words *articulation.Vocabulary, rows []*template.Instrument) []*template.Instrument {
	var alone, many []*template.Instrument
	seen := map[string]bool{}
	for _, i := range rows {
		desk := words.WithoutWays(i.Name)
		if seen[desk] {
			continue
		}
		seen[desk] = true
		if sound.Players(i.Name) > 1 {
			many = append(many, i)
		} else {
			alone = append(alone, i)
		}
	}
	if len(alone) == 0 {
		return many
	}
	return alone
}

// strengthOf is how strong a row is beside others that are at the same level; false for one
// that holds no notes, or has no figure.
func strengthOf(t *template.Template, words *articulation.Vocabulary, i *template.Instrument) (float64, bool) {
	if !i.Played() || i.Kind != template.Sampled || i.With != "" || len(t.PatchesOf(i)) == 0 || len(i.Articulations) == 0 {
		return 0, false
	}
	if how := words.FamilyOf(i.Articulations[0]); how != template.Long && how != template.Legato {
		return 0, false
	}
	p := t.PatchOf(i)
	return sound.Strength(p.Sound, !slices.Contains(p.Roles, "solo"), sound.Players(i.Name))
}

func why(strength, top float64) string {
	if strength == top {
		return "the strongest"
	}
	return fmt.Sprintf("as strong as %s of the strongest", share(strength/top))
}

// share writes a share: "half", "a quarter", "0.3".
func share(x float64) string {
	for of, words := range map[float64]string{.5: "half", .25: "a quarter", .125: "an eighth", .75: "three quarters"} {
		if math.Abs(x-of) < 1e-9 {
			return words
		}
	}
	return fmt.Sprintf("%.2g", x)
}

// TakeWeights sets the faders of groups as the table of strengths has them; none for all.
func TakeWeights(t *template.Template, f *fan.Fan, groups []template.ID) (change.Change, error) {
	var put change.Put
	for _, w := range WeightsOf(t, f) {
		if w.FromDB == w.ToDB || len(groups) > 0 && !slices.Contains(groups, w.Group.ID) {
			continue
		}
		b := w.Group.Clone()
		b.GainDB = w.ToDB
		put.Buses = append(put.Buses, change.Append(b))
	}
	if len(put.Buses) == 0 {
		return nil, &change.Refused{Reason: "these groups match the table of strengths already"}
	}
	slices.SortStableFunc(put.Buses, func(a, b change.Entry[template.Bus]) int { return cmp.Compare(a.Value.Name, b.Value.Name) })
	return change.Batch{Label: fmt.Sprintf("Balance %d groups by strength", len(put.Buses)), Changes: []change.Change{put}}, nil
}
