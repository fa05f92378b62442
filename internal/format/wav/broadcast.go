package wav

import (
	"bytes"
	"encoding/binary"
	"math"
	"strings"
	"time"
	"unicode/utf8"

	"fanfold/internal/format/bounded"
)

// Broadcast is what a broadcast WAV file says beside its sound (EBU Tech 3285, version 2).
// Texts are ASCII; what is longer than its field is cut off.
type Broadcast struct {
	Description string    // 256 bytes at most
	Originator  string    // 32
	Reference   string    // 32: of the originator, its own name for the file
	Made        time.Time // to the second; zero when not said
	Begin       int64     // where it begins, samples since midnight of its timecode
	History     string    // the coding history, a line for each step
	Loudness    *Loudness // nil when not said
}

// Loudness is the loudness of a file, as version 2 keeps it: to a hundredth.
type Loudness struct {
	Integrated float64 // LUFS
	Range      float64 // LU
	TruePeak   float64 // dBTP
	MostMoment float64 // the highest momentary loudness, LUFS
	MostShort  float64 // the highest short-term loudness, LUFS
}

// The fields of a bext chunk, bytes: EBU Tech 3285, version 2.
const (
	descriptionBytes = 256
	originatorBytes  = 32
	dateBytes        = 10
	timeBytes        = 8
	umidBytes        = 64
	reservedBytes    = 180
	beforeReference  = descriptionBytes + 2*originatorBytes + dateBytes + timeBytes
	bextBytes        = beforeReference + 8 + 2 + umidBytes + 5*2 + reservedBytes
	broadcastVersion = 2
)

// notMeasured stands for a loudness that is not stated: Tech 3285, version 2, 2.4.
const notMeasured = 0x7fff

// mostHistoryBytes bounds the coding history that is read and written.
const mostHistoryBytes = 64 << 10

// bytes is the chunk's body. It is of the same length whatever the loudness is.
func (b Broadcast) bytes() []byte {
	out := make([]byte, 0, bextBytes+len(b.History)+2)
	field := func(text string, size int) {
		out = append(out, make([]byte, size)...)
		copy(out[len(out)-size:], plain(text, size))
	}
	field(b.Description, descriptionBytes)
	field(b.Originator, originatorBytes)
	field(b.Reference, originatorBytes)
	date, clock := "", ""
	if !b.Made.IsZero() {
		date, clock = b.Made.Format("2006-01-02"), b.Made.Format("15:04:05")
	}
	field(date, dateBytes)
	field(clock, timeBytes)
	le := binary.LittleEndian
	out = le.AppendUint64(out, uint64(max(0, b.Begin)))
	out = le.AppendUint16(out, broadcastVersion)
	out = append(out, make([]byte, umidBytes)...)
	for _, v := range b.Loudness.fields() {
		out = le.AppendUint16(out, uint16(v))
	}
	out = append(out, make([]byte, reservedBytes)...)
	if b.History != "" {
		out = append(out, plain(strings.TrimRight(b.History, "\r\n"), mostHistoryBytes)+"\r\n"...)
	}
	return out
}

func (l *Loudness) fields() [5]int16 {
	if l == nil {
		return [5]int16{notMeasured, notMeasured, notMeasured, notMeasured, notMeasured}
	}
	var out [5]int16
	for n, v := range []float64{l.Integrated, l.Range, l.TruePeak, l.MostMoment, l.MostShort} {
		out[n] = int16(max(-9999, min(9999, math.Round(100*v))))
	}
	return out
}

// plain is a text in ASCII, of at most so many bytes: other letters become question marks.
func plain(text string, most int) string {
	var b strings.Builder
	for _, r := range text {
		switch {
		case b.Len() == most:
			return b.String()
		case r >= utf8.RuneSelf || r < ' ' && r != '\r' && r != '\n':
			b.WriteByte('?')
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// readBroadcast reads the body of a bext chunk of any version; nil for one that is cut off
// before its time reference.
func readBroadcast(chunk *bounded.Reader) *Broadcast {
	raw := chunk.Bytes(min(chunk.Left(), bextBytes+mostHistoryBytes))
	body := bounded.New(bytes.NewReader(raw), int64(len(raw))) // an error here is not one of the sound
	text := func(size int64) string {
		b, _, _ := bytes.Cut(body.Bytes(size), []byte{0})
		return strings.TrimSpace(strings.ToValidUTF8(string(b), "?"))
	}
	b := &Broadcast{Description: text(descriptionBytes), Originator: text(originatorBytes), Reference: text(originatorBytes)}
	date, clock := text(dateBytes), text(timeBytes)
	if at, err := time.Parse("2006-01-02 15:04:05", date+" "+strings.NewReplacer("-", ":", ".", ":", " ", ":", "_", ":").Replace(clock)); err == nil {
		b.Made = at
	}
	b.Begin = int64(min(body.U64(), 1<<62))
	if body.Err() != nil {
		return nil
	}
	version := body.U16()
	body.Skip(umidBytes)
	var fields [5]int16
	for n := range fields {
		fields[n] = int16(body.U16())
	}
	if version >= broadcastVersion && body.Err() == nil && fields[0] != notMeasured {
		at := func(n int) float64 { return float64(fields[n]) / 100 }
		b.Loudness = &Loudness{at(0), at(1), at(2), at(3), at(4)}
	}
	body.Skip(reservedBytes)
	if left := min(body.Left(), mostHistoryBytes); body.Err() == nil && left > 0 {
		b.History = strings.TrimRight(text(left), "\r\n")
	}
	return b
}
