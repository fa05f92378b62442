// Package app holds the use cases: what a person asks for, joined from the
// core, the store and the rig. Requests go in; new revisions, answers and
// events for every open browser come out.
package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/people"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/sampler"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// Config configures an App.
type Config struct {
	Store *store.Store // required
	Rig   Rig          // required
	// ID is this server's, while it runs. Defaults to a new one.
	ID uuid.UUID
	// Peers are the other servers on the database. Defaults to none: then this one
	// drives every machine.
	Peers Peers
	// KeepMiB is how much memory open templates that nobody uses may take, MiB.
	// Defaults to 192.
	KeepMiB int64
	// KeepFor is how long a template stays open after it was used, whatever it
	// takes. Defaults to 30 s.
	KeepFor time.Duration
	// RecordingsBytes is how much the recordings of one studio may take. Defaults to
	// 20 GiB.
	RecordingsBytes int64
	// Audio is where prints lie. Without it nothing is printed.
	Audio *audiostore.Store
	// AudioBytes is how much the prints of one studio may take. Defaults to 200 GiB.
	AudioBytes int64
}

// App serves all studios.
type App struct {
	id           uuid.UUID // of this server, while it runs
	store        *store.Store
	sheets       *store.Documents[*template.Template, change.Change]
	rig          Rig
	peers        Peers
	audio        *audiostore.Store
	printSamples *sampler.Store // nil where nothing is printed
	jobs         *Jobs          // nil until StartJobs
	scanRoots    []string       // folders of the server that may be scanned
	hosts        hostBook
	paces        paceBook
	held         heldBook
	abouts       aboutBook
	impulses     impulses
	open         *document.Shelf[*Hot]
	films        *store.Documents[*cue.Production, cue.Change]
	openFilms    *document.Shelf[*Film]
	beside       sync.WaitGroup // what is written beside the work
	turned       chan struct{}  // told when a host came or went
	revisions    atomic.Int64   // that were shown
	listening    atomic.Bool    // to what other servers write

	mostRecorded int64 // bytes of recordings of one studio
	mostAudio    int64 // bytes of prints of one studio

	mu         sync.Mutex
	hearers    map[string]func(uuid.UUID)             // of what was written that is not the app's
	hostRoots  map[uuid.UUID]map[template.ID][]string // folders of machines that may be scanned, by studio and machine
	catalogues map[uuid.UUID]uuid.UUID                // by studio
	hosted     map[uuid.UUID]bool                     // credentials of hosts that are let in
	named      map[uuid.UUID]bool                     // studios with hosts that are known by their machine's name alone
}

// Person is who asks. One without a role is the server itself, which does what it was told to.
type Person struct {
	ID     uuid.UUID
	Studio uuid.UUID
	Name   string
	Role   people.Role
}

// may refuses what the person's role may not.
func (p Person) may(d people.Doing) error {
	if p.Role != "" && !p.Role.May(d) {
		return &people.Refused{Role: p.Role, Doing: d}
	}
	return nil
}

// New returns an App on a store, driving machines through a rig.
func New(c Config) *App {
	if c.KeepMiB == 0 {
		c.KeepMiB = 192
	}
	if c.KeepFor == 0 {
		c.KeepFor = 10 * time.Second
	}
	if c.ID == uuid.Nil {
		c.ID = uuid.New()
	}
	if c.RecordingsBytes == 0 {
		c.RecordingsBytes = 20 << 30
	}
	if c.Audio != nil {
		c.Store.KeepAudioIn(c.Audio)
	}
	return &App{
		mostRecorded: c.RecordingsBytes, mostAudio: cmp.Or(c.AudioBytes, 200<<30), audio: c.Audio,
		turned: make(chan struct{}, 1),
		id:     c.ID, store: c.Store, sheets: sheets(c.Store), rig: c.Rig, peers: c.Peers,
		catalogues: map[uuid.UUID]uuid.UUID{}, hostRoots: map[uuid.UUID]map[template.ID][]string{}, named: map[uuid.UUID]bool{}, hosted: map[uuid.UUID]bool{},
		paces:  paceBook{known: map[machineKey]calls.Pace{}},
		held:   heldBook{known: map[machineKey]map[uuid.UUID]calls.Held{}},
		abouts: aboutBook{known: map[uuid.UUID]aboutRow{}},
		films:  films(c.Store),
		openFilms: &document.Shelf[*Film]{
			Bound: c.KeepMiB << 18, Grace: c.KeepFor, Now: time.Now,
			Size:  filmSize,
			InUse: func(f *Film) bool { return f.doc.Watchers.Count() > 0 },
		},
		open: &document.Shelf[*Hot]{
			Bound: c.KeepMiB << 20, Grace: c.KeepFor, Now: time.Now,
			Size:  func(h *Hot) int64 { return sizeOf(h.View().Template) },
			InUse: (*Hot).inUse,
		},
	}
}

