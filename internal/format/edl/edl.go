// Package edl reads and writes event lists as CMX 3600 has them: numbered events with the
// times of their source and of the film. Text goes in, picture events come out, with what was
// left out or is odd by line; and back. The layout is from memory of the published one.
package edl

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/plaintext"
)

// MaxBytes bounds a list.
const MaxBytes = 32 << 20

// Note is something about a line that a person should know; Line is 0 for the list as a whole.
type Note struct {
	Line int    `json:"line"`
	Text string `json:"text"`
}

// Bad is the error of a list that cannot be taken: every line that is wrong, up to twenty.
type Bad struct{ Notes []Note }

const mostNotes = 20

func (e *Bad) Error() string {
	var text []string
	for _, n := range e.Notes[:min(3, len(e.Notes))] {
		text = append(text, fmt.Sprintf("line %d: %s", n.Line, n.Text))
	}
	if more := len(e.Notes) - len(text); more > 0 {
		text = append(text, fmt.Sprintf("and %d more", more))
	}
	return "event list, " + strings.Join(text, "; ")
}

// List is what was read: picture events in the order of their time.
type List struct {
	cut.List
	Notes []Note
}

// reader reads lines into events.
type reader struct {
	rate   timecode.Rate
	list   List
	bad    []Note
	facts  []fact // of each event
	number string // of the event read last
	from   string // the source that a dissolve comes from
	others int    // events of sound and of other tracks
	drop   *bool  // what the list says of its count
}

// fact is what is known of an event beside what it becomes.
type fact struct {
	line  int
	taken int64 // frames that it takes from its source
	sped  bool  // a line told its speed
}

// Read reads a list at a frame rate, which lists do not state. The error is a *Bad, or one of r.
func Read(r io.Reader, rate timecode.Rate) (List, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return List{}, fmt.Errorf("read event list: %w", err)
	}
	if len(data) > MaxBytes {
		return List{}, &Bad{[]Note{{0, fmt.Sprintf("the list is larger than %d MiB", MaxBytes>>20)}}}
	}
	x := &reader{rate: rate}
	x.list.Rate = rate
	for n, line := range strings.Split(plaintext.Decode(data), "\n") {
		x.line(n+1, strings.TrimSpace(line))
		if len(x.list.Events) > cut.MostEvents {
			x.wrong(n+1, "the list has more than %d events", cut.MostEvents)
			break
		}
	}
	return x.end()
}

func (x *reader) wrong(line int, text string, args ...any) {
	if len(x.bad) < mostNotes {
		x.bad = append(x.bad, Note{line, fmt.Sprintf(text, args...)})
	}
}

func (x *reader) note(line int, text string, args ...any) {
	if len(x.list.Notes) < mostNotes {
		x.list.Notes = append(x.list.Notes, Note{line, fmt.Sprintf(text, args...)})
	}
}

var (
	times   = `(\d{1,2}[:.;]\d{1,2}[:.;]\d{1,2}[:.;,]\d{1,3})`
	event   = regexp.MustCompile(`^(\d{1,6}[A-Za-z]?)\s+(.+?)\s+([A-Za-z0-9/]+)\s+(C|D|K\s?[BO]?|W\d{1,3})\s+(?:(\d{1,4})\s+)?` + times + `\s+` + times + `\s+` + times + `\s+` + times + `\s*$`)
	motion  = regexp.MustCompile(`^M2\s+(.*?)\s*(-?\d+(?:\.\d+)?)\s+(?:` + times + `)?\s*$`)
	counted = regexp.MustCompile(`^\d{1,6}[A-Za-z]?\s`)
)

func (x *reader) line(n int, line string) {
	upper := strings.ToUpper(line)
	switch {
	case line == "":
	case strings.HasPrefix(upper, "TITLE:"):
		x.list.Title = cut200(strings.TrimSpace(line[len("TITLE:"):]))
	case strings.HasPrefix(upper, "FCM:"):
		x.count(n, upper)
	case strings.HasPrefix(upper, "*"):
		x.comment(strings.TrimSpace(line[1:]))
	case motion.MatchString(line):
		x.speed(n, motion.FindStringSubmatch(line))
	case event.MatchString(line):
		x.event(n, event.FindStringSubmatch(line))
	case counted.MatchString(line):
		x.wrong(n, "%q is not an event: it has a number, a source, a track, a transition, and four timecodes", shortened(line))
	}
	// Other lines are comments of the program that wrote the list.
}

func cut200(s string) string {
	if len(s) > 200 {
		return strings.ToValidUTF8(s[:200], "")
	}
	return s
}

