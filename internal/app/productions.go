package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/fxamacker/cbor/v2"
	"github.com/google/uuid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/timecode"
	"fanfold/internal/document"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// productionKind is the kind of document that holds a production.
const productionKind = "production"

// FilmFacts is what is computed from a production at one revision.
type FilmFacts struct{ Marks []cue.Mark }

type (
	filmDoc   = document.Document[*cue.Production, cue.Change, FilmFacts]
	filmView  = document.View[*cue.Production, cue.Change, FilmFacts]
	filmEntry = document.Entry[cue.Change]
)

// films are the productions of all studios, as they are kept.
func films(s *store.Store) *store.Documents[*cue.Production, cue.Change] {
	return store.DocumentsOf(s, store.Codec[*cue.Production, cue.Change]{
		WriteState: func(w io.Writer, p *cue.Production) error {
			data, err := cbor.Marshal(p)
			if err == nil {
				_, err = w.Write(data)
			}
			return err
		},
		ReadState: func(r io.Reader) (*cue.Production, error) {
			data, err := io.ReadAll(r)
			if err != nil {
				return nil, fmt.Errorf("read production: %w", err)
			}
			var p cue.Production
			if err := cbor.Unmarshal(data, &p); err != nil {
				return nil, fmt.Errorf("read production: %w", err)
			}
			return &p, p.Validate()
		},
		WriteChange: func(c cue.Change) ([]byte, error) { return json.Marshal(c) },
		ReadChange: func(data []byte) (c cue.Change, err error) {
			if err = json.Unmarshal(data, &c); err != nil {
				err = fmt.Errorf("read change: %w", err)
			}
			return c, err
		},
		Apply: func(p *cue.Production, c cue.Change) (*cue.Production, error) {
			after, _, err := cue.Apply(p, c)
			return after, err
		},
		About: func(p *cue.Production) any { return aboutFilm(p) },
		Name:  func(p *cue.Production) string { return p.Name },
		Holds: func(kind string) bool { return kind == productionKind },
	})
}

// FilmAbout is what is told of a production without opening it.
type FilmAbout struct {
	Rate      string   `json:"rate"`
	Reels     int      `json:"reels"`
	Cues      int      `json:"cues"`
	Templates []string `json:"templates"` // that its cues are started from
	Audio     []string `json:"audio"`     // the music of its cues, kept as recordings are
}

// FilmAboutFrom reads what was told of a production.
func FilmAboutFrom(data []byte) (a FilmAbout) {
	_ = json.Unmarshal(data, &a) // one of an earlier version tells less
	return a
}

func aboutFilm(p *cue.Production) FilmAbout {
	a := FilmAbout{Rate: p.Rate, Reels: len(p.Reels), Cues: len(p.Cues), Templates: []string{}, Audio: []string{}}
	seen := map[string]bool{"": true}
	keep := func(c *cue.Cue) {
		if c.Music != nil && !seen[c.Music.Digest] {
			seen[c.Music.Digest] = true
			a.Audio = append(a.Audio, c.Music.Digest)
		}
	}
	for _, c := range p.Cues {
		if !seen[c.Template] {
			seen[c.Template] = true
			a.Templates = append(a.Templates, c.Template)
		}
		keep(c)
	}
	for _, x := range p.Cuts {
		for _, c := range x.Was {
			keep(c)
		}
	}
	return a
}

// filmKind is what productions do as documents.
type filmKind struct{}

func (filmKind) Apply(p *cue.Production, c cue.Change) (*cue.Production, cue.Change, error) {
	return cue.Apply(p, c)
}

func (filmKind) Name(p *cue.Production) string { return p.Name }

func (filmKind) Label(before, _ *cue.Production, c cue.Change) string { return c.Describe(before) }

func (filmKind) Clashes(now *cue.Production, c cue.Change) func(cue.Change) error {
	return func(other cue.Change) error {
		key := c.Meets(other)
		if key == "" {
			return nil
		}
		return filmClash(now, key, c)
	}
}

