package proof_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

func sound() *template.Template {
	t := coretest.Orchestra(32, 2)
	return coretest.Must(t, seating.Everyone(t, seating.Options{}).Change())
}

func route(from, to template.ID) change.Change {
	return change.Connect{Wires: []change.Wire{{From: from, To: to, Level: &change.WireSetting{Tap: template.Post}}}}
}

func TestASoundTemplateHasNoMark(t *testing.T) {
	require.Empty(t, proof.Check(sound(), "").Marks)
}

// patched is a change of the patch an instrument plays.
func patched(t *template.Template, i *template.Instrument, edit func(*template.Patch)) change.Change {
	p := *t.PatchesOf(i)[0]
	edit(&p)
	return change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}}
}

// keys is a map of key switches: a name, a key, a name, a key ...
func keys(list ...any) []template.Mapping {
	var out []template.Mapping
	for n := 0; n < len(list); n += 2 {
		m := template.Mapping{Articulation: list[n].(string), Switches: []template.Switch{}}
		if key := list[n+1].(int); key > 0 {
			m.Switches = append(m.Switches, template.Switch{Kind: template.ByKey, Number: key})
		}
		out = append(out, m)
	}
	return out
}

// printed is a template that is heard in print, with its marks.
func printed() change.Change { return change.SetPosition{Position: template.AtPrint} }

// twoStems makes the first rows of two stems one spread set, seated alike.
func twoStems(t *template.Template) change.Edit {
	spread, set := template.SpreadOut, template.ID("set")
	var e change.Edit
	for _, i := range t.Instruments[:2] {
		e.Edits = append(e.Edits, change.Fields{ID: i.ID, Layout: &spread, Spread: &set, Patches: &t.Instruments[0].Patches})
	}
	return e
}

// noStems leaves one row, and takes every stem away.
func noStems(t *template.Template) change.Batch {
	var others change.Delete
	for _, i := range t.Instruments[1:] {
		others.IDs = append(others.IDs, i.ID)
	}
	b := change.Batch{Changes: []change.Change{others}}
	for _, s := range t.Buses {
		if s.Kind == template.Stem {
			b.Changes = append(b.Changes, change.RemoveBus{ID: s.ID})
		}
	}
	return b
}

// narrow gives a machine a link that carries two of its output pairs. A second
// machine takes the rest.
func narrow(t *template.Template, id template.ID) change.Change {
	m := *t.Index().Machines[id]
	m.NetworkMbits = 7
	return change.Put{Machines: []change.Entry[template.Machine]{change.Append(&m)}}
}

// vivid is the standard palette at nearly twice its strength.
func vivid(t *template.Template) change.Change {
	set, p := t.Settings, template.StandardPalette()
	p.Strength = 1.9
	set.Palette = &p
	return change.Configure{Name: t.Name, Settings: set}
}

// rainbow colours rows of one section by hand, each otherwise.
func rainbow(t *template.Template, section template.ID) []change.Change {
	var out []change.Change
	for n, i := range t.Instruments {
		if tints := []string{"rose", "petrol", "clay", "heather"}; n < len(tints) {
			out = append(out, change.Move{IDs: []template.ID{i.ID}, Section: section}, change.Edit{Edits: []change.Fields{{ID: i.ID, Colour: &tints[n]}}})
		}
	}
	return out
}

// late is a machine of 512 samples, twice, where 12 ms are allowed: 21.3 ms
// late, as (1 + m) N / fs has it.
func late(t *template.Template, id template.ID) change.Change {
	m := *t.Index().Machines[id]
	m.BufferSamples, m.BufferTimes = 512, 1
	set := t.Settings
	set.LatestMs = 12
	return change.Batch{Changes: []change.Change{
		change.Put{Machines: []change.Entry[template.Machine]{change.Append(&m)}}, change.Configure{Name: t.Name, Settings: set},
	}}
}

// The remedy for a late machine is the largest buffer that is early enough: 256
// samples once more are 10.67 ms at 48 kHz (the worked example of practice).
func TestALateMachineIsToldItsBuffer(t *testing.T) {
	base := sound()
	faulty := coretest.Must(base, late(base, base.Machines[0].ID))
	for _, m := range proof.Check(faulty, "").Marks {
		if m.Code == "late" {
			require.Equal(t, base.Machines[0].Name+" sounds 21.3 ms late, of 12 allowed", m.Message)
			require.Equal(t, "Say that its buffer is 256 samples", m.Remedies[0].Label)
			require.Equal(t, "Allow 21.4 ms", m.Remedies[1].Label)
			return
		}
	}
	require.Fail(t, "it is not found")
}

