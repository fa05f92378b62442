package session_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
)

// saved is a session as a sequencer would give it back: IDs of its own, and the marks where they
// survive.
func saved(s session.Session, marks bool) *session.Session {
	ids := map[template.ID]template.ID{}
	var name func(list []*session.Track)
	name = func(list []*session.Track) {
		for _, x := range list {
			ids[x.ID] = template.ID(fmt.Sprintf("id%d", len(ids)+100))
			name(x.Children)
		}
	}
	name(s.Tracks)
	var copied func(list []*session.Track) []*session.Track
	copied = func(list []*session.Track) (out []*session.Track) {
		for _, x := range list {
			c := *x
			if c.ID = ids[x.ID]; marks {
				c.Mark = x.ID
			}
			c.To = ids[x.To]
			c.Sends = nil
			for _, y := range x.Sends {
				y.To = ids[y.To]
				c.Sends = append(c.Sends, y)
			}
			c.Children = copied(x.Children)
			out = append(out, &c)
		}
		return out
	}
	s.Tracks = copied(s.Tracks)
	return &s
}

// find is the track of a name; do may change it.
func find(t require.TestingT, s *session.Session, name string) (found *session.Track, among *[]*session.Track) {
	var walk func(list *[]*session.Track)
	walk = func(list *[]*session.Track) {
		for _, x := range *list {
			if x.Name == name && found == nil {
				found, among = x, list
			}
			walk(&x.Children)
		}
	}
	walk(&s.Tracks)
	require.NotNil(t, found, name)
	return found, among
}

func drop(t require.TestingT, s *session.Session, name string) {
	x, among := find(t, s, name)
	for n, y := range *among {
		if y == x {
			*among = append((*among)[:n:n], (*among)[n+1:]...)
			return
		}
	}
}

func lantern(t *testing.T) *template.Template {
	x, err := demo.Template()
	require.NoError(t, err)
	return x
}

func read(t require.TestingT, here *template.Template, s *session.Session, answers map[template.ID]string) *session.Reading {
	r, err := session.Read(here, s, session.Options{Mint: session.Fresh(coretest.Mint()), Answers: answers})
	require.NoError(t, err)
	return r
}

// told is what differs, a line each.
func told(here, there *template.Template) []string {
	d := session.Against(here, there)
	var out []string
	for _, x := range d.Differences {
		line := fmt.Sprintf("%s %s %s", x.How, x.Noun, x.Name)
		for _, f := range x.Fields {
			line += fmt.Sprintf("; %s %s > %s", f.Name, f.Here, f.There)
		}
		out = append(out, line)
	}
	if len(d.Elsewhere) > 0 {
		out = append(out, "elsewhere: "+strings.Join(d.Elsewhere, ", "))
	}
	return out
}

// What nobody changed has not drifted, with marks and without.
func TestNothingHasDrifted(t *testing.T) {
	here := lantern(t)
	here = coretest.Must(here, change.Add{Instruments: []change.Placed{
		{At: 2, Instrument: &template.Instrument{ID: "line", Section: here.Instruments[1].Section, Kind: template.Divider}},
	}})
	require.Contains(t, session.Of(here, nil).Left, "dividers (1)")
	for _, marks := range []bool{true, false} {
		r := read(t, here, saved(session.Of(here, nil), marks), nil)
		require.Empty(t, told(here, r.There), marks)
		require.Empty(t, r.Ask)
		rows := 0
		for _, n := range r.Found {
			rows += n
		}
		spare := 0
		for _, i := range here.Instruments {
			if !i.Played() {
				spare++
			}
		}
		require.Equal(t, len(here.Instruments)-spare, rows)
	}
}

