package app

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"syscall"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/audit"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/template"
	"fanfold/internal/format/bagit"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// OpenedArchive is what came of an archive.
type OpenedArchive struct {
	Production uuid.UUID   `json:"production"`
	Name       string      `json:"name"`
	Templates  []uuid.UUID `json:"templates"`
	Cues       int         `json:"cues"`
	Prints     int         `json:"prints"`
}

// mostIndexBytes bounds archive.json.
const mostIndexBytes = 256 << 20

// OpenArchive opens an archive: a production with its templates, music, recordings and prints, all
// of them new. It is checked whole before anything is made.
func (a *App) OpenArchive(ctx context.Context, p Person, src io.ReaderAt, size int64) (OpenedArchive, error) {
	x, err := readArchive(ctx, src, size)
	if err != nil {
		return OpenedArchive{}, refused("", "%s", err)
	}
	x.app, x.who = a, p
	if err := x.room(ctx); err != nil {
		return OpenedArchive{}, err
	}
	if err = x.files(ctx); err == nil {
		var out OpenedArchive
		if out, err = x.make(ctx); err == nil {
			return out, nil
		}
	}
	return OpenedArchive{}, errors.Join(err, x.forget(context.WithoutCancel(ctx)))
}

// forget lets go of the audio of an archive that came to nothing, where nothing else has it.
func (x *opening) forget(ctx context.Context) error {
	for _, p := range x.index.Prints {
		for _, f := range p.Files {
			if err := x.app.store.AudioForget(ctx, x.who.Studio, f.Sha256); err != nil {
				return err
			}
		}
	}
	return nil
}

// besideAudio is what an archive may have beside its audio and recordings, bytes.
const besideAudio = 2 << 30

// TakeArchive opens an archive as it comes.
func (a *App) TakeArchive(ctx context.Context, p Person, r io.Reader) (OpenedArchive, error) {
	audio, err := a.roomForAudio(ctx, p, 0)
	if err != nil {
		return OpenedArchive{}, err
	}
	kept, err := a.roomForRecordings(ctx, p, 0)
	if err != nil {
		return OpenedArchive{}, err
	}
	spool, size, err := spooled(bounded(r, audio+kept+besideAudio, noAudioRoom(a.mostAudio)))
	if err != nil {
		return OpenedArchive{}, err
	}
	defer func() { _ = spool.Close() }() // no longer needed
	return a.OpenArchive(ctx, p, spool, size)
}

// spooled takes what comes into a file of its own.
func spooled(r io.Reader) (audiostore.Spool, int64, error) {
	spool, err := audiostore.NewSpool()
	if err != nil {
		return spool, 0, fmt.Errorf("take a file: %w", err)
	}
	size, err := io.Copy(spool, r)
	if err != nil {
		_ = spool.Close() // no longer needed
		if errors.Is(err, syscall.ENOSPC) {
			err = errDiskFull
		}
		return spool, 0, err
	}
	return spool, size, nil
}

// errDiskFull is told where the server's disk has no more room.
var errDiskFull = refused("", "the server's disk is full, and nothing was saved; make room there or store the audio elsewhere, then try again")

// opening is an archive while it is opened.
type opening struct {
	app       *App
	who       Person
	index     archived
	templates []*template.Template
	entries   map[string]*zip.File // by their names within the bag
}

// bagEntries are the files of a bag by their names within it, once each of them is as its manifest says.
func bagEntries(src io.ReaderAt, size int64) (map[string]*zip.File, error) {
	r, err := zip.NewReader(src, size)
	if err != nil {
		return nil, fmt.Errorf("this is not a zip archive: %w", err)
	}
	if err := bagit.Check(r); err != nil {
		return nil, fmt.Errorf("the archive is damaged: %w", err)
	}
	out := map[string]*zip.File{}
	for _, f := range r.File {
		if _, name, ok := strings.Cut(f.Name, "/data/"); ok {
			out[name] = f
		}
	}
	return out, nil
}

