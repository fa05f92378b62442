package casting_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// desk is a template of one flute desk in two rows, with key switches on one,
// and horns.
func desk() *template.Template {
	t := template.New("t", "T")
	t.Sections = []*template.Section{{ID: "s", Name: "Winds"}}
	t.Libraries = []*template.Library{{ID: "l", Name: "Millrace Winds", Code: "MW"}}
	t.Players = []*template.Player{{ID: "p", Name: "Lamp player", Sounds: 16, Outputs: 16}}
	t.Machines = []*template.Machine{{ID: "m", Name: "Birch", MemoryMiB: 4096, Cores: 8, DiskMiBs: 100}}
	for n, r := range []struct {
		id, name, sound string
		ways            []string
	}{
		{"long", "Flute 1 long", "wind.flutes.flute", []string{"long", "legato"}},
		{"short", "Flute 1 short", "wind.flutes.flute", []string{"staccato"}},
		{"horns", "Horns a 4", "brass.french-horn", []string{"long"}},
	} {
		id := template.ID(r.id)
		t.Patches = append(t.Patches, &template.Patch{ID: id + "-patch", Library: "l", Player: "p", Name: r.name, Sound: r.sound, KeyHigh: 127, PreloadMiB: 100})
		t.Instruments = append(t.Instruments, &template.Instrument{
			ID: id, Name: r.name, Section: "s", Kind: template.Sampled, Patches: []template.ID{id + "-patch"}, Articulations: r.ways,
			Seat: &template.Seat{Machine: "m", Riser: 1, Port: 2, Channel: n + 1, Pair: 2},
		})
	}
	t.Instruments[0].Map = []template.Mapping{
		{Articulation: "long", Switches: []template.Switch{{Kind: template.ByKey, Number: 12}}},
		{Articulation: "legato", Switches: []template.Switch{{Kind: template.ByKey, Number: 13}}},
	}
	t.Normalise()
	if err := t.Validate(); err != nil {
		panic(err)
	}
	return t
}

func heardNotes(ways ...string) articulation.Part {
	var p articulation.Part
	for n, w := range ways {
		x := articulation.Note{Start: int64(n) * 480, End: int64(n)*480 + 400, Key: 72 + n, Velocity: 64 + n}
		if w != "" {
			x.Articulations = []string{w}
		}
		p.Notes = append(p.Notes, x)
	}
	return p
}

func music(id, name string, port, channel int, played articulation.Part) casting.Music {
	m := casting.Music{Part: casting.Part{ID: id, Name: name, Sound: casting.SoundOf(nil, name), Notes: len(played.Notes), Low: 60, High: 80}, Port: port, Channel: channel, Played: played}
	for _, n := range played.Notes {
		for _, w := range n.Articulations {
			m.Ways = append(m.Ways, casting.Way{Name: w, Notes: 1})
		}
	}
	return m
}

