package calls_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// stage is a template of four rows by hand: two on one port of a player of
// many sounds, one of a player of one sound, and one unseated.
func stage() *template.Template {
	t := template.New("t", "T")
	t.Sections = []*template.Section{{ID: "s", Name: "Winds"}}
	t.Libraries = []*template.Library{{ID: "l", Name: "Millrace Winds", Code: "MW"}}
	t.Players = []*template.Player{
		{ID: "many", Name: "Lamp player", Sounds: 16, Outputs: 16, OwnMiB: 96, WakeMs: 2500, WakeAgainMs: 400, Order: 2},
		{ID: "one", Name: "Tide player", Sounds: 1, Outputs: 4, OwnMiB: 48, WakeMs: 1800, WakeAgainMs: 250, Order: 1},
	}
	t.Patches = []*template.Patch{
		{ID: "p1", Library: "l", Player: "many", Name: "Flute", PreloadMiB: 300, KeyHigh: 127},
		{ID: "p2", Library: "l", Player: "many", Name: "Oboe", PreloadMiB: 200, KeyHigh: 127},
		{ID: "p3", Library: "l", Player: "one", Name: "Drone", PreloadMiB: 100, KeyHigh: 127},
	}
	t.Machines = []*template.Machine{{ID: "m", Name: "Birch", MemoryMiB: 1024, ReserveMiB: 224, Cores: 8, DiskMiBs: 100}}
	seat := func(port, channel int) *template.Seat {
		return &template.Seat{Machine: "m", Riser: 1, Port: port, Channel: channel, Pair: 2}
	}
	for _, r := range []struct {
		id, name string
		patches  []template.ID
		seat     *template.Seat
	}{
		{"a", "Flute", []template.ID{"p1"}, seat(1, 1)},
		{"b", "Oboe", []template.ID{"p2"}, seat(1, 2)},
		{"c", "Drone", []template.ID{"p3"}, seat(2, 1)},
		{"d", "Late", []template.ID{"p3"}, nil},
		{"e", "Flute and drone", []template.ID{"p1", "p3"}, seat(3, 1)},
	} {
		t.Instruments = append(t.Instruments, &template.Instrument{
			ID: template.ID(r.id), Name: r.name, Section: "s", Kind: template.Sampled, Patches: r.patches, Seat: r.seat,
		})
	}
	t.Normalise()
	if err := t.Validate(); err != nil {
		panic(err)
	}
	return t
}

// Ready = the player's own memory, once per player, plus the preload of its
// patches; unseated instruments take none (4-reference, Machines).
func TestReadyMemory(t *testing.T) {
	for name, tc := range map[string]struct {
		ids  []template.ID
		want float64
	}{
		"nothing":                        {nil, 0},
		"one":                            {[]template.ID{"a"}, 96 + 300},
		"two on one player":              {[]template.ID{"a", "b"}, 96 + 300 + 200},
		"of two players":                 {[]template.ID{"a", "c"}, 96 + 300 + 48 + 100},
		"unseated":                       {[]template.ID{"d"}, 0},
		"unknown":                        {[]template.ID{"nobody"}, 0},
		"two patches, two players":       {[]template.ID{"e"}, 96 + 300 + 48 + 100},
		"the same player, another port":  {[]template.ID{"a", "e"}, 96 + 300 + 96 + 300 + 48 + 100},
		"twice the same counts as twice": {[]template.ID{"c", "e"}, 48 + 100 + 96 + 300 + 48 + 100},
	} {
		t.Run(name, func(t *testing.T) {
			require.InDelta(t, tc.want, calls.ReadyMiB(stage(), tc.ids)["m"], 1e-9)
		})
	}
	all := []template.ID{"a", "b", "c", "d", "e"}
	require.InDelta(t, calls.ReadyMiB(stage(), all)["m"], calls.EverythingMiB(stage())["m"], 1e-9)
}

// A sound that several rows of one seat play is loaded once, whichever of them
// is called.
func TestRowsOfOneSeatLoadOnce(t *testing.T) {
	s := coretest.Must(stage(), coretest.Again(stage(), "a"))
	again := s.Instruments[1]
	require.Equal(t, template.ID("a"), again.With)
	for _, ids := range [][]template.ID{{"a"}, {again.ID}, {"a", again.ID}} {
		require.InDelta(t, 96+300, calls.ReadyMiB(s, ids)["m"], 1e-9)
		require.Equal(t, []template.ID{"a"}, loading(calls.Costs(s, nil, ids)[0].Order))
	}
	require.Empty(t, calls.Costs(s, []template.ID{"a"}, []template.ID{again.ID})[0].Order, "it is ready already")
	require.InDelta(t, calls.EverythingMiB(stage())["m"], calls.EverythingMiB(s)["m"], 1e-9)
	c := calls.Compare(s, calls.Going{Before: []template.ID{again.ID}, After: []template.ID{"a", "b"}})
	require.Len(t, c.Stays, 1)
	require.Len(t, c.Loads, 1)
}

