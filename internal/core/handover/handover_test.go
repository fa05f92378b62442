package handover_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

func seated(n, machines int) *template.Template {
	t := coretest.Orchestra(n, machines)
	return coretest.Must(t, seating.Everyone(t, seating.Options{}).Change())
}

// A track for each sampled instrument and spare row, in score order, none for
// guides and live inputs; the cue after four free bars of 4/4, the upbeat in
// them (4-reference, Time).
func TestSongHasATrackEach(t *testing.T) {
	now := seated(20, 2)
	section := now.Sections[0].ID
	now = coretest.Must(now, change.Add{Instruments: []change.Placed{
		{At: 0, Instrument: &template.Instrument{ID: "guide", Section: section, Name: "Dialogue", Kind: template.Guide}},
		{At: 1, Instrument: &template.Instrument{ID: "spare", Section: section, Name: "Spare", Kind: template.Spare}},
		{At: 2, Instrument: &template.Instrument{ID: "new", Section: section, Name: "Unseated", Kind: template.Sampled}},
	}})
	song := handover.NewSong(now)
	require.Equal(t, uint32(4*4*480), song.CueTick)
	require.InDelta(t, 120, song.TempoBPM, 0)
	require.Len(t, song.Tracks, 22)
	var names []string
	for _, i := range now.ScoreOrder() {
		if i.Kind != template.Guide {
			names = append(names, i.Name)
		}
	}
	seats := map[string]bool{}
	for n, track := range song.Tracks {
		require.Equal(t, names[n], track.Name)
		if track.Channel == 0 {
			require.Equal(t, -1, track.Port)
			require.Empty(t, track.Device)
			require.Empty(t, track.Upbeat, "nothing can be sent to a row without a seat")
			continue
		}
		require.Equal(t, []template.Controller{{Number: 1, Value: 64}, {Number: 7, Value: 100}, {Number: 11, Value: 127}}, track.Upbeat)
		seat := fmt.Sprintf("%d/%d", track.Port, track.Channel)
		require.False(t, seats[seat], "port and channel name one seat over all machines")
		seats[seat] = true
	}
}

// Ports are counted through machines, risers and ports, without gaps; beyond
// 127 a MIDI file cannot name them (SMF 1.0, FF 21: one byte, 0 to 127).
func TestPortsAreCountedThrough(t *testing.T) {
	now := seated(4, 2)
	at := func(n int, machine string, riser, port int) change.Seating {
		return change.Seating{ID: now.Instruments[n].ID, Seat: &template.Seat{Machine: template.ID(machine), Riser: riser, Port: port, Channel: 5, Pair: 2}}
	}
	now = coretest.Must(now, change.Seat{Seats: []change.Seating{at(0, "machine-2", 1, 1), at(1, "machine-1", 2, 1), at(2, "machine-1", 1, 8), at(3, "machine-1", 1, 2)}})
	ports := map[string]int{}
	for _, track := range handover.NewSong(now).Tracks {
		ports[track.Device] = track.Port
	}
	require.Equal(t, map[string]int{"Machine 1 riser 1 port 2": 0, "Machine 1 riser 1 port 8": 1, "Machine 1 riser 2 port 1": 2, "Machine 2 riser 1 port 1": 3}, ports)

	var many change.Seat
	big := coretest.Orchestra(200, 1)
	for n, i := range big.Instruments {
		many.Seats = append(many.Seats, change.Seating{ID: i.ID, Seat: &template.Seat{Machine: "machine-1", Riser: 1 + n/64, Port: 1 + n%64, Channel: 1, Pair: 2}})
	}
	named := 0
	for _, track := range handover.NewSong(coretest.Must(big, many)).Tracks {
		require.Less(t, track.Port, 128)
		if track.Port >= 0 {
			named++
		}
	}
	require.Equal(t, 128, named)
}

func column(t *testing.T, table handover.Table, heading string) []string {
	t.Helper()
	for n, h := range table.Headings {
		if h == heading {
			var out []string
			for _, row := range table.Rows {
				require.Len(t, row, len(table.Headings))
				out = append(out, row[n])
			}
			return out
		}
	}
	require.Fail(t, "no column "+heading)
	return nil
}