// What weeks of work do to a session, each told in words, with marks and without.
func TestWhatHasDrifted(t *testing.T) {
	here := lantern(t)
	for _, marks := range []bool{true, false} {
		for _, x := range []struct {
			name string
			do   func(s *session.Session)
			want []string
		}{
			{"a level", func(s *session.Session) {
				x, _ := find(t, s, "Flute 1 long")
				x.Gain *= .5
			}, []string{"changed row Flute 1 long; level 0 dB > -6.02 dB"}},
			{"a pan", func(s *session.Session) {
				x, _ := find(t, s, "Flute 1 long")
				x.Pan = -.25
			}, []string{"changed row Flute 1 long; pan  > -0.25"}},
			{"a row less", func(s *session.Session) { drop(t, s, "Flute 1 short") }, []string{"removed row Flute 1 short"}},
			{"a row more", func(s *session.Session) {
				x, among := find(t, s, "Flute 1 short")
				*among = append(*among, &session.Track{ID: "new", Name: "Flute 1 flutter", Kind: session.Notes, Role: session.Regular, Gain: 1, To: x.To})
			}, []string{"added row Flute 1 flutter"}},
			{"another name", func(s *session.Session) {
				x, _ := find(t, s, "Flute 1 long")
				x.Name = "Flute 1 sustains"
			}, []string{"changed row Flute 1 sustains; name Flute 1 long > Flute 1 sustains"}},
		} {
			s := saved(session.Of(here, nil), marks)
			x.do(s)
			require.Equal(t, x.want, told(here, read(t, here, s, nil).There), "%s, marks %v", x.name, marks)
		}
	}
}

// What is moved, recoloured, wired otherwise, put in another order or in folders of other names.
func TestWhatHasMoved(t *testing.T) {
	here := lantern(t)
	stemOf := func(s *session.Session, name string) *session.Track {
		x, _ := find(t, s, name)
		return x
	}
	for _, marks := range []bool{true, false} {
		for _, x := range []struct {
			name string
			do   func(s *session.Session)
			want []string
		}{
			{"into another folder", func(s *session.Session) {
				x, _ := find(t, s, "Flute 1 long")
				drop(t, s, "Flute 1 long")
				to, _ := find(t, s, "Oboes")
				to.Children = append(to.Children, x)
			}, []string{"changed row Flute 1 long; section Winds / Flutes > Winds / Oboes"}},
			{"a folder renamed", func(s *session.Session) { stemOf(s, "Flutes").Name = "Fl." },
				[]string{"changed section Fl.; name Flutes > Fl."}},
			{"another order", func(s *session.Session) {
				f, _ := find(t, s, "Flutes")
				f.Children[0], f.Children[1] = f.Children[1], f.Children[0]
			}, []string{"elsewhere: " + here.ScoreOrder()[1].Name}},
			{"a colour", func(s *session.Session) { stemOf(s, "Flute 1 long").Colour = stemOf(s, "Strings").Colour },
				[]string{"changed row Flute 1 long; colour  > " + here.TintOf(sectionNamed(here, "Strings"))}},
			{"nearly its colour", func(s *session.Session) {
				x := stemOf(s, "Flute 1 long")
				x.Colour = x.Colour[:6] + "a"
			}, nil},
			{"a send less", func(s *session.Session) {
				x := stemOf(s, "Flute 1 long")
				require.NotEmpty(t, x.Sends)
				x.Sends = nil
			}, []string{"changed row Flute 1 long"}},
		} {
			s := saved(session.Of(here, nil), marks)
			x.do(s)
			got := told(here, read(t, here, s, nil).There)
			if x.name == "a send less" {
				require.Len(t, got, 1)
				require.Contains(t, got[0], "; routes ")
				continue
			}
			require.Equal(t, x.want, got, "%s, marks %v", x.name, marks)
		}
	}
}

func sectionNamed(t *template.Template, name string) template.ID {
	for _, s := range t.Sections {
		if s.Name == name {
			return s.ID
		}
	}
	return ""
}

