package articulation_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// At 120 beats a minute and 480 ticks a quarter note, 100 ms are 96 ticks.
func clock(t require.TestingT) *tempo.Map {
	m, err := tempo.New(480)
	require.NoError(t, err)
	return m
}

func violins() articulation.Target {
	return articulation.Target{Channel: 3, KeyLow: 55, KeyHigh: 100, Map: []template.Mapping{
		{Articulation: "long", Switches: key(24), LeadMs: 100},
		{Articulation: "staccato", Switches: key(25), LeadMs: 100},
		{Articulation: "arco", Switches: key(26)},
		{Articulation: "pizzicato", Switches: key(27)},
		{Articulation: "senza sordino", Switches: []template.Switch{{Kind: template.ByController, Number: 32, Low: 0, High: 63}}},
		{Articulation: "con sordino", Switches: []template.Switch{{Kind: template.ByController, Number: 32, Low: 64, High: 127}}},
	}}
}

func compile(t require.TestingT, notes []articulation.Note, target articulation.Target, from int64) articulation.Compiled {
	c, err := articulation.Compile(articulation.NewVocabulary(nil), articulation.Part{Notes: notes}, target, clock(t), articulation.Options{From: from})
	require.NoError(t, err)
	return c
}

func TestSwitchesAreSentOnlyWhenNeeded(t *testing.T) {
	note := func(at int64, a ...string) articulation.Note {
		return articulation.Note{Start: at, End: at + 240, Key: 60, Velocity: 80, Articulations: a}
	}
	c := compile(t, []articulation.Note{note(480, "stacc."), note(960, "staccato"), note(1440, "sustain")}, violins(), 0)
	var switches []articulation.Message
	for _, m := range c.Messages {
		if m.Status == articulation.NoteOn && m.Data1 < 55 && m.Data1 < 26 {
			switches = append(switches, m)
		}
	}
	require.Equal(t, []articulation.Message{
		{Tick: 480 - 96, Status: articulation.NoteOn, Channel: 3, Data1: 25, Data2: 100, Why: "staccato"},
		{Tick: 1440 - 96, Status: articulation.NoteOn, Channel: 3, Data1: 24, Data2: 100, Why: "long"},
	}, switches)
	require.Empty(t, c.Missing)
}

func TestMutesAndBowingGoBackByThemselves(t *testing.T) {
	c := compile(t, []articulation.Note{
		{Start: 480, End: 700, Key: 60, Velocity: 80, Articulations: []string{"pizz.", "con sord."}},
		{Start: 960, End: 1200, Key: 60, Velocity: 80},
	}, violins(), 0)
	var after []string
	for _, m := range c.Messages {
		if m.Tick > 700 && m.Why != "" && m.Status != articulation.NoteOff {
			after = append(after, m.Why)
		}
	}
	require.ElementsMatch(t, []string{"arco", "senza sordino", "long"}, after)
}

func TestLeadDelayAndHeldKeys(t *testing.T) {
	target := articulation.Target{Channel: 1, KeyHigh: 127, Map: []template.Mapping{
		{Articulation: "legato", Switches: []template.Switch{{Kind: template.ByKey, Number: 12, Hold: true}}, LeadMs: 50, DelayMs: 100},
	}}
	c := compile(t, []articulation.Note{{Start: 960, End: 1440, Key: 60, Velocity: 90, Articulations: []string{"legato"}}}, target, 0)
	require.Equal(t, []articulation.Message{
		{Tick: 960 - 96 - 48, Status: articulation.NoteOn, Channel: 1, Data1: 12, Data2: 100, Why: "legato"},
		{Tick: 960 - 96, Status: articulation.NoteOn, Channel: 1, Data1: 60, Data2: 90},
		{Tick: 1440 - 96, Status: articulation.NoteOff, Channel: 1, Data1: 12, Data2: 64, Why: "legato"},
		{Tick: 1440 - 96, Status: articulation.NoteOff, Channel: 1, Data1: 60, Data2: 64},
	}, c.Messages)
}

