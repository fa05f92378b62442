package app

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/parcel"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// DeliveryAsk says what is handed over, to whom, and how.
type DeliveryAsk struct {
	Prints    []uuid.UUID      `json:"prints"`
	To        string           `json:"to"`
	Note      string           `json:"note"`
	Folders   handover.Folders `json:"folders"`
	Listening bool             `json:"listening"` // with a FLAC copy of each mix
	LinkDays  int              `json:"linkDays"`  // for how long a link is open; 0 makes none
}

// Delivery is what was handed over.
type Delivery struct {
	ID        uuid.UUID        `json:"id"`
	Title     string           `json:"title"`
	To        string           `json:"to"`
	Note      string           `json:"note"`
	Folders   handover.Folders `json:"folders"`
	Listening bool             `json:"listening"` // with a FLAC copy of each mix
	By        string           `json:"by"`
	Made      time.Time        `json:"made"`
	Open      bool             `json:"open"` // by a link
	Ends      *time.Time       `json:"ends,omitempty"`
	Fetched   int              `json:"fetched"` // how often the whole package was
	FetchedAt *time.Time       `json:"fetchedAt,omitempty"`
	Prints    []DeliveredPrint `json:"prints"`
}

// DeliveredPrint is a print as it was handed over.
type DeliveredPrint struct {
	Print    uuid.UUID       `json:"print"`
	Title    string          `json:"title"`
	Version  int             `json:"version"`
	Revision int64           `json:"revision"` // of the template
	Line     string          `json:"line"`     // of its proof
	Files    []DeliveredFile `json:"files"`
	// What is known now.
	Kept    bool       `json:"kept"`              // its audio is still here
	Newer   int        `json:"newer"`             // the newest version, where that is another; otherwise 0
	NewerID *uuid.UUID `json:"newerId,omitempty"` // that print
	Changes int64      `json:"changes"`           // of the template since it was printed
}

// DeliveredFile is a file as it was handed over.
type DeliveredFile struct {
	Path   string `json:"path"`
	Role   string `json:"role"` // audit.Role
	Bytes  int64  `json:"bytes"`
	Sha256 string `json:"sha256"`
}

// mostLinkDays bounds how long a link is open.
const mostLinkDays = 366

// Deliver notes that prints are handed over, and opens a link to them when that is asked for. The
// secret of the link is told once.
func (h *Hot) Deliver(ctx context.Context, p Person, ask DeliveryAsk) (id uuid.UUID, secret string, err error) {
	a := h.app
	ask.To, ask.Note = strings.TrimSpace(ask.To), strings.TrimSpace(ask.Note)
	if err := template.CheckName(ask.To); err != nil {
		return id, "", refused("", "say who receives it: %s", err)
	}
	if len(ask.Note) > 5000 {
		return id, "", refused("", "the note is too long; 5,000 letters are the most")
	}
	x, err := a.Parcel(ctx, p, ask.Prints, ask.Folders)
	if err != nil {
		return id, "", err
	}
	var content []DeliveredPrint
	for n, paths := range x.Paths() {
		of, err := a.Print(ctx, p, ask.Prints[n])
		if err != nil {
			return id, "", err
		}
		d := DeliveredPrint{Print: of.ID, Title: of.Title, Version: of.Version, Revision: of.Revision, Line: of.Line, Files: []DeliveredFile{}}
		for k, f := range handed(of.Files) {
			d.Files = append(d.Files, DeliveredFile{paths[k], f.Role, f.Bytes, f.Sha256})
		}
		content = append(content, d)
	}
	text, err := json.Marshal(content)
	if err != nil {
		return id, "", err
	}
	id = uuid.New()
	row := db.DeliveryInsertParams{
		ID: id, StudioID: p.Studio, Template: h.ID(), Title: x.Title, Receiver: ask.To, Note: ask.Note, Folders: string(ask.Folders), Listening: ask.Listening, Content: text, AuthorID: pgUUID(p.ID),
	}
	if ask.LinkDays != 0 {
		if secret, row.Token, row.EndsAt, err = newLink(ask.LinkDays); err != nil {
			return id, "", err
		}
	}
	return id, secret, a.store.Tx(ctx, func(tx pgx.Tx) error {
		q := a.store.Queries().WithTx(tx)
		if err := q.DeliveryInsert(ctx, row); err != nil {
			return fmt.Errorf("note the delivery: %w", err)
		}
		for n, d := range content {
			if err := q.DeliveryHolds(ctx, db.DeliveryHoldsParams{DeliveryID: id, PrintID: d.Print, Place: int32(n)}); err != nil {
				return fmt.Errorf("note what is delivered: %w", err)
			}
		}
		return nil
	})
}

