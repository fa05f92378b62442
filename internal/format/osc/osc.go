// Package osc reads and writes Open Sound Control 1.0 packets. Bytes of one
// datagram go in; the messages in it, those of bundles too, come out, and the
// same way back. Time tags are read and not kept: every message counts at once.
package osc

import (
	"encoding/binary"
	"fmt"
	"math"
	"strings"
)

// MaxBytes bounds a packet: the most a UDP datagram carries over IPv4.
const MaxBytes = 65_507

// maxDepth bounds bundles within bundles.
const maxDepth = 8

// Message is one message. An argument is an int32, float32, string, []byte,
// int64, float64, bool, MIDI, or nil.
type Message struct {
	Address string
	Args    []any
}

// MIDI is a MIDI message as an argument: port, status and two data bytes.
type MIDI [4]byte

// Bad is a packet that cannot be read: what is wrong, at which byte.
type Bad struct {
	At     int
	Reason string
}

func (e *Bad) Error() string { return fmt.Sprintf("OSC packet, byte %d: %s", e.At, e.Reason) }

// Read reads a packet. The error is a *Bad.
func Read(data []byte) ([]Message, error) {
	if len(data) > MaxBytes {
		return nil, &Bad{0, fmt.Sprintf("it is longer than %d bytes", MaxBytes)}
	}
	r := &reader{data: data}
	out, err := r.packet(len(data), 0)
	if err != nil {
		return nil, err
	}
	return out, nil
}

type reader struct {
	data []byte
	at   int
}

func (r *reader) bad(reason string, args ...any) error {
	return &Bad{r.at, fmt.Sprintf(reason, args...)}
}

const bundleTag = "#bundle"

func (r *reader) packet(end, depth int) ([]Message, error) {
	if end-r.at < 4 || (end-r.at)%4 != 0 {
		return nil, r.bad("%d bytes are not a packet; it is at least 4, and a multiple of 4", end-r.at)
	}
	if r.data[r.at] != '#' {
		m, err := r.message(end)
		return []Message{m}, err
	}
	if tag, err := r.text(end); err != nil || tag != bundleTag {
		return nil, r.bad("it begins with #, but not as a bundle")
	}
	if depth == maxDepth {
		return nil, r.bad("bundles lie more than %d deep", maxDepth)
	}
	if end-r.at < 8 {
		return nil, r.bad("the bundle has no time tag")
	}
	r.at += 8
	out := []Message{}
	for r.at < end {
		if end-r.at < 4 {
			return nil, r.bad("an element has no size")
		}
		size := int(binary.BigEndian.Uint32(r.data[r.at:]))
		r.at += 4
		if size < 0 || size > end-r.at {
			return nil, r.bad("an element of %d bytes is announced, %d are there", size, end-r.at)
		}
		inner, err := r.packet(r.at+size, depth+1)
		if err != nil {
			return nil, err
		}
		out = append(out, inner...)
	}
	return out, nil
}

// text reads an OSC-string: ended by a zero, padded to a multiple of 4.
func (r *reader) text(end int) (string, error) {
	n := strings.IndexByte(string(r.data[r.at:end]), 0)
	if n < 0 {
		return "", r.bad("a text does not end")
	}
	s := string(r.data[r.at : r.at+n])
	if r.at += padded(n + 1); r.at > end {
		return "", r.bad("a text is not filled up to 4 bytes")
	}
	return s, nil
}

func padded(n int) int { return (n + 3) &^ 3 }

func (r *reader) message(end int) (Message, error) {
	m := Message{Args: []any{}}
	var err error
	if m.Address, err = r.text(end); err != nil {
		return m, err
	}
	if !strings.HasPrefix(m.Address, "/") {
		return m, r.bad("the address %q does not begin with /", m.Address)
	}
	if r.at == end {
		return m, nil // older senders leave the types out when there are none
	}
	types, err := r.text(end)
	if err != nil {
		return m, err
	}
	if !strings.HasPrefix(types, ",") {
		return m, r.bad("the types %q do not begin with a comma", types)
	}
	for _, t := range types[1:] {
		arg, err := r.argument(t, end)
		if err != nil {
			return m, err
		}
		m.Args = append(m.Args, arg)
	}
	if r.at != end {
		return m, r.bad("%d bytes are left over", end-r.at)
	}
	return m, nil
}

func (r *reader) argument(t rune, end int) (any, error) {
	fixed := map[rune]int{'i': 4, 'f': 4, 'm': 4, 'c': 4, 'r': 4, 'h': 8, 'd': 8, 't': 8}[t]
	if fixed > end-r.at {
		return nil, r.bad("an argument of type %c is cut off", t)
	}
	b := r.data[r.at:]
	r.at += fixed
	switch t {
	case 'i', 'c', 'r':
		return int32(binary.BigEndian.Uint32(b)), nil
	case 'f':
		return math.Float32frombits(binary.BigEndian.Uint32(b)), nil
	case 'm':
		return MIDI(b[:4]), nil
	case 'h', 't':
		return int64(binary.BigEndian.Uint64(b)), nil
	case 'd':
		return math.Float64frombits(binary.BigEndian.Uint64(b)), nil
	case 'T', 'F':
		return t == 'T', nil
	case 'N', 'I':
		return nil, nil
	case 's', 'S':
		return r.text(end)
	case 'b':
		return r.blob(end)
	}
	return nil, r.bad("arguments of type %q are not known", t)
}

func (r *reader) blob(end int) ([]byte, error) {
	if end-r.at < 4 {
		return nil, r.bad("a blob has no size")
	}
	size := int64(int32(binary.BigEndian.Uint32(r.data[r.at:])))
	r.at += 4
	if size < 0 || size > int64(end-r.at) || padded(int(size)) > end-r.at {
		return nil, r.bad("a blob of %d bytes is announced, %d are there", size, end-r.at)
	}
	b := append([]byte{}, r.data[r.at:r.at+int(size)]...)
	r.at += padded(int(size))
	return b, nil
}

// Write writes one message as a packet. It panics on an argument of a type
// that Message does not name.
func Write(m Message) []byte {
	types := ","
	var args []byte
	for _, a := range m.Args {
		switch x := a.(type) {
		case int32:
			types += "i"
			args = binary.BigEndian.AppendUint32(args, uint32(x))
		case float32:
			types += "f"
			args = binary.BigEndian.AppendUint32(args, math.Float32bits(x))
		case string:
			types += "s"
			args = appendText(args, x)
		case []byte:
			types += "b"
			args = binary.BigEndian.AppendUint32(args, uint32(len(x)))
			args = append(args, x...)
			args = append(args, make([]byte, padded(len(x))-len(x))...)
		case int64:
			types += "h"
			args = binary.BigEndian.AppendUint64(args, uint64(x))
		case float64:
			types += "d"
			args = binary.BigEndian.AppendUint64(args, math.Float64bits(x))
		case bool:
			types += map[bool]string{true: "T", false: "F"}[x]
		case MIDI:
			types += "m"
			args = append(args, x[:]...)
		case nil:
			types += "N"
		default:
			panic(fmt.Sprintf("osc: an argument of type %T", a))
		}
	}
	return append(appendText(appendText(nil, m.Address), types), args...)
}

func appendText(b []byte, s string) []byte {
	s, _, _ = strings.Cut(s, "\x00")
	b = append(b, s...)
	return append(b, make([]byte, padded(len(s)+1)-len(s))...)
}
