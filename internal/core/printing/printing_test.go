package printing_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/template"
)

func planOf(t require.TestingT, x *template.Template) printing.Plan {
	p, err := printing.NewPlan(fan.New(x), nil)
	require.NoError(t, err)
	return p
}

// The plan has every stem of every fold once, and then the mix; the gain with which each comes
// into the mix is that of its way, without its own fader, which its file has in it.
func TestThePlanOfATemplate(t *testing.T) {
	x := coretest.Folds(coretest.Large(60, 60), 2).Clone()
	p := planOf(t, x)
	at := slices.IndexFunc(p.Files, func(w printing.Wanted) bool { return w.Role == audit.Mix })
	require.GreaterOrEqual(t, at, len(p.Files)-2)
	seen := map[template.ID]bool{}
	for n, w := range p.Files {
		require.False(t, seen[w.Bus] && w.Role == audit.Stem)
		seen[w.Bus] = true
		if w.Role == audit.Stem {
			require.Equal(t, n+1, w.Number)
			require.InDelta(t, 1, w.Gain, 1e-9)
			require.NotEmpty(t, w.Folds)
		}
	}
	for _, f := range p.Folds {
		for _, b := range x.Delivered(template.ID(f.ID)) {
			require.True(t, seen[b.ID])
			require.Contains(t, f.Stems, b.Name)
		}
	}
	stem := x.Delivered(x.Folds[0].ID)[0]
	stem.GainDB, stem.Routes[0].GainDB = -5, -6.0206
	x.TheMix().GainDB = 6.0206
	require.InDelta(t, 1, planOf(t, x).Files[0].Gain, 1e-3)
	one, err := printing.NewPlan(fan.New(x), []template.ID{x.Folds[0].ID})
	require.NoError(t, err)
	require.Len(t, one.Folds, 1)
}

// names are made-up stems, some of which have the words of others.
var names = []string{"Strings high", "Strings low", "Strings", "Woodwinds", "Brass high", "Brass low", "Percussion", "Percussion metal", "Keys and harp", "Choir", "Strings wet", "Solo violin 2"}

func plan() printing.Plan {
	p := printing.Plan{Folds: []audit.Fold{{ID: "f", Name: "Fine"}}}
	for n, name := range names {
		p.Files = append(p.Files, printing.Wanted{Bus: template.ID(fmt.Sprint("bus-", n)), Name: name, Role: audit.Stem, Folds: []string{"f"}, Number: n + 1})
	}
	p.Files = append(p.Files, printing.Wanted{Bus: "mix", Name: "Mix", Role: audit.Mix})
	return p
}

func found(paths ...string) (out []printing.Found) {
	for _, p := range paths {
		out = append(out, printing.Found{Path: p, Channels: 2})
	}
	return out
}

// However a name is dressed, its stem is found.
func TestNamesAreFound(t *testing.T) {
	p := plan()
	rapid.Check(t, func(t *rapid.T) {
		random := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		before := rapid.SampledFrom([]string{"", "1m2 ", "1M02_", "lantern-", "Fine/", "stems/1m2 "}).Draw(t, "before")
		after := rapid.SampledFrom([]string{"", " take 3", "_v2", " 48k", "-print 1", " stem"}).Draw(t, "after")
		space := rapid.SampledFrom([]string{" ", "_", "-", ".", ""}).Draw(t, "space")
		numbered := rapid.Bool().Draw(t, "numbered")
		order := random.Perm(len(names))
		var files []string
		for k, n := range order {
			words := strings.Fields(names[n])
			for i, w := range words {
				words[i] = strings.ToUpper(w[:1]) + w[1:]
			}
			name := strings.Join(words, space)
			if numbered {
				name = fmt.Sprintf("%02d %s", k+1, name)
			}
			files = append(files, before+name+after+".wav")
		}
		files = append(files, before+"MIX"+after+".wav", before+"Dialogue guide.flac")
		matches := p.Recorded(found(files...), nil)
		for k, n := range order {
			require.Equal(t, n, matches[k].Wanted, "%s is %s", files[k], names[n])
		}
		require.Equal(t, audit.Mix, matches[len(order)].Role)
		require.Equal(t, len(names), matches[len(order)].Wanted)
		require.Equal(t, audit.Guide, matches[len(order)+1].Role)
	})
}