func loading(order []calls.Load) []template.ID {
	var out []template.ID
	for _, l := range order {
		out = append(out, l.Instrument.ID)
	}
	return out
}

// Loading time = bytes to preload over the disk's rate, plus the player's
// wake time, longer for the first of its kind on a riser; players load in
// their stated order (4-reference, Machines).
func TestCostsInLoadingOrder(t *testing.T) {
	e := calls.Costs(stage(), nil, []template.ID{"a", "b", "c", "d"})[0]
	type step struct {
		name       string
		wake, read time.Duration
		mib        float64
	}
	var got []step
	for _, l := range e.Order {
		got = append(got, step{l.Instrument.Name, l.Wake, l.Read, l.MiB})
	}
	require.Equal(t, []step{
		{"Drone", 1800 * time.Millisecond, time.Second, 148},
		{"Oboe", 2500 * time.Millisecond, 2 * time.Second, 296},
		{"Flute", 0, 3 * time.Second, 300},
	}, got)
	require.Equal(t, 10300*time.Millisecond, e.Wait)
	require.InDelta(t, 744, e.AfterMiB, 1e-9)
	require.InDelta(t, 800, e.LimitMiB, 1e-9)
	require.True(t, e.Fits())
	require.Zero(t, e.ShortMiB())

	second := calls.Costs(stage(), []template.ID{"a"}, []template.ID{"a", "e"})[0]
	require.Equal(t, 400*time.Millisecond+1800*time.Millisecond, second.Order[0].Wake, "a second player of its kind wakes faster; the first of the other does not")
	require.InDelta(t, 396, second.BeforeMiB, 1e-9)
}

func TestWhatWouldMakeACallFit(t *testing.T) {
	e := calls.Costs(stage(), []template.ID{"a"}, []template.ID{"a", "b", "e"})[0]
	require.False(t, e.Fits())
	require.InDelta(t, 596+544-800, e.ShortMiB(), 1e-9)
	require.Equal(t, []template.ID{"a", "e"}, ids(e.Rest), "first what is ready and not asked for")
	require.Equal(t, "Birch is 340 MiB short: 1.1 GiB of 800 MiB. Rest Flute and 1 more, which frees 844 MiB", e.Refusal())

	others := map[template.ID][]calls.Held{"m": {{Template: "chase", Name: "Chase", MiB: 200}, {Template: "dawn", Name: "Dawn", MiB: 56}}}
	only := calls.Reckon(stage(), calls.Going{After: []template.ID{"a"}, Others: others})[0]
	require.True(t, only.Fits(), "396 and 256 of 800 MiB")
	both := calls.Reckon(stage(), calls.Going{After: []template.ID{"a", "b"}, Others: others})[0]
	require.InDelta(t, 96+300+200+256-800, both.ShortMiB(), 1e-9)
	require.Equal(t, "Birch is 52 MiB short: 596 MiB of 800 MiB, and Chase and 1 more hold 256 MiB there. "+
		"Rest Chase there, which frees 200 MiB; or rest Flute, which frees 300 MiB", both.Refusal())
	require.Equal(t, []*template.Instrument{stage().Instruments[3]}, calls.Unseated(stage(), []template.ID{"a", "d", "nobody"}))
}

func ids(rest []calls.Remedy) []template.ID {
	var out []template.ID
	for _, r := range rest {
		out = append(out, r.Instrument.ID)
	}
	return out
}

func TestMemoryIsWrittenShort(t *testing.T) {
	for mib, want := range map[float64]string{0: "0 MiB", 310.4: "310 MiB", 1023: "1023 MiB", 1024: "1.0 GiB", 9000: "8.8 GiB", 59597: "58 GiB"} {
		require.Equal(t, want, calls.FormatMiB(mib))
	}
}

func TestWhatMustFitAtOnce(t *testing.T) {
	all := stage()
	require.Len(t, calls.AlwaysReady(all)[0], 5)
	set := all.Settings
	set.MemoryRule = template.FitCalls
	parked := coretest.Must(all, change.Configure{Name: "T", Settings: set},
		change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "k", Name: "1M05", Instruments: []template.ID{"a"}})}})
	require.Equal(t, []template.ID{"a"}, calls.AlwaysReady(parked)[1])

	opens := change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "o", Name: "Opening", Opening: true, Instruments: []template.ID{"c"}})}}
	yes := true
	parked = coretest.Must(parked, opens, change.Edit{Edits: []change.Fields{{ID: "b", Keep: &yes}}})
	require.Equal(t, []template.ID{"b", "c"}, calls.Standing(parked))
	sets := calls.AlwaysReady(parked)
	require.ElementsMatch(t, []template.ID{"a", "b", "c"}, sets[1], "what is kept and the opening call stay beside a call")
	require.ElementsMatch(t, []template.ID{"b", "c"}, sets[2])
	require.Equal(t, []template.ID{"b"}, calls.Beside(parked, []template.ID{"a"}), "who was rested stays at rest, what is kept comes")
	require.Equal(t, []template.ID{"b", "c"}, calls.Beside(parked, []template.ID{"a", "c"}))
}