// heavies makes two of the first riser heavy, where one is allowed.
func heavies(t *template.Template) []change.Change {
	set := t.Settings
	set.Seating.HeavyPerRiser = 1
	var put change.Put
	seen := map[template.ID]bool{}
	for _, i := range t.Instruments[:2] {
		p := *t.PatchesOf(i)[0]
		p.Heavy = true
		if !seen[p.ID] {
			put.Patches = append(put.Patches, change.Append(&p))
		}
		seen[p.ID] = true
	}
	return []change.Change{put, change.Configure{Name: t.Name, Settings: set}}
}

func otherMachine(t *template.Template, i *template.Instrument) template.ID {
	for _, m := range t.Machines {
		if m.ID != i.Seat.Machine {
			return m.ID
		}
	}
	return ""
}

// beside is a seat on the same output pair.
func beside(i *template.Instrument) *template.Seat {
	s := *i.Seat
	s.Port, s.Channel = 7, 15
	return &s
}

// A patch that dies away, or that plays short notes alone, needs no controller.
func TestWhatDiesAwayNeedsNoDynamics(t *testing.T) {
	base := sound()
	a := base.Instruments[0]
	none := func(sound string, articulations ...string) int {
		faulty := coretest.Must(base, patched(base, a, func(p *template.Patch) { p.Map, p.Dynamics, p.Sound = nil, template.DynamicsNone, sound }),
			change.Edit{Edits: []change.Fields{{ID: a.ID, Articulations: &articulations}}})
		return proof.Check(faulty, "").Counts()["no-dynamics"]
	}
	require.Zero(t, none("drum.snare-drum"))
	require.Zero(t, none("strings.violin", "staccato"))
	require.Zero(t, none(""), "nothing is known of it")
	require.Equal(t, 1, none("wind.flutes.flute"))
	require.Equal(t, 1, none("drum.timpani", "long"), "a row says so")
}

