package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/filename"
	"fanfold/internal/core/template"
	"fanfold/internal/format/bagit"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// An archive is a production, or one cue of it, with all that it takes to open it again: templates,
// music, cuts, recordings, and the newest print of each cue. It is a BagIt bag in a zip archive, and
// archive.json in it says what is what.

// What stands at the head of archive.json.
const (
	archiveFormat  = "fanfold-archive"
	archiveVersion = 1
	archiveIndex   = "archive.json"
)

// archived is archive.json.
type archived struct {
	Format     string             `json:"format"`
	Version    int                `json:"version"`
	Made       time.Time          `json:"made"`
	Production *cue.Production    `json:"production"`
	ID         uuid.UUID          `json:"id"` // of the production where it was archived
	Templates  []archivedTemplate `json:"templates"`
	Kept       map[string]string  `json:"kept"`  // music and recordings: files by their SHA-256
	Waves      map[string]string  `json:"waves"` // how audio is drawn: files by the SHA-256 of the audio
	Prints     []archivedPrint    `json:"prints"`
}

type archivedTemplate struct {
	ID   uuid.UUID `json:"id"`
	Name string    `json:"name"`
	File string    `json:"file"`
}

type archivedPrint struct {
	Template uuid.UUID       `json:"template"`
	Cue      cue.ID          `json:"cue"`
	Title    string          `json:"title"`
	Version  int             `json:"version"`
	Recorded bool            `json:"recorded"`
	Ask      PrintAsk        `json:"ask"`
	Made     time.Time       `json:"made"`
	Line     string          `json:"line"`
	Faults   int             `json:"faults"`
	Report   json.RawMessage `json:"report"`
	Files    []archivedFile  `json:"files"`
}

type archivedFile struct {
	File   string `json:"file"` // in the archive
	Path   string `json:"path"` // its name in the print
	Bus    string `json:"bus,omitempty"`
	Stem   string `json:"stem,omitempty"`
	Role   string `json:"role"`
	How    string `json:"how,omitempty"`
	Sha256 string `json:"sha256"`
	Bytes  int64  `json:"bytes"`
}

// Archive is a production, or one cue, that can be written as an archive.
type Archive struct {
	Name string // of the file, without its ending

	app       *App
	who       Person
	index     archived
	templates []*template.Template
	texts     []string // for people: what lies in it
}

// Archive prepares an archive of a production; with a cue, of that alone.
func (a *App) Archive(ctx context.Context, p Person, production uuid.UUID, of cue.ID) (*Archive, error) {
	film, err := a.OpenFilm(ctx, p, production)
	if err != nil {
		return nil, err
	}
	now := *film.View().Production
	x := &Archive{Name: filename.Safe(now.Name, "production"), app: a, who: p}
	if of != "" {
		c := now.Cue(of)
		if c == nil {
			return nil, store.ErrNotFound
		}
		x.Name = filename.Safe(c.Called(), "cue")
		now.Cues = []*cue.Cue{c}
		now.Cuts = alone(now.Cuts, of)
	}
	x.index = archived{
		Format: archiveFormat, Version: archiveVersion, Made: time.Now().UTC().Truncate(time.Second), Production: &now, ID: production,
		Templates: []archivedTemplate{}, Kept: map[string]string{}, Waves: map[string]string{}, Prints: []archivedPrint{},
	}
	if err := x.prints(ctx); err != nil {
		return nil, err
	}
	return x, x.addTemplates(ctx)
}

// alone are cuts that know of one cue only.
func alone(cuts []*cue.Cut, of cue.ID) (out []*cue.Cut) {
	for _, c := range cuts {
		one := *c
		one.Was = slices.DeleteFunc(slices.Clone(c.Was), func(w *cue.Cue) bool { return w.ID != of })
		out = append(out, &one)
	}
	return out
}

// prints takes the newest print of each cue.
func (x *Archive) prints(ctx context.Context) error {
	rows, err := x.app.store.Queries().PrintsOfProduction(ctx, db.PrintsOfProductionParams{Production: pgUUID(x.index.ID), StudioID: x.who.Studio})
	if err != nil {
		return fmt.Errorf("look for prints: %w", err)
	}
	folders := map[string]bool{}
	for _, r := range rows {
		if x.index.Production.Cue(cue.ID(r.Cue)) == nil || x.app.audio == nil {
			continue
		}
		print := archivedPrint{
			Template: r.Template, Cue: cue.ID(r.Cue), Title: r.Title, Version: int(r.Version), Recorded: r.Recorded, Made: r.CreatedAt, Line: r.Line, Faults: int(r.Faults), Report: r.Report,
		}
		if err := json.Unmarshal(r.Ask, &print.Ask); err != nil {
			return fmt.Errorf("read what a print was asked for: %w", err)
		}
		files, err := x.app.store.Queries().PrintFiles(ctx, r.ID)
		if err != nil {
			return fmt.Errorf("read the files of a print: %w", err)
		}
		dir := filename.Unique(filename.Safe(fmt.Sprintf("%s v%d", r.Title, r.Version), "print"), "", folders)
		taken := map[string]bool{}
		for _, f := range files {
			base := path.Base(f.Path)
			name := filename.Unique(filename.Safe(base[:len(base)-len(path.Ext(base))], "file"), path.Ext(base), taken)
			print.Files = append(print.Files, archivedFile{File: path.Join("audio", dir, name), Path: f.Path, Bus: f.Bus, Stem: f.Stem, Role: f.Role, How: f.How, Sha256: f.Sha256, Bytes: f.Bytes})
		}
		x.index.Prints = append(x.index.Prints, print)
		x.texts = append(x.texts, fmt.Sprintf("audio/%s: %s", dir, r.Line))
	}
	return nil
}