func shortened(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:60], "") + "…"
	}
	return s
}

// count takes what the list says of its count of frames.
func (x *reader) count(n int, line string) {
	drop := strings.Contains(line, "DROP") && !strings.Contains(line, "NON")
	if x.drop == nil && drop != x.rate.Drop {
		x.note(n, "the list says %q, and is read at %s: see that this is the film's rate", strings.TrimSpace(line[len("FCM:"):]), x.rate)
	}
	x.drop = &drop
}

// comment takes the name of a clip.
func (x *reader) comment(line string) {
	name, value, ok := strings.Cut(line, ":")
	last := len(x.list.Events) - 1
	if !ok || last < 0 || x.list.Events[last].Number != x.number {
		return
	}
	e := &x.list.Events[last]
	value = cut200(strings.TrimSpace(value))
	switch strings.ToUpper(strings.TrimSpace(name)) {
	case "FROM CLIP NAME":
		if e.Fade == 0 {
			e.Clip = value
		}
	case "TO CLIP NAME":
		e.Clip = value
	case "CLIP NAME":
		e.Clip = cmp.Or(e.Clip, value)
	case "SOURCE FILE", "SOURCE FILE NAME":
		if e.Source == "" || strings.EqualFold(e.Source, "AX") {
			e.Source = value
		}
	}
}

// speed takes the speed of the event before: frames of the source a second.
func (x *reader) speed(n int, m []string) {
	last := len(x.list.Events) - 1
	if last < 0 || x.list.Events[last].Number != x.number {
		return // of an event that is left out
	}
	fps, err := strconv.ParseFloat(m[2], 64)
	speed := fps / float64(x.rate.Counted())
	if err != nil || math.Abs(speed) > cut.MostSpeed {
		x.wrong(n, "a speed of %s frames a second is not possible", shortened(m[2]))
		return
	}
	e := &x.list.Events[last]
	x.facts[last].sped = true
	e.Speed, e.Still = speed, speed == 0
	if speed == 1 {
		e.Speed = 0
	}
}

func (x *reader) event(n int, m []string) {
	number, source, track, transition := m[1], m[2], strings.ToUpper(m[3]), strings.ToUpper(m[4])
	x.number = ""
	if !strings.Contains(track, "V") && track != "B" && track != "NONE" || len(track) > 1 && track[0] == 'V' && track != "V1" && !strings.Contains(track, "/") {
		x.others++
		return
	}
	var frames [4]int64
	for k, text := range m[6:10] {
		f, err := x.rate.Parse(text)
		if err != nil {
			x.wrong(n, "%s", err)
			return
		}
		if semicolon := strings.Contains(text, ";"); semicolon && !x.rate.Drop && k == 2 {
			x.note(n, "its timecode is written as drop-frame, and is read at %s", x.rate)
		}
		frames[k] = f
	}
	in, out, start, end := frames[0], frames[1], frames[2], frames[3]
	if start == end && transition == "C" {
		x.from = source // where the dissolve of the next line comes from
		return
	}
	e := cut.Event{Number: number, Source: cut200(source), In: in, Start: start, End: end}
	fade, _ := strconv.ParseInt(m[5], 10, 64)
	switch {
	case transition == "D":
		e.Fade = fade
	case strings.HasPrefix(transition, "W"):
		e.Fade, e.Wipe = fade, transition[1:]
	case strings.HasPrefix(transition, "K"):
		x.others++ // it lies over another
		return
	}
	if end <= start {
		x.wrong(n, "event %s ends at %s, before it begins at %s", number, m[9], m[8])
		return
	}
	if e.Fade > e.Length() {
		x.wrong(n, "event %s comes in over %d frames and lasts %d", number, e.Fade, e.Length())
		return
	}
	x.number = number
	x.list.Events, x.facts = append(x.list.Events, e), append(x.facts, fact{line: n, taken: out - in})
}

func (x *reader) end() (List, error) {
	for n, f := range x.facts {
		if e := x.list.Events[n]; !f.sped && f.taken != e.Length() && !e.Black() {
			x.note(f.line, "event %s takes %d frames from its source and lasts %d, without a speed; its time in the film is used", e.Number, f.taken, e.Length())
		}
	}
	if x.others > 0 {
		x.note(0, "left out: %d of sound, keys and other tracks", x.others)
	}
	if len(x.bad) == 0 && len(x.list.Events) == 0 {
		x.wrong(0, "it has no picture events; is it an event list of the picture?")
	}
	if len(x.bad) == 0 {
		x.overlaps()
	}
	if len(x.bad) > 0 {
		return List{}, &Bad{x.bad}
	}
	events, err := cut.Checked(x.rate, x.list.Events)
	if err != nil {
		return List{}, &Bad{[]Note{{0, err.Error()}}}
	}
	x.list.Events = events
	return x.list, nil
}

