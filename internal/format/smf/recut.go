package smf

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"slices"

	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/tempo"
)

// Recutting is how the music of a file changes: where each tick of it lies afterwards, and its new
// time. All ticks are those of a resolution of its own.
type Recutting struct {
	Ticks  int                            // in a quarter note, 1..32767
	At     func(tick int64) (int64, bool) // where a tick lies; false when it is taken out
	Puts   []int64                        // where time is put in, ticks of before
	Tempi  []tempo.Change                 // of after
	Metres []tempo.Metre
}

// Recut says what became of the notes of a file.
type Recut struct {
	Notes   int // that are still there
	Gone    int // that were taken out
	Shorter int // that end at a seam
	Texts   int // that were taken out
}

// event is any event of a track, as it stands in the file.
type event struct {
	tick int64
	data []byte // the whole message, with its status
}

// WriteRecut reads a file, and writes it as its music is afterwards. Notes that begin in what is
// taken out go; those that sound into it, or into time that is put in, end there; controllers,
// pedals and programmes that were set in it are set where the music goes on. Tempi, metres and
// the SMPTE offset are replaced. The errors are those of Read, and of w.
func WriteRecut(w io.Writer, r io.Reader, x Recutting) (Recut, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return Recut{}, fmt.Errorf("read MIDI file: %w", err)
	}
	if _, err := Read(bytes.NewReader(data)); err != nil { // it reports all that is wrong
		return Recut{}, err
	}
	ticks, tracks, err := (&parser{data: data}).raw()
	if err != nil {
		return Recut{}, err
	}
	var told Recut
	file := smf.NewSMF1()
	file.TimeFormat = smf.MetricTicks(ticks)
	for n, events := range tracks {
		e := &editing{Recutting: x, per: int64(ticks), told: &told, on: map[[2]byte][]note{}, set: map[[2]byte]event{}}
		out := e.edit(events)
		if n == 0 {
			out = append(out, e.time()...)
		}
		if err := file.Add(trackOf(out)); err != nil {
			return Recut{}, fmt.Errorf("write MIDI file: %w", err)
		}
	}
	if _, err := file.WriteTo(w); err != nil {
		return Recut{}, fmt.Errorf("write MIDI file: %w", err)
	}
	return told, nil
}

// trackOf writes events as a track, in the order of their time.
func trackOf(events []event) smf.Track {
	slices.SortStableFunc(events, func(a, b event) int { return cmp.Compare(a.tick, b.tick) })
	var t smf.Track
	last := int64(0)
	for _, e := range events {
		later(&t, e.tick-last, e.data)
		last = e.tick
	}
	t.Close(0)
	return t
}

// raw reads the events of every track, and how many ticks a quarter note has.
func (p *parser) raw() (int, [][]event, error) {
	if err := p.unwrap(); err != nil {
		return 0, nil, err
	}
	if _, _, err := p.chunk(); err != nil {
		return 0, nil, err
	}
	head := p.data[p.at:p.end]
	if head[1] == 2 {
		return 0, nil, p.bad("it is of type 2, of which each track is a piece of its own; give one of type 0 or 1")
	}
	ticks, micros, err := p.division(head[4:6])
	if err != nil {
		return 0, nil, err
	}
	if micros > 0 {
		return 0, nil, p.bad("its time is in frames; give a file whose time is in quarter notes")
	}
	p.at = p.end
	var out [][]event
	for {
		tag, ok, err := p.chunk()
		if err != nil || !ok {
			return ticks, out, err
		}
		if tag == "MTrk" {
			events, err := p.rawTrack()
			if err != nil {
				return 0, nil, err
			}
			out = append(out, events)
		}
		p.at = p.end
	}
}

// rawTrack reads the events of one track, but for its end.
func (p *parser) rawTrack() ([]event, error) {
	var out []event
	tick, status := int64(0), byte(0)
	for p.at < p.end {
		delta, err := p.number()
		if err != nil {
			return nil, err
		}
		tick += delta
		b, err := p.byte()
		if err != nil {
			return nil, err
		}
		switch {
		case b == 0xff || b == 0xf0 || b == 0xf7:
			from := p.at - 1
			if b == 0xff {
				if _, err := p.byte(); err != nil {
					return nil, err
				}
			}
			size, err := p.number()
			if err != nil {
				return nil, err
			}
			if _, err := p.bytes(size); err != nil {
				return nil, err
			}
			data := p.data[from:p.at]
			if b == 0xff && data[1] == 0x2f {
				return out, nil
			}
			out = append(out, event{tick, data})
			continue
		case b >= 0x80:
			status = b
		default:
			p.at-- // running status
		}
		size := int64(2)
		if kind := status & 0xf0; kind == 0xc0 || kind == 0xd0 {
			size = 1
		}
		data, err := p.bytes(size)
		if err != nil {
			return nil, err
		}
		out = append(out, event{tick, append([]byte{status}, data...)})
	}
	return out, nil
}