// Whatever is called: memory adds up machine by machine, what is named to
// rest is enough, and the order holds just what is new.
func TestCostsAddUp(t *testing.T) {
	base := coretest.Orchestra(60, 2)
	seated := coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	rapid.Check(t, func(r *rapid.T) {
		small := *seated.Machines[0]
		small.MemoryMiB, small.ReserveMiB = rapid.Float64Range(100, 9000).Draw(r, "memory"), 0
		now := coretest.Must(seated, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&small)}})
		pick := func(name string) []template.ID {
			var out []template.ID
			for _, i := range now.Instruments {
				if rapid.Bool().Draw(r, name) {
					out = append(out, i.ID)
				}
			}
			return out
		}
		before, after := pick("before"), pick("after")
		loads := 0
		for _, e := range calls.Costs(now, before, after) {
			require.InDelta(r, calls.ReadyMiB(now, after)[e.Machine.ID], e.AfterMiB, 1e-6)
			require.InDelta(r, calls.ReadyMiB(now, before)[e.Machine.ID], e.BeforeMiB, 1e-6)
			freed := 0.0
			for _, x := range e.Rest {
				freed += x.FreesMiB
				require.Equal(r, e.Machine.ID, x.Instrument.Seat.Machine)
			}
			if !e.Fits() {
				require.GreaterOrEqual(r, freed, e.ShortMiB()-1e-6)
				rested := slices.DeleteFunc(slices.Clone(after), func(id template.ID) bool { return slices.Contains(ids(e.Rest), id) })
				require.LessOrEqual(r, calls.ReadyMiB(now, rested)[e.Machine.ID], e.LimitMiB+1e-6, "resting them makes it fit")
			}
			loads += len(e.Order)
		}
		ready := map[template.ID]bool{}
		for _, id := range before {
			ready[id] = true
		}
		fresh := 0
		for _, id := range after {
			if !ready[id] {
				fresh++
			}
		}
		require.Equal(r, fresh, loads)
	})
}

// Chosen microphone positions are loaded beside the patch; without a choice,
// those the patch starts with (4-reference, Machines: preload of its patches
// for the chosen microphone positions).
func TestMicrophonesTakeMemory(t *testing.T) {
	base := stage()
	p := *base.Patches[0]
	p.Mics = []template.Mic{{Name: "close", PreloadMiB: 40, FullMiB: 400}, {Name: "hall", PreloadMiB: 70, FullMiB: 700, Off: true}}
	base = coretest.Must(base, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}})
	require.Equal(t, 340.0, calls.PreloadMiB(base, base.Instrument("a")))
	for want, mics := range map[float64][]string{370: {"hall"}, 410: {"close", "hall"}, 300: {"none of them"}} {
		chosen := coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: "a", Mics: &mics}}})
		require.Equal(t, want, calls.PreloadMiB(chosen, chosen.Instrument("a")))
		require.Equal(t, 96+want, calls.ReadyMiB(chosen, []template.ID{"a"})["m"])
	}
}

// Rows that are spread out over channels of one port load their patch, and
// wake their player, once; the last of them frees both.
func TestSpreadRowsLoadOnce(t *testing.T) {
	base := stage()
	layout, set := template.SpreadOut, template.ID("c")
	add := base.Instrument("c").Clone()
	add.ID, add.Layout, add.Spread = "c2", layout, set
	add.Seat.Channel = 2
	base = coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: "c", Layout: &layout, Spread: &set}}}, change.Add{Instruments: []change.Placed{{At: -1, Instrument: add}}})
	require.Equal(t, 148.0, calls.ReadyMiB(base, []template.ID{"c"})["m"])
	require.Equal(t, 148.0, calls.ReadyMiB(base, []template.ID{"c", "c2"})["m"])
	for _, e := range calls.Costs(base, []template.ID{"c"}, []template.ID{"c", "c2"}) {
		require.Len(t, e.Order, 1)
		require.Zero(t, e.Order[0].MiB)
		require.Zero(t, e.Order[0].Read+e.Order[0].Wake, "nothing is read, and nobody wakes")
	}
}