// filmClash tells both values of what two people set.
func filmClash(now *cue.Production, key string, c cue.Change) error {
	parts := strings.SplitN(key, "/", 3)
	e := &ClashError{Name: now.Name, Theirs: "set by somebody else", Yours: "set by you"}
	kind, id := cue.Kind(parts[0]), cue.ID(parts[1])
	switch {
	case kind == cue.OfProduction:
	case kind == cue.OfCue && now.Cue(id) != nil:
		e.Name = now.Cue(id).Called()
	case kind == cue.OfReel && now.Reel(id) != nil:
		e.Name = "reel " + now.Reel(id).Name
	case kind == cue.OfCut && now.CutOf(id) != nil:
		e.Name = now.CutOf(id).Name
	default:
		return &ClashError{Theirs: "taken away"}
	}
	if len(parts) == 3 {
		e.Field = "the " + parts[2]
		if after, _, err := cue.Apply(now, c); err == nil {
			e.Theirs, e.Yours = cue.Said(now, kind, id, parts[2]), cue.Said(after, kind, id, parts[2])
		}
	}
	return e
}

func (filmKind) TakenBack(label string, inverse cue.Change) cue.Change {
	inverse.Label = "Take back: " + label
	return inverse
}

func (filmKind) Facts(after *cue.Production, _ *filmView) FilmFacts {
	return FilmFacts{after.Marks()}
}

func (filmKind) Delta(e filmEntry, before, after *filmView) ([]byte, error) {
	data, err := json.Marshal(filmDelta(e, before.State, after))
	if err != nil {
		return nil, fmt.Errorf("tell revision %d: %w", e.Revision, err)
	}
	return data, nil
}

// FilmDelta tells browsers what a revision changed: things that are new or different from before,
// whole, and the IDs of those that are gone.
type FilmDelta struct {
	Revision int64         `json:"revision"`
	By       string        `json:"by"`
	Label    string        `json:"label"`
	Settings *FilmSettings `json:"settings,omitempty"`
	Reels    []*cue.Reel   `json:"reels,omitempty"` // all of them, where one changed
	Cuts     []FilmCut     `json:"cuts,omitempty"`  // likewise
	Cues     []*cue.Cue    `json:"cues,omitempty"`
	Gone     []cue.ID      `json:"gone,omitempty"` // cues
	Marks    []cue.Mark    `json:"marks"`
	Sums     cue.Sums      `json:"sums"`
}

// FilmSettings are the fields of a production that are set by themselves.
type FilmSettings struct {
	cue.Settings
	Frame struct {
		Num  int64 `json:"num"`
		Den  int64 `json:"den"`
		Drop bool  `json:"drop"`
	} `json:"frame"` // the rate
}

// SettingsOf are those of a production.
func SettingsOf(p *cue.Production) FilmSettings {
	s := FilmSettings{Settings: p.Settings}
	r := p.FrameRate()
	s.Frame.Num, s.Frame.Den, s.Frame.Drop = r.Num, r.Den, r.Drop
	return s
}

// FilmCut is a cut without its events, which are asked for by themselves.
type FilmCut struct {
	ID    cue.ID            `json:"id"`
	Name  string            `json:"name"`
	On    string            `json:"on"`
	Notes string            `json:"notes"`
	Reels []FilmCutReel     `json:"reels"`
	Films map[cue.ID]FilmOf `json:"films"` // by the reel
}

// FilmOf is the film of a reel in a cut.
type FilmOf struct {
	*cue.Film
	Starts int64    `json:"starts"` // the frame on which its first stands
	Ends   int64    `json:"ends"`
	Notes  []string `json:"notes"`
}

// FilmCutReel says how much picture a cut has of a reel.
type FilmCutReel struct {
	Reel   cue.ID `json:"reel"`
	Events int    `json:"events"`
	Start  int64  `json:"start"`
	End    int64  `json:"end"`
}

// CutsOf are the cuts of a production.
func CutsOf(p *cue.Production) []FilmCut {
	rate := p.FrameRate()
	out := make([]FilmCut, len(p.Cuts))
	for n, c := range p.Cuts {
		out[n] = FilmCut{c.ID, c.Name, c.On, c.Notes, []FilmCutReel{}, map[cue.ID]FilmOf{}}
		for _, r := range c.Reels {
			x := FilmCutReel{Reel: r.Reel, Events: len(r.Events)}
			if len(r.Events) > 0 {
				x.Start, x.End = r.Events[0].Start, r.Events[len(r.Events)-1].End
			}
			out[n].Reels = append(out[n].Reels, x)
		}
		for id, f := range c.Films {
			reel := p.Reel(id)
			starts := f.Begins(rate, reel)
			out[n].Films[id] = FilmOf{f, starts, starts + f.Footage.Lasts(rate), f.Notes(reel)}
		}
	}
	return out
}

