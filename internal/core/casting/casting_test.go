package casting_test

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
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

func names(parts []casting.Part) string {
	out := make([]string, len(parts))
	for n, p := range parts {
		out[n] = p.Name
	}
	return strings.Join(out, ", ")
}

func TestShorthand(t *testing.T) {
	for line, want := range map[string]string{
		"3[1.2.pic] 3 3 3 - 4 3 3 1 - tmp+3 - 2hp - str": "Flute 1, Flute 2, Piccolo, Oboe 1, Oboe 2, Oboe 3, Clarinet 1, Clarinet 2, Clarinet 3, Bassoon 1, Bassoon 2, Bassoon 3, " +
			"Horn 1, Horn 2, Horn 3, Horn 4, Trumpet 1, Trumpet 2, Trumpet 3, Trombone 1, Trombone 2, Trombone 3, Tuba, Timpani, Percussion 1, Percussion 2, Percussion 3, " +
			"Harp 1, Harp 2, Violins 1, Violins 2, Violas, Cellos, Basses",
		"2 2 0 2 - 2":                         "Flute 1, Flute 2, Oboe 1, Oboe 2, Bassoon 1, Bassoon 2, Horn 1, Horn 2",
		"0 2[1/Eh.2] 0 0 - 0 0 3[1.2.btbn] 0": "Oboe 1, English horn, Oboe 2, Trombone 1, Trombone 2, Bass trombone",
		"pf/cel - str 14.12.10.8.6":           "Piano, Celesta, Violins 1, Violins 2, Violas, Cellos, Basses",
		"1 1 1 1 – 1 1 1 – timp – str":        "Flute, Oboe, Clarinet, Bassoon, Horn, Trumpet, Trombone, Timpani, Violins 1, Violins 2, Violas, Cellos, Basses",
	} {
		parts, _, err := casting.Shorthand(line)
		require.NoError(t, err, line)
		require.Equal(t, want, names(parts), line)
	}
	parts, _, err := casting.Shorthand("str 14.12.10.8.6")
	require.NoError(t, err)
	require.Equal(t, 12, parts[1].Players)
}

// Instrumentation as the scores of these works list it; from memory.
func TestPublishedInstrumentations(t *testing.T) {
	count := func(line string) map[string]int {
		parts, _, err := casting.Shorthand(line)
		require.NoError(t, err)
		out := map[string]int{}
		for _, p := range parts {
			out[p.Sound]++
		}
		return out
	}
	// Scheherazade: two flutes and piccolo; two oboes, one also English horn;
	// two clarinets; two bassoons; 4 horns, 2 trumpets, 3 trombones, tuba;
	// timpani, five percussionists, harp, strings.
	s := count("3[1.2.pic] 2[1.2/Eh] 2 2 - 4 2 3 1 - tmp+5 - hp - str")
	require.Equal(t, []int{2, 1, 2, 1, 2, 2, 4, 2, 3, 1, 1, 5, 1}, []int{
		s["wind.flutes.flute"], s["wind.flutes.flute.piccolo"], s["wind.reed.oboe"], s["wind.reed.english-horn"], s["wind.reed.clarinet"], s["wind.reed.bassoon"],
		s["brass.french-horn"], s["brass.trumpet"], s["brass.trombone"], s["brass.tuba"], s["drum.timpani"], s["drum.group"], s["pluck.harp"],
	})
	// Symphony "From the New World": 2 flutes, the second also piccolo; 2
	// oboes, the second also English horn; 2 clarinets, 2 bassoons; 4 horns, 2
	// trumpets, 3 trombones, tuba; timpani, two percussionists; strings.
	s = count("2[1.2/pic] 2[1.2/Eh] 2 2 - 4 2 3 1 - tmp+2 - str")
	require.Equal(t, 9+2+10+3+5, s["wind.flutes.flute"]+s["wind.reed.oboe"]+s["wind.reed.clarinet"]+s["wind.reed.bassoon"]+1+
		s["wind.flutes.flute.piccolo"]+s["wind.reed.english-horn"]+
		s["brass.french-horn"]+s["brass.trumpet"]+s["brass.trombone"]+s["brass.tuba"]+
		s["drum.timpani"]+s["drum.group"]+s["strings.violin"]+s["strings.viola"]+s["strings.cello"]+s["strings.contrabass"])
}