// Names that say nothing are matched by their numbers; what is said by hand comes first, and
// holds for the next recording of the same name.
func TestNumbersAndHand(t *testing.T) {
	p := plan()
	var files []string
	for n := range names {
		files = append(files, fmt.Sprintf("Output %02d.wav", n+1))
	}
	for n, m := range p.Recorded(found(files...), nil) {
		require.Equal(t, n, m.Wanted)
		require.Equal(t, printing.ByNumber, m.How)
	}
	hand := map[string]string{printing.Key("Output 02 take 1.wav"): "bus-7", printing.Key("Output 03.wav"): "guide", printing.Key("Output 04.wav"): "gone"}
	got := p.Recorded(found("Output 01.wav", "Output 02 take 9.wav", "Output 03.wav", "Output 04.wav"), hand)
	require.Equal(t, 7, got[1].Wanted)
	require.Equal(t, printing.ByHand, got[1].How)
	require.Equal(t, audit.Guide, got[2].Role)
	require.Equal(t, 3, got[3].Wanted, "what was said of a stem that is no longer there does not count")
	got = p.Recorded(found("Something.wav", "else 7.wav", "other 7.wav"), nil)
	for _, m := range got {
		require.Equal(t, audit.Other, m.Role)
		require.Equal(t, -1, m.Wanted)
	}
}

// Two files that are as good a match for one stem are left to a person.
func TestWhatIsNotClear(t *testing.T) {
	p := plan()
	got := p.Recorded(found("A Choir.wav", "B Choir.wav", "Choir mix limited.wav", "Woodwinds.wav"), nil)
	require.Equal(t, -1, got[0].Wanted)
	require.Equal(t, -1, got[1].Wanted)
	require.Equal(t, 3, got[3].Wanted)
}

// Files of one channel that are left and right of each other are one.
func TestSplitPairs(t *testing.T) {
	p := plan()
	var files []printing.Found
	for _, name := range []string{"Choir.L.wav", "Choir.R.wav", "Brass low_left.wav", "Brass low_right.wav", "Percussion L.wav"} {
		files = append(files, printing.Found{Path: name, Channels: 1})
	}
	got := p.Recorded(files, nil)
	require.Len(t, got, 3)
	at := slices.IndexFunc(got, func(m printing.Match) bool { return m.Path == "Choir.L.wav" })
	require.Equal(t, "Choir.R.wav", got[at].Right)
	require.Equal(t, 9, got[at].Wanted)
	require.Empty(t, got[2].Right)
}

// A dry plan has no stems that carry wet sound alone; the others carry dry sound.
func TestADryPlan(t *testing.T) {
	p := printing.Plan{
		Files: []printing.Wanted{{Name: "Strings", Role: audit.Stem}, {Name: "Halls", Role: audit.Stem, Carries: audit.Wet}, {Name: "Brass", Role: audit.Stem, Carries: audit.Dry}, {Name: "Mix", Role: audit.Mix}},
		Folds: []audit.Fold{{ID: "f", Stems: []string{"Strings", "Halls", "Brass"}}},
	}
	dry := p.Dry()
	require.Equal(t, []string{"Strings", "Brass"}, dry.Folds[0].Stems)
	require.Len(t, dry.Files, 3)
	require.Equal(t, audit.Dry, dry.Files[0].Carries)
	require.Equal(t, audit.Both, dry.Files[2].Carries)
	require.Len(t, p.Files, 4, "the plan is as it was")
	require.Len(t, p.Folds[0].Stems, 3)
}
