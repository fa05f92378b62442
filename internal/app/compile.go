package app

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/format/musicxml"
	"fanfold/internal/format/smf"
)

// Piece is music read from a file: parts that can be compiled.
type Piece struct {
	Title string // empty when it has none
	Parts []PiecePart
	Notes []string // what in the file was left out, or read differently
}

// PiecePart is one part of a piece.
type PiecePart struct {
	ID      string // unique in the piece
	Name    string
	Sounds  []string // standard sound IDs stated for it
	Port    int      // from 0; -1 when not said
	Device  string   // empty when not said
	Channel int      // 1..16; 0 when there are several
	Part    articulation.Part
	Time    tempo.Time
}

// ReadPiece reads a MusicXML file, a Standard MIDI File or the notes of a session, told
// apart by how they begin. Tracks without notes are left out.
func ReadPiece(ctx context.Context, r io.Reader, words *articulation.Vocabulary) (Piece, error) {
	in := bufio.NewReader(r)
	head, err := in.Peek(4)
	if err != nil && len(head) == 0 {
		return Piece{}, refused("", "drop a MusicXML file or a MIDI file")
	}
	if bytes.Equal(head, []byte("MThd")) || bytes.Equal(head, []byte("RIFF")) {
		return midiPiece(in, words)
	}
	if bytes.Equal(head, []byte("PK\x03\x04")) {
		data, err := io.ReadAll(io.LimitReader(in, MostMusicBytes+1))
		if err != nil {
			return Piece{}, fmt.Errorf("read the music: %w", err)
		}
		if dawproject.Is(data) {
			if data, err = musicOfSession(ctx, data); err != nil {
				return Piece{}, err
			}
			return midiPiece(bytes.NewReader(data), words)
		}
		in = bufio.NewReader(bytes.NewReader(data))
	}
	score, err := musicxml.ReadWithin(ctx, in)
	if err != nil {
		return Piece{}, err
	}
	time, err := score.Time()
	if err != nil {
		return Piece{}, refused("", "the time of the score: %s", err)
	}
	out := Piece{Title: score.Title, Parts: []PiecePart{}}
	for _, p := range score.Parts {
		out.Parts = append(out.Parts, PiecePart{ID: p.ID, Name: p.Name, Sounds: p.Sounds, Port: -1, Part: p.Played(), Time: time})
	}
	return out, nil
}

// musicOfSession is the notes of a session as a MIDI file.
func musicOfSession(ctx context.Context, data []byte) ([]byte, error) {
	if len(data) > MostMusicBytes {
		return nil, refused("", "the session is larger than %d MiB; save it without its recordings", MostMusicBytes>>20)
	}
	out, err := parsed(ctx, func() ([]byte, error) { return format.MusicOfSession(data) })
	if err != nil {
		return nil, refused("", "the session cannot be read: %s", err)
	}
	return out, nil
}

func midiPiece(in io.Reader, words *articulation.Vocabulary) (Piece, error) {
	file, err := smf.Read(in)
	if err != nil {
		return Piece{}, err
	}
	out := Piece{Parts: []PiecePart{}, Notes: file.Notes}
	for n, t := range file.Tracks {
		if len(t.Notes) == 0 {
			continue
		}
		name := t.Name
		if name == "" {
			name = fmt.Sprintf("Track %d", n+1)
		}
		out.Parts = append(out.Parts, PiecePart{
			ID: fmt.Sprintf("track-%d", n+1), Name: name, Port: t.Port, Device: t.Device, Channel: onlyChannel(t.Notes), Part: t.Played(words), Time: t.Time,
		})
	}
	return out, nil
}

// onlyChannel is the channel all notes are on; 0 when they are on several.
func onlyChannel(notes []smf.Note) int {
	for _, n := range notes {
		if n.Channel != notes[0].Channel {
			return 0
		}
	}
	return int(notes[0].Channel)
}

// Compiled is a part as one instrument plays it.
type Compiled struct {
	articulation.Compiled
	Time tempo.Time
	Name string // of the instrument
}

// Compile compiles a part of a piece for an instrument as it sits: with its
// map, its patch's keys, and the channel of its seat (1 when it has none). It
// begins at a bar, counted from 1.
func (h *Hot) Compile(ctx context.Context, p Person, instrument template.ID, piece Piece, part, bar int) (Compiled, error) {
	t := h.View().Template
	i := t.Instrument(instrument)
	if i == nil {
		return Compiled{}, refused(instrument, "the instrument is no longer in the template")
	}
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return Compiled{}, err
	}
	return CompilePart(t, words, i, piece, part, bar)
}

// CompilePart compiles a part of a piece, counted from 0, for a row of a template; see Hot.Compile.
func CompilePart(t *template.Template, words *articulation.Vocabulary, i *template.Instrument, piece Piece, part, bar int) (Compiled, error) {
	if len(t.PatchesOf(i)) == 0 {
		return Compiled{}, refused(i.ID, "%s plays no patch", i.Name)
	}
	if part < 0 || part >= len(piece.Parts) {
		return Compiled{}, refused("", "the music has %d parts; choose one of them", len(piece.Parts))
	}
	x := piece.Parts[part]
	var o articulation.Options
	if bar > 1 {
		o.From = x.Time.Bars.Start(int64(bar))
	}
	done, err := articulation.Compile(words, x.Part, articulation.TargetOf(t, i), x.Time.Clock, o)
	if err != nil {
		return Compiled{}, refused(i.ID, "%s", err)
	}
	return Compiled{done, x.Time, i.Name}, nil
}

// Vocabulary is the standard vocabulary with the studio's own words.
func (h *Hot) Vocabulary(ctx context.Context, p Person) (*articulation.Vocabulary, error) {
	cat, err := h.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	return articulation.NewVocabulary(cat.View().Template.Vocabulary), nil
}