func TestHear(t *testing.T) {
	d := desk()
	c := casting.New(d, template.New("cat", "Catalogue"))
	hear := func(m casting.Music, hand map[string][]template.ID) casting.Heard {
		return c.Hear([]casting.Music{m}, hand)[0]
	}
	who := func(h casting.Heard) []template.ID {
		ids := []template.ID{}
		for _, u := range h.Uses {
			ids = append(ids, u.Instrument)
		}
		return ids
	}

	h := hear(music("a", "flute 1  SHORT", -1, 0, heardNotes("")), nil)
	require.Equal(t, casting.ByName, h.How)
	require.Equal(t, []template.ID{"short"}, who(h))

	h = hear(music("a", "Bus 7", 0, 3, heardNotes("")), nil)
	require.Equal(t, casting.BySeat, h.How, "port 2 is the only one in use, so the first")
	require.Equal(t, []template.ID{"horns"}, who(h))
	require.Equal(t, "port 1, channel 3 is its seat", h.Why)

	named := music("a", "Bus 7", -1, 3, heardNotes(""))
	named.Device = d.DeviceName(*d.Instrument("horns").Seat)
	h = hear(named, nil)
	require.Equal(t, casting.BySeat, h.How, "a port beyond those with numbers has a name")
	require.Equal(t, []template.ID{"horns"}, who(h))
	require.Contains(t, h.Why, "riser 1 port 2, channel 3 is its seat")

	h = hear(music("a", "Flute I", -1, 0, heardNotes("long", "staccato", "long")), nil)
	require.Equal(t, casting.ByCast, h.How)
	require.Equal(t, []template.ID{"long", "short"}, who(h), "the desk shares the part")
	require.Equal(t, 2, h.Uses[0].Notes)
	require.Equal(t, []string{"staccato"}, h.Uses[1].Articulations)
	require.Equal(t, []template.UsedKey{{Key: 73, Low: 65, High: 65}}, h.Uses[1].Keys)

	h = hear(music("a", "Bagpipe of the moor", -1, 0, heardNotes("")), nil)
	require.Equal(t, casting.ByNobody, h.How)
	require.Empty(t, h.Uses)
	require.NotEmpty(t, h.Why)

	h = hear(music("a", "Flute 1 long", -1, 0, heardNotes("")), map[string][]template.ID{"a": {"horns", "gone"}})
	require.Equal(t, casting.ByChoice, h.How)
	require.Equal(t, []template.ID{"horns"}, who(h))

	keyed := heardNotes("", "")
	keyed.Notes = append([]articulation.Note{{Start: 0, End: 10, Key: 13, Velocity: 1}}, keyed.Notes...)
	h = hear(music("a", "Flute 1 long", -1, 0, keyed), nil)
	require.Equal(t, []string{"legato"}, h.Uses[0].Articulations, "read from its key switches")
	require.Equal(t, 2, h.Uses[0].Notes, "a key switch is not a note")
}

func TestCueCall(t *testing.T) {
	d := desk()
	c := casting.New(d, template.New("cat", "Catalogue"))
	mint := func(kind string) template.ID { return template.ID(kind + "-new") }
	heard := c.Hear([]casting.Music{
		music("a", "Horns a 4", -1, 0, heardNotes("long")), music("b", "Flute 1 long", -1, 0, heardNotes("")), music("c", "Flute 1 long", -1, 0, heardNotes("", "legato")),
	}, nil)
	ch, err := casting.CueCall(d, heard, " 1M01 ", mint)
	require.NoError(t, err)
	d = coretest.Must(d, ch)
	call := d.Calls[0]
	require.Equal(t, "1M01", call.Name)
	require.Equal(t, []template.ID{"long", "horns"}, call.Instruments, "in score order")
	require.Equal(t, 3, call.UseOf("long").Notes, "two tracks of one instrument add up")
	require.Equal(t, []template.UsedKey{{Key: 72, Low: 64, High: 64}, {Key: 73, Low: 65, High: 65}}, call.UseOf("long").Keys)
	require.Nil(t, call.UseOf("short"))

	again, err := casting.CueCall(d, heard[:1], "1m01", mint)
	require.NoError(t, err)
	require.Len(t, coretest.Must(d, again).Calls, 1, "a call of that name is replaced")
	var refused *change.Refused
	_, err = casting.CueCall(d, nil, "1M02", mint)
	require.ErrorAs(t, err, &refused)
	_, err = casting.CueCall(d, heard, "", mint)
	require.ErrorAs(t, err, &refused)

	gone := coretest.Must(d, change.Delete{IDs: []template.ID{"long"}})
	require.Len(t, gone.Calls[0].Uses, 1, "what its music asked of a deleted row goes with it")
}

// The fingerprint is that of the notes, not of their order, and any other note
// gives another.
func TestFingerprint(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		notes := rapid.SliceOfN(rapid.Custom(func(rt *rapid.T) articulation.Note {
			return articulation.Note{Start: rapid.Int64Range(0, 1000).Draw(rt, "start"), End: 2000, Key: rapid.IntRange(0, 127).Draw(rt, "key"), Velocity: rapid.IntRange(1, 127).Draw(rt, "velocity")}
		}), 1, 20).Draw(rt, "notes")
		f := casting.Fingerprint(notes)
		require.Len(rt, f, 16)
		require.Equal(rt, f, casting.Fingerprint(rapid.Permutation(notes).Draw(rt, "other order")))
		notes[rapid.IntRange(0, len(notes)-1).Draw(rt, "which")].End++
		require.NotEqual(rt, f, casting.Fingerprint(notes))
	})
}