func filmDelta(e filmEntry, before *cue.Production, after *filmView) FilmDelta {
	now := after.State
	d := FilmDelta{Revision: e.Revision, By: e.By, Label: e.Label, Marks: after.Facts.Marks, Sums: now.Sums(time.Now())}
	cues := map[cue.ID]bool{}
	for _, op := range e.Change.Ops {
		switch op.Kind {
		case cue.OfProduction:
			s := SettingsOf(now)
			d.Settings = &s
		case cue.OfReel:
			d.Reels = append([]*cue.Reel{}, now.Reels...)
		case cue.OfCut:
			d.Cuts = CutsOf(now)
		case cue.OfCue:
			if cues[op.ID] {
				continue
			}
			cues[op.ID] = true
			if c := now.Cue(op.ID); c != nil {
				d.Cues = append(d.Cues, c)
			} else if before.Cue(op.ID) != nil {
				d.Gone = append(d.Gone, op.ID)
			}
		}
	}
	return d
}

// Film is a production that this server has open.
type Film struct {
	app *App
	doc *filmDoc
}

// Productions lists the studio's productions, oldest first.
func (a *App) Productions(ctx context.Context, p Person) ([]db.Document, error) {
	return a.store.Queries().DocumentList(ctx, db.DocumentListParams{StudioID: p.Studio, Kind: productionKind})
}

// CreateProduction makes a production of the studio.
func (a *App) CreateProduction(ctx context.Context, p Person, x *cue.Production) (db.Document, error) {
	return a.createFilmAs(ctx, p, store.NewDocument{Key: takeKey(ctx)}, x)
}

func (a *App) createFilmAs(ctx context.Context, p Person, as store.NewDocument, x *cue.Production) (db.Document, error) {
	if err := x.Validate(); err != nil {
		return db.Document{}, err
	}
	as.Studio, as.Kind = p.Studio, productionKind
	return a.films.Create(ctx, as, x)
}

// NewProduction makes an empty production at a frame rate, by its name.
func (a *App) NewProduction(ctx context.Context, p Person, name, rate string) (db.Document, error) {
	r, err := timecode.Named(rate)
	if err != nil {
		return db.Document{}, refused("", "%s", err)
	}
	return a.CreateProduction(ctx, p, cue.New(CueID("production"), strings.TrimSpace(name), r))
}

// CueID makes a random ID for a thing of a production.
func CueID(kind string) cue.ID { return cue.ID(NewID(kind)) }

// OpenFilm returns a production, loading it if nobody has it open yet. One of another studio is
// store.ErrNotFound.
func (a *App) OpenFilm(ctx context.Context, p Person, id uuid.UUID) (*Film, error) {
	f, err := a.openFilms.Open(ctx, id, func(ctx context.Context) (*Film, error) {
		doc, err := document.Open(ctx, filmKind{}, a.films, p.Studio, id)
		if err != nil {
			return nil, err
		}
		return &Film{a, doc}, nil
	})
	if err == nil && f.doc.View().Studio != p.Studio {
		return nil, store.ErrNotFound
	}
	return f, err
}

// ProductionNamed is the one production of a name, or ID, of a studio.
func (a *App) ProductionNamed(ctx context.Context, p Person, name string) (uuid.UUID, *Film, error) {
	rows, err := a.Productions(ctx, p)
	if err != nil {
		return uuid.Nil, nil, err
	}
	id, err := oneNamed("production", name, rows, func(d db.Document) (uuid.UUID, string) { return d.ID, d.Name })
	if err != nil {
		return uuid.Nil, nil, err
	}
	f, err := a.OpenFilm(ctx, p, id)
	return id, f, err
}

// filmSize estimates the memory that an open production takes, bytes.
func filmSize(f *Film) int64 {
	size := int64(16 << 10)
	for _, c := range f.doc.View().State.Cuts {
		for _, r := range c.Reels {
			size += int64(len(r.Events)) * 200
		}
	}
	return size + int64(len(f.doc.View().State.Cues))*2<<10
}

// FilmView is a production at one revision, with what is computed from it.
type FilmView struct {
	Revision   int64
	Locked     bool
	Production *cue.Production
	FilmFacts
}

// View returns the present. It waits for nothing.
func (f *Film) View() FilmView {
	v := f.doc.View()
	return FilmView{v.Revision, v.Locked, v.State, v.Facts}
}

// ID is the document's ID.
func (f *Film) ID() uuid.UUID { return f.doc.View().ID }