// Wait waits until what is written beside the work is written.
func (a *App) Wait() { a.beside.Wait() }

type keyOfRequest struct{}

// WithKey gives a request a key, by which its changes are made once, however
// often it arrives.
func WithKey(ctx context.Context, key uuid.UUID) context.Context {
	return context.WithValue(ctx, keyOfRequest{}, &requestKey{key: key})
}

// requestKey is for the first thing that a request makes; what else it makes
// follows from that.
type requestKey struct {
	mu  sync.Mutex
	key uuid.UUID
}

// takeKey takes the key of a request, once; nil when there is none.
func takeKey(ctx context.Context) uuid.UUID {
	k, ok := ctx.Value(keyOfRequest{}).(*requestKey)
	if !ok {
		return uuid.Nil
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	key := k.key
	k.key = uuid.Nil
	return key
}

// ask is how a person asks for a change, having seen a revision.
func (p Person) ask(ctx context.Context, seen int64) document.Ask {
	return document.Ask{Author: p.ID, By: p.Name, Seen: seen, Key: takeKey(ctx)}
}

// NewID makes a random ID for a thing of a kind: "instrument-h3k2...".
func NewID(kind string) template.ID {
	var b [10]byte
	_, _ = rand.Read(b[:]) // never fails: see crypto/rand
	return template.ID(kind + "-" + strings.ToLower(base32.StdEncoding.EncodeToString(b[:])))
}

// Templates lists the studio's templates, oldest first.
func (a *App) Templates(ctx context.Context, p Person) ([]db.Document, error) {
	return a.store.Queries().DocumentList(ctx, db.DocumentListParams{StudioID: p.Studio, Kind: templateKind})
}

// Create makes a template of the studio. What its libraries, players and
// patches have in common with the catalogue, by name, is one with it.
func (a *App) Create(ctx context.Context, p Person, t *template.Template) (db.Document, error) {
	return a.createAs(ctx, p, store.NewDocument{Key: takeKey(ctx)}, t)
}

// createAs makes a template as a document that has an ID or a key already.
func (a *App) createAs(ctx context.Context, p Person, as store.NewDocument, t *template.Template) (db.Document, error) {
	as.Studio, as.Kind = p.Studio, templateKind
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return db.Document{}, err
	}
	row, err := a.sheets.Create(ctx, as, catalogue.Adopt(t, cat.View().Template, NewID))
	if err != nil {
		return row, err
	}
	h, err := a.Open(ctx, p, row.ID)
	if err != nil {
		return row, err
	}
	row.Name, row.Revision = h.doc.View().Name, h.doc.View().Revision // it may have followed the catalogue already
	return row, nil
}

// Open returns the template, loading it if nobody has it open yet. A template
// of another studio is store.ErrNotFound.
func (a *App) Open(ctx context.Context, p Person, id uuid.UUID) (*Hot, error) {
	if _, there := a.open.Look(id); !there && p.ID != uuid.Nil {
		a.beside.Go(func() { _, _ = a.Catalogue(context.WithoutCancel(ctx), p) }) // it is asked for below, and may say what is wrong then
	}
	h, err := a.load(ctx, p, id)
	if err != nil || h.isCatalogue() || h.Locked() || p.ID == uuid.Nil || h.agrees.Swap(true) {
		return h, err
	}
	if err := a.agree(ctx, p, h); err != nil {
		h.agrees.Store(false)
		return nil, err
	}
	return h, nil
}

func (a *App) load(ctx context.Context, p Person, id uuid.UUID) (*Hot, error) {
	h, err := a.open.Open(ctx, id, func(ctx context.Context) (*Hot, error) {
		h, err := a.openHot(ctx, p.Studio, id)
		if err == nil {
			v := h.doc.View()
			a.abouts.put(v.ID, v.Studio, v.Kind, aboutOf(v.State))
		}
		return h, err
	})
	if err == nil && h.studio() != p.Studio {
		return nil, store.ErrNotFound
	}
	return h, err
}

