package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/filename"
	"fanfold/internal/core/people"
	"fanfold/internal/core/template"
	"fanfold/internal/format/bagit"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// An archive of a studio is all that it has: who is in it, its templates and productions with their
// whole history, recordings, prints, deliveries, and what was done. It is a BagIt bag in a zip archive;
// studio.json in it says what is what. What lets somebody in is not in it.

// What stands at the head of studio.json.
const (
	studioFormat  = "fanfold-studio"
	studioVersion = 1
	studioIndex   = "studio.json"
)

// studioArchived is studio.json.
type studioArchived struct {
	Format  string            `json:"format"`
	Version int               `json:"version"`
	Made    time.Time         `json:"made"`
	ID      uuid.UUID         `json:"id"`
	Name    string            `json:"name"`
	State   int64             `json:"state"` // of the tables
	Tables  []string          `json:"tables"`
	Audio   map[string]string `json:"audio"` // files by their SHA-256
	Waves   map[string]string `json:"waves"` // how audio is drawn, by its SHA-256
}

// StudioArchive is a studio that can be written as an archive.
type StudioArchive struct {
	Name string // of the file, without its ending

	app    *App
	by     string
	index  studioArchived
	spools map[string]audiostore.Spool // of each table
}

// ArchiveStudio prepares an archive of a studio, as of now. Close lets it go.
func (a *App) ArchiveStudio(ctx context.Context, p Person) (_ *StudioArchive, err error) {
	row, err := a.store.Queries().StudioGet(ctx, p.Studio)
	if err != nil {
		return nil, store.NotFound(err)
	}
	state, err := store.TablesState()
	if err != nil {
		return nil, err
	}
	x := &StudioArchive{
		Name: filename.Safe(row.Name, "studio"), app: a, by: p.Name, spools: map[string]audiostore.Spool{},
		index: studioArchived{
			Format: studioFormat, Version: studioVersion, Made: time.Now().UTC().Truncate(time.Second), ID: p.Studio, Name: row.Name, State: state,
			Tables: store.StudioTables(), Audio: map[string]string{}, Waves: map[string]string{},
		},
	}
	err = a.store.StudioWrite(ctx, p.Studio, func(table string) (io.Writer, error) {
		spool, err := audiostore.NewSpool()
		if err == nil {
			x.spools[table] = spool
		}
		return spool, err
	})
	if err != nil {
		return nil, errors.Join(err, x.Close())
	}
	return x, nil
}

// Close lets go of what was prepared.
func (x *StudioArchive) Close() error {
	var failed error
	for _, s := range x.spools {
		failed = errors.Join(failed, s.Close())
	}
	return failed
}

func tableFile(table string) string { return path.Join("tables", table+".jsonl") }

// Write writes the archive. One that is not written to its end is not an archive.
func (x *StudioArchive) Write(ctx context.Context, w io.Writer) error {
	bag := bagit.NewWriter(w, x.Name, x.index.Made)
	for _, table := range x.index.Tables {
		s := x.spools[table]
		if _, err := s.Seek(0, io.SeekStart); err != nil {
			return fmt.Errorf("write %s: %w", table, err)
		}
		if err := bag.Add(tableFile(table), s); err != nil {
			return err
		}
	}
	if err := x.audio(ctx, bag); err != nil {
		return err
	}
	index, err := json.MarshalIndent(x.index, "", " ")
	if err != nil {
		return err
	}
	if err := bag.Add(studioIndex, bytes.NewReader(index)); err != nil {
		return err
	}
	if err := bag.Add("read me.txt", strings.NewReader(studioReadMe)); err != nil {
		return err
	}
	return bag.Close([]bagit.Label{
		{Name: "External-Description", Value: x.index.Name}, {Name: "External-Identifier", Value: x.index.ID.String()}, {Name: "Contact-Name", Value: x.by}, {Name: "Bag-Software-Agent", Value: "Fanfold"},
	})
}

const studioReadMe = "tables  what the studio is made of, a file for each table, a line of JSON for each row\r\n" +
	"audio   prints and recordings, by their SHA-256\r\n" +
	"waves   how they are drawn\r\n\r\n" +
	"'fanfold studio in' brings it in on another server. Passwords and links are not in it.\r\n"