// readArchive reads an archive and checks it: every file as its manifest has it, the templates and
// the production by all their rules, and that all is there that archive.json names.
func readArchive(ctx context.Context, src io.ReaderAt, size int64) (*opening, error) {
	entries, err := bagEntries(src, size)
	if err != nil {
		return nil, err
	}
	x := &opening{entries: entries}
	index, err := x.read(archiveIndex, mostIndexBytes)
	if err != nil {
		return nil, fmt.Errorf("this is not an archive of a production: %w", err)
	}
	if err := json.Unmarshal(index, &x.index); err != nil {
		return nil, fmt.Errorf("%s: %w", archiveIndex, err)
	}
	switch i := &x.index; {
	case i.Format != archiveFormat || i.Production == nil:
		return nil, errors.New("this is not an archive of a production")
	case i.Version > archiveVersion:
		return nil, fmt.Errorf("it was made by a newer Fanfold (version %d of archives); this one reads up to version %d", i.Version, archiveVersion)
	}
	if err := x.index.Production.Validate(); err != nil {
		return nil, fmt.Errorf("its production: %w", err)
	}
	for _, t := range x.index.Templates {
		data, err := x.read(t.File, templatefile.MaxBytes)
		if err != nil {
			return nil, err
		}
		read, err := templatefile.ReadWithin(ctx, strings.NewReader(string(data)))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", t.File, err)
		}
		x.templates = append(x.templates, read)
	}
	return x, x.complete()
}

// complete tells a file that archive.json names and that is not there, or not as it says.
func (x *opening) complete() error {
	for _, list := range []map[string]string{x.index.Kept, x.index.Waves} {
		for digest, name := range list {
			if x.entries[name] == nil || !template.IsDigest(digest) {
				return fmt.Errorf("%s is missing", name)
			}
		}
	}
	known := map[uuid.UUID]bool{}
	for _, t := range x.index.Templates {
		known[t.ID] = true
	}
	for _, p := range x.index.Prints {
		if !known[p.Template] || len(p.Files) > audit.MostFiles {
			return fmt.Errorf("the template of the print of %s is missing", p.Title)
		}
		if err := template.CheckName(p.Title); err != nil || p.Version < 1 || !json.Valid(p.Report) {
			return fmt.Errorf("the print of %q is not as it should be", p.Title)
		}
		for _, f := range p.Files {
			if e := x.entries[f.File]; e == nil || !template.IsDigest(f.Sha256) || int64(e.UncompressedSize64) != f.Bytes {
				return fmt.Errorf("%s is missing, or not as it was", f.File)
			}
		}
	}
	return nil
}

func (x *opening) read(name string, most int64) ([]byte, error) {
	f := x.entries[name]
	if f == nil {
		return nil, fmt.Errorf("%s is missing", name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, most+1))
	if err == nil && int64(len(data)) > most {
		err = fmt.Errorf("%s is larger than %d MiB", name, most>>20)
	}
	return data, err
}

// room refuses an archive that takes more than the studio may keep.
func (x *opening) room(ctx context.Context) error {
	kept, audio := int64(0), int64(0)
	for _, name := range x.index.Kept {
		kept += int64(x.entries[name].UncompressedSize64)
	}
	for _, p := range x.index.Prints {
		for _, f := range p.Files {
			audio += f.Bytes
		}
	}
	if audio > 0 && x.app.audio == nil {
		return errNoAudio
	}
	if _, err := x.app.roomForRecordings(ctx, x.who, kept); err != nil {
		return err
	}
	_, err := x.app.roomForAudio(ctx, x.who, audio)
	return err
}

// files keeps music, recordings and audio.
func (x *opening) files(ctx context.Context) error {
	for digest, name := range x.index.Kept {
		r, err := x.entries[name].Open()
		if err != nil {
			return err
		}
		got, err := x.app.store.RecordingKeep(ctx, x.who.Studio, r, func([]byte, int64) error { return nil })
		_ = r.Close() // only read
		if err != nil {
			return err
		}
		if got != digest {
			return refused("", "%s is not what the archive says it is", name)
		}
	}
	for _, p := range x.index.Prints {
		for _, f := range p.Files {
			if err := x.audio(ctx, f); err != nil {
				return err
			}
		}
	}
	for digest, name := range x.index.Waves {
		wave, err := x.read(name, mostIndexBytes)
		if err != nil {
			return err
		}
		if err := x.app.audio.KeepWave(ctx, x.who.Studio.String(), digest, wave); err != nil {
			return err
		}
	}
	return nil
}

func (x *opening) audio(ctx context.Context, f archivedFile) error {
	r, err := x.entries[f.File].Open()
	if err != nil {
		return err
	}
	defer r.Close()
	spool, err := audiostore.NewSpool()
	if err != nil {
		return fmt.Errorf("open an archive: %w", err)
	}
	defer func() { _ = spool.Close() }() // no longer needed
	if _, err := io.Copy(spool, io.LimitReader(r, f.Bytes)); err != nil {
		return fmt.Errorf("%s: %w", f.File, err)
	}
	kept, err := x.app.audio.Keep(ctx, x.who.Studio.String(), spool)
	if err != nil {
		return err
	}
	if kept.Digest != f.Sha256 {
		return refused("", "%s is not what the archive says it is", f.File)
	}
	return nil
}