// Change applies a change that was made on the revision base: it merges with what happened since,
// or fails with a *ClashError.
func (f *Film) Change(ctx context.Context, p Person, base int64, c cue.Change) (int64, error) {
	if len(c.Ops) == 0 {
		return 0, refused("", "the change does nothing")
	}
	if err := f.unkept(ctx, p, c); err != nil {
		return 0, err
	}
	return f.doc.Apply(ctx, p.ask(ctx, max(0, base)), func(*filmView) (cue.Change, error) { return c, nil })
}

// Make makes a change on the present production and applies it.
func (f *Film) Make(ctx context.Context, p Person, make func(*cue.Production) (cue.Change, error)) (int64, error) {
	return f.doc.Apply(ctx, p.ask(ctx, document.Any), func(v *filmView) (cue.Change, error) {
		c, err := make(v.State)
		if err == nil && len(c.Ops) == 0 {
			err = refused("", "there is nothing to be changed")
		}
		return c, err
	})
}

// AddCue adds a cue to a reel, with the next number.
func (f *Film) AddCue(ctx context.Context, p Person, reel cue.ID, start, end int64) (cue.ID, int64, error) {
	id := CueID("cue")
	revision, err := f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		r := now.Reel(reel)
		if r == nil {
			return cue.Change{}, refused("", "the reel is no longer there")
		}
		c := now.NewCue(id, reel, start, end)
		c.Number = now.NextNumber(r)
		return cue.Change{Label: "Add " + c.Number, Ops: []cue.Op{cue.Adding(c)}}, nil
	})
	return id, revision, err
}

// AddReel adds a reel at the hour after the last, or at the first hour.
func (f *Film) AddReel(ctx context.Context, p Person) (cue.ID, int64, error) {
	id := CueID("reel")
	revision, err := f.Make(ctx, p, func(now *cue.Production) (cue.Change, error) {
		rate, hour := now.FrameRate(), int64(1)
		for _, r := range now.Reels {
			hour = max(hour, rate.Code(r.Start).Hours+1)
		}
		start, err := rate.Frame(timecode.Code{Hours: hour})
		if err != nil {
			return cue.Change{}, refused("", "there is no hour of timecode left for a reel")
		}
		r := now.NewReel(id, start)
		return cue.Change{Label: "Add reel " + r.Name, Ops: []cue.Op{cue.Adding(r)}}, nil
	})
	return id, revision, err
}

// Undo takes back the person's last change that still stands, and Redo brings it back.
func (f *Film) Undo(ctx context.Context, p Person) (int64, error) {
	return f.doc.Undo(ctx, p.ask(ctx, document.Any))
}

// Redo brings back the person's last undone change.
func (f *Film) Redo(ctx context.Context, p Person) (int64, error) {
	return f.doc.Redo(ctx, p.ask(ctx, document.Any))
}

// Undoable names what Undo and Redo would take back; empty when nothing.
func (f *Film) Undoable(ctx context.Context, p Person) (undo, redo string, err error) {
	return f.doc.View().Undoable(ctx, p.ID)
}

// History lists changes before a revision, newest first; before 0 begins with the last.
func (f *Film) History(ctx context.Context, before int64) ([]db.HistoryPageRow, error) {
	return f.app.historyOf(ctx, f.ID(), before)
}

// TakeBackOne undoes one earlier change alone, whoever made it.
func (f *Film) TakeBackOne(ctx context.Context, p Person, revision int64) (int64, error) {
	now, err := f.doc.TakeBackOne(ctx, p.ask(ctx, document.Any), revision)
	var taken *document.TakenError
	if errors.As(err, &taken) {
		return 0, refused("", "%s", taken)
	}
	return now, err
}

// Watch starts watching after a revision.
func (f *Film) Watch(after int64) *Watcher { return f.doc.Watchers.Add(after) }

// Unwatch ends watching.
func (f *Film) Unwatch(w *Watcher) { f.doc.Watchers.Remove(w) }

// Watched is a document whose events browsers follow.
type Watched interface {
	ID() uuid.UUID
	Watch(after int64) *Watcher
	Unwatch(w *Watcher)
}

// Watchable opens a template, a catalogue or a production to be watched.
func (a *App) Watchable(ctx context.Context, p Person, id uuid.UUID) (Watched, error) {
	if _, open := a.openFilms.Look(id); !open {
		row, err := a.store.Queries().DocumentGet(ctx, db.DocumentGetParams{ID: id, StudioID: p.Studio})
		if err != nil {
			return nil, store.NotFound(err)
		}
		if row.Kind != productionKind {
			return a.Open(ctx, p, id)
		}
	}
	return a.OpenFilm(ctx, p, id)
}