// A row whose mark is lost and whose name is another is asked for: proposed as the same where the
// names are akin, as a new one where they are not; the answer counts.
func TestWhatStandsInARowsPlace(t *testing.T) {
	here := lantern(t)
	was := here.ScoreOrder()[2].Name
	for name, proposed := range map[string]string{strings.Fields(was)[0] + " quite other": session.Same, "Whale song": session.New} {
		for _, said := range []string{"", session.Same, session.New} {
			s := saved(session.Of(here, nil), false)
			x, _ := find(t, s, was)
			x.Name = name
			r := read(t, here, s, map[template.ID]string{x.ID: said})
			require.Len(t, r.Ask, 1)
			require.Equal(t, x.ID, r.Ask[0].Key)
			want := said
			if said == "" {
				want = proposed
			}
			require.Equal(t, want, r.Ask[0].Chosen, "%s, %q said", name, said)
			got := told(here, r.There)
			if want == session.Same {
				require.Equal(t, []string{fmt.Sprintf("changed row %s; name %s > %s", name, was, name)}, got)
			} else {
				require.Contains(t, got, "added row "+name)
				require.Contains(t, got, "removed row "+was)
			}
		}
	}
}

// A copied track has the mark of the first; the one that kept its name is the row.
func TestACopiedTrack(t *testing.T) {
	here := lantern(t)
	s := saved(session.Of(here, nil), true)
	x, among := find(t, s, "Flute 1 long")
	c := *x
	c.ID, c.Name = "copy", "Flute 1 long copy"
	*among = append([]*session.Track{&c}, *among...)
	require.Equal(t, []string{"added row Flute 1 long copy"}, told(here, read(t, here, s, nil).There))
}

// One of the session's differences is taken, the others stay; and its order.
func TestTakingSomeOfIt(t *testing.T) {
	here := lantern(t)
	s := saved(session.Of(here, nil), true)
	x, _ := find(t, s, "Flute 1 long")
	x.Name, x.Pan = "Flute 1 sustains", .5
	drop(t, s, "Flute 1 short")
	f, _ := find(t, s, "Oboes")
	slices.Reverse(f.Children)
	r := read(t, here, s, nil)
	require.Len(t, told(here, r.There), 3)
	c, err := session.Take(here, r.There, []compare.Pick{{Noun: compare.Row, ID: x.Mark, Field: "name"}}, true, coretest.Mint())
	require.NoError(t, err)
	after := coretest.Must(here, c)
	require.Equal(t, []string{"changed row Flute 1 sustains; pan  > 0.5", "removed row Flute 1 short"}, told(after, r.There))
	_, err = session.Take(here, r.There, nil, false, coretest.Mint())
	require.ErrorContains(t, err, "choose at least one difference")
}