// make makes the production, its templates and its prints.
func (x *opening) make(ctx context.Context) (OpenedArchive, error) {
	production := *x.index.Production
	production.ID = CueID("production")
	films, err := x.app.Productions(ctx, x.who)
	if err != nil {
		return OpenedArchive{}, err
	}
	production.Name = x.beside(production.Name, films)
	out := OpenedArchive{Name: production.Name, Cues: len(production.Cues)}
	ids := map[uuid.UUID]uuid.UUID{x.index.ID: uuid.New()}
	for _, t := range x.index.Templates {
		ids[t.ID] = uuid.New()
	}
	renew := func(list []*cue.Cue) []*cue.Cue {
		made := make([]*cue.Cue, len(list))
		for n, c := range list {
			one := *c
			old, _ := uuid.Parse(c.Template)
			if id, is := ids[old]; is {
				one.Template, one.Version, one.Took = id.String(), 0, nil
			} else {
				one.Template, one.Version, one.Took, one.Started = "", 0, nil, ""
			}
			made[n] = &one
		}
		return made
	}
	production.Cues = renew(production.Cues)
	production.Cuts = append([]*cue.Cut(nil), production.Cuts...)
	for n, c := range production.Cuts {
		one := *c
		one.Was = renew(c.Was)
		production.Cuts[n] = &one
	}
	row, err := x.app.createFilmAs(ctx, x.who, store.NewDocument{ID: ids[x.index.ID]}, &production)
	if err != nil {
		return out, err
	}
	out.Production = row.ID
	sheets, err := x.app.Templates(ctx, x.who)
	if err != nil {
		return out, err
	}
	for n, t := range x.index.Templates {
		made := x.templates[n].Clone()
		made.Name = x.beside(made.Name, sheets)
		for _, i := range made.Instruments {
			if i.Printed != nil && strings.HasPrefix(i.Printed.Cue, x.index.ID.String()+"/") {
				printed := *i.Printed
				printed.Cue = cueText(row.ID, cue.ID(path.Base(printed.Cue)))
				i.Printed = &printed
			}
		}
		row, err := x.app.createAs(ctx, x.who, store.NewDocument{ID: ids[t.ID]}, made)
		if err != nil {
			return out, err
		}
		out.Templates = append(out.Templates, row.ID)
	}
	return out, x.prints(ctx, ids, &out)
}

// beside is the name of what is opened: with its day where the studio has one of that name.
func (x *opening) beside(name string, there []db.Document) string {
	if !slices.ContainsFunc(there, func(d db.Document) bool { return d.Name == name }) {
		return name
	}
	day := ", archived " + x.index.Made.Format("2 January 2006")
	if cut := []rune(name); len(cut)+len(day) > template.MaxName {
		name = string(cut[:template.MaxName-len(day)])
	}
	return name + day
}

// prints notes the prints, with their files.
func (x *opening) prints(ctx context.Context, ids map[uuid.UUID]uuid.UUID, out *OpenedArchive) error {
	return x.app.store.Tx(ctx, func(tx pgx.Tx) error {
		q := x.app.store.Queries().WithTx(tx)
		for _, p := range x.index.Prints {
			id := uuid.New()
			ask := p.Ask
			ask.Production, ask.Cue, ask.Over = &out.Production, p.Cue, nil
			text, err := json.Marshal(ask)
			if err != nil {
				return err
			}
			err = q.PrintInsert(ctx, db.PrintInsertParams{
				ID: id, StudioID: x.who.Studio, Template: ids[p.Template], Production: pgUUID(out.Production), Cue: string(p.Cue), Title: p.Title, Version: int32(p.Version),
				Recorded: p.Recorded, Ask: text, AuthorID: pgUUID(x.who.ID), State: printRunning,
			})
			if err != nil {
				return fmt.Errorf("note a print: %w", err)
			}
			for n, f := range p.Files {
				err := q.PrintFileInsert(ctx, db.PrintFileInsertParams{
					PrintID: id, Number: int32(n), Path: f.Path, Bus: f.Bus, Stem: f.Stem, Role: f.Role, How: f.How, Sha256: f.Sha256, Bytes: f.Bytes,
				})
				if err != nil {
					return fmt.Errorf("note a file: %w", err)
				}
			}
			if err := q.PrintEnd(ctx, db.PrintEndParams{ID: id, State: printDone, Line: p.Line, Faults: int32(p.Faults), Report: p.Report, Reason: "from an archive of " + x.index.Made.Format("2 January 2006")}); err != nil {
				return fmt.Errorf("note a print: %w", err)
			}
			out.Prints++
		}
		return nil
	})
}