// The ways librarians and publishers write an orchestra, each with who is meant: how many
// of each, in score order. Common practice, no source.
func TestShorthandAsPeopleWriteIt(t *testing.T) {
	winds := "2 Flute, 2 Oboe, 2 Clarinet, 2 Bassoon"
	brass := "4 Horn, 2 Trumpet, 3 Trombone, Tuba"
	strings5 := "Violins 1, Violins 2, Violas, Cellos, Basses"
	for line, want := range map[string]string{
		"2222 - 4231 - timp.2perc - harp - strings":    winds + ", " + brass + ", Timpani, 2 Percussion, Harp, " + strings5,
		"2222-4231-timp+2-hp-str":                      winds + ", " + brass + ", Timpani, 2 Percussion, Harp, " + strings5,
		"2 2 2 2 / 4 2 3 1 / timp / perc 3 / hp / str": winds + ", " + brass + ", Timpani, 3 Percussion, Harp, " + strings5,
		"2.2.2.2 — 4.2.3.1 — timp, 3 perc, hp — str":   winds + ", " + brass + ", Timpani, 3 Percussion, Harp, " + strings5,
		"2,2,2,2 – 4,2,3,1 – T+3 – 2 hp – str":         winds + ", " + brass + ", Timpani, 3 Percussion, 2 Harp, " + strings5,
		"2+1 2+1 2+1 2+1":                              "2 Flute, Piccolo, 2 Oboe, English horn, 2 Clarinet, Bass clarinet, 2 Bassoon, Contrabassoon",
		"1.1.1.1 - 1.1.1.0 - pf - 1.1.1.1.1":           "Flute, Oboe, Clarinet, Bassoon, Horn, Trumpet, Trombone, Piano, " + strings5,
		"2(II=picc).2(II=ca).2(II=bcl).2(II=cbn) - 4.3.3.1 - timp - perc(3) - hp - cel - str(14.12.10.8.6)": "2 Flute, Piccolo, 2 Oboe, English horn, 2 Clarinet, Bass clarinet, 2 Bassoon, Contrabassoon, " +
			"4 Horn, 3 Trumpet, 3 Trombone, Tuba, Timpani, 3 Percussion, Harp, Celesta, " + strings5,
		"3(pic) 3(ca) 3 3(cbn) - 4331 - T+3 - 2 hp - pf(cel) - str": "3 Flute, Piccolo, 3 Oboe, English horn, 3 Clarinet, 3 Bassoon, Contrabassoon, 4 Horn, 3 Trumpet, 3 Trombone, Tuba, " +
			"Timpani, 3 Percussion, 2 Harp, Piano, Celesta, " + strings5,
		"3(2pic) 2 2 2":                  "3 Flute, 2 Piccolo, 2 Oboe, 2 Clarinet, 2 Bassoon",
		"3[1.2/pic.3/pic] 2 2 2":         "3 Flute, 2 Piccolo, 2 Oboe, 2 Clarinet, 2 Bassoon",
		"2(1.2=pic) 2 2 2":               "2 Flute, Piccolo, 2 Oboe, 2 Clarinet, 2 Bassoon",
		"0 0 0 0 - 4 4 4 1 - timp.perc":  "4 Horn, 4 Trumpet, 4 Trombone, Tuba, Timpani, Percussion",
		"SATB - 2 2 2 2 - str":           "Sopranos, Altos, Tenors, Basses of the choir, " + winds + ", " + strings5,
		"soli SATB - SATB choir - org":   "Solo soprano, Solo alto, Solo tenor, Solo bass, Sopranos, Altos, Tenors, Basses of the choir, Organ",
		"soprano solo - SSA choir - pf":  "Solo soprano, 2 Sopranos, Altos, Piano",
		"solo T - hn - str":              "Solo tenor, Horn, " + strings5,
		"2 alto sax, bass guitar, 2 gtr": "2 Alto saxophone, Bass guitar, 2 Guitar",
		"choir - str (8.6.4.3.2)":        "Choir, " + strings5,
		"strings 6.5.4.3.2":              strings5,
		"timp - 4 perc - pf/cel":         "Timpani, 4 Percussion, Piano, Celesta",
		"4 horns, 3 trumpets, tuba":      "4 Horn, 3 Trumpet, Tuba",
		"1 1 1 1 | 1 1 1 | timp | str":   "Flute, Oboe, Clarinet, Bassoon, Horn, Trumpet, Trombone, Timpani, " + strings5,
		"2222/4231/timp.perc/str":        winds + ", " + brass + ", Timpani, Percussion, " + strings5,
		"2222-4231-timp-tam-tam-str":     winds + ", " + brass + ", Timpani, Tam-tam, " + strings5,
		"str 6.0.4.3.2":                  "Violins 1, Violas, Cellos, Basses",
		"1[pic].1[ca].1[bcl].1[cbn]":     "Piccolo, English horn, Bass clarinet, Contrabassoon",
	} {
		parts, unread, err := casting.Shorthand(line)
		require.NoError(t, err, line)
		count, order, seen := map[string]int{}, []string{}, map[string]bool{}
		for _, p := range parts {
			require.False(t, seen[p.Name], "%s: %s twice", line, p.Name)
			seen[p.Name] = true
			name := p.Name
			if !strings.HasPrefix(name, "Violins ") {
				name = strings.TrimRight(name, " 0123456789")
			}
			if count[name]++; count[name] == 1 {
				order = append(order, name)
			}
		}
		for n, name := range order {
			if count[name] > 1 {
				order[n] = fmt.Sprint(count[name], " ", name)
			}
		}
		require.Equal(t, want, strings.Join(order, ", "), line)
		require.Empty(t, unread, line)
	}
}