func TestVelocityBandsChannelsAndProgrammes(t *testing.T) {
	bank := 129
	target := articulation.Target{Channel: 3, KeyHigh: 127, Map: []template.Mapping{
		{Articulation: "staccato", Switches: []template.Switch{{Kind: template.ByVelocity, Low: 65, High: 127}}},
		{Articulation: "tremolo", Switches: []template.Switch{{Kind: template.ByChannel, Number: 2, Relative: true}}},
		{Articulation: "harmonics", Switches: []template.Switch{{Kind: template.ByProgramme, Number: 7, Bank: &bank}}},
	}}
	c := compile(t, []articulation.Note{
		{Start: 0, End: 100, Key: 60, Velocity: 1, Articulations: []string{"staccato"}},
		{Start: 480, End: 580, Key: 60, Velocity: 127, Articulations: []string{"staccato"}},
		{Start: 960, End: 1000, Key: 60, Velocity: 80, Articulations: []string{"tremolo"}},
		{Start: 1440, End: 1500, Key: 60, Velocity: 80, Articulations: []string{"harmonics"}},
	}, target, 0)
	var ons []articulation.Message
	for _, m := range c.Messages {
		if m.Status != articulation.NoteOff {
			ons = append(ons, m)
		}
	}
	require.Len(t, ons, 7)
	require.Equal(t, 65, ons[0].Data2)
	require.Equal(t, 127, ons[1].Data2)
	require.Equal(t, 5, ons[2].Channel)
	// MIDI 1.0: bank select is the high 7 bits in CC 0, the low ones in CC 32.
	require.Equal(t, []int{0, 1, 32, 1, 7, 0}, []int{ons[3].Data1, ons[3].Data2, ons[4].Data1, ons[4].Data2, ons[5].Data1, ons[5].Data2})

	target.Channel = 15
	_, err := articulation.Compile(articulation.NewVocabulary(nil), articulation.Part{}, target, clock(t), articulation.Options{})
	require.ErrorContains(t, err, `"tremolo" wants channel 17, and a port has 16`)
}

func TestWhatCanNotBePlayedIsTold(t *testing.T) {
	c := compile(t, []articulation.Note{
		{Start: 0, End: 100, Key: 40, Velocity: 80, Articulations: []string{"barking"}},
		{Start: 480, End: 500, Key: 60, Velocity: 80, Articulations: []string{"pos. ord."}}, // natural: needs nothing
	}, violins(), 0)
	require.Equal(t, []string{"barking"}, c.Missing)
	require.Equal(t, 1, c.Outside)
}

func TestModulationGoesToVolumeWhereAskedTo(t *testing.T) {
	target := violins()
	target.Dynamics = template.DynamicsVolume
	p := articulation.Part{Controls: []articulation.Control{{Tick: 10, Number: 1, Value: 90}, {Tick: 20, Number: 11, Value: 70}}}
	c, err := articulation.Compile(articulation.NewVocabulary(nil), p, target, clock(t), articulation.Options{})
	require.NoError(t, err)
	require.Equal(t, []int{7, 11}, []int{c.Messages[0].Data1, c.Messages[1].Data1})
}

// receiver is a sampler as the map describes it: it keeps the last key of the
// switches, controllers and programmes, and tells how a note would sound.
type receiver struct {
	target articulation.Target
	held   map[int]bool
	last   map[string]int // of each either/or group: the mapping selected
	cc     map[int]int
}

func (r *receiver) hear(m articulation.Message) (sounds []string, isNote bool) {
	switch {
	case m.Status == articulation.Controller:
		r.cc[m.Data1] = m.Data2
	case m.Status == articulation.NoteOn && m.Data1 >= r.target.KeyLow:
		v := articulation.NewVocabulary(nil)
		for _, n := range r.last {
			sounds = append(sounds, r.target.Map[n].Articulation)
		}
		for _, x := range r.target.Map {
			for _, s := range x.Switches {
				if value, ok := r.cc[s.Number]; s.Kind == template.ByController && ok && value >= s.Low && value <= s.High {
					sounds = append(sounds, v.Find(x.Articulation).Name)
				}
			}
		}
		slices.Sort(sounds)
		return sounds, true
	case m.Status == articulation.NoteOn:
		for n, x := range r.target.Map {
			if x.Switches[0].Kind == template.ByKey && x.Switches[0].Number == m.Data1 {
				r.last[articulation.NewVocabulary(nil).Find(x.Articulation).Group] = n
			}
		}
	}
	return nil, false
}