func TestRoutingSheetTellsTheWholeWay(t *testing.T) {
	now := seated(8, 1)
	i := now.Instruments[0]
	stem := now.StemsOf("fold-fine")[0]
	now = coretest.Must(now,
		change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{ID: "hall", Kind: template.Return, Name: "Hall W", Routes: []template.Route{{To: stem.ID, Tap: template.Post}}})}},
		change.Connect{Wires: []change.Wire{{From: i.ID, To: "hall", Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}}}})
	sheet := handover.RoutingSheet(now)
	require.Equal(t, "Hall W -14 dB pre", column(t, sheet, "sends")[0])
	require.Equal(t, "Winds group 1", column(t, sheet, "feeds")[0])
	require.Equal(t, "Winds stem 1", column(t, sheet, "stem, fine")[0])
	require.Equal(t, "Winds", column(t, sheet, "stem, sections")[0])
	require.Equal(t, "3-4", column(t, sheet, "outputs")[0])
	require.True(t, strings.HasSuffix(column(t, sheet, "trace")[0], "; send Hall W -14 dB before the fader · Winds stem 1"))
	require.Len(t, sheet.Rows, 8)
}

// The seating sheet lists what to build, riser by riser, port by port; an
// instrument of two patches takes a line for each.
func TestSeatingSheetInOrder(t *testing.T) {
	now := seated(40, 2)
	two := append(append([]template.ID{}, now.Instruments[0].Patches...), now.Instruments[1].Patches...)
	now = coretest.Must(now, change.Edit{Edits: []change.Fields{{ID: now.Instruments[0].ID, Patches: &two}}})
	lines := 0
	for _, m := range now.Machines {
		sheet := handover.SeatingSheet(now, m.ID)
		lines += len(sheet.Rows)
		risers, ports, channels := column(t, sheet, "riser"), column(t, sheet, "port"), column(t, sheet, "channel") // one player
		for n := 1; n < len(sheet.Rows); n++ {
			before := fmt.Sprintf("%3s %3s %3s", risers[n-1], ports[n-1], channels[n-1])
			require.LessOrEqual(t, before, fmt.Sprintf("%3s %3s %3s", risers[n], ports[n], channels[n]))
		}
		for _, name := range column(t, sheet, "machine") {
			require.Equal(t, m.Name, name)
		}
	}
	require.Equal(t, 41, lines)
	banks := *now.Players[0]
	banks.Banks = 4
	now = coretest.Must(now, change.Put{Players: []change.Entry[template.Player]{change.Append(&banks)}})
	require.Equal(t, banks.Name+", ports 1 to 4", column(t, handover.SeatingSheet(now, now.Machines[0].ID), "player")[0], "which is one player to build")
}

// A row list brought in again gives the same rows, sections, groups, stems
// and patches, layers too.
func TestARowListComesBack(t *testing.T) {
	now := coretest.Orchestra(48, 1)
	both := []template.ID{now.Instruments[5].Patches[0], now.Instruments[6].Patches[0], now.Instruments[11].Patches[0]}
	now = coretest.Must(now, change.Edit{Edits: []change.Fields{{ID: now.Instruments[5].ID, Patches: &both}}},
		change.Add{Instruments: []change.Placed{
			{At: 4, Instrument: &template.Instrument{ID: "line", Section: now.Instruments[3].Section, Kind: template.Divider}},
			{At: 9, Instrument: &template.Instrument{ID: "word", Section: now.Instruments[8].Section, Name: "Low", Notes: "all of it", Kind: template.Divider}},
		}})
	table := handover.RowList(now)
	require.Equal(t, intake.Columns, table.Headings)
	var rows []intake.Row
	for n, cells := range table.Rows {
		cell := map[string]string{}
		for c, name := range table.Headings {
			cell[name] = cells[c]
		}
		size := 0.0
		if cell["kind"] != "divider" {
			_, err := fmt.Sscan(cell["preload_mib"], &size)
			require.NoError(t, err)
		}
		layer, _ := strconv.Atoi(cell["layer"])
		rows = append(rows, intake.Row{
			Line: n + 2, Section: cell["section"], Instrument: cell["instrument"], Articulations: intake.Split(cell["articulations"]),
			Library: cell["library"], Patch: cell["patch"], Kind: cell["kind"], Stem: cell["stem"], Group: cell["group"],
			Player: cell["player"], PreloadMiB: &size, Layer: layer, Notes: cell["notes"],
		})
	}
	batch, _, problems := intake.Plan(template.New("t", "T"), rows, intake.Sequence(), intake.StandardDefaults())
	require.Empty(t, problems)
	again := coretest.Must(template.New("t", "T"), batch)
	require.Equal(t, table, handover.RowList(again))
	require.Len(t, again.Patches, len(now.Patches))
	require.Len(t, table.Rows, 52, "a line for each further patch")
	require.Len(t, again.Instruments, 50)
	require.Equal(t, len(now.Buses), len(again.Buses))
}