// Each fault is found under its code, and its first remedy takes it away.
func TestEveryRuleFindsItsFaultAndMendsIt(t *testing.T) {
	base := sound()
	a, b := base.Instruments[0], base.Instruments[1]
	stems := base.StemsOf("fold-fine")
	same := b.Name
	guide := &template.Instrument{ID: "guide", Section: a.Section, Name: "Dialogue", Kind: template.Guide, Routes: []template.Route{{To: "bus-mix", Tap: template.Post}}}
	shared := &template.Bus{ID: "hall", Kind: template.Return, Name: "Hall", Routes: []template.Route{{To: stems[0].ID, Tap: template.Post}}}
	player := *base.Players[0]
	player.Outputs = 1
	clash, high, riser, pair, shares := *b.Seat, *a.Seat, *a.Seat, *a.Seat, *b.Seat
	high.Port, riser.Riser, pair.Pair = 9, 7, 65
	clash.Pair = b.Seat.Pair
	shares.Channel, shares.Port = 16, 8
	section := a.Section
	elsewhere := *base.LibraryOf(a)
	for _, m := range base.Machines {
		if m.ID != a.Seat.Machine {
			elsewhere.Machines = append(elsewhere.Machines, m.Name)
		}
	}
	for code, faults := range map[string][]change.Change{
		"orphan":                   {change.Connect{Wires: []change.Wire{{From: a.ID, To: a.Routes[0].To}}}},
		"leak":                     {change.Add{Instruments: []change.Placed{{At: -1, Instrument: guide}}}},
		"double-path":              {route(a.ID, stems[0].ID)},
		"cycle":                    {route(stems[0].ID, a.Routes[0].To)},
		"shared-return":            {change.Put{Buses: []change.Entry[template.Bus]{change.Append(shared)}}, route(a.ID, "hall"), route(b.ID, "hall")},
		"fold-mismatch":            {change.Connect{Wires: []change.Wire{{From: stems[0].ID, To: stems[0].Routes[0].To, Level: &change.WireSetting{GainDB: -3, Tap: template.Post}}}}},
		"split-output":             {change.Seat{Seats: []change.Seating{{ID: a.ID, Seat: &shares}}}},
		"orphan, without any stem": {noStems(base)},
		"fold-mismatch, a return past the fine stems": {
			change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{ID: "past", Kind: template.Return, Name: "Hall", Routes: []template.Route{{To: stems[0].Routes[0].To, Tap: template.Post}}})}},
			route(a.ID, "past"),
		},
		"split-output, one player":              {twoStems(base)},
		"double-path, in print":                 {printed(), change.Connect{Wires: []change.Wire{{From: "bus-mix", To: "bus-speakers", Level: &change.WireSetting{Tap: template.Post}}}}},
		"double-path, in listen":                {printed(), change.Connect{Wires: []change.Wire{{From: "bus-print", To: "bus-speakers", Level: &change.WireSetting{Tap: template.Post}}}}},
		"orphan, in print":                      {printed(), change.Connect{Wires: []change.Wire{{From: base.StemsOf("fold-sections")[0].ID, To: "bus-print"}}}},
		"orphan, in listen":                     {printed(), change.Connect{Wires: []change.Wire{{From: "bus-mix", To: "bus-speakers"}}}},
		"network-overload":                      {narrow(base, a.Seat.Machine)},
		"colour-close, strong":                  {vivid(base)},
		"colour-close, rainbow":                 rainbow(base, section),
		"late":                                  {late(base, a.Seat.Machine)},
		"riser-overload, by heavy":              heavies(base),
		"unseated":                              {change.Seat{Seats: []change.Seating{{ID: a.ID}}}},
		"seat-clash":                            {change.Seat{Seats: []change.Seating{{ID: a.ID, Seat: &clash}}}},
		"riser-overload":                        {change.Seat{Seats: []change.Seating{{ID: a.ID, Seat: &high}}}},
		"machine-overload":                      {change.Seat{Seats: []change.Seating{{ID: a.ID, Seat: &riser}}}},
		"outputs-overflow":                      {change.Seat{Seats: []change.Seating{{ID: a.ID, Seat: &pair}}}},
		"missing-patch":                         {change.Edit{Edits: []change.Fields{{ID: a.ID, Patches: &[]template.ID{}}}}},
		"duplicate-name":                        {change.Move{IDs: []template.ID{b.ID}, Section: section}, change.Edit{Edits: []change.Fields{{ID: a.ID, Name: &same}}}},
		"duplicate-name, nearly":                {change.Move{IDs: []template.ID{b.ID}, Section: section}, change.Edit{Edits: []change.Fields{{ID: a.ID, Name: new("Flute1, longs")}, {ID: b.ID, Name: new("flute 1 long")}}}},
		"library-missing":                       {change.Put{Libraries: []change.Entry[template.Library]{change.Append(&elsewhere)}}},
		"switch-clash":                          {patched(base, a, func(p *template.Patch) { p.KeyLow, p.Map = 30, keys("long", 24, "short", 24) })},
		"switch-in-range":                       {patched(base, a, func(p *template.Patch) { p.KeyLow, p.Map = 30, keys("long", 36, "short", 37) })},
		"no-dynamics":                           {patched(base, a, func(p *template.Patch) { p.Map, p.Dynamics = keys("sus.", 0), template.DynamicsNone; p.KeyLow = 1 })},
		"no-dynamics, by the rows that play it": {patched(base, a, func(p *template.Patch) { p.Map, p.Dynamics = nil, template.DynamicsNone }), change.Edit{Edits: []change.Fields{{ID: a.ID, Articulations: &[]string{"long"}}}}},
		"no-dynamics, by its instrument":        {patched(base, a, func(p *template.Patch) { p.Map, p.Dynamics, p.Sound = nil, template.DynamicsNone, "strings.violin" }), change.Edit{Edits: []change.Fields{{ID: a.ID, Articulations: &[]string{}}}}},
		"off-machine":                           {change.Edit{Edits: []change.Fields{{ID: a.ID, Style: &template.SeatStyle{Machine: otherMachine(base, a)}}}}},
		"pair-shared":                           {change.Edit{Edits: []change.Fields{{ID: a.ID, Style: &template.SeatStyle{OwnPair: true}}}}, change.Seat{Seats: []change.Seating{{ID: b.ID, Seat: beside(a)}}}},
		"out-of-range":                          {patched(base, a, func(p *template.Patch) { p.Sound, p.KeyLow, p.KeyHigh = "strings.violin", 43, 88 })},
		"empty-section":                         {change.Put{Sections: []change.Entry[template.Section]{change.Append(&template.Section{ID: "new", Name: "New"})}}},
	} {
		t.Run(code, func(t *testing.T) {
			code, _, _ = strings.Cut(code, ",")
			faulty := coretest.Must(base, faults...)
			mended := false
			for _, m := range proof.Check(faulty, "").Marks {
				require.NotEmpty(t, m.Remedies, "%s: %s", m.Code, m.Message)
				require.NotEmpty(t, m.Message)
				for _, r := range m.Remedies {
					if m.Code != code || r.Build == nil {
						continue
					}
					c, err := r.Build()
					require.NoError(t, err, r.Label)
					after := coretest.Must(faulty, c)
					require.Zero(t, proof.Check(after, "").Counts()[code], "%s: %s", m.Message, r.Label)
					mended = true
				}
			}
			require.True(t, mended, "the mark %s is found and mended", code)
		})
	}
}