// A session that somebody has becomes a template: folders are sections, tracks rows with what they
// play, buses stems, groups and returns by what they feed; what is unsure is asked.
func TestASessionBecomesATemplate(t *testing.T) {
	track := func(id, name string, kind session.Kind, role session.Role, to string, inside ...*session.Track) *session.Track {
		return &session.Track{ID: template.ID(id), Name: name, Kind: kind, Role: role, To: template.ID(to), Gain: 1, Children: inside}
	}
	violins := track("1", "Violins 1 legato", session.Notes, session.Regular, "g")
	violins.Sends = []session.Send{{To: "hall", Pre: true, Gain: .5}}
	violins.Gain, violins.Pan = .5, -.4
	take := track("3", "Solo take", session.Audio, session.Regular, "s")
	take.Recorded = true
	s := &session.Session{
		Name: "Harbour", Tempi: []session.Tempo{{BPM: 92}},
		Tracks: []*session.Track{
			track("f", "Strings", session.Folder, session.NoRole, "", track("f2", "Violins", session.Folder, session.NoRole, "", violins), take),
			track("x", "Film", session.Folder, session.NoRole, "", track("4", "Dialogue", session.Audio, session.Regular, "")),
			track("5", "Horns long", session.Notes, session.Regular, "g2"),
			track("6", "Booth", session.Audio, session.Regular, "s"),
			track("g", "High", session.Sums, session.Submix, "s"),
			track("g2", "Low", session.Sums, session.Submix, "m"),
			track("s", "All strings", session.Sums, session.Submix, "m"),
			track("hall", "Hall", session.Sums, session.Effect, "s"),
			track("m", "Main", session.Sums, session.Master, ""),
		},
	}
	r, err := session.Begin(s, session.Options{Mint: session.Fresh(coretest.Mint()), Answers: map[template.ID]string{"recorded": session.AsInput}})
	require.NoError(t, err)
	x := r.There
	require.Equal(t, "Harbour", x.Name)
	require.InDelta(t, 92, x.Settings.TempoBPM, 1e-9)
	kinds := map[string]template.BusKind{}
	for _, b := range x.Buses {
		kinds[b.Name] = b.Kind
	}
	require.Equal(t, map[string]template.BusKind{"High": template.Group, "Low": template.Stem, "All strings": template.Stem, "Hall": template.Return, "Main": template.Mix, "Speakers": template.Speakers}, kinds)
	rows := map[string]*template.Instrument{}
	for _, i := range x.Instruments {
		rows[x.InstrumentPath(i)] = i
	}
	v := rows["Strings / Violins / Violins 1 legato"]
	require.NotNil(t, v)
	require.Equal(t, []string{"legato"}, v.Articulations)
	require.InDelta(t, -6.02, v.GainDB, 1e-9)
	require.InDelta(t, -.4, v.Pan, 1e-9)
	require.ElementsMatch(t, []template.Route{{To: x.FindBus(template.Group, "High").ID, Tap: template.Post}, {To: x.FindBus(template.Return, "Hall").ID, Tap: template.Pre, GainDB: -6.02}}, v.Routes)
	require.Equal(t, template.Guide, rows["Film / Dialogue"].Kind)
	require.Equal(t, template.Input, rows["Strings / Solo take"].Kind)
	require.NotNil(t, rows["Brass / Horns / Horns long"], "by what it is, since it lies in no folder: %v", rows)
	require.Equal(t, sectionNamed(x, "Violins"), x.FindBus(template.Group, "High").Section, "the tint of what feeds it")
	require.Equal(t, x.Folds[0].ID, x.FindBus(template.Stem, "All strings").Fold, "the only stems are those of the finest fold")
	finer, err := session.Begin(s, session.Options{Mint: session.Fresh(coretest.Mint()), Answers: map[template.ID]string{"feeds-stems": session.AsStem}})
	require.NoError(t, err)
	require.Equal(t, x.Folds[0].Name, foldName(finer.There, "High"))
	require.Equal(t, x.Folds[1].Name, foldName(finer.There, "All strings"))
	var asked []string
	for _, q := range r.Ask {
		asked = append(asked, q.Text+" "+q.Chosen)
	}
	require.Equal(t, []string{"Tracks that feed the mix (2): are they stems? stem", "Tracks that feed those (1): are they stems of a finer fold? group", "Tracks that hold recordings (1): what are they? input", "Empty audio tracks (1): what are they? input"}, asked)
}

func foldName(t *template.Template, stem string) string {
	for _, f := range t.Folds {
		if b := t.FindBus(template.Stem, stem); b != nil && b.Fold == f.ID {
			return f.Name
		}
	}
	return ""
}

// A MIDI file knows names and order alone: nothing else is taken to differ, and a row that it lacks is
// told, not taken away.
func TestAFlatSession(t *testing.T) {
	here := lantern(t)
	var s session.Session
	s.Flat = true
	for _, i := range here.ScoreOrder() {
		if i.Kind == template.Sampled {
			s.Tracks = append(s.Tracks, &session.Track{ID: "t-" + i.ID, Name: i.Name, Kind: session.Notes, Role: session.Regular})
		}
	}
	require.Empty(t, told(here, read(t, here, &s, nil).There))
	s.Tracks[0].Name = strings.Fields(s.Tracks[0].Name)[0] + " renamed"
	s.Tracks = slices.Delete(s.Tracks, 5, 6)
	r := read(t, here, &s, nil)
	require.Equal(t, []string{"changed row " + s.Tracks[0].Name + "; name " + here.ScoreOrder()[0].Name + " > " + s.Tracks[0].Name}, told(here, r.There))
	require.Contains(t, strings.Join(r.Left, "\n"), here.ScoreOrder()[5].Name)
}