// What cannot be read is pointed at, by its place, and the rest is kept.
func TestWhatIsNoOrchestraIsPointedAt(t *testing.T) {
	for line, want := range map[string]struct{ text, says, kept string }{
		"3[1.2] 2":                      {"3[1.2]", "counts 3 players and names 2", "Flute 1, Flute 2, Oboe 1, Oboe 2"},
		"2[1.zither-of-salt]":           {"zither-of-salt", "no instrument has this name", "Flute 1"},
		"2 2 2 2 2 2":                   {"2 2 2 2 2 2", "counts 6 instruments; 4 are usual", "Flute 1, Flute 2, Oboe 1, Oboe 2, Clarinet 1, Clarinet 2, Bassoon 1, Bassoon 2"},
		"tmp+3 - 2foghorns - hp":        {"foghorns", "no instrument has this name", "Timpani, Percussion 1, Percussion 2, Percussion 3, Harp"},
		"99 2":                          {"99", "99 players of Flute are too many", "Oboe 1, Oboe 2"},
		"str 14.12":                     {"14.12", "the strings are five", "Violins 1, Violins 2, Violas, Cellos, Basses"},
		"hp - 7":                        {"7", "counts 0", ""},
		"2 2 2 2 - 4 2 3 1 - 2 2 - str": {"2 2", "counted already", "Flute 1, Flute 2, Oboe 1, Oboe 2, Clarinet 1, Clarinet 2, Bassoon 1, Bassoon 2, Horn 1, Horn 2, Horn 3, Horn 4, Trumpet 1, Trumpet 2, Trombone 1, Trombone 2, Trombone 3, Tuba, Violins 1, Violins 2, Violas, Cellos, Basses"},
		"hp - 2(pic - str":              {"(pic - str", "not closed", ""},
		"hp § pf":                       {"§", "means nothing here", "Harp, Piano"},
	} {
		parts, unread, err := casting.Shorthand(line)
		require.NoError(t, err, line)
		if want.kept == "" { // what remains is not the point
			continue
		}
		require.NotEmpty(t, unread, line)
		require.Equal(t, want.text, unread[0].Text, line)
		require.Contains(t, unread[0].Reason, want.says, line)
		require.LessOrEqual(t, unread[0].At, len(line))
		require.Equal(t, want.kept, names(parts), line)
	}
	for _, line := range []string{"", "- - -", "zither-of-salt", "foghorn 2"} {
		_, _, err := casting.Shorthand(line)
		require.Error(t, err, line)
	}
}