// audio puts in what lies in the audio store. What was deleted meanwhile is left out.
func (x *StudioArchive) audio(ctx context.Context, bag *bagit.Writer) error {
	digests, err := x.app.store.Queries().AudioOfStudio(ctx, x.index.ID)
	if err != nil {
		return fmt.Errorf("list the audio of a studio: %w", err)
	}
	if len(digests) > 0 && x.app.audio == nil {
		return errors.New("the audio of the studio lies in an audio store that this server does not have; give it with --audio")
	}
	studio := x.index.ID.String()
	for _, digest := range digests {
		src, err := x.app.audio.Audio(ctx, studio, digest)
		if errors.Is(err, audiostore.ErrNotFound) {
			continue
		}
		if err != nil {
			return err
		}
		name := path.Join("audio", digest+".wav") // its ending says not to compress it
		if err := bag.Add(name, io.NewSectionReader(src, 0, src.Bytes)); err != nil {
			return err
		}
		x.index.Audio[digest] = name
		wave, err := x.app.audio.Wave(ctx, studio, digest)
		if errors.Is(err, audiostore.ErrNotFound) {
			continue
		}
		if err != nil {
			return err
		}
		x.index.Waves[digest] = path.Join("waves", digest)
		if err := bag.Add(x.index.Waves[digest], bytes.NewReader(wave)); err != nil {
			return err
		}
	}
	return nil
}

// BroughtStudio is what came of an archive of a studio.
type BroughtStudio struct {
	Name   string
	Audio  int               // files
	Owners map[string]string // secrets of links by which owners come back in, by their email
}

// BringStudio brings a studio in from an archive, on a server that does not have it: with the IDs that
// it had, so that links between things hold. It is checked whole before anything is made. Owners come
// in by links that are good once.
func (a *App) BringStudio(ctx context.Context, src io.ReaderAt, size int64) (out BroughtStudio, err error) {
	entries, err := bagEntries(src, size)
	if err != nil {
		return out, refused("", "%s", err)
	}
	x := &opening{app: a, entries: entries}
	index, err := x.studio()
	if err != nil {
		return out, err
	}
	err = a.store.StudioBring(ctx, index.ID, func(table string) (io.ReadCloser, error) {
		f := x.entries[tableFile(table)]
		if f == nil {
			return io.NopCloser(strings.NewReader("")), nil // of an earlier version
		}
		return f.Open()
	})
	var taken *store.EmailTaken
	switch {
	case errors.Is(err, store.ErrStudioHere):
		return out, refused("", "%s is on this server already; a server holds a studio once", index.Name)
	case errors.As(err, &taken):
		return out, refused("", "%s", taken)
	case err != nil:
		return out, refused("", "the archive cannot be brought in: %s", err)
	}
	if out, err = x.settle(ctx, index); err != nil {
		return out, errors.Join(err, a.store.StudioRemove(context.WithoutCancel(ctx), index.ID))
	}
	return out, nil
}

// studio reads studio.json, and tells what it names and is not there.
func (x *opening) studio() (index studioArchived, err error) {
	data, err := x.read(studioIndex, mostIndexBytes)
	if err != nil {
		return index, refused("", "this is not an archive of a studio: %s", err)
	}
	if err := json.Unmarshal(data, &index); err != nil || index.Format != studioFormat {
		return index, refused("", "this is not an archive of a studio")
	}
	state, err := store.TablesState()
	switch {
	case err != nil:
		return index, err
	case index.Version > studioVersion || index.State > state:
		return index, refused("", "it was made by a newer Fanfold; use that one or a later one")
	case len(index.Audio) > 0 && x.app.audio == nil:
		return index, refused("", "there is audio in it; say with --audio where to put it")
	}
	for digest, name := range index.Audio {
		if x.entries[name] == nil || !template.IsDigest(digest) {
			return index, refused("", "%s is missing", name)
		}
	}
	for digest, name := range index.Waves {
		if x.entries[name] == nil || !template.IsDigest(digest) {
			return index, refused("", "%s is missing", name)
		}
	}
	return index, nil
}

// settle keeps the audio of a studio that was brought in, opens all that it has once, and lets its
// owners in.
func (x *opening) settle(ctx context.Context, index studioArchived) (out BroughtStudio, err error) {
	x.who = Person{Studio: index.ID}
	out = BroughtStudio{Name: index.Name, Audio: len(index.Audio), Owners: map[string]string{}}
	for _, digest := range slices.Sorted(maps.Keys(index.Audio)) {
		name := index.Audio[digest]
		if err := x.audio(ctx, archivedFile{File: name, Path: name, Sha256: digest, Bytes: int64(x.entries[name].UncompressedSize64)}); err != nil {
			return out, err
		}
	}
	for digest, name := range index.Waves {
		wave, err := x.read(name, mostIndexBytes)
		if err == nil {
			err = x.app.audio.KeepWave(ctx, index.ID.String(), digest, wave)
		}
		if err != nil {
			return out, err
		}
	}
	for _, row := range []func(context.Context, Person) error{x.app.openTemplates, x.app.openProductions} {
		if err := row(ctx, x.who); err != nil {
			return out, refused("", "what is in the archive cannot be opened: %s", err)
		}
	}
	list, err := x.app.Members(ctx, x.who)
	if err != nil {
		return out, err
	}
	for _, m := range list {
		if people.Role(m.Role) != people.Owner {
			continue
		}
		if _, out.Owners[m.Email], err = x.app.invite(ctx, x.who, db.InvitationInsertParams{Email: m.Email, Role: m.Role, PersonID: pgUUID(m.ID)}, ownerDays); err != nil {
			return out, err
		}
	}
	if len(out.Owners) == 0 {
		return out, refused("", "the archive has no owner in it")
	}
	return out, nil
}

