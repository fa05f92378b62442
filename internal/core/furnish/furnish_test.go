package furnish_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/furnish"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// owned are the patches of a studio: library, what it is, names of the desks, and for each
// its patches with what they play.
var owned = []struct {
	library, sound string
	desks          string
	patches        string
}{
	{"Millrace Winds", "wind.flutes.flute", "Flute 1, Flute 2, Flutes a 3", "long: long legato flutter, short: staccato"},
	{"Millrace Winds", "wind.flutes.flute.piccolo", "Piccolo", "long: long legato, short: staccato"},
	{"Millrace Winds", "wind.reed.oboe", "Oboe 1, Oboe 2", ": long legato staccato"},
	{"Millrace Winds", "wind.reed.clarinet", "Clarinet 1", "long: long legato, short: staccato"},
	{"Tallow Brass", "brass.french-horn", "Horn 1, Horn 2, Horns a 4", "long: long legato, short: staccato marcato"},
	{"Tallow Brass", "brass.trumpet.piccolo", "Piccolo trumpet", "long: long legato"},
	{"Tallow Brass", "brass.trumpet", "Trumpet 1, Trumpet 2", "long: long legato, short: staccato double-tongue"},
	{"Coldharbour Percussion", "drum.timpani", "Timpani", ": hit roll"},
	{"Coldharbour Percussion", "drum.bass-drum", "Concert bass drum, Gran cassa soft", ": hit roll"},
	{"Coldharbour Percussion", "drum.snare-drum", "Piccolo snare, Snare", ": hit roll"},
	{"Coldharbour Percussion", "metal.cymbal.suspended", "Suspended cymbal", ": hit roll"},
	{"Coldharbour Percussion", "pitched-percussion.glockenspiel", "Glockenspiel", ": hit"},
	{"Pinfold Keys", "pluck.harp", "Gut harp, Harp 1", ": long harmonics glissando"},
	{"Pinfold Keys", "keyboard.piano", "Felt upright, Concert grand", ": long"},
	{"Saint Orrin Voices", "voice.bass", "Basses", "ah: long legato"},
	{"Saint Orrin Voices", "voice.soprano", "Sopranos", "ah: long legato, short: staccato"},
	{"Wren & Vale Strings", "strings.violin", "Solo violin, Violins 1, Violins 2", "long: long legato, tremolo: tremolo, short: spiccato staccato, pizzicato: pizzicato"},
	{"Wren & Vale Strings", "strings.viola", "Violas", "long: long legato, tremolo: tremolo, short: spiccato staccato, pizzicato: pizzicato"},
	{"Wren & Vale Strings", "strings.cello", "Cellos", "long: long legato, tremolo: tremolo, short: spiccato staccato, pizzicato: pizzicato"},
	{"Wren & Vale Strings", "strings.contrabass", "Basses", "long: long legato, short: spiccato staccato, pizzicato: pizzicato"},
}

func studio() *template.Template {
	cat := template.New("cat", "Catalogue")
	cat.Players = []*template.Player{{ID: "lamp", Name: "Lamp player", Sounds: 16, Outputs: 16, OwnMiB: 96}}
	libraries := map[string]template.ID{}
	for _, o := range owned {
		if libraries[o.library] == "" {
			libraries[o.library] = template.ID(o.library)
			cat.Libraries = append(cat.Libraries, &template.Library{ID: template.ID(o.library), Name: o.library, Code: o.library[:2]})
		}
		is := sound.ByID(o.sound)
		for _, desk := range strings.Split(o.desks, ", ") {
			for _, p := range strings.Split(o.patches, ", ") {
				suffix, ways, _ := strings.Cut(p, ": ")
				patch := &template.Patch{
					ID: template.ID(fmt.Sprintf("%s %s %s", o.sound, desk, suffix)), Library: libraries[o.library], Player: "lamp", Name: strings.TrimSpace(desk + " " + suffix),
					PreloadMiB: 400, KeyLow: is.Low, KeyHigh: is.High, Sound: o.sound,
				}
				if strings.HasPrefix(desk, "Solo") {
					patch.Roles = []string{"solo"}
				}
				for _, w := range strings.Fields(ways) {
					patch.Map = append(patch.Map, template.Mapping{Articulation: strings.ReplaceAll(w, "-", " "), Switches: []template.Switch{}})
				}
				cat.Patches = append(cat.Patches, patch)
			}
		}
	}
	cat.Normalise()
	if err := cat.Validate(); err != nil {
		panic(err)
	}
	return cat
}

