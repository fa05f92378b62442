package articulation

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// Note is one note of a part, with how it should be played.
type Note struct {
	Start, End    int64 // ticks; End above Start
	Key           int   // MIDI note 0..127
	Velocity      int   // 1..127
	Articulations []string
}

// Control is a controller value of the part itself.
type Control struct {
	Tick   int64
	Number int // 0..119
	Value  int // 0..127
}

// Part is what a compile plays.
type Part struct {
	Notes    []Note
	Controls []Control
}

// Message is one MIDI channel message.
type Message struct {
	Tick    int64
	Status  byte // the kind of message, with channel 0: 0x80, 0x90, 0xB0 or 0xC0
	Channel int  // 1..16
	Data1   int
	Data2   int // not sent with 0xC0
	Why     string
}

// The kinds of message, as in MIDI 1.0.
const (
	NoteOff    = 0x80
	NoteOn     = 0x90
	Controller = 0xB0
	Programme  = 0xC0
)

// Target is the patch as it sits.
type Target struct {
	Map      []template.Mapping
	Dynamics template.Dynamics
	Channel  int // of the seat, 1..16
	KeyLow   int // of the patch
	KeyHigh  int
}

// Options of a compile.
type Options struct {
	From int64 // begin here, with the state of everything before; ticks
	Held bool  // and with the notes that began before and still sound
}

// Compiled is the outcome.
type Compiled struct {
	Messages []Message // by time, switches before the notes they are for
	Missing  []string  // articulations the map does not hold; they play as the last one stood
	Outside  int       // notes beyond the patch's keys
	Switches int       // switch messages sent
}

// UnseatedError is a channel that cannot be reached from the seat.
type UnseatedError struct {
	Articulation string
	Channel      int
}

func (e *UnseatedError) Error() string {
	return fmt.Sprintf("%q wants channel %d, and a port has 16; seat the instrument on a lower channel", e.Articulation, e.Channel)
}

// lasting is how long a lasting key switch is pressed, ticks.
const lasting = 10

// Compile turns a part into the messages that make the target play it:
// switches only where another articulation is wanted, their lead before the
// note, either/or groups back to their natural way where a note asks for no
// other, and notes that much earlier as their articulation speaks late. From
// o.From on, the switches and controllers that stand there are sent first.
func Compile(v *Vocabulary, p Part, t Target, clock *tempo.Map, o Options) (Compiled, error) {
	c := &compiler{v: v, target: t, clock: clock, from: o.From, held: o.Held, missing: map[string]bool{}, chosen: map[stand]*choice{}}
	if err := c.index(); err != nil {
		return Compiled{}, err
	}
	notes := slices.Clone(p.Notes)
	slices.SortStableFunc(notes, func(a, b Note) int {
		if a.Start != b.Start {
			return cmp.Compare(a.Start, b.Start)
		}
		return a.Key - b.Key
	})
	c.out = make([]timed, 0, 2*len(notes)+len(notes)/4)
	for _, n := range notes {
		c.note(n)
	}
	c.join(notes)
	c.sound()
	c.controls(p.Controls)
	return c.done(), nil
}

// timed is a message and its rank among those of one tick: offs, then
// controllers and switches, then notes.
type timed struct {
	Message
	rank int
	of   *choice // whose switch it is; nil for a note or a controller of the part
}

// stand is where an either/or group stands: each channel by itself.
type stand struct {
	channel int
	group   string
}

const (
	rankOff = iota
	rankSwitch
	rankControl
	rankOn
)

type compiler struct {
	v       *Vocabulary
	target  Target
	clock   *tempo.Map
	from    int64
	held    bool
	choices map[string]*choice // by the vocabulary's key
	natural map[string]*choice // of each group the map holds
	chosen  map[stand]*choice  // what each group stands at
	base    *choice            // what a note without articulations plays
	out     []timed
	chase   []timed
	pressed []press
	notes   int
	missing map[string]bool
	outside int
	sent    int
	names   map[string][]*choice // of lists of articulations met already
}

func (c *compiler) note(n Note) {
	wanted := c.wanted(n.Articulations)
	channel, low, high, lead, delay := c.target.Channel, 0, 127, 0, 0
	for _, x := range wanted {
		if x.channel > 0 {
			channel = x.channel
		}
		low, high = max(low, x.low), min(high, x.high)
		lead, delay = max(lead, x.LeadMs), max(delay, x.DelayMs)
	}
	start, end := c.earlier(n.Start, delay), c.earlier(n.End, delay)
	sent := c.earlier(start, lead)
	for _, x := range wanted {
		if at := (stand{channel, x.group}); c.chosen[at] != x {
			c.chosen[at] = x
			for _, s := range x.sent {
				c.send(sent, channel, s, x)
			}
		}
		for _, s := range x.held {
			c.pressed = append(c.pressed, press{sent, end, channel, s.Number, 100, x, -1})
			c.sent++
		}
	}
	if n.Key < c.target.KeyLow || n.Key > c.target.KeyHigh {
		c.outside++
	}
	c.pressed = append(c.pressed, press{start, end, channel, n.Key, inBand(n.Velocity, low, high), nil, c.notes})
	c.notes++
}

// press is a key that is pressed and let go: a note, or a switch that is held.
type press struct {
	on, off  int64
	channel  int
	key      int
	velocity int
	of       *choice // whose switch it is; nil for a note
	note     int     // its number; -1 for a switch
}