// newLink makes the secret of a link, what is kept of it, and when it ends.
func newLink(days int) (secret string, kept []byte, ends pgtype.Timestamptz, err error) {
	if days < 1 || days > mostLinkDays {
		return "", nil, ends, refused("", "a link is open for 1 to %d days", mostLinkDays)
	}
	var key [32]byte
	_, _ = rand.Read(key[:]) // it never fails
	secret = base64.RawURLEncoding.EncodeToString(key[:])
	return secret, keptOf(secret), pgtype.Timestamptz{Time: time.Now().AddDate(0, 0, days), Valid: true}, nil
}

func keptOf(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Deliveries lists what was handed over of a template, the last first.
func (h *Hot) Deliveries(ctx context.Context, p Person) ([]Delivery, error) {
	q := h.app.store.Queries()
	rows, err := q.DeliveryList(ctx, db.DeliveryListParams{Template: h.ID(), StudioID: p.Studio})
	if err != nil {
		return nil, fmt.Errorf("list deliveries: %w", err)
	}
	newest, err := q.PrintNewest(ctx, db.PrintNewestParams{Template: h.ID(), StudioID: p.Studio})
	if err != nil {
		return nil, fmt.Errorf("list the newest prints: %w", err)
	}
	last := map[string]db.PrintNewestRow{}
	for _, n := range newest {
		last[n.Title] = n
	}
	now := h.View().Revision
	out := []Delivery{}
	for _, r := range rows {
		d, err := deliveryOf(db.DeliveryGetRow(r))
		if err != nil {
			return nil, err
		}
		kept, err := q.DeliveryPrints(ctx, r.ID)
		if err != nil {
			return nil, fmt.Errorf("read a delivery: %w", err)
		}
		here := map[uuid.UUID]bool{}
		for _, id := range kept {
			here[id] = true
		}
		for n := range d.Prints {
			x := &d.Prints[n]
			x.Kept = here[x.Print]
			if x.Revision > 0 {
				x.Changes = now - x.Revision
			}
			if l, is := last[x.Title]; is && int(l.Version) > x.Version {
				x.Newer, x.NewerID = int(l.Version), &l.ID
			}
		}
		out = append(out, d)
	}
	return out, nil
}

func deliveryOf(r db.DeliveryGetRow) (Delivery, error) {
	d := Delivery{
		ID: r.ID, Title: r.Title, To: r.Receiver, Note: r.Note, Folders: handover.Folders(r.Folders), Listening: r.Listening, By: r.Author, Made: r.CreatedAt,
		Open: len(r.Token) > 0 && r.EndsAt.Valid && r.EndsAt.Time.After(time.Now()), Fetched: int(r.Fetched),
	}
	if r.EndsAt.Valid {
		d.Ends = &r.EndsAt.Time
	}
	if r.FetchedAt.Valid {
		d.FetchedAt = &r.FetchedAt.Time
	}
	if err := json.Unmarshal(r.Content, &d.Prints); err != nil {
		return d, fmt.Errorf("read what was delivered: %w", err)
	}
	return d, nil
}

// NewLink opens a link to a delivery; an earlier one ends.
func (a *App) NewLink(ctx context.Context, p Person, id uuid.UUID, days int) (secret string, err error) {
	secret, kept, ends, err := newLink(days)
	if err != nil {
		return "", err
	}
	n, err := a.store.Queries().DeliverySetLink(ctx, db.DeliverySetLinkParams{ID: id, StudioID: p.Studio, Token: kept, EndsAt: ends})
	switch {
	case err != nil:
		return "", fmt.Errorf("open a link: %w", err)
	case n == 0:
		return "", store.ErrNotFound
	}
	return secret, nil
}

// EndLink ends the link to a delivery.
func (a *App) EndLink(ctx context.Context, p Person, id uuid.UUID) error {
	n, err := a.store.Queries().DeliveryEndLink(ctx, db.DeliveryEndLinkParams{ID: id, StudioID: p.Studio})
	switch {
	case err != nil:
		return fmt.Errorf("end the link: %w", err)
	case n == 0:
		return store.ErrNotFound
	}
	return nil
}

// DeliveryParcel is a delivery as it is packed.
func (a *App) DeliveryParcel(ctx context.Context, p Person, id uuid.UUID) (parcel.Parcel, error) {
	r, err := a.store.Queries().DeliveryGet(ctx, db.DeliveryGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return parcel.Parcel{}, store.NotFound(err)
	}
	d, err := deliveryOf(r)
	if err != nil {
		return parcel.Parcel{}, err
	}
	return a.parcelOf(ctx, p, d)
}

func (a *App) parcelOf(ctx context.Context, p Person, d Delivery) (parcel.Parcel, error) {
	var prints []uuid.UUID
	for _, x := range d.Prints {
		prints = append(prints, x.Print)
	}
	out, err := a.Parcel(ctx, p, prints, d.Folders)
	if errors.Is(err, store.ErrNotFound) {
		return out, refused("", "a print of this delivery was deleted; deliver it again")
	}
	if err != nil {
		return out, err
	}
	// It is what was handed over, whatever people said since that its files are.
	for n, x := range d.Prints {
		files := x.Files
		var paths []string
		out.Prints[n].Files = nil
		for _, f := range files {
			paths = append(paths, f.Path)
			out.Prints[n].Files = append(out.Prints[n].Files, handover.DeliveredFile{Name: f.Path, Role: audit.Role(f.Role)})
		}
		out.Lie = append(out.Lie, paths)
		out.Prints[n].Open = func(ctx context.Context, k int) (parcel.File, error) { return a.stored(ctx, p.Studio, files[k].Sha256) }
	}
	out.Title, out.From, out.To, out.Note, out.Identifier, out.Listening = d.Title, d.By, d.To, d.Note, d.ID.String(), d.Listening
	return out, nil
}

// Shared is a delivery as whoever has its link sees it.
type Shared struct {
	Delivery
	app *App
	who Person
}

// Shared opens a delivery by the secret of its link; store.ErrNotFound where there is none, or it
// has ended.
func (a *App) Shared(ctx context.Context, secret string) (Shared, error) {
	r, err := a.store.Queries().DeliveryOfLink(ctx, keptOf(secret))
	if err != nil {
		return Shared{}, store.NotFound(err)
	}
	d, err := deliveryOf(db.DeliveryGetRow(r))
	return Shared{d, a, Person{Studio: r.StudioID, Name: r.Author}}, err
}

// Parcel is the delivery as it is packed.
func (x Shared) Parcel(ctx context.Context) (parcel.Parcel, error) {
	return x.app.parcelOf(ctx, x.who, x.Delivery)
}

// File opens the kth file of the nth print.
func (x Shared) File(ctx context.Context, n, k int) (PrintedFile, error) {
	if n < 0 || n >= len(x.Prints) || k < 0 || k >= len(x.Prints[n].Files) {
		return PrintedFile{}, store.ErrNotFound
	}
	f := x.Prints[n].Files[k]
	return x.app.printedFile(ctx, x.who.Studio, f.Path, f.Sha256, x.Made)
}

// Fetched notes that the package of a delivery was fetched whole.
func (a *App) Fetched(ctx context.Context, id uuid.UUID) error {
	return a.store.Queries().DeliveryFetched(ctx, id)
}