// overlaps tells of events that are at one time, by their lines.
func (x *reader) overlaps() {
	order := make([]int, len(x.list.Events))
	for n := range order {
		order[n] = n
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(x.list.Events[a].Start, x.list.Events[b].Start) })
	for k := 1; k < len(order); k++ {
		a, b := x.list.Events[order[k-1]], x.list.Events[order[k]]
		if b.Start < a.End {
			x.wrong(x.facts[order[k]].line, "event %s begins at %s, before event %s of line %d ends at %s", b.Number, x.rate.Format(b.Start), a.Number, x.facts[order[k-1]].line, x.rate.Format(a.End))
		}
	}
}

// The channels of the format: one of picture, and so many of sound.
const picture = "V"

var sounds = []string{"A", "A2", "A3", "A4"}

// placed is an event on a channel.
type placed struct {
	channel string
	before  cut.Event // on the channel; black for none
	cut.Event
}

// placedOf is all events in the order of their time.
func placedOf(l cut.Timeline) ([]placed, error) {
	var out []placed
	pictures, heard := 0, 0
	for _, t := range l.Tracks {
		channel := picture
		if t.Sound {
			if heard++; heard > len(sounds) {
				return nil, fmt.Errorf("write event list: it holds %d tracks of sound, and more run at one time; take out a part of it, such as one reel", len(sounds))
			}
			channel = sounds[heard-1]
		} else if pictures++; pictures > 1 {
			return nil, errors.New("write event list: it holds one track of picture")
		}
		before := cut.Event{Source: "BL"}
		for _, e := range t.Events {
			out = append(out, placed{channel, before, e})
			before = e
		}
	}
	slices.SortStableFunc(out, func(a, b placed) int { return cmp.Compare(a.Start, b.Start) })
	return out, nil
}

// Write writes a timeline: one track of picture at most, and four of sound.
func Write(w io.Writer, l cut.Timeline) error {
	events, err := placedOf(l)
	if err != nil {
		return err
	}
	if l.Rate.Num == 0 {
		return errors.New("write event list: it has no frame rate")
	}
	out := bufio.NewWriter(w)
	count := "NON-DROP FRAME"
	if l.Rate.Drop {
		count = "DROP FRAME"
	}
	fmt.Fprintf(out, "TITLE: %s\nFCM: %s\n\n", strings.ToUpper(strings.Join(strings.Fields(l.Title), " ")), count)
	tc := l.Rate.Format
	for n, e := range events {
		number := fmt.Sprintf("%03d", n+1)
		source := reel(e.Source)
		sourceEnd := e.In + int64(math.Round(float64(e.Length())*math.Abs(e.Rate())))
		transition := "C       "
		if e.Fade > 0 {
			kind := "D"
			if e.Wipe != "" {
				kind = "W" + e.Wipe
			}
			transition = fmt.Sprintf("%-4s %03d", kind, e.Fade)
			before := e.before
			at := before.In + int64(math.Round(float64(before.Length())*before.Rate()))
			fmt.Fprintf(out, "%s  %-8s %-5s C        %s %s %s %s\n", number, reel(before.Source), e.channel, tc(at), tc(at), tc(e.Start), tc(e.Start))
		}
		fmt.Fprintf(out, "%s  %-8s %-5s %s %s %s %s %s\n", number, source, e.channel, transition, tc(e.In), tc(sourceEnd), tc(e.Start), tc(e.End))
		if e.Rate() != 1 {
			fmt.Fprintf(out, "M2   %-8s       %05.1f                %s\n", source, e.Rate()*float64(l.Rate.Counted()), tc(e.In))
		}
		if e.Clip != "" {
			if e.Fade > 0 {
				fmt.Fprintf(out, "* TO CLIP NAME: %s\n", e.Clip)
			} else {
				fmt.Fprintf(out, "* FROM CLIP NAME: %s\n", e.Clip)
			}
		}
	}
	if err := out.Flush(); err != nil {
		return fmt.Errorf("write event list: %w", err)
	}
	return nil
}

// reel is a source as the format has it: without blanks; AX for one without a name.
func reel(name string) string { return cmp.Or(strings.Join(strings.Fields(name), "_"), "AX") }