func mint() template.Mint {
	n := 0
	return func(kind string) template.ID { n++; return template.ID(fmt.Sprintf("%s-new-%d", kind, n)) }
}

// begun is a template of a line of shorthand, on two machines.
func begun(t require.TestingT, line string, mint template.Mint) *template.Template {
	tm := template.New("t", "The Salt Lantern")
	for _, name := range []string{"Alder", "Birch"} {
		tm.Machines = append(tm.Machines, &template.Machine{ID: template.ID(name), Name: name, MemoryMiB: 64 * 1024, ReserveMiB: 8192, Cores: 12, DiskMiBs: 500})
	}
	c, err := casting.Begin(tm, line, mint)
	require.NoError(t, err)
	tm, _, err = change.Apply(tm, c)
	require.NoError(t, err)
	return tm
}

func playing(tm *template.Template) []string {
	out := []string{}
	for _, i := range tm.ScoreOrder() {
		if p := tm.PatchOf(i); p != nil {
			out = append(out, fmt.Sprintf("%s < %s", i.Name, p.Name))
		}
	}
	return out
}

// A line of shorthand comes to a template that plays: who plays what was written down
// first, as an assistant would choose.
func TestFromALineToPlaying(t *testing.T) {
	mint := mint()
	tm := begun(t, "2[1.2/pic] 2 1 1 - 2 2 0 0 - timp+2 - hp - pf - str", mint)
	c, report, err := furnish.Ready(tm, studio(), furnish.Ask{Fill: casting.Shipped()[0].Entries, Stems: deliver.Starts()[0].Stems, Seats: true, OpeningMiB: 6000}, mint)
	require.NoError(t, err)
	after, undo, err := change.Apply(tm, c)
	require.NoError(t, err)
	require.NoError(t, after.Validate())
	require.Equal(t, []string{
		"Piccolo long < Piccolo long", "Piccolo short < Piccolo short", "Flute 1 long < Flute 1 long", "Flute 1 short < Flute 1 short", "Flute 2 long < Flute 2 long", "Flute 2 short < Flute 2 short",
		"Oboe 1 < Oboe 1", "Oboe 2 < Oboe 2", "Clarinet long < Clarinet 1 long", "Clarinet short < Clarinet 1 short",
		"Horn 1 long < Horn 1 long", "Horn 1 short < Horn 1 short", "Horn 2 long < Horn 2 long", "Horn 2 short < Horn 2 short",
		"Trumpet 1 long < Trumpet 1 long", "Trumpet 1 short < Trumpet 1 short", "Trumpet 2 long < Trumpet 2 long", "Trumpet 2 short < Trumpet 2 short",
		"Timpani < Timpani", "Snare < Snare", "Concert bass drum < Concert bass drum", "Harp < Harp 1", "Piano < Concert grand",
		"Violins 1 long < Violins 1 long", "Violins 1 short < Violins 1 short", "Violins 1 tremolo < Violins 1 tremolo", "Violins 1 pizzicato < Violins 1 pizzicato",
		"Violins 2 long < Violins 2 long", "Violins 2 short < Violins 2 short", "Violins 2 tremolo < Violins 2 tremolo", "Violins 2 pizzicato < Violins 2 pizzicato",
		"Violas long < Violas long", "Violas short < Violas short", "Violas tremolo < Violas tremolo", "Violas pizzicato < Violas pizzicato",
		"Cellos long < Cellos long", "Cellos short < Cellos short", "Cellos tremolo < Cellos tremolo", "Cellos pizzicato < Cellos pizzicato",
		"Basses long < Basses long", "Basses short < Basses short", "Basses pizzicato < Basses pizzicato",
	}, playing(after))
	free := []string{}
	for _, f := range report.Free {
		free = append(free, f.Name)
	}
	require.Equal(t, []string{"Bassoon long", "Bassoon short"}, free, "the studio has no bassoon, and nobody stands in for it")
	require.Empty(t, proof.Check(after, "").Counts(), "nothing is wrong with it")
	f := fan.New(after)
	for name, stem := range map[string]string{"Harp": "Harp", "Piano": "Keys", "Violins 1 pizzicato": "High strings short", "Basses long": "Low strings long", "Snare": "Low percussion|High percussion", "Timpani": "Timpani"} {
		i := after.Instruments[slices.IndexFunc(after.Instruments, func(i *template.Instrument) bool { return i.Name == name })]
		require.Contains(t, strings.Split(stem, "|"), f.Stems(i, after.Folds[0].ID)[0].Name, name)
		require.NotNil(t, i.Seat, name)
	}
	for _, b := range after.Buses {
		require.NotContains(t, []string{"Pulses", "Impacts", "Choir high"}, b.Name, "stems that nothing feeds are not made")
	}
	require.Len(t, after.Calls, 1)
	require.True(t, after.Calls[0].Opening)
	require.Len(t, after.Calls[0].Instruments, report.Opening)
	require.LessOrEqual(t, report.OpeningMiB, 6000.0)
	require.Greater(t, report.Opening, 6)
	before, _, err := change.Apply(after, undo)
	require.NoError(t, err)
	require.Equal(t, playing(tm), playing(before), "one change, taken back at once")

	c, report, err = furnish.Ready(after, studio(), furnish.Ask{Fill: casting.Shipped()[0].Entries, Seats: true, OpeningMiB: 6000}, mint)
	require.NoError(t, err)
	again, _, err := change.Apply(after, c)
	require.NoError(t, err)
	require.Equal(t, playing(after), playing(again), "done twice is done once")
	require.Zero(t, report.Filled+report.Seated+report.Opening)
}