func FuzzShorthand(f *testing.F) {
	f.Add("3[1.2.pic] 3 3 3 - 4 3 3 1 - tmp+3 - 2hp - str 14.12.10.8.6")
	f.Add("2(II=picc).2(2ca).2+1.2 – 4331/T+3/soli SATB/pf(cel)/str(8.6.4.3.2)")
	f.Fuzz(func(t *testing.T, line string) {
		parts, unread, err := casting.Shorthand(line)
		require.True(t, err != nil || len(parts) > 0)
		require.LessOrEqual(t, len(parts), casting.MostParts)
		seen := map[string]bool{}
		for _, p := range parts {
			require.False(t, seen[p.Name], p.Name)
			seen[p.Name] = true
		}
		for _, u := range unread {
			require.LessOrEqual(t, u.At, len(line))
		}
	})
}

// studio is a catalogue of two libraries and a template that has a flute.
func studio() (t, cat *template.Template) {
	patch := func(id, library, name, is string, low, high int, list ...string) change.Entry[template.Patch] {
		p := &template.Patch{ID: template.ID(id), Library: template.ID(library), Player: "pl", Name: name, Sound: is, KeyLow: low, KeyHigh: high, PreloadMiB: 10}
		for n, a := range list {
			p.Map = append(p.Map, template.Mapping{Articulation: a, Switches: []template.Switch{{Kind: template.ByKey, Number: n}}})
		}
		return change.Append(p)
	}
	put := change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "mw", Name: "Millrace Winds"}), change.Append(&template.Library{ID: "lm", Name: "Low Meadow Textures"})},
		Players:   []change.Entry[template.Player]{change.Append(&template.Player{ID: "pl", Name: "Lamp player", Sounds: 16, Outputs: 8})},
		Patches: []change.Entry[template.Patch]{
			patch("f1l", "mw", "Flute 1 long", "wind.flutes.flute", 60, 96, "long", "legato", "flz."),
			patch("f1s", "mw", "Flute 1 short", "wind.flutes.flute", 60, 96, "stacc."),
			patch("f2l", "mw", "Flute 2 long", "wind.flutes.flute", 60, 96, "sustain"),
			patch("pad", "lm", "Salt drone", "synth.pad", 0, 127, "long"),
			patch("solo", "mw", "Solo flute", "wind.flutes.flute", 60, 96, "long", "legato", "stacc.", "flz."),
		},
	}
	cat = coretest.Must(template.New("c", "Catalogue"), put)
	rows := []intake.Row{{Line: 2, Section: "Winds", Instrument: "Flute 2", Articulations: []string{"long"}, Library: "Millrace Winds", Patch: "Flute 2 long", Stem: "Winds"}}
	base := coretest.Must(template.New("t", "T"), change.Put{Libraries: put.Libraries[:1], Players: put.Players, Patches: put.Patches[2:3]})
	batch, _, problems := intake.Plan(base, rows, intake.Sequence(), intake.StandardDefaults())
	if len(problems) > 0 {
		panic(problems[0].Reason)
	}
	return coretest.Must(base, batch), cat
}

func flute(n int, ways ...string) casting.Part {
	p := casting.Part{ID: fmt.Sprint("P", n), Name: fmt.Sprint("Flute ", n), Sound: "wind.flutes.flute", Notes: 10, Low: 65, High: 90}
	for _, w := range ways {
		p.Ways = append(p.Ways, casting.Way{Name: w, Notes: 5})
	}
	return p
}