func TestOverMemory(t *testing.T) {
	base := sound()
	var ids []template.ID
	for _, i := range base.Instruments {
		ids = append(ids, i.ID)
	}
	m := *base.Machines[0]
	m.MemoryMiB, m.ReserveMiB = 1024, 0
	tight := coretest.Must(base, change.Put{
		Machines: []change.Entry[template.Machine]{change.Append(&m)},
		Calls:    []change.Entry[template.Call]{change.Append(&template.Call{ID: "call", Name: "1M05", Instruments: ids})},
	})
	found := proof.Check(tight, "")
	require.Equal(t, 2, found.Counts()["over-memory"], "the call, and everything at once")
	for _, mark := range found.Marks {
		if mark.Subject != "call" {
			continue
		}
		c, err := mark.Remedies[0].Build()
		require.NoError(t, err)
		after := coretest.Must(tight, c)
		require.Equal(t, 1, proof.Check(after, "").Counts()["over-memory"])
		require.Less(t, len(after.Calls[0].Instruments), len(ids))
	}
}

// What is kept, or in the opening call, comes with every call: each must fit
// beside it, and the proof finds so when the mark is set.
func TestEveryCallFitsBesideWhatStays(t *testing.T) {
	base := sound()
	on := base.Machines[0].ID
	var here []template.ID
	for _, i := range base.Instruments {
		if i.Seat.Machine == on {
			here = append(here, i.ID)
		}
	}
	m, set := *base.Machines[0], base.Settings
	m.ReserveMiB, m.MemoryMiB = 0, calls.ReadyMiB(base, here[:len(here)-1])[on]
	set.MemoryRule = template.FitCalls
	now := coretest.Must(base, change.Configure{Name: base.Name, Settings: set}, change.Put{
		Machines: []change.Entry[template.Machine]{change.Append(&m)},
		Calls:    []change.Entry[template.Call]{change.Append(&template.Call{ID: "call", Name: "1M05", Instruments: here[:len(here)-1]})},
	})
	proved := proof.Check(now, "")
	require.Zero(t, proved.Counts()["over-memory"], "it fits to the last MiB")
	yes := true
	kept := coretest.Must(now, change.Edit{Edits: []change.Fields{{ID: here[len(here)-1], Keep: &yes}}})
	require.Equal(t, 1, proof.Recheck(proved, kept, "").Counts()["over-memory"])
	opens := coretest.Must(now, change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "o", Name: "Opening", Opening: true, Instruments: here[len(here)-1:]})}})
	require.Equal(t, 1, proof.Recheck(proved, opens, "").Counts()["over-memory"])
}

// A split return keeps every level: each stem keeps its own wet sound.
func TestSplittingAReturnKeepsLevels(t *testing.T) {
	base := sound()
	stems := base.StemsOf("fold-fine")
	shared := &template.Bus{ID: "hall", Kind: template.Return, Name: "Hall", GainDB: -2, Routes: []template.Route{{To: stems[0].ID, Tap: template.Post}}}
	wires := change.Connect{}
	for _, i := range base.Instruments {
		wires.Wires = append(wires.Wires, change.Wire{From: i.ID, To: "hall", Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}})
	}
	faulty := coretest.Must(base, change.Put{Buses: []change.Entry[template.Bus]{change.Append(shared)}}, wires)
	for _, m := range proof.Check(faulty, "").Marks {
		if m.Code != "shared-return" {
			continue
		}
		c, err := m.Remedies[0].Build()
		require.NoError(t, err)
		after := coretest.Must(faulty, c)
		f := proof.Check(after, "")
		require.Empty(t, f.Marks)
		for _, i := range after.Instruments {
			wet := 0.0
			for _, r := range f.Fan.FromInstrument(i) {
				if f.Fan.Bus(r).Kind == template.Mix && r.Chain != 0 {
					wet += r.Gain
				}
			}
			require.InDelta(t, template.Gain(-16), wet, 1e-12)
		}
	}
}