// each calls f for every open template of a studio.
func (a *App) each(studio uuid.UUID, f func(*Hot)) {
	for _, h := range a.open.All() {
		if h.studio() == studio {
			f(h)
		}
	}
}

// Start brings back what was wanted when the server last ran, and begins to hear
// what others write. The function returned ends that.
func (a *App) Start(ctx context.Context) (stop func(), err error) {
	named, err := a.store.Queries().CredentialsNamed(ctx)
	if err != nil {
		return nil, fmt.Errorf("list hosts known by name: %w", err)
	}
	a.mu.Lock()
	for _, studio := range named {
		a.named[studio] = true
	}
	a.mu.Unlock()
	if err := a.loadPaces(ctx); err != nil {
		return nil, err
	}
	if err := a.loadAbouts(ctx); err != nil {
		return nil, err
	}
	if err := a.openWanted(ctx); err != nil {
		return nil, err
	}
	if err := a.knowHosts(ctx); err != nil { // last: a host that is heard is told at once what it should hold
		return nil, err
	}
	listening, end := context.WithCancel(context.WithoutCancel(ctx))
	var done sync.WaitGroup
	done.Go(func() { a.store.Listen(listening, a.hear, a.listening.Store, a.catchUp) })
	done.Go(func() { a.trim(listening) })
	done.Go(func() { a.endCredentials(listening) })
	if a.peers != nil {
		if err := a.peers.Hear(hereTopic, a.heardHere); err != nil {
			end()
			return nil, fmt.Errorf("hear other servers: %w", err)
		}
		done.Go(func() { a.drive(listening) })
		done.Go(func() { Every(listening, hereAgain, a.sayAllHere) })
	}
	return func() { end(); done.Wait(); a.Wait() }, nil
}

// Follow keeps what is open in step with what servers write, for a process that only works for
// them. The function returned ends it.
func (a *App) Follow(ctx context.Context) (stop func()) {
	listening, end := context.WithCancel(context.WithoutCancel(ctx))
	var done sync.WaitGroup
	done.Go(func() { a.store.Listen(listening, a.hear, a.listening.Store, a.catchUp) })
	done.Go(func() {
		Every(listening, trimEvery, func() {
			a.open.Trim()
			a.openFilms.Trim()
		})
	})
	return func() { end(); done.Wait(); a.Wait() }
}

// openWanted opens the templates of which something should be ready.
func (a *App) openWanted(ctx context.Context) error {
	rows, err := a.store.Queries().WantedDocuments(ctx)
	if err != nil {
		return fmt.Errorf("list what should be ready: %w", err)
	}
	var failed error
	for _, row := range rows {
		if _, err := a.load(ctx, Person{Studio: row.StudioID}, row.DocumentID); err != nil {
			failed = errors.Join(failed, fmt.Errorf("open a template: %w", err))
		}
	}
	return failed
}

// Hear lets somebody else hear of what was written, here or by another server. The
// hearer must not wait.
func (a *App) Hear(of string, heard func(id uuid.UUID)) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.hearers == nil {
		a.hearers = map[string]func(uuid.UUID){}
	}
	a.hearers[of] = heard
}

// hear takes in what was written, here or by another server.
func (a *App) hear(n store.News) {
	a.mu.Lock()
	other := a.hearers[n.Of]
	a.mu.Unlock()
	if other != nil {
		other(n.ID)
		return
	}
	if f, open := a.openFilms.Look(n.ID); open && n.Of == "document" {
		f.doc.Heard(n.Revision)
		return
	}
	h, open := a.open.Look(n.ID)
	switch {
	case n.Of == "running" && open:
		h.heard(n.Revision)
	case n.Of == "running":
		a.beside.Go(func() { a.openHeard(n.ID) })
	case n.Of == "document" && open:
		h.doc.Heard(n.Revision)
	case n.Of == "scan":
		a.beside.Go(func() { a.scanHeard(n.ID) })
	case n.Of == "credential":
		a.beside.Go(func() { a.credentialHeard(n.ID) })
	case n.Of == "pace":
		a.beside.Go(a.paceHeard)
	case n.Of == "locked" && open:
		a.beside.Go(func() { a.lookAt(h) })
	}
}

// credentialHeard lets a host in, or cuts it off, whose credential was made or
// taken back elsewhere.
func (a *App) credentialHeard(id uuid.UUID) {
	ctx, stop := context.WithTimeout(context.Background(), asideWithin)
	defer stop()
	c, err := a.store.Queries().CredentialGet(ctx, id)
	switch {
	case errors.Is(store.NotFound(err), store.ErrNotFound):
		a.rig.Forget(id.String())
	case err != nil:
		slog.Warn("could not reload a credential", "error", err)
	default:
		a.know(c)
	}
}