func TestTheDeskGoesFirstAndTheRestIsCovered(t *testing.T) {
	tpl, cat := studio()
	c := casting.New(tpl, cat)
	cast := c.Cast([]casting.Part{flute(1, "long", "staccato", "trill")}, []template.Preference{{Kind: template.FromAnywhere}}, nil)[0]
	require.Equal(t, []template.ID{"f1l", "f1s"}, cast.Patches, "no soloist for a desk of the orchestra")
	require.Equal(t, []string{"trill"}, cast.Lacks)
	require.Equal(t, "1. any library", cast.Why)
	require.False(t, cast.Outside)
}

func TestTheOrderOfTheListDecides(t *testing.T) {
	tpl, cat := studio()
	c := casting.New(tpl, cat)
	list := casting.Shipped()[0].Entries
	cast := c.Cast([]casting.Part{
		flute(2, "long"), {ID: "X", Name: "Keeper's breath"}, {ID: "O", Name: "Oboe", Sound: "wind.reed.oboe"},
	}, list, nil)
	require.Len(t, cast[0].Instruments, 1)
	require.Equal(t, 0, cast[0].Entry)
	require.Equal(t, []template.ID{"pad"}, cast[1].Patches)
	require.Equal(t, []template.ID{"pad"}, cast[2].Patches, "the last resort plays everything")
	require.Equal(t, 2, cast[2].Entry)

	only := c.Cast([]casting.Part{{ID: "O", Name: "Oboe", Sound: "wind.reed.oboe"}}, []template.Preference{{Kind: template.FromLibrary, Library: "mw", Sounds: []string{"wind"}}}, nil)[0]
	require.Equal(t, casting.Nobody, only.Entry)
	limited := c.Cast([]casting.Part{flute(1, "long")}, []template.Preference{{Kind: template.FromLibrary, Library: "mw", Sounds: []string{"strings"}}, {Kind: template.FromSet, Name: "favourites", Patches: []template.ID{"solo"}}}, nil)[0]
	require.Equal(t, []template.ID{"solo"}, limited.Patches)
	require.Equal(t, "2. the set favourites", limited.Why)
}

func TestByHandAndOutOfRange(t *testing.T) {
	tpl, cat := studio()
	p := flute(1, "flutter-tongue")
	p.Low = 40
	cast := casting.New(tpl, cat).Cast([]casting.Part{p}, nil, map[string][]template.ID{"P1": {"f1l"}})[0]
	require.Equal(t, casting.ByHand, cast.Entry)
	require.Empty(t, cast.Lacks)
	require.True(t, cast.Outside)
}

func TestApplyAddsWhatIsMissingAndCallsEverybody(t *testing.T) {
	tpl, cat := studio()
	cast := casting.New(tpl, cat).Cast([]casting.Part{flute(2, "long"), flute(1, "long", "staccato")}, casting.Shipped()[1].Entries, nil)
	next := intake.Sequence()
	mint := func(kind string) template.ID { return "new-" + next(kind) }
	c, err := casting.Apply(tpl, cat, cast, "1M03 The causeway", mint)
	require.NoError(t, err)
	after := coretest.Must(tpl, c)
	require.Len(t, after.Instruments, 3, "the flute that plays the patch already is not added again")
	require.Len(t, after.Calls[0].Instruments, 3)
	again, err := casting.Apply(after, cat, cast, "1m03 the causeway", mint)
	require.NoError(t, err)
	twice := coretest.Must(after, again)
	require.Len(t, twice.Instruments, 3)
	require.Len(t, twice.Calls, 1)
	_, err = casting.Apply(tpl, cat, nil, "X", mint)
	require.ErrorContains(t, err, "nobody plays")
}

// Where nothing is asked for, as in a line of shorthand, the whole desk comes.
func TestTheWholeDeskComesForALine(t *testing.T) {
	tpl, cat := studio()
	parts, _, err := casting.Shorthand("2")
	require.NoError(t, err)
	cast := casting.New(tpl, cat).Cast(parts, []template.Preference{{Kind: template.FromAnywhere}}, nil)
	require.Equal(t, []template.ID{"f1l", "f1s"}, cast[0].Patches)
	require.Equal(t, []template.ID{"f2l"}, cast[1].Patches)
}