// addTemplates takes the templates of cues and prints as they are now, and notes what is kept for
// them and for the cues.
func (x *Archive) addTemplates(ctx context.Context) error {
	ids := map[uuid.UUID]bool{}
	keep := map[string]string{} // what a file is called, by its SHA-256
	for c := range cuesOf(x.index.Production) {
		if id, err := uuid.Parse(c.Template); err == nil {
			ids[id] = true
		}
		if c.Music != nil {
			keep[c.Music.Digest] = path.Join("music", c.Music.Digest[:8]+" "+filename.Safe(c.Music.File, "music"))
		}
	}
	for _, p := range x.index.Prints {
		ids[p.Template] = true
	}
	taken := map[string]bool{}
	for _, id := range slices.SortedFunc(maps.Keys(ids), func(a, b uuid.UUID) int { return bytes.Compare(a[:], b[:]) }) {
		h, err := x.app.Open(ctx, x.who, id)
		if errors.Is(err, store.ErrNotFound) {
			continue // it was deleted; the cue says so
		}
		if err != nil {
			return err
		}
		t := h.View().Template
		for _, digest := range t.Audio() {
			keep[digest] = path.Join("recordings", digest)
		}
		file := path.Join("templates", filename.Unique(filename.Safe(t.Name, "template"), ".fanfold.json", taken))
		x.index.Templates = append(x.index.Templates, archivedTemplate{id, t.Name, file})
		x.templates = append(x.templates, t)
		x.texts = append(x.texts, file)
	}
	for digest, name := range keep {
		if x.app.store.RecordingKept(ctx, x.who.Studio, digest) {
			x.index.Kept[digest] = name
		}
	}
	return nil
}

// cuesOf are the cues of a production, as they are and as they stood in earlier cuts.
func cuesOf(p *cue.Production) func(func(*cue.Cue) bool) {
	return func(yield func(*cue.Cue) bool) {
		for _, c := range p.Cues {
			if !yield(c) {
				return
			}
		}
		for _, cut := range p.Cuts {
			for _, c := range cut.Was {
				if !yield(c) {
					return
				}
			}
		}
	}
}

// Write writes the archive. One that is not written to its end is not an archive.
func (x *Archive) Write(ctx context.Context, w io.Writer) error {
	bag := bagit.NewWriter(w, x.Name, x.index.Made)
	for n, t := range x.templates {
		var b bytes.Buffer
		if err := templatefile.Write(&b, t); err != nil {
			return err
		}
		if err := bag.Add(x.index.Templates[n].File, &b); err != nil {
			return err
		}
	}
	for _, digest := range slices.Sorted(maps.Keys(x.index.Kept)) {
		r, err := x.app.store.RecordingOpen(ctx, x.who.Studio, digest)
		if err != nil {
			return fmt.Errorf("read a recording: %w", err)
		}
		if err := bag.Add(x.index.Kept[digest], r); err != nil {
			return err
		}
	}
	for _, p := range x.index.Prints {
		for _, f := range p.Files {
			if err := x.audio(ctx, bag, f); err != nil {
				return err
			}
		}
	}
	index, err := json.MarshalIndent(x.index, "", " ")
	if err != nil {
		return err
	}
	if err := bag.Add(archiveIndex, bytes.NewReader(index)); err != nil {
		return err
	}
	if err := bag.Add("read me.txt", bytes.NewReader(x.readMe())); err != nil {
		return err
	}
	return bag.Close([]bagit.Label{
		{Name: "External-Description", Value: x.Name}, {Name: "External-Identifier", Value: x.index.ID.String()}, {Name: "Contact-Name", Value: x.who.Name}, {Name: "Bag-Software-Agent", Value: "Fanfold"},
	})
}

// audio puts a file of a print in, and how it is drawn.
func (x *Archive) audio(ctx context.Context, bag *bagit.Writer, f archivedFile) error {
	studio := x.who.Studio.String()
	src, err := x.app.audio.Audio(ctx, studio, f.Sha256)
	if err != nil {
		return fmt.Errorf("%s: %w", f.Path, err)
	}
	if err := bag.Add(f.File, io.NewSectionReader(src, 0, src.Bytes)); err != nil {
		return err
	}
	if x.index.Waves[f.Sha256] != "" {
		return nil
	}
	wave, err := x.app.audio.Wave(ctx, studio, f.Sha256)
	if errors.Is(err, audiostore.ErrNotFound) {
		return nil // it is of a pair, which is drawn as one
	}
	if err != nil {
		return err
	}
	x.index.Waves[f.Sha256] = path.Join("waves", f.Sha256)
	return bag.Add(x.index.Waves[f.Sha256], bytes.NewReader(wave))
}

// readMe says for people how the archive lies, should they have no Fanfold.
func (x *Archive) readMe() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "%s, archived on %s.\r\n\r\n", x.Name, x.index.Made.Format(time.DateOnly))
	fmt.Fprint(&b, "audio       the newest print of each cue: Broadcast Wave files, whose timecode is that of the picture\r\n"+
		"music       the music of the cues: MIDI and MusicXML files\r\n"+
		"templates   the templates, as JSON by a published schema\r\n"+
		"recordings  what rows and effects play: WAV and FLAC files\r\n"+
		"archive.json  the production: reels, cuts, cues; and what each file is\r\n\r\n")
	for _, text := range x.texts {
		fmt.Fprintf(&b, "%s\r\n", text)
	}
	return b.Bytes()
}