// A track's name says more than whose it is: how it is played, and which desks share it;
// and what is asked of an instrument is held against its range.
func TestNamesOfTracksAreRead(t *testing.T) {
	var put change.Put
	put.Libraries = []change.Entry[template.Library]{change.Append(&template.Library{ID: "lib", Name: "Tidewater"})}
	put.Players = []change.Entry[template.Player]{change.Append(&template.Player{ID: "pl", Name: "Lamp player", Sounds: 16, Outputs: 8})}
	var rows []intake.Row
	row := func(section, name, is string, ways ...string) {
		put.Patches = append(put.Patches, change.Append(&template.Patch{ID: template.ID(name), Library: "lib", Player: "pl", Name: name, Sound: is, KeyLow: 0, KeyHigh: 127, PreloadMiB: 10}))
		rows = append(rows, intake.Row{Line: len(rows) + 2, Section: section, Instrument: name, Articulations: ways, Library: "Tidewater", Patch: name, Stem: section})
	}
	row("Strings", "Violins 1 long", "strings.violin", "long", "legato")
	row("Strings", "Violins 1 short", "strings.violin", "staccato", "spiccato", "pizzicato")
	row("Strings", "Violas long", "strings.viola", "long")
	row("Strings", "Violas short", "strings.viola", "staccato", "pizzicato")
	for n := range 4 {
		row("Brass", fmt.Sprintf("Horn %d long", n+1), "brass.french-horn", "long")
	}
	row("Brass", "Trumpet 1 long", "brass.trumpet", "long")
	base := coretest.Must(template.New("t", "T"), put)
	batch, _, problems := intake.Plan(base, rows, intake.Sequence(), intake.StandardDefaults())
	require.Empty(t, problems)
	now := coretest.Must(base, batch)
	caster := casting.New(now, template.New("cat", "Catalogue"))
	hear := func(name string, keys ...int) (casting.Heard, []string) {
		var played articulation.Part
		for n, key := range keys {
			played.Notes = append(played.Notes, articulation.Note{Start: int64(n / 4 * 480), End: int64(n/4*480 + 240), Key: key, Velocity: 80})
		}
		m := music("a", name, -1, 0, played)
		h := caster.Hear([]casting.Music{m}, nil)[0]
		var who []string
		for _, u := range h.Uses {
			who = append(who, now.Instrument(u.Instrument).Name)
		}
		return h, who
	}
	_, who := hear("Vln 1 spic", 70, 72)
	require.Equal(t, []string{"Violins 1 short"}, who)
	_, who = hear("Violas pizz", 60)
	require.Equal(t, []string{"Violas short"}, who)
	_, who = hear("Vl. I", 70)
	require.Equal(t, []string{"Violins 1 long"}, who)
	h, who := hear("Hn 1-4", 64, 60, 55, 48, 62)
	require.Equal(t, []string{"Horn 1 long", "Horn 2 long", "Horn 3 long", "Horn 4 long"}, who)
	require.Equal(t, []template.UsedKey{{Key: 62, Low: 80, High: 80}, {Key: 64, Low: 80, High: 80}}, h.Uses[0].Keys, "the highest of the chord, and the note of all")
	_, who = hear("Tr. 1", 60)
	require.Equal(t, []string{"Trumpet 1 long"}, who, "a trumpet, and no trill")
	h, _ = hear("Trumpet 1", 36, 60, 64)
	require.Equal(t, []int{36}, h.Beyond)
	h, _ = hear("Trumpet 1 long", 60, 64)
	require.Empty(t, h.Beyond)
	h, who = hear("Hn 3-6", 64, 60, 55, 48)
	require.Equal(t, casting.ByCast, h.How, "the fifth and sixth are not there; the others play")
	require.Contains(t, who, "Horn 3 long")
	require.NotContains(t, h.Why, "nobody")
	require.False(t, sound.Pitched("drum.snare-drum"), "the keys of drums say what is struck")
	require.True(t, sound.Pitched("drum.timpani") && sound.Pitched("pitched-percussion.marimba") && sound.Pitched("strings.viola"))
}