// Players are built in the order they load, whatever their ports; every riser
// has a page, and every line of the sheet is on one.
func TestSeatingPagesInLoadingOrder(t *testing.T) {
	now := coretest.ToSeat(60, 2, 5, 0.5, 1)
	first := *now.Players[1]
	first.Order = -1
	now = coretest.Must(now, change.Put{Players: []change.Entry[template.Player]{change.Append(&first)}})
	now = coretest.Must(now, seating.Everyone(now, seating.Options{}).Change())
	lines := 0
	for _, p := range handover.SeatingPages(now) {
		if p.Drawing != nil { // the machine
			continue
		}
		lines += len(p.Rows)
		require.Regexp(t, `^Machine \d, riser \d$`, p.Title)
		players := column(t, p.Table, "player")
		seen := false
		for _, name := range players {
			require.False(t, seen && name == first.Name, "%s loads first", first.Name)
			seen = seen || name != first.Name
		}
		require.Contains(t, players, first.Name)
	}
	require.Equal(t, 60, lines)
}

func TestAddressSheet(t *testing.T) {
	now := seated(40, 2)
	m := *now.Machines[0]
	m.Address, m.NetworkMbits, m.BufferSamples, m.BufferTimes = "192.168.10.21", 1000, 256, 1
	now = coretest.Must(now, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&m)}})
	sheet := handover.AddressSheet(now)
	require.Equal(t, []string{"192.168.10.21", ""}, column(t, sheet, "address"))
	require.Equal(t, []string{"949.3", ""}, column(t, sheet, "carries_mbits"))
	require.Equal(t, []string{"10.67", ""}, column(t, sheet, "latency_ms"))
	require.Len(t, column(t, sheet, "takes_mbits"), 2)
}

// What a call takes is one amount, wherever it is told: in the handbook, for marks, and for
// lists of calls. It does not hang on what is ready.
func TestACallTakesOneAmount(t *testing.T) {
	now := coretest.Orchestra(40, 2)
	now = coretest.Must(now, seating.Everyone(now, seating.Options{}).Change())
	keep := true
	opening := &template.Call{ID: "opening", Name: "Opening call", Opening: true, Instruments: []template.ID{now.Instruments[0].ID, now.Instruments[1].ID}}
	cue := &template.Call{ID: "cue", Name: "1M03", Instruments: []template.ID{now.Instruments[1].ID, now.Instruments[7].ID}}
	now = coretest.Must(now, change.Put{Calls: []change.Entry[template.Call]{change.Append(opening), change.Append(cue)}}, change.Edit{Edits: []change.Fields{{ID: now.Instruments[9].ID, Keep: &keep}}})
	takes, marks := calls.NewTakes(now).InAll(cue.Instruments), 0.0
	for _, mib := range proof.EachReady(now)(cue) {
		marks += mib
	}
	require.InDelta(t, takes, marks, 1e-9)
	alone := 0.0
	for _, mib := range calls.ReadyMiB(now, cue.Instruments) {
		alone += mib
	}
	require.Greater(t, takes, alone, "the opening call and what is kept stay beside it")
	for _, p := range handover.Handbook(now, handover.Edition{}) {
		if strings.HasPrefix(p.Title, "Calls") {
			require.Equal(t, calls.FormatMiB(takes), p.Rows[1][2])
			return
		}
	}
	require.Fail(t, "the handbook has no page of calls")
}
