package handover

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

// WakeChannel is the channel whose notes stand for the first 128 instruments of
// a call; those that follow are on the channels below it.
const WakeChannel = 16

// Slug is a name as it stands in an address: lower case, with a hyphen for each
// run of hyphens and of what Open Sound Control 1.0 forbids there (space # * , / ? [ ] { }) or
// is not printable ASCII; a letter it cannot hold is left to its hyphen.
func Slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		if r <= ' ' || r > '~' || strings.ContainsRune("-#*,/?[]{}", r) {
			if s := b.String(); s != "" && !strings.HasSuffix(s, "-") {
				b.WriteByte('-')
			}
			continue
		}
		b.WriteRune(r)
	}
	return strings.Trim(b.String(), "-")
}

// Wake is a call as a music program can play it: banks choose the call, and
// each note stands for one of its instruments.
type Wake struct {
	Name     string
	Messages []articulation.Message
}

// NewWake lays a call out as messages: controllers 0 and 32 (bank select, MIDI
// 1.0) with the call's number, counted from 0 in the list of calls, then a note
// for each of its instruments, one every sixteenth.
func NewWake(t *template.Template, call *template.Call) Wake {
	const step = TicksPerQuarter / 4
	w := Wake{Name: call.Name}
	number := slices.Index(t.Calls, call)
	for _, c := range []struct{ controller, value int }{{0, number >> 7 & 127}, {32, number & 127}} {
		w.Messages = append(w.Messages, articulation.Message{Status: articulation.Controller, Channel: WakeChannel, Data1: c.controller, Data2: c.value, Why: fmt.Sprintf("call %d", number)})
	}
	for n, id := range call.Instruments {
		channel, key, why := WakeChannel-n/128, n%128, ""
		if channel < 1 {
			break // more than 2048 instruments
		}
		if i := t.Instrument(id); i != nil {
			why = i.Name
		}
		at := int64(n+1) * step
		w.Messages = append(w.Messages,
			articulation.Message{Tick: at, Status: articulation.NoteOn, Channel: channel, Data1: key, Data2: 100, Why: why},
			articulation.Message{Tick: at + step, Status: articulation.NoteOff, Channel: channel, Data1: key, Why: why})
	}
	slices.SortStableFunc(w.Messages, func(a, b articulation.Message) int { return int(a.Tick - b.Tick) })
	return w
}

// Woken is the instrument that a note stands for within a call; empty for none.
func Woken(call *template.Call, channel, key int) template.ID {
	if n := (WakeChannel-channel)*128 + key; channel <= WakeChannel && n < len(call.Instruments) {
		return call.Instruments[n]
	}
	return ""
}