// A third horn where there are two plays what the first does, in rows of its own name.
func TestADeskMoreThanThereAre(t *testing.T) {
	mint := mint()
	tm := begun(t, "0 0 0 0 - 3 - timp - str", mint)
	c, report, err := furnish.Ready(tm, studio(), furnish.Ask{Fill: casting.Shipped()[0].Entries, Seats: true}, mint)
	require.NoError(t, err)
	after, _, err := change.Apply(tm, c)
	require.NoError(t, err)
	require.Equal(t, []string{
		"Horn 1 long < Horn 1 long", "Horn 1 short < Horn 1 short", "Horn 2 long < Horn 2 long", "Horn 2 short < Horn 2 short", "Horn 3 long < Horn 1 long", "Horn 3 short < Horn 1 short",
	}, playing(after)[:6])
	require.Empty(t, report.Free)
	require.Empty(t, proof.Check(after, "").Counts())
}

// Whatever is asked for, everybody who plays is one of the instrument its row is for, or of
// its family as a last resort, and the change can be applied.
func TestAnyLineCanBeFurnished(t *testing.T) {
	cat := studio()
	rapid.Check(t, func(r *rapid.T) {
		mint := mint()
		line := rapid.SampledFrom(casting.Beginnings()).Draw(r, "line").Line
		ask := furnish.Ask{Seats: rapid.Bool().Draw(r, "seats"), OpeningMiB: rapid.SampledFrom([]float64{0, 900, 20_000}).Draw(r, "opening")}
		ask.Fill = rapid.SampledFrom(casting.Shipped()).Draw(r, "list").Entries
		if n := rapid.IntRange(-1, len(deliver.Starts())-1).Draw(r, "stems"); n >= 0 {
			ask.Stems = deliver.Starts()[n].Stems
		}
		tm := begun(r, line, mint)
		c, report, err := furnish.Ready(tm, cat, ask, mint)
		require.NoError(r, err)
		after, _, err := change.Apply(tm, c)
		require.NoError(r, err)
		require.NoError(r, after.Validate())
		words, twice := articulation.NewVocabulary(nil), map[string]bool{}
		for _, i := range after.Instruments {
			if p := after.PatchOf(i); p != nil {
				if is := sound.ByName(articulation.Desk(words, i.Name)); is != nil && is.ID != "strings.contrabass" {
					require.Equal(r, sound.Family(is.ID), sound.Family(p.Sound), i.Name)
				}
				require.Equal(r, ask.Seats, i.Seat != nil, i.Name)
				require.False(r, twice[i.Name], "%s stands twice", i.Name)
				twice[i.Name] = true
			}
		}
		require.LessOrEqual(r, report.OpeningMiB, ask.OpeningMiB)
		if len(ask.Stems) > 0 {
			counts := proof.Check(after, "").Counts()
			require.Zero(r, counts["orphan"]+counts["doubled"]+counts["many-stems"]+counts["no-sum"], "%v", counts)
		}
	})
}