// note is a note that sounds while a track is edited.
type note struct {
	gone bool // its beginning was taken out
	end  bool // it was ended at a seam already
}

// editing edits one track.
type editing struct {
	Recutting
	per  int64 // ticks in a quarter note of the file
	told *Recut
	out  []event
	on   map[[2]byte][]note // by channel and key, the oldest first
	set  map[[2]byte]event  // what was set in a part that is taken out, by status and number
	puts int                // that have been passed
}

// at is where a tick of the file lies afterwards.
func (e *editing) at(tick int64) (int64, bool) {
	ours := tick * int64(e.Ticks) / e.per
	rest := tick - ours*e.per/int64(e.Ticks)
	now, ok := e.At(ours)
	return now*e.per/int64(e.Ticks) + rest, ok
}

func (e *editing) edit(events []event) []event {
	for _, x := range events {
		e.pass(x.tick)
		now, kept := e.at(x.tick)
		if kept {
			e.chase(now)
		}
		status := x.data[0]
		switch kind := status & 0xf0; {
		case status == 0xff && (x.data[1] == 0x51 || x.data[1] == 0x58 || x.data[1] == 0x54):
			// said again
		case status >= 0xf0 && !kept:
			if status == 0xff {
				e.told.Texts++
			}
		case kind == 0x90 && x.data[2] > 0:
			e.begin(x, now, kept)
		case kind == 0x80 || kind == 0x90:
			e.finish(x, now, kept)
		case !kept:
			key := [2]byte{status}
			if kind == 0xb0 || kind == 0xa0 {
				key[1] = x.data[1]
			}
			e.set[key] = x
		default:
			e.out = append(e.out, event{now, x.data})
		}
	}
	if len(events) > 0 {
		e.chase(e.end(events[len(events)-1].tick))
	}
	return e.out
}

func (e *editing) end(tick int64) int64 {
	now, _ := e.at(tick)
	return now
}

// pass ends what sounds where time is put in, up to a tick.
func (e *editing) pass(tick int64) {
	for e.puts < len(e.Puts) {
		seam := e.Puts[e.puts] * e.per / int64(e.Ticks)
		if seam > tick {
			return
		}
		e.puts++
		before, _ := e.At(e.Puts[e.puts-1] - 1)
		stop := (before + 1) * e.per / int64(e.Ticks)
		for _, key := range keysOf(e.on) {
			for n := range e.on[key] {
				x := &e.on[key][n]
				if !x.gone && !x.end {
					x.end = true
					e.told.Shorter++
					e.out = append(e.out, event{stop, []byte{0x80 | key[0], key[1], 0x40}})
				}
			}
		}
	}
}

func keysOf[V any](m map[[2]byte]V) [][2]byte {
	out := make([][2]byte, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.SortFunc(out, func(a, b [2]byte) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	return out
}

func (e *editing) begin(x event, now int64, kept bool) {
	key := [2]byte{x.data[0] & 0x0f, x.data[1]}
	e.on[key] = append(e.on[key], note{gone: !kept})
	if !kept {
		e.told.Gone++
		return
	}
	e.told.Notes++
	e.out = append(e.out, event{now, x.data})
}

func (e *editing) finish(x event, now int64, kept bool) {
	key := [2]byte{x.data[0] & 0x0f, x.data[1]}
	list := e.on[key]
	if len(list) == 0 {
		if kept {
			e.out = append(e.out, event{now, x.data})
		}
		return
	}
	first := list[0]
	if e.on[key] = list[1:]; len(e.on[key]) == 0 {
		delete(e.on, key)
	}
	if first.gone || first.end {
		return
	}
	if !kept {
		e.told.Shorter++
	}
	e.out = append(e.out, event{now, x.data})
}

// chase sets, where the music goes on, what was set in the part before that was taken out.
func (e *editing) chase(now int64) {
	for _, key := range keysOf(e.set) {
		e.out = append(e.out, event{now, e.set[key].data})
		delete(e.set, key)
	}
}

// time are the tempi and metres of the file afterwards.
func (e *editing) time() []event {
	var out []event
	scaled := func(tick int64) int64 { return tick * e.per / int64(e.Ticks) }
	for _, m := range e.Metres {
		out = append(out, event{scaled(m.Tick), metre(m)})
	}
	for _, t := range e.Tempi {
		out = append(out, event{scaled(t.Tick), []byte{0xff, 0x51, 3, byte(t.Quarter >> 16), byte(t.Quarter >> 8), byte(t.Quarter)}})
	}
	return out
}
