// Package musicxml reads scores written as MusicXML 4.0 (or earlier), plain or
// packed as .mxl: the parts, what plays them, their notes with the way each is
// to be played, and the tempo. A file goes in; a Score comes out. Uploads are
// read within bounds, and no outside entity is ever fetched.
package musicxml

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"golang.org/x/text/encoding/ianaindex"
	"golang.org/x/text/encoding/unicode"

	"fanfold/internal/core/tempo"
)

// The bounds of a score.
const (
	MaxBytes = 64 << 20  // of the file, unpacked
	MaxNotes = 1_000_000 // of all parts
	MaxParts = 1000
	maxDepth = 64
)

// TicksPerQuarter is the time resolution of a Score.
const TicksPerQuarter = 480

// Bad is the error of a file that cannot be read: where, and why.
type Bad struct {
	Line   int // 0 when it is about the file as a whole
	Reason string
}

func (e *Bad) Error() string {
	if e.Line == 0 {
		return "score: " + e.Reason
	}
	return fmt.Sprintf("score, line %d: %s", e.Line, e.Reason)
}

// Score is what a file holds.
type Score struct {
	Title    string
	Parts    []*Part
	Tempi    []Tempo
	Measures int // of the longest part

	metres []tempo.Metre // one for each measure of the longest part
}

// maxTicks bounds a place in a score, so that no product of times overflows.
const maxTicks = 1 << 31

// Tempo is a tempo from a tick on.
type Tempo struct {
	Tick int64
	BPM  float64 // quarter notes a minute
}

// Part is one part of the score.
type Part struct {
	ID           string
	Name         string
	Abbreviation string
	Sounds       []string // standard sound IDs, as the file states them
	Notes        []Note   // sounding, ties joined, grace notes left out
	Measures     int
}

// Note is one sounding note.
type Note struct {
	Start, End int64 // ticks
	Key        int   // MIDI note, transposition applied
	Velocity   int   // 1..127, from the dynamics in force
	Ways       []string
	Measure    int // from 1
}

// Read reads a score, plain or packed.
func Read(r io.Reader) (*Score, error) { return ReadWithin(context.Background(), r) }

// ReadWithin is Read that ends with a context.
func ReadWithin(ctx context.Context, r io.Reader) (*Score, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read score: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, &Bad{Reason: fmt.Sprintf("it is larger than %d MiB", MaxBytes>>20)}
	}
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		if data, err = unpack(data); err != nil {
			return nil, err
		}
	}
	return parse(ctx, data)
}

// within reads while a context lasts.
type within struct {
	ctx context.Context
	*bytes.Reader
}

func (w within) Read(p []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.Reader.Read(p[:min(len(p), 64<<10)])
}

// ReadByte implements io.ByteReader, which the decoder reads by.
func (w within) ReadByte() (byte, error) {
	if w.Len()%(64<<10) == 0 {
		if err := w.ctx.Err(); err != nil {
			return 0, err
		}
	}
	return w.Reader.ReadByte()
}

// unpack takes the score out of an .mxl file: that which its container names.
func unpack(data []byte) ([]byte, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, &Bad{Reason: "the packed file is damaged: " + err.Error()}
	}
	container, err := member(z, "META-INF/container.xml", 1<<20)
	if err != nil {
		return nil, err
	}
	var c struct {
		Roots []struct {
			Path string `xml:"full-path,attr"`
		} `xml:"rootfiles>rootfile"`
	}
	if err := xml.Unmarshal(container, &c); err != nil || len(c.Roots) == 0 {
		return nil, &Bad{Reason: "META-INF/container.xml names no score"}
	}
	return member(z, path.Clean(c.Roots[0].Path), MaxBytes)
}

func member(z *zip.Reader, name string, most int64) ([]byte, error) {
	f, err := z.Open(name)
	if err != nil {
		return nil, &Bad{Reason: fmt.Sprintf("%s is not in the packed file", name)}
	}
	defer func() { _ = f.Close() }() // only read
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err != nil {
		return nil, &Bad{Reason: fmt.Sprintf("%s is damaged: %s", name, err)}
	}
	if int64(len(data)) > most {
		return nil, &Bad{Reason: fmt.Sprintf("%s is larger than %d MiB unpacked", name, most>>20)}
	}
	return data, nil
}

func parse(ctx context.Context, data []byte) (*Score, error) {
	if bytes.HasPrefix(data, []byte{0xfe, 0xff}) || bytes.HasPrefix(data, []byte{0xff, 0xfe}) {
		plain, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(data)
		if err != nil {
			return nil, &Bad{Reason: "it is not UTF-16: " + err.Error()}
		}
		data = plain
	}
	d := xml.NewDecoder(within{ctx, bytes.NewReader(data)})
	d.CharsetReader = func(label string, in io.Reader) (io.Reader, error) {
		if strings.HasPrefix(strings.ToLower(label), "utf-16") {
			return in, nil // turned into UTF-8 already
		}
		e, err := ianaindex.MIME.Encoding(label)
		if err != nil || e == nil {
			return nil, fmt.Errorf("the encoding %q is not known", label)
		}
		return e.NewDecoder().Reader(in), nil
	}
	rd := &reader{d: d, score: &Score{Parts: []*Part{}, Tempi: []Tempo{}}, parts: map[string]*state{}}
	if err := rd.document(); err != nil {
		line, _ := d.InputPos()
		var bad *Bad
		if errors.As(err, &bad) {
			bad.Line = line
			return nil, bad
		}
		return nil, &Bad{Line: line, Reason: err.Error()}
	}
	return rd.score, nil
}
