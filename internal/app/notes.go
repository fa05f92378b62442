package app

import (
	"context"
	"fmt"
	"log/slog"

	"github.com/google/uuid"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/store/db"
)

// Note notes what somebody did that is not a change of a document: what, in words, to whom or what, and
// from which address. It is kept apart from history, and stays when people leave. Where it cannot be
// kept, what was done stands all the same, and the server's log has it.
func (a *App) Note(ctx context.Context, p Person, what, about, address string) {
	// What was done is noted even where who asked has gone away meanwhile.
	err := a.store.Queries().NoteInsert(context.WithoutCancel(ctx), db.NoteInsertParams{StudioID: p.Studio, PersonID: pgUUID(p.ID), Name: p.Name, What: what, About: about, Address: address})
	if err != nil {
		slog.Warn("could not note what was done", "what", what, "about", about, "person", p.ID, "error", err)
	}
}

// notesPage is how many notes are read at a time.
const notesPage = 100

// Notes lists what was noted before one, the newest first; before 0 begins with the last.
func (a *App) Notes(ctx context.Context, p Person, before int64) ([]db.NoteListRow, error) {
	return a.notes(ctx, p, before, notesPage)
}

func (a *App) notes(ctx context.Context, p Person, before int64, most int32) ([]db.NoteListRow, error) {
	if before <= 0 {
		before = 1 << 62
	}
	rows, err := a.store.Queries().NoteList(ctx, db.NoteListParams{StudioID: p.Studio, Before: before, Most: most})
	if err != nil {
		return nil, fmt.Errorf("read what was noted: %w", err)
	}
	return rows, nil
}

// mostNotes bounds the notes of one sheet.
const mostNotes = 1_000_000

// NotesSheet is all that was noted, the newest first.
func (a *App) NotesSheet(ctx context.Context, p Person) (handover.Table, error) {
	rows, err := a.notes(ctx, p, 0, mostNotes)
	t := handover.Table{Headings: []string{"at (UTC)", "who", "what", "about", "from"}, Rows: [][]string{}}
	for _, r := range rows {
		t.Rows = append(t.Rows, []string{r.At.UTC().Format("2006-01-02 15:04:05"), r.Name, r.What, r.About, r.Address})
	}
	return t, err
}

// What things are called that are noted; their ID where they are not found.

// MemberName is a member's name.
func (a *App) MemberName(ctx context.Context, p Person, id uuid.UUID) string {
	row, err := a.store.Queries().MemberGet(ctx, db.MemberGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return id.String()
	}
	return row.Name
}

// PrintName is a print's title and version.
func (a *App) PrintName(ctx context.Context, p Person, id uuid.UUID) string {
	row, err := a.store.Queries().PrintGet(ctx, db.PrintGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return id.String()
	}
	return fmt.Sprintf("%s, version %d", row.Title, row.Version)
}

// DeliveryName is a delivery's title, and to whom it went.
func (a *App) DeliveryName(ctx context.Context, p Person, id uuid.UUID) string {
	row, err := a.store.Queries().DeliveryGet(ctx, db.DeliveryGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return id.String()
	}
	return row.Title + ", to " + row.Receiver
}

// InvitationName is the address that somebody was invited by.
func (a *App) InvitationName(ctx context.Context, p Person, id uuid.UUID) string {
	open, err := a.Invitations(ctx, p)
	for _, i := range open {
		if err == nil && i.ID == id {
			return i.Email
		}
	}
	return id.String()
}

// MachineName is the name of a machine of the studio.
func (a *App) MachineName(ctx context.Context, p Person, id template.ID) string {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return string(id)
	}
	if m := cat.View().Template.Index().Machines[id]; m != nil {
		return m.Name
	}
	return string(id)
}

// CredentialName is the machine that a credential is of.
func (a *App) CredentialName(ctx context.Context, p Person, id uuid.UUID) string {
	row, err := a.store.Queries().CredentialGet(ctx, id)
	if err != nil || row.StudioID != p.Studio {
		return id.String()
	}
	return a.MachineName(ctx, p, template.ID(row.Machine))
}