// However a template comes to be wired, each mark of a fold that does not add
// up has a remedy that makes all of them go.
func TestEveryMismatchHasARemedy(t *testing.T) {
	base := sound()
	found := 0
	rapid.Check(t, func(r *rapid.T) {
		now := base
		for range rapid.IntRange(1, 6).Draw(r, "steps") {
			if len(now.Instruments) < 8 {
				break
			}
			if after, _, err := change.Apply(now, coretest.Any(now).Draw(r, "change")); err == nil {
				now = after
			}
		}
		for _, m := range proof.Check(now, "").Marks {
			if m.Code != "fold-mismatch" {
				continue
			}
			found++
			last := m.Remedies[len(m.Remedies)-1]
			c, err := last.Build()
			require.NoError(r, err)
			after, _, err := change.Apply(now, c)
			require.NoError(r, err)
			require.Zero(r, proof.Check(after, "").Counts()["fold-mismatch"], m.Message)
		}
	})
	require.Positive(t, found)
}

// What Recheck takes over from an earlier proof is just what a whole new check
// finds, over any run of changes of every kind and every field.
func TestRecheckFindsWhatCheckFinds(t *testing.T) {
	base := coretest.Must(sound(), coretest.Spare())
	applied := map[string]int{}
	for range 5 {
		rapid.Check(t, func(r *rapid.T) { recheckRuns(r, base, applied) })
	}
	for _, kind := range change.Kinds() {
		require.Positive(t, applied[kind], "no %s could be applied", kind)
	}
}

func recheckRuns(r *rapid.T, base *template.Template, applied map[string]int) {
	now, proved := base, proof.Check(base, "")
	for range rapid.IntRange(1, 12).Draw(r, "steps") {
		if len(now.Instruments) < 8 || len(now.Machines) == 0 {
			break
		}
		c := coretest.Anything(now).Draw(r, "change")
		after, _, err := change.Apply(now, c)
		if err != nil {
			continue
		}
		applied[c.Kind()]++
		now, proved = after, proof.Recheck(proved, after, "")
		cold := proof.Check(after, "")
		require.Equal(r, summary(cold), summary(proved), "after %s", change.Describe(c))
		for n, i := range now.Instruments {
			require.Equal(r, cold.Stems(n), proved.Stems(n), i.Name)
		}
	}
}

func summary(p proof.Proof) []string {
	out := []string{}
	for _, m := range p.Marks {
		line := m.Code + " " + string(m.Subject) + " " + m.Message
		for _, r := range m.Remedies {
			line += " / " + r.Label
		}
		out = append(out, line)
	}
	return out
}

func BenchmarkProofCold(b *testing.B) {
	t := coretest.Large(10_000, 200)
	t = coretest.Must(t, seating.Everyone(t, seating.Options{}).Change())
	for b.Loop() {
		proof.Check(t.Clone(), "")
	}
}

// One change of each common kind at 10,000 instruments and 200 buses, with its
// proof. The goal is 30 ms.
func BenchmarkChangeAndProve(b *testing.B) {
	t := coretest.Large(10_000, 200)
	t = coretest.Must(t, seating.Everyone(t, seating.Options{}).Change())
	i := t.Instruments[9]
	name, seat := "Renamed", *t.Instruments[9999].Seat
	seat.Channel = 16
	for _, bc := range []struct {
		name string
		c    change.Change
	}{
		{"name", change.Edit{Edits: []change.Fields{{ID: i.ID, Name: &name}}}},
		{"seat", change.Seat{Seats: []change.Seating{{ID: i.ID, Seat: &seat}}}},
		{"stem", change.AssignStem{IDs: []template.ID{i.ID}, Stem: t.StemsOf("fold-fine")[3].ID}},
		{"route", change.Connect{Wires: []change.Wire{{From: i.ID, To: i.Routes[0].To, Level: &change.WireSetting{GainDB: -3, Tap: template.Post}}}}},
		{"bus", change.Connect{Wires: []change.Wire{{From: i.Routes[0].To, To: t.Index().Buses[i.Routes[0].To].Routes[0].To, Level: &change.WireSetting{GainDB: -3, Tap: template.Post}}}}},
		{"delete", change.Delete{IDs: []template.ID{i.ID}}},
	} {
		b.Run(bc.name, func(b *testing.B) {
			before := proof.Check(t, "")
			for b.Loop() {
				after, _, err := change.Apply(t, bc.c)
				require.NoError(b, err)
				proof.Recheck(before, after, "")
			}
		})
	}
}

// What the marks of the print position say, figures and all.
func TestThePrintPositionInWords(t *testing.T) {
	faulty := coretest.Must(sound(), printed(), change.Connect{Wires: []change.Wire{{From: "bus-mix", To: "bus-speakers", Level: &change.WireSetting{Tap: template.Post}}}})
	marks := proof.Check(faulty, "").Marks
	require.Len(t, marks, 1)
	require.Equal(t, "In print, 32 instruments reach the speakers twice, over Mix and Print: +6.02 dB too loud", marks[0].Message)
	require.Equal(t, "Mix", marks[0].Name)
}