// Whatever is changed in a template and leaves as a session comes back as that session.
func TestAnySessionComesBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		here := coretest.Orchestra(rapid.IntRange(2, 30).Draw(r, "rows"), 1)
		there := here
		for range rapid.IntRange(1, 8).Draw(r, "changes") {
			if len(there.Instruments) < 2 {
				break
			}
			if after, _, err := change.Apply(there, coretest.Any(there).Draw(r, "change")); err == nil {
				there = after
			}
		}
		marks := rapid.Bool().Draw(r, "marks")
		want := session.Of(there, nil)
		reading := read(r, here, saved(want, marks), nil)
		got := session.Of(reading.There, nil)
		alike(r, want, got)
		if !marks {
			return
		}
		// Taking all of it brings the template there.
		d := session.Against(here, reading.There)
		if d.Alike() {
			return
		}
		var picks []compare.Pick
		for _, x := range d.Differences {
			picks = append(picks, compare.Pick{Noun: x.Noun, ID: x.ID})
		}
		c, err := session.Take(here, reading.There, picks, true, coretest.Mint())
		require.NoError(r, err)
		after, _, err := change.Apply(here, c)
		require.NoError(r, err)
		final := session.Of(after, nil)
		alike(r, want, final)
	})
}

func names(list []*session.Track) map[template.ID]string {
	out := map[template.ID]string{}
	for _, x := range list {
		out[x.ID] = x.Name
		for id, name := range names(x.Children) {
			out[id] = name
		}
	}
	return out
}

// line is a track in words, with its levels, dB.
type line struct {
	text   string
	levels []float64
}

// alike asks that two sessions are the same, to a hundredth of a dB; buses in any order.
func alike(t require.TestingT, want, got session.Session) {
	a, b := outlined(want.Tracks), outlined(got.Tracks)
	var wanted, had []string
	for _, x := range a {
		wanted = append(wanted, x.text)
	}
	for _, x := range b {
		had = append(had, x.text)
	}
	require.Equal(t, wanted, had)
	for n := range a {
		for k := range a[n].levels {
			require.InDelta(t, a[n].levels[k], b[n].levels[k], .011, a[n].text)
		}
	}
}

func outlined(list []*session.Track) []line {
	out := outline(list, 0, names(list))
	at := slices.IndexFunc(out, func(s line) bool { return strings.HasPrefix(s.text, string(session.Sums)) })
	slices.SortStableFunc(out[max(0, at):], func(a, b line) int { return strings.Compare(a.text, b.text) })
	return out
}

// outline is a session in lines, things by their names.
func outline(list []*session.Track, deep int, names map[template.ID]string) (out []line) {
	for _, x := range list {
		inside := outline(x.Children, deep+1, names)
		if x.Kind == session.Folder && len(inside) == 0 {
			continue
		}
		tint := x.Colour
		if x.Kind == session.Sums {
			tint = "" // that of its section, if it has one
		}
		ways := slices.Clone(x.Sends)
		if x.To != "" {
			ways = append(ways, session.Send{To: x.To, Gain: 1})
		}
		slices.SortStableFunc(ways, func(a, b session.Send) int { return strings.Compare(names[a.To], names[b.To]) })
		l := line{fmt.Sprintf("%*s%s %s %s %s %.3f >", 2*deep, "", x.Kind, x.Role, x.Name, tint, x.Pan), []float64{session.DB(x.Gain)}}
		for _, s := range ways {
			l.text += fmt.Sprintf(" %s %v", names[s.To], s.Pre)
			l.levels = append(l.levels, session.DB(s.Gain))
		}
		out = append(append(out, l), inside...)
	}
	return out
}