// openHeard opens a template of which something was called elsewhere.
func (a *App) openHeard(id uuid.UUID) {
	ctx, stop := context.WithTimeout(context.Background(), asideWithin)
	defer stop()
	kept, err := a.store.WantedLoad(ctx, id)
	if err == nil && len(kept.Instruments) > 0 {
		_, err = a.load(ctx, Person{Studio: a.abouts.studioOf(id)}, id)
	}
	if err != nil {
		slog.Warn("could not read what was called elsewhere", "template", id, "error", err)
	}
}

// lookAt looks whether a template was locked elsewhere.
func (a *App) lookAt(h *Hot) {
	ctx, stop := context.WithTimeout(context.Background(), asideWithin)
	defer stop()
	if err := h.doc.CatchUp(ctx); err != nil {
		slog.Warn("could not check a template", "template", h.ID(), "error", err)
	}
}

// catchUp takes in whatever was written while the database was not heard.
func (a *App) catchUp() {
	ctx, stop := context.WithTimeout(context.Background(), time.Minute)
	defer stop()
	err := errors.Join(a.loadPaces(ctx), a.openWanted(ctx), a.knowHosts(ctx))
	for _, h := range a.open.All() {
		err = errors.Join(err, h.doc.CatchUp(ctx), h.reload(ctx))
	}
	for _, f := range a.openFilms.All() {
		err = errors.Join(err, f.doc.CatchUp(ctx))
	}
	if err != nil {
		slog.Warn("could not read all that was written meanwhile", "error", err) // heard again when something is written
	}
}

// Every does something again and again, until the context ends.
func Every(ctx context.Context, d time.Duration, do func()) {
	tick := time.NewTicker(d)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			do()
		}
	}
}

// trimEvery is how often templates that nobody uses are looked for.
const trimEvery = 20 * time.Second

// collectEvery is how often recordings are looked for that nothing plays; keptIdle is how
// long they are kept, for who takes a change back.
const (
	collectEvery = 6 * time.Hour
	keptIdle     = 30 * 24 * time.Hour
)

func (a *App) trim(ctx context.Context) {
	collected := time.Time{}
	if n, err := a.store.RecordingsMove(ctx); err != nil && ctx.Err() == nil {
		slog.Warn("could not move recordings to the audio store", "error", err)
	} else if n > 0 {
		slog.Info("recordings were moved to the audio store", "moved", n)
	}
	Every(ctx, trimEvery, func() {
		a.open.Trim()
		a.openFilms.Trim()
		if err := a.tellAbandoned(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("could not report scans of servers that are gone", "error", err)
		}
		_ = a.store.Queries().AnswersForget(ctx) // next time
		if since := time.Since(collected); since > collectEvery {
			collected = time.Now()
			a.RemoveEnded(ctx)
			if err := a.store.RecordingsCollect(ctx, keptIdle); err != nil && ctx.Err() == nil {
				slog.Warn("could not delete recordings that nothing plays", "error", err)
			}
		}
	})
}

// aboutBook keeps what is told of templates without opening them.
type aboutBook struct {
	mu    sync.Mutex
	known map[uuid.UUID]aboutRow
}

type aboutRow struct {
	studio uuid.UUID
	kind   string
	about
}

func (b *aboutBook) put(id, studio uuid.UUID, kind string, x about) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if was, ok := b.known[id]; kind != versionKind && (!ok || !was.equal(x)) {
		b.known[id] = aboutRow{studio, kind, x}
	}
}

func (b *aboutBook) of(id uuid.UUID) about {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.known[id].about
}

func (b *aboutBook) studioOf(id uuid.UUID) uuid.UUID {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.known[id].studio
}

// all calls f for every template that is known.
func (b *aboutBook) all(f func(id uuid.UUID, x aboutRow)) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for id, x := range b.known {
		if x.kind == templateKind {
			f(id, x)
		}
	}
}

func (a *App) loadAbouts(ctx context.Context) error {
	rows, err := a.store.Queries().DocumentAll(ctx)
	if err != nil {
		return fmt.Errorf("list templates: %w", err)
	}
	for _, row := range rows {
		a.abouts.put(row.ID, row.StudioID, row.Kind, aboutFrom(row.About))
	}
	return nil
}