// join lets notes that were written without a gap stay so when the later one starts on
// time and the earlier one, which speaks late, was moved.
func (c *compiler) join(notes []Note) {
	starts := make([]int64, len(notes)) // when the notes of one written start begin at last
	for _, p := range c.pressed {
		if p.note >= 0 {
			starts[p.note] = p.on
		}
	}
	for n := len(notes) - 2; n >= 0; n-- {
		if notes[n].Start == notes[n+1].Start {
			starts[n] = max(starts[n], starts[n+1])
		}
	}
	for n := range c.pressed {
		p := &c.pressed[n]
		if p.note < 0 {
			continue
		}
		end := notes[p.note].End
		next, _ := slices.BinarySearchFunc(notes, end+1, func(x Note, at int64) int { return cmp.Compare(x.Start, at) })
		if next--; next > p.note && notes[next].Start > notes[p.note].Start {
			for next > 0 && notes[next-1].Start == notes[next].Start {
				next--
			}
			p.off = max(p.off, starts[next])
		}
	}
}

// sound sends what is pressed from the beginning on. One key sounds once at a time: a
// note that is taken again while it sounds is let go first, and sounds to the end of the
// longer one; a switch that is held for two notes is held for both.
func (c *compiler) sound() {
	type place struct{ channel, key int }
	last := map[place]int{}
	slices.SortStableFunc(c.pressed, func(a, b press) int { return cmp.Compare(a.on, b.on) })
	kept := c.pressed[:0]
	for _, p := range c.pressed {
		p.off = max(p.off, p.on+1)
		at := place{p.channel, p.key}
		n, known := last[at]
		if known && p.on < kept[n].off {
			before := &kept[n]
			p.off = max(p.off, before.off)
			if before.of != nil && p.of != nil || before.on == p.on {
				before.off, before.velocity = p.off, max(before.velocity, p.velocity)
				continue
			}
			before.off = p.on
		}
		last[at] = len(kept)
		kept = append(kept, p)
	}
	for _, p := range kept {
		if p.on < c.from {
			if !c.held || p.off <= c.from {
				continue
			}
			p.on = c.from
		}
		why, rank := "", rankOn
		if p.of != nil {
			why, rank = p.of.Articulation, rankSwitch
		}
		c.out = append(c.out,
			timed{Message{p.on, NoteOn, p.channel, p.key, p.velocity, why}, rank, p.of},
			timed{Message{p.off, NoteOff, p.channel, p.key, 64, why}, rankOff, p.of})
	}
}

// inBand scales a velocity, 1..127, into a band.
func inBand(velocity, low, high int) int {
	low = max(1, low)
	if low >= high {
		return low
	}
	return low + ((velocity-1)*(high-low)+63)/126
}

func (c *compiler) earlier(tick int64, ms int) int64 {
	if ms == 0 {
		return tick
	}
	return max(0, c.clock.Tick(c.clock.Micros(tick)-int64(ms)*1000))
}

// send sends one switch that lasts.
func (c *compiler) send(at int64, channel int, s template.Switch, x *choice) {
	c.sent++
	switch s.Kind {
	case template.ByKey:
		c.state(at, NoteOn, channel, s.Number, 100, x)
		if at >= c.from {
			c.out = append(c.out, timed{Message{at + lasting, NoteOff, channel, s.Number, 64, x.Articulation}, rankOff, x})
		}
	case template.ByController:
		c.state(at, Controller, channel, s.Number, (s.Low+s.High)/2, x)
	case template.ByProgramme:
		if s.Bank != nil {
			c.state(at, Controller, channel, 0, *s.Bank>>7, x)
			c.state(at, Controller, channel, 32, *s.Bank&127, x)
		}
		c.state(at, Programme, channel, s.Number, 0, x)
	}
}

// state adds a message that matters to all that comes after it.
func (c *compiler) state(tick int64, status byte, channel, d1, d2 int, x *choice) {
	c.keep(timed{Message{tick, status, channel, d1, d2, x.Articulation}, rankSwitch, x})
}

func (c *compiler) keep(m timed) {
	if m.Tick < c.from {
		c.chase = append(c.chase, m)
	} else {
		c.out = append(c.out, m)
	}
}

// controls passes the part's own controllers on: modulation as volume where the patch
// answers no dynamics, or as expression where it answers that. What the part itself sends
// there is left out then, since both would set one controller.
func (c *compiler) controls(list []Control) {
	as := map[template.Dynamics]int{template.DynamicsVolume: 7, template.DynamicsExpression: 11}[c.target.Dynamics]
	modulated := as > 0 && slices.ContainsFunc(list, func(x Control) bool { return x.Number == 1 })
	for _, x := range list {
		number, why := x.Number, ""
		switch {
		case modulated && number == as:
			continue
		case modulated && number == 1:
			number, why = as, "dynamics as "+string(c.target.Dynamics)
		}
		for _, channel := range c.channels() {
			c.keep(timed{Message{x.Tick, Controller, channel, number, x.Value, why}, rankControl, nil})
		}
	}
}

// channels lists the channels the map plays on.
func (c *compiler) channels() []int {
	out := []int{c.target.Channel}
	for _, x := range c.choices {
		if x.channel > 0 && !slices.Contains(out, x.channel) {
			out = append(out, x.channel)
		}
	}
	slices.Sort(out)
	return out
}

func (c *compiler) done() Compiled {
	out := Compiled{Missing: []string{}, Outside: c.outside, Switches: c.sent}
	for a := range c.missing {
		out.Missing = append(out.Missing, a)
	}
	slices.Sort(out.Missing)
	all := append(c.chased(), c.out...)
	slices.SortStableFunc(all, func(a, b timed) int {
		if a.Tick != b.Tick {
			return cmp.Compare(a.Tick, b.Tick)
		}
		return a.rank - b.rank
	})
	out.Messages = make([]Message, len(all))
	for n, m := range all {
		out.Messages[n] = m.Message
	}
	return out
}
