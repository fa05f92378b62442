// Package parcel writes what is handed over: audio with its music, lists, proof and delivery sheet,
// as a BagIt bag (RFC 8493) in a zip archive or a folder. What it holds goes in; a bag that is
// whole, or an error, comes out.
package parcel

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"time"

	"fanfold/internal/core/filename"
	"fanfold/internal/core/handover"
	"fanfold/internal/format/bagit"
	"fanfold/internal/format/flac"
	"fanfold/internal/format/sheet"
	"fanfold/internal/format/sheethtml"
	"fanfold/internal/format/sheetpdf"
	"fanfold/internal/format/soundfile"
)

// Parcel is what is handed over.
type Parcel struct {
	Name       string // of the bag, safe as a file's
	Title      string
	From, To   string // who hands over, and to whom; may be empty
	Note       string // for who receives it; may be empty
	Identifier string
	Made       time.Time
	Folders    handover.Folders
	Lie        [][]string // where the files of each print lie; nil lets Folders say
	Listening  bool       // with a FLAC copy of each mix, to be listened to
	Prints     []Print
}

// File is a file of audio, read from any place.
type File interface {
	io.ReaderAt
	io.Closer
	Size() int64
}

// Print is one print of a parcel.
type Print struct {
	handover.Delivered
	// Open opens its nth file.
	Open      func(ctx context.Context, n int) (File, error)
	Music     []byte // as it was printed from; nil for none
	MusicName string
	Markers   *handover.Table // nil for none
}

// Sheet is the delivery sheet: a page for the prints, and pages for each.
func (p *Parcel) Sheet() (title string, pages []handover.Page) {
	for n := range p.Prints {
		d := &p.Prints[n].Delivered
		pages = append(pages, handover.DeliverySheet(fmt.Sprintf("%s, version %d", d.Whole(), d.Version), d.Report, d.OnMix, d.Timecode)...)
	}
	if len(p.Prints) > 1 || p.Note != "" {
		pages = append([]handover.Page{{Title: p.Title, Note: p.Note, Table: handover.CueSheet(p.delivered())}}, pages...)
	}
	return p.Title, pages
}

func (p *Parcel) delivered() []handover.Delivered {
	out := make([]handover.Delivered, len(p.Prints))
	for n := range p.Prints {
		out[n] = p.Prints[n].Delivered
	}
	return out
}

// Paths are those of the audio of each print.
func (p *Parcel) Paths() [][]string {
	if p.Lie != nil {
		return p.Lie
	}
	return p.Folders.Paths(p.delivered())
}

// Write puts all of it into a bag, and closes the bag.
func (p *Parcel) Write(ctx context.Context, bag *bagit.Writer) error {
	if len(p.Prints) == 0 {
		return errors.New("nothing is handed over")
	}
	for n, list := range p.Paths() {
		for k, name := range list {
			if err := ctx.Err(); err != nil {
				return err
			}
			from, err := p.Prints[n].Open(ctx, k)
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			err = bag.Add(name, io.NewSectionReader(from, 0, from.Size()))
			if err == nil && p.Listening && k == p.Prints[n].Heard() {
				err = listening(bag, p.Prints[n].Called(), from)
			}
			_ = from.Close() // only read
			if err != nil {
				return err
			}
		}
	}
	beside, err := p.beside()
	if err != nil {
		return err
	}
	for _, f := range beside {
		if err := bag.Add(f.name, bytes.NewReader(f.data)); err != nil {
			return err
		}
	}
	says := p.Title
	if len(p.Prints) == 1 {
		says += ": " + p.Prints[0].Report.Line
	}
	return bag.Close([]bagit.Label{
		{Name: "External-Description", Value: says}, {Name: "External-Identifier", Value: p.Identifier},
		{Name: "Contact-Name", Value: p.From}, {Name: "Internal-Sender-Description", Value: p.Note}, {Name: "Bag-Software-Agent", Value: "Fanfold"},
	})
}

// mostListeningBits is how many bits a sample of a copy has that is listened to.
const mostListeningBits = 24

// listening puts a FLAC copy of a file in.
func listening(bag *bagit.Writer, called string, from File) error {
	s, err := soundfile.Open(from, from.Size())
	if err != nil {
		return err
	}
	r, w := io.Pipe()
	defer func() { _ = r.Close() }() // it ends who writes
	go func() {
		bits := mostListeningBits
		if s.Bits == 16 && !s.Floating {
			bits = s.Bits
		}
		w.CloseWithError(flac.Encode(w, flac.Header{Channels: s.Channels, RateHz: s.RateHz, Bits: bits, Frames: s.Frames}, s.Read))
	}()
	return bag.Add(path.Join("listen", called+".flac"), r)
}

type file struct {
	name string
	data []byte
}

// beside are the files of a parcel beside the audio.
func (p *Parcel) beside() ([]file, error) {
	var out []file
	taken := map[string]bool{}
	add := func(base, ending string, write func(w io.Writer) error) error {
		var b bytes.Buffer
		if err := write(&b); err != nil {
			return err
		}
		out = append(out, file{path.Join("about", filename.Unique(base, ending, taken)), b.Bytes()})
		return nil
	}
	title, pages := p.Sheet()
	err := errors.Join(
		add("delivery sheet", ".pdf", func(w io.Writer) error { return sheetpdf.Write(w, title, pages) }),
		add("delivery sheet", ".html", func(w io.Writer) error { return sheethtml.Write(w, title, pages) }),
		add("cue sheet", ".csv", func(w io.Writer) error { return sheet.Write(w, handover.CueSheet(p.delivered())) }),
	)
	for n := range p.Prints {
		x := &p.Prints[n]
		called := x.Called()
		err = errors.Join(err, add(called+" proof", ".json", func(w io.Writer) error { return json.NewEncoder(w).Encode(x.Report) }))
		if x.Markers != nil {
			err = errors.Join(err, add(called+" markers", ".csv", func(w io.Writer) error { return sheet.Write(w, *x.Markers) }))
		}
		if x.Music != nil {
			ending := path.Ext(x.MusicName)
			err = errors.Join(err, add(called, ending, func(w io.Writer) error { _, err := w.Write(x.Music); return err }))
		}
	}
	return out, err
}