func listen(target articulation.Target, messages []articulation.Message) map[int64][]string {
	r := &receiver{target: target, held: map[int]bool{}, last: map[string]int{}, cc: map[int]int{}}
	out := map[int64][]string{}
	for _, m := range messages {
		if sounds, is := r.hear(m); is {
			out[m.Tick] = sounds
		}
	}
	return out
}

// Playing from any place sounds as playing from the beginning does there.
func TestPlayingFromTheMiddleSoundsTheSame(t *testing.T) {
	ways := [][]string{nil, {"long"}, {"staccato"}, {"pizz."}, {"staccato", "con sord."}, {"arco"}, {"con sord."}}
	rapid.Check(t, func(r *rapid.T) {
		var notes []articulation.Note
		at := int64(200)
		for range rapid.IntRange(1, 30).Draw(r, "notes") {
			notes = append(notes, articulation.Note{Start: at, End: at + 100, Key: rapid.IntRange(55, 100).Draw(r, "key"), Velocity: 80, Articulations: rapid.SampledFrom(ways).Draw(r, "how")})
			at += int64(rapid.IntRange(120, 500).Draw(r, "gap"))
		}
		whole := compile(r, notes, violins(), 0)
		from := notes[rapid.IntRange(0, len(notes)-1).Draw(r, "from")].Start
		part := compile(r, notes, violins(), from)
		want := listen(violins(), whole.Messages)
		got := listen(violins(), part.Messages)
		for tick, sounds := range want {
			if tick < from {
				require.NotContains(r, got, tick)
			} else {
				require.Equal(r, sounds, got[tick], "at %d, played from %d", tick, from)
			}
		}
		pressed := map[[2]int]int{}
		for _, m := range part.Messages {
			require.GreaterOrEqual(r, m.Tick, from)
			switch m.Status {
			case articulation.NoteOn:
				pressed[[2]int{m.Channel, m.Data1}]++
			case articulation.NoteOff:
				pressed[[2]int{m.Channel, m.Data1}]--
			}
		}
		for k, n := range pressed {
			require.Zero(r, n, "key %v hangs", k)
		}
	})
}

func BenchmarkCompile100000(b *testing.B) {
	ways := [][]string{{"long"}, {"staccato"}, {"pizz."}, {"staccato", "con sord."}, nil}
	notes := make([]articulation.Note, 100_000)
	for n := range notes {
		notes[n] = articulation.Note{Start: int64(n) * 120, End: int64(n)*120 + 100, Key: 55 + n%40, Velocity: 1 + n%127, Articulations: ways[n/3%len(ways)]}
	}
	v, target, m := articulation.NewVocabulary(nil), violins(), clock(b)
	for b.Loop() {
		_, err := articulation.Compile(v, articulation.Part{Notes: notes}, target, m, articulation.Options{})
		require.NoError(b, err)
	}
}

// phrases draws notes of a few keys, repeated and overlapping, plain and legato.
func phrases(t *rapid.T) []articulation.Note {
	var notes []articulation.Note
	at := int64(960)
	for range rapid.IntRange(1, 12).Draw(t, "notes") {
		at += int64(rapid.SampledFrom([]int{0, 120, 240, 480}).Draw(t, "step"))
		n := articulation.Note{Start: at, End: at + int64(rapid.SampledFrom([]int{60, 120, 240, 480, 960}).Draw(t, "long")), Key: rapid.IntRange(60, 62).Draw(t, "key"), Velocity: 80}
		n.Articulations = rapid.SampledFrom([][]string{nil, {"legato"}, {"staccato"}}).Draw(t, "how")
		notes = append(notes, n)
	}
	return notes
}