// ownerDays is how long an owner of a studio that was brought in can come in by the link.
const ownerDays = 14

// openTemplates opens every template of a studio once, which reads and checks it.
func (a *App) openTemplates(ctx context.Context, p Person) error {
	rows, err := a.Templates(ctx, p)
	if err != nil {
		return err
	}
	for _, row := range rows {
		if _, err := a.Open(ctx, p, row.ID); err != nil {
			return fmt.Errorf("%s: %w", row.Name, err)
		}
	}
	return nil
}

// openProductions opens every production of a studio once.
func (a *App) openProductions(ctx context.Context, p Person) error {
	rows, err := a.Productions(ctx, p)
	if err != nil {
		return err
	}
	for _, row := range rows {
		if _, err := a.OpenFilm(ctx, p, row.ID); err != nil {
			return fmt.Errorf("%s: %w", row.Name, err)
		}
	}
	return nil
}

// goneAfter is how long a studio, or a template, that was deleted can be brought back.
const goneAfter = 30 * 24 * time.Hour

// Studio tells of a studio.
func (a *App) Studio(ctx context.Context, p Person) (db.Studio, error) {
	row, err := a.store.Queries().StudioGet(ctx, p.Studio)
	return row, store.NotFound(err)
}

// StudioNamed is the one studio of a name, or ID, for a command of whoever runs the server.
func (a *App) StudioNamed(ctx context.Context, name string) (Person, error) {
	rows, err := a.store.Queries().StudioList(ctx)
	if err != nil {
		return Person{}, fmt.Errorf("list studios: %w", err)
	}
	id, err := oneNamed("studio", name, rows, func(s db.Studio) (uuid.UUID, string) { return s.ID, s.Name })
	return Person{Studio: id, Name: "the server"}, err
}

// oneNamed is the ID of the one thing that has a name, or that ID.
func oneNamed[T any](what, name string, list []T, of func(T) (uuid.UUID, string)) (uuid.UUID, error) {
	var found []uuid.UUID
	var ids, names []string
	for _, x := range list {
		id, called := of(x)
		names = append(names, called)
		if called == name || id.String() == name {
			found, ids = append(found, id), append(ids, id.String())
		}
	}
	switch len(found) {
	case 0:
		return uuid.Nil, refused("", "there is no %s %q; there are: %s", what, name, strings.Join(names, ", "))
	case 1:
		return found[0], nil
	}
	return uuid.Nil, refused("", "there is more than one %s %q; give the ID of one: %s", what, name, strings.Join(ids, ", "))
}

// EndStudio deletes a studio: after thirty days it goes for good, with its audio. Until then it works
// as ever, and an owner can keep it. name is given again, so that it is meant.
func (a *App) EndStudio(ctx context.Context, p Person, name string) error {
	row, err := a.Studio(ctx, p)
	if err != nil {
		return err
	}
	if !strings.EqualFold(strings.TrimSpace(name), row.Name) {
		return refused("name", "type the name of the studio, %s, to delete it", row.Name)
	}
	n, err := a.store.Queries().StudioEnd(ctx, db.StudioEndParams{ID: p.Studio, EndsAt: pgtype.Timestamptz{Time: time.Now().Add(goneAfter), Valid: true}})
	if err == nil && n == 0 {
		return nil // it is deleted already, and goes at its day
	}
	return done(n, err, "delete the studio")
}

// KeepStudio keeps a studio that was deleted.
func (a *App) KeepStudio(ctx context.Context, p Person) error {
	n, err := a.store.Queries().StudioStay(ctx, p.Studio)
	return done(n, err, "keep the studio")
}

// RemoveEnded deletes studios and templates for good whose day has come.
func (a *App) RemoveEnded(ctx context.Context) {
	a.removeTemplates(ctx)
	rows, err := a.store.Queries().StudiosEnded(ctx)
	if err != nil {
		slog.Warn("could not read which studios have ended", "error", err)
		return
	}
	for _, row := range rows {
		if err := a.store.StudioRemove(ctx, row.ID); err != nil {
			slog.Warn("could not delete a studio that has ended; trying again later", "studio", row.Name, "error", err)
			continue
		}
		slog.Info("a studio was deleted for good", "studio", row.Name)
	}
}