// everything is a studio that owns every instrument there is, as its desks are played.
func everything() *template.Template {
	cat := template.New("all", "Catalogue")
	cat.Players = []*template.Player{{ID: "lamp", Name: "Lamp player", Sounds: 16, Outputs: 16}}
	cat.Libraries = []*template.Library{{ID: "all", Name: "Millrace", Code: "M"}}
	for _, s := range sound.All() {
		for _, d := range sound.How(s.ID).Desks {
			p := &template.Patch{ID: template.ID(s.ID + " " + d.Suffix), Library: "all", Player: "lamp", Name: strings.TrimSpace(s.Name + " " + d.Suffix), KeyLow: s.Low, KeyHigh: s.High, Sound: s.ID, PreloadMiB: 1}
			for _, a := range d.Articulations {
				p.Map = append(p.Map, template.Mapping{Articulation: a, Switches: []template.Switch{}})
			}
			cat.Patches = append(cat.Patches, p)
		}
	}
	cat.Normalise()
	return cat
}

// Every starting point, filled from a studio that owns everything and wired to the stems
// of each film set: nobody stays free, and each row goes to a stem of its own family, in
// the half of it where it plays.
func TestEveryStartingPointGoesWhereItBelongs(t *testing.T) {
	cat := everything()
	for _, b := range casting.Beginnings() {
		for _, stems := range deliver.Starts()[:2] {
			mint := mint()
			tm := begun(t, b.Line, mint)
			c, report, err := furnish.Ready(tm, cat, furnish.Ask{Fill: casting.Shipped()[1].Entries, Stems: stems.Stems}, mint)
			require.NoError(t, err, b.Name)
			require.Empty(t, report.Free, b.Name)
			after, _, err := change.Apply(tm, c)
			require.NoError(t, err)
			f := fan.New(after)
			for _, i := range after.Instruments {
				p := after.PatchOf(i)
				require.NotNil(t, p, "%s: %s", b.Name, i.Name)
				fine, coarse := f.Stems(i, after.Folds[0].ID), f.Stems(i, after.Folds[len(after.Folds)-1].ID)
				require.Len(t, fine, 1, i.Name)
				where := fmt.Sprintf("%s, %s: %s in %s of %s", b.Name, stems.Name, i.Name, fine[0].Name, coarse[0].Name)
				family := sound.Family(p.Sound)
				if len(after.Folds) > 1 && stems.Name == "Film, detailed" {
					require.Equal(t, family, coarse[0].Name, where)
				}
				half, _, _ := strings.Cut(fine[0].Name, " ")
				if is := sound.Register(p.Sound); is != "" && (half == "High" || half == "Low") && family != "Brass" {
					require.Equal(t, is, strings.ToLower(half), where)
				}
				for _, a := range i.Articulations {
					require.True(t, sound.How(p.Sound).Can(a), "%s plays %s", i.Name, a)
				}
			}
		}
	}
}