// Every note sounds as long as it is written, from its start (or as much before it as
// its way of playing speaks late), as a player hears messages: whatever lets a key go
// ends it.
func TestEveryNoteSoundsAsLongAsWritten(t *testing.T) {
	late := map[string]int64{"legato": 96, "staccato": 48} // of 100 and 50 ms, in ticks
	target := articulation.Target{Channel: 1, KeyLow: 40, KeyHigh: 100, Map: []template.Mapping{
		{Articulation: "long", Switches: key(24)},
		{Articulation: "legato", Switches: []template.Switch{{Kind: template.ByKey, Number: 25, Hold: true}}, DelayMs: 100},
		{Articulation: "staccato", Switches: key(26), DelayMs: 50},
	}}
	rapid.Check(t, func(r *rapid.T) {
		notes := phrases(r)
		c := compile(r, notes, target, 0)
		type span struct{ from, to int64 }
		sounding, spans := map[int]int64{}, map[int][]span{}
		for _, m := range c.Messages {
			from, on := sounding[m.Data1]
			switch {
			case m.Status == articulation.NoteOn && m.Data1 != 24 && m.Data1 != 26: // those are let go by themselves
				require.False(r, on, "key %d is pressed while it sounds", m.Data1)
				sounding[m.Data1] = m.Tick
			case m.Status == articulation.NoteOff && on:
				spans[m.Data1] = append(spans[m.Data1], span{from, m.Tick})
				delete(sounding, m.Data1)
			}
		}
		require.Empty(r, sounding)
		covered := func(key int, from, to int64) bool {
			for _, s := range spans[key] {
				if s.from <= from && from < s.to {
					from = s.to
				}
			}
			return from >= to
		}
		for _, n := range notes {
			how := ""
			if len(n.Articulations) > 0 {
				how = n.Articulations[0]
			}
			start := n.Start - late[how]
			require.True(r, slices.ContainsFunc(spans[n.Key], func(s span) bool { return s.from == start }), "a note at %d begins at %d", n.Start, start)
			require.True(r, covered(n.Key, start, start+n.End-n.Start), "the note of %d to %d sounds: %v", n.Start, n.End, spans[n.Key])
			if how == "legato" {
				require.True(r, covered(25, start, start+n.End-n.Start), "its key is held")
			}
		}
	})
}

// A pitch that is repeated: the earlier note is let go as the next begins, early as it
// is; two that were joined stay joined when the later one begins on time.
func TestRepeatedAndJoinedNotes(t *testing.T) {
	target := articulation.Target{Channel: 1, KeyLow: 40, KeyHigh: 100, Map: []template.Mapping{
		{Articulation: "long", Switches: key(24)}, {Articulation: "legato", Switches: key(25), DelayMs: 100},
	}}
	note := func(from, to int64, key int, how ...string) articulation.Note {
		return articulation.Note{Start: from, End: to, Key: key, Velocity: 80, Articulations: how}
	}
	keys := func(notes ...articulation.Note) (out []int64) {
		for _, m := range compile(t, notes, target, 0).Messages {
			if m.Data1 >= 60 {
				out = append(out, m.Tick)
			}
		}
		return out
	}
	require.Equal(t, []int64{480, 960 - 96, 960 - 96, 1440 - 96}, keys(note(480, 960, 60), note(960, 1440, 60, "legato")))
	require.Equal(t, []int64{480 - 96, 960, 960, 1440}, keys(note(480, 960, 60, "legato"), note(960, 1440, 62)))
	require.Equal(t, []int64{480 - 96, 960 - 96 - 12, 960, 1440}, keys(note(480, 948, 60, "legato"), note(960, 1440, 62)), "written with a gap")
}

// A patch that answers expression gets the dynamics of a part as controller 11, and what
// the part itself sends there stays out of the way.
func TestDynamicsAsExpression(t *testing.T) {
	part := articulation.Part{Controls: []articulation.Control{{Tick: 0, Number: 11, Value: 100}, {Tick: 0, Number: 1, Value: 64}, {Tick: 480, Number: 64, Value: 127}}}
	numbers := func(d template.Dynamics, p articulation.Part) (out [][2]int) {
		c, err := articulation.Compile(articulation.NewVocabulary(nil), p, articulation.Target{Channel: 1, KeyHigh: 127, Dynamics: d}, clock(t), articulation.Options{})
		require.NoError(t, err)
		for _, m := range c.Messages {
			out = append(out, [2]int{m.Data1, m.Data2})
		}
		return out
	}
	require.Equal(t, [][2]int{{11, 64}, {64, 127}}, numbers(template.DynamicsExpression, part))
	require.Equal(t, [][2]int{{11, 100}, {7, 64}, {64, 127}}, numbers(template.DynamicsVolume, part))
	require.Equal(t, [][2]int{{11, 100}, {1, 64}, {64, 127}}, numbers(template.DynamicsController, part))
	part.Controls = part.Controls[:1]
	require.Equal(t, [][2]int{{11, 100}}, numbers(template.DynamicsExpression, part), "alone, it is passed on")
}