// Whatever is cast can be applied, and everyone chosen plays in the call.
func TestAnyCastCanBeApplied(t *testing.T) {
	tpl, cat := studio()
	rapid.Check(t, func(r *rapid.T) {
		var parts []casting.Part
		for n := range rapid.IntRange(1, 6).Draw(r, "parts") {
			p := flute(n, rapid.SliceOfN(rapid.SampledFrom([]string{"long", "stacc.", "flz.", "trill"}), 0, 3).Draw(r, "ways")...)
			p.Sound = rapid.SampledFrom([]string{"wind.flutes.flute", "wind.reed.oboe", ""}).Draw(r, "sound")
			parts = append(parts, p)
		}
		list := rapid.SampledFrom(casting.Shipped()).Draw(r, "list")
		cast := casting.New(tpl, cat).Cast(parts, list.Entries, nil)
		next := intake.Sequence()
		c, err := casting.Apply(tpl, cat, cast, "Score", func(kind string) template.ID { return "new-" + next(kind) })
		if err != nil {
			require.ErrorContains(r, err, "nobody plays")
			return
		}
		after := coretest.Must(tpl, c)
		plays := map[template.ID]bool{}
		for _, id := range after.Calls[0].Instruments {
			for _, p := range after.Instrument(id).Patches {
				plays[p] = true
			}
		}
		for _, c := range cast {
			for _, p := range c.Patches {
				require.True(r, plays[p])
			}
		}
	})
}

// Every starting point that comes along can be read, and begins a sound template
// whose rows wait for patches in their sections.
func TestBeginnings(t *testing.T) {
	for _, b := range casting.Beginnings() {
		empty := template.New("t", "T")
		c, err := casting.Begin(empty, b.Line, coretest.Mint())
		require.NoError(t, err, b.Name)
		now, _, err := change.Apply(empty, c)
		require.NoError(t, err, b.Name)
		require.NotEmpty(t, now.Instruments)
		names := map[string]bool{}
		for _, i := range now.Instruments {
			require.Equal(t, template.Spare, i.Kind)
			require.Len(t, i.Routes, 1, i.Name)
			require.False(t, names[string(i.Section)+i.Name], "%s is twice in %s", i.Name, b.Name)
			names[string(i.Section)+i.Name] = true
		}
	}
	_, err := casting.Begin(template.New("t", "T"), "", coretest.Mint())
	require.ErrorContains(t, err, "the line cannot be read")
}

// Every starting point, and a line of every instrument there is, row by row: the rows of
// an instrument can be asked of it, their names say so, they stand in its section, and go
// to a stem of that section.
func TestABeginningIsWhatMusiciansPlay(t *testing.T) {
	lines := map[string]string{}
	for _, b := range casting.Beginnings() {
		lines[b.Name] = b.Line
	}
	var all []string
	for _, s := range sound.All() {
		if s.ID != "strings.violin" && s.ID != "strings.group" {
			all = append(all, s.Name)
		}
	}
	lines["everything"] = strings.Join(all, ", ")
	words := articulation.NewVocabulary(nil)
	for name, line := range lines {
		parts, unread, err := casting.Shorthand(line)
		require.NoError(t, err, name)
		require.Empty(t, unread, name)
		c, err := casting.Begin(template.New("t", "T"), line, coretest.Mint())
		require.NoError(t, err, name)
		now := coretest.Must(template.New("t", "T"), c)
		f := fan.New(now)
		rows := 0
		for _, p := range parts {
			is := sound.ByID(p.Sound)
			require.NotNil(t, is, p.Name)
			for _, d := range sound.How(p.Sound).Desks {
				full := strings.TrimSpace(p.Name + " " + d.Suffix)
				n := slices.IndexFunc(now.Instruments, func(i *template.Instrument) bool { return i.Name == full })
				require.GreaterOrEqual(t, n, 0, "%s: %s", name, full)
				i := now.Instruments[n]
				rows++
				for _, a := range i.Articulations {
					term := words.Find(a)
					require.NotNil(t, term, a)
					require.Equal(t, term.Name, a, "by its standard name")
					require.True(t, sound.How(p.Sound).Can(a), "%s: %s", full, a)
					switch d.Suffix {
					case "long":
						require.NotEqual(t, template.Short, term.Family, "%s: %s", full, a)
					case "short":
						require.Equal(t, template.Short, term.Family, "%s: %s", full, a)
					}
				}
				path := now.SectionPath(i.Section)
				switch {
				case strings.HasPrefix(is.Section, "Strings") && !strings.Contains(is.Section, "Soloists"):
					require.Equal(t, "Strings / "+p.Name, path)
				case strings.HasPrefix(p.Name, "Solo "):
					require.Equal(t, "Voices / Soloists", path, full)
				default:
					require.Equal(t, is.Section, path, full)
				}
				stems := f.Stems(i, now.Folds[0].ID)
				require.Len(t, stems, 1)
				require.Equal(t, strings.ReplaceAll(path, " / ", ", "), stems[0].Name)
			}
		}
		require.Equal(t, rows, len(now.Instruments), name)
	}
}

