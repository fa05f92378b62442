package transfer_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
	"fanfold/internal/core/transfer"
)

// A whole section is copied with those below it, and every copy keeps its
// routes and level.
func TestDuplicateSection(t *testing.T) {
	now := coretest.Large(32, 30)
	top := now.TopSection(now.Instruments[0].Section)
	c, err := transfer.DuplicateSection(now, top.ID, coretest.Mint())
	require.NoError(t, err)
	after := coretest.Must(now, c)
	require.NoError(t, after.Validate())
	copied := after.Instruments[len(now.Instruments):]
	n := 0
	for _, i := range now.Instruments {
		if now.TopSection(i.Section) != top {
			continue
		}
		require.Equal(t, i.Routes, copied[n].Routes)
		require.Equal(t, i.Name, copied[n].Name)
		require.Nil(t, copied[n].Seat)
		require.Equal(t, top.Name+" 2", after.TopSection(copied[n].Section).Name)
		n++
	}
	require.Len(t, copied, n)
	require.Equal(t, len(now.Sections)+5, len(after.Sections), "the top and its four")
	require.True(t, fan.New(after).Sum(after.Folds[0]).AddsUp())
	_, err = transfer.DuplicateSection(now, "gone", coretest.Mint())
	require.ErrorContains(t, err, "no longer in the template")
}

// Between templates, buses are found by their labels, and the rest is asked
// about.
func TestPaste(t *testing.T) {
	from := coretest.Orchestra(16, 1)
	hall := &template.Bus{ID: "hall", Kind: template.Return, Name: "Hall W", Process: "Hall", Routes: []template.Route{{To: from.StemsOf("fold-fine")[0].ID, Tap: template.Post}}}
	row := from.Instruments[0]
	from = coretest.Must(from, change.Put{Buses: []change.Entry[template.Bus]{change.Append(hall)}},
		change.Connect{Wires: []change.Wire{{From: row.ID, To: "hall", Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}}}})
	to := template.New("other", "Other")
	group := from.Index().Buses[row.Routes[0].To]
	to = coretest.Must(to, change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{
		ID: "mine", Kind: template.Group, Name: "WINDS GROUP 1", Routes: []template.Route{{To: "bus-mix", Tap: template.Post}},
	})}})
	ids := []template.ID{row.ID, from.Instruments[1].ID}

	c, questions, err := transfer.Paste(to, from, ids, nil, coretest.Mint())
	require.NoError(t, err)
	require.Nil(t, c)
	var asked []string
	for _, q := range questions {
		asked = append(asked, fmt.Sprintf("%s %s %d", q.Bus.Kind, q.Bus.Name, q.Instruments))
	}
	other := from.Index().Buses[from.Instruments[1].Routes[0].To]
	require.ElementsMatch(t, []string{"return Hall W 1", "group " + other.Name + " 1"}, asked, "the group of the first row is found by its label")

	answers := map[template.ID]transfer.Answer{"hall": {Make: true}, other.ID: {}}
	c, questions, err = transfer.Paste(to, from, ids, answers, coretest.Mint())
	require.NoError(t, err)
	require.Nil(t, c, "what the hall feeds is asked about, too")
	require.Equal(t, template.Stem, questions[0].Bus.Kind)
	answers[questions[0].Bus.ID] = transfer.Answer{Bus: "bus-mix"}
	c, questions, err = transfer.Paste(to, from, ids, answers, coretest.Mint())
	require.NoError(t, err)
	require.Empty(t, questions)
	after := coretest.Must(to, c)
	require.NoError(t, after.Validate())
	pasted := after.Instruments[0]
	require.Equal(t, row.Name, pasted.Name)
	require.Equal(t, from.SectionPath(row.Section), after.SectionPath(pasted.Section))
	require.Equal(t, from.PatchesOf(row)[0].Name, after.PatchesOf(pasted)[0].Name)
	feeds := map[string]float64{}
	for _, r := range pasted.Routes {
		feeds[after.Index().Buses[r.To].Name] = r.GainDB
	}
	require.Equal(t, map[string]float64{"WINDS GROUP 1": 0, "Hall W": -14}, feeds)
	require.Empty(t, after.Instruments[1].Routes, "its bus was left out")
	require.NotEmpty(t, group.Name)

	same, questions, err := transfer.Paste(from, from, ids, nil, coretest.Mint())
	require.NoError(t, err)
	require.Empty(t, questions, "in its own template everything is found")
	again := coretest.Must(from, same)
	require.Equal(t, from.Instrument(row.ID).Routes, again.Instruments[len(from.Instruments)].Routes)

	_, _, err = transfer.Paste(to, from, []template.ID{"gone"}, nil, coretest.Mint())
	require.ErrorContains(t, err, "no longer in the template it was copied from")
	_, _, err = transfer.Paste(to, from, nil, nil, coretest.Mint())
	require.ErrorContains(t, err, "select the rows")
}

// A divider goes along with the rows around it, asks nothing, and stays a line.
func TestADividerIsPasted(t *testing.T) {
	from := coretest.Orchestra(4, 1)
	line := &template.Instrument{ID: "line", Section: from.Instruments[0].Section, Kind: template.Divider}
	from = coretest.Must(from, change.Add{Instruments: []change.Placed{{At: 1, Instrument: line}}})
	to := template.New("other", "Other")
	c, asked, err := transfer.Paste(to, from, []template.ID{"line"}, nil, coretest.Mint())
	require.NoError(t, err)
	require.Empty(t, asked)
	after := coretest.Must(to, c)
	require.Len(t, after.Instruments, 1)
	require.Equal(t, []any{template.Divider, ""}, []any{after.Instruments[0].Kind, after.Instruments[0].Name})
	require.Equal(t, from.SectionPath(line.Section), after.SectionPath(after.Instruments[0].Section))
}