// Family goes before name, a general part goes to who in its section can play it, and the
// last resort stays in the family and takes nobody whom another part needs.
func TestCastingKeepsToFamilies(t *testing.T) {
	put := change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "all", Name: "Tidewater"})},
		Players:   []change.Entry[template.Player]{change.Append(&template.Player{ID: "pl", Name: "Lamp player", Sounds: 16, Outputs: 8})},
	}
	for n, is := range []string{
		"voice.bass", "voice.alto", "voice.soprano", "voice.tenor", "strings.contrabass", "strings.viola", "strings.cello", "strings.violin",
		"pluck.harp", "drum.snare-drum", "drum.bass-drum", "wind.reed.clarinet.bass", "brass.trombone", "synth.pad",
	} {
		low, high := 20, 110 // wide enough for any last resort
		put.Patches = append(put.Patches, change.Append(&template.Patch{ID: template.ID(is), Library: "all", Player: "pl", Name: fmt.Sprint("Sound ", n), Sound: is, KeyLow: low, KeyHigh: high, PreloadMiB: 10}))
	}
	cat := coretest.Must(template.New("c", "Catalogue"), put)
	cast := func(names ...string) map[string]string {
		var parts []casting.Part
		for n, name := range names {
			parts = append(parts, casting.Part{ID: fmt.Sprint(n), Name: name, Sound: casting.SoundOf(nil, name), Notes: 10, Low: 40, High: 60})
		}
		out := map[string]string{}
		list := []template.Preference{{Kind: template.FromAnywhere}, {Kind: template.LastResort}}
		for n, c := range casting.New(template.New("t", "T"), cat).Cast(parts, list, nil) {
			if len(c.Patches) > 0 {
				out[names[n]] = string(c.Patches[0])
			}
		}
		return out
	}
	require.Equal(t, "strings.contrabass", cast("Violins 1", "Violins 2", "Violas", "Cellos", "Basses")["Basses"])
	choir := cast("Sopranos", "Altos", "Tenors", "Basses", "Violins 1", "Violins 2")
	require.Equal(t, []string{"voice.soprano", "voice.alto", "voice.tenor", "voice.bass"}, []string{choir["Sopranos"], choir["Altos"], choir["Tenors"], choir["Basses"]})
	require.Equal(t, "strings.viola", cast("Violons I", "Violons II", "Altos", "Violoncelles", "Contrebasses")["Altos"])
	drums := cast("Percussion 1", "Harp", "Timpani")
	require.Contains(t, []string{"drum.snare-drum", "drum.bass-drum"}, drums["Percussion 1"])
	require.Equal(t, "pluck.harp", drums["Harp"])
	require.Contains(t, []string{"drum.snare-drum", "drum.bass-drum"}, drums["Timpani"], "the last resort stays in the family")
	winds := cast("Bassoon", "Bass clarinet")
	require.NotEqual(t, winds["Bassoon"], winds["Bass clarinet"], "nobody is taken whom another part needs")
	require.Equal(t, "wind.reed.clarinet.bass", cast("Bassoon")["Bassoon"])
}

// Who takes a second instrument is known, however it is written.
func TestWhoTakesASecondInstrument(t *testing.T) {
	for line, want := range map[string]string{
		"2[1.2/pic] 2[1.2/Eh]": "Piccolo: Flute 2, English horn: Oboe 2",
		"2(II=picc).3(III=ca)": "Piccolo: Flute 2, English horn: Oboe 3",
		"3(pic) 2(ca)":         "Piccolo: Flute 3, English horn: Oboe 2",
		"3[1.2.pic] 2 2 2":     "",
		"pf/cel":               "",
	} {
		parts, _, err := casting.Shorthand(line)
		require.NoError(t, err)
		said := []string{}
		for _, p := range parts {
			if p.Beside != "" {
				said = append(said, p.Name+": "+p.Beside)
			}
		}
		require.Equal(t, want, strings.Join(said, ", "), line)
	}
}

// A part of several is for those who play as one, a part of one for the first desk; how
// many are asked for counts.
func TestOneOrSeveral(t *testing.T) {
	cat := template.New("cat", "Catalogue")
	cat.Players = []*template.Player{{ID: "p", Name: "Lamp player", Sounds: 16, Outputs: 16}}
	cat.Libraries = []*template.Library{{ID: "l", Name: "Tallow Brass", Code: "TB"}}
	for _, name := range []string{"Horn 1", "Horn 2", "Horns a 2", "Horns a 4", "Horns a 6", "Trombone 1", "Piccolo trumpet", "Trumpet 1", "Cellos a 6", "Cellos", "Violas a 4"} {
		cat.Patches = append(cat.Patches, &template.Patch{ID: template.ID(name), Library: "l", Player: "p", Name: name, Sound: casting.SoundOf(nil, name), KeyHigh: 127})
	}
	cat.Normalise()
	for part, want := range map[string]template.ID{
		"Horn in F": "Horn 1", "Horns in F": "Horns a 4", "2 Horns": "Horns a 2", "Horns a 6": "Horns a 6", "Horn 2": "Horn 2", "Horn 3": "Horn 1", "Trombones": "Trombone 1", "Trumpet": "Trumpet 1", "Celli": "Cellos", "Violas": "Violas a 4",
	} {
		got := casting.New(template.New("t", "T"), cat).Cast([]casting.Part{{ID: "x", Name: part, Sound: casting.SoundOf(nil, part)}}, casting.Shipped()[1].Entries, nil)
		require.Equal(t, []template.ID{want}, got[0].Patches, part)
	}
}

// Desks that are kept apart share what there is evenly, before they take who play as one.
func TestDesksShareEvenly(t *testing.T) {
	cat := template.New("cat", "Catalogue")
	cat.Players = []*template.Player{{ID: "p", Name: "Lamp player", Sounds: 16, Outputs: 16}}
	cat.Libraries = []*template.Library{{ID: "l", Name: "Tallow Brass", Code: "TB"}}
	for _, name := range []string{"Horns a 4", "Horn 1", "Horn 2"} {
		cat.Patches = append(cat.Patches, &template.Patch{ID: template.ID(name), Library: "l", Player: "p", Name: name, Sound: "brass.french-horn", KeyHigh: 127})
	}
	cat.Normalise()
	var parts []casting.Part
	for n := range 6 {
		parts = append(parts, casting.Part{ID: fmt.Sprint(n), Name: fmt.Sprint("Horn ", n+1), Sound: "brass.french-horn"})
	}
	got := []template.ID{}
	for _, c := range casting.New(template.New("t", "T"), cat).Apart().Cast(parts, casting.Shipped()[1].Entries, nil) {
		got = append(got, c.Patches...)
	}
	require.Equal(t, []template.ID{"Horn 1", "Horn 2", "Horn 1", "Horn 2", "Horn 1", "Horn 2"}, got)
}
