package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// PrintAsk says what is printed, and how it is proved.
type PrintAsk struct {
	Production *uuid.UUID    `json:"production,omitempty"` // of the cue
	Cue        cue.ID        `json:"cue,omitempty"`        // whose music is printed
	Folds      []template.ID `json:"folds,omitempty"`      // none are all
	RateHz     int           `json:"rateHz"`               // one of render.Rates
	Samples    wav.Samples   `json:"samples"`
	TrimDB     float64       `json:"trimDb"`             // by which all files are louder
	Softer     bool          `json:"softer,omitempty"`   // all files are softer by as much as it takes that none goes beyond full scale
	LeaveOut   bool          `json:"leaveOut"`           // rows that cannot sound are left out
	Long       bool          `json:"long"`               // RF64 however short
	Dry        bool          `json:"dry,omitempty"`      // without what rooms and other returns add
	PeakDB     float64       `json:"peakDb"`             // the highest true peak, dBTP; 0 for none
	Loudness   float64       `json:"loudness,omitempty"` // of the mix that is asked for, LUFS; 0 for none
	Over       []template.ID `json:"over,omitempty"`     // rows that are recorded over instead
}

// Print is a print as people see it in a list.
type Print struct {
	ID       uuid.UUID
	Title    string
	Version  int
	Recorded bool // elsewhere
	Ask      PrintAsk
	Revision int64 // of the template; 0 until it is printed
	State    string
	Reason   string
	Done, Of float64 // s
	LeftS    float64 // until it is done, as it went so far; 0 when not known
	Line     string
	Faults   int
	By       string
	Made     time.Time
	Files    []db.PrintFile  // of one that is looked at
	Report   json.RawMessage // of one that is looked at: audit.Report; nil when there is none
	Template uuid.UUID
}

// States of prints.
const (
	printTaking  = "taking"  // recordings come in
	printWaiting = "waiting" // for its turn
	printRunning = "running"
	printProving = "proving"
	printDone    = "done"
	printStopped = "stopped"
	printFailed  = "failed"
)

// Bounds of what is asked for.
const (
	mostTrimDB     = 60.0
	lowestLoudness = -70.0
)

func (ask *PrintAsk) check(t *template.Template) error {
	switch {
	case !slices.Contains(render.Rates, ask.RateHz):
		return refused("", "sound is made at one of %v Hz, not at %d", render.Rates, ask.RateHz)
	case ask.Samples.Bytes() == 0:
		return refused("", "samples are written as 16 or 24 bits, or as floating point")
	case ask.TrimDB < -mostTrimDB || ask.TrimDB > mostTrimDB:
		return refused("", "files can be made louder or softer by %.0f dB at most", mostTrimDB)
	case ask.Loudness > 0 || ask.Loudness < lowestLoudness || ask.PeakDB > 0 || ask.PeakDB < lowestLoudness:
		return refused("", "a loudness and a true peak are between %.0f and 0", lowestLoudness)
	}
	for _, f := range ask.Folds {
		if t.Index().Folds[f] == nil {
			return refused(f, "a fold to be printed is no longer in the template")
		}
	}
	return nil
}

var errNoAudio = refused("", "this server has no audio store; start it with --audio")

// Prints lists the last prints of a template, the newest first.
func (h *Hot) Prints(ctx context.Context, p Person) ([]Print, error) {
	rows, err := h.app.store.Queries().PrintList(ctx, db.PrintListParams{Template: h.ID(), StudioID: p.Studio})
	if err != nil {
		return nil, fmt.Errorf("list prints: %w", err)
	}
	out := []Print{}
	for _, r := range rows {
		x := Print{
			ID: r.ID, Title: r.Title, Version: int(r.Version), Recorded: r.Recorded, Revision: r.Revision, State: r.State, Reason: r.Reason,
			Done: r.DoneS, Of: r.OfS, Line: r.Line, Faults: int(r.Faults), By: r.Author, Made: r.CreatedAt, Template: r.Template,
		}
		if err := json.Unmarshal(r.Ask, &x.Ask); err != nil {
			return nil, fmt.Errorf("read what a print was asked for: %w", err)
		}
		if r.State == printRunning && r.BeganAt.Valid && r.DoneS > 0 && r.OfS > r.DoneS {
			x.LeftS = time.Since(r.BeganAt.Time).Seconds() * (r.OfS - r.DoneS) / r.DoneS
		}
		out = append(out, x)
	}
	return out, nil
}

// Print gives one print with its files and its proof.
func (a *App) Print(ctx context.Context, p Person, id uuid.UUID) (Print, error) {
	r, err := a.store.Queries().PrintGet(ctx, db.PrintGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return Print{}, store.NotFound(err)
	}
	x := Print{
		ID: r.ID, Title: r.Title, Version: int(r.Version), Recorded: r.Recorded, Revision: r.Revision, State: r.State, Reason: r.Reason,
		Done: r.DoneS, Of: r.OfS, Line: r.Line, Faults: int(r.Faults), Made: r.CreatedAt, Template: r.Template, Report: r.Report,
	}
	if err := json.Unmarshal(r.Ask, &x.Ask); err != nil {
		return Print{}, fmt.Errorf("read what a print was asked for: %w", err)
	}
	x.Files, err = a.store.Queries().PrintFiles(ctx, id)
	return x, err
}

// StartPrint queues the print of a cue's music.
func (h *Hot) StartPrint(ctx context.Context, p Person, ask PrintAsk) (uuid.UUID, error) {
	a := h.app
	if a.audio == nil || a.jobs == nil {
		return uuid.Nil, errNoAudio
	}
	if err := ask.check(h.View().Template); err != nil {
		return uuid.Nil, err
	}
	ask.Over = nil
	if ask.Production == nil {
		return uuid.Nil, refused("", "choose a cue whose music is printed")
	}
	film, err := a.OpenFilm(ctx, p, *ask.Production)
	if err != nil {
		return uuid.Nil, err
	}
	c := film.View().Production.Cue(ask.Cue)
	switch {
	case c == nil:
		return uuid.Nil, refused("", "the cue is no longer there")
	case c.Music == nil:
		return uuid.Nil, refused("", "%s keeps no music yet; give it its MIDI or MusicXML file in Cues", c.Called())
	}
	return h.insertPrint(ctx, p, c.Called(), ask, false)
}

// insertPrint notes a print, and queues it unless it is recorded.
func (h *Hot) insertPrint(ctx context.Context, p Person, title string, ask PrintAsk, recorded bool) (uuid.UUID, error) {
	a, id := h.app, uuid.New()
	if err := template.CheckName(title); err != nil {
		return uuid.Nil, refused("", "name what was recorded: %s", err)
	}
	text, err := json.Marshal(ask)
	if err != nil {
		return uuid.Nil, err
	}
	version, err := a.store.Queries().PrintNextVersion(ctx, db.PrintNextVersionParams{Template: h.ID(), Title: title})
	if err != nil {
		return uuid.Nil, fmt.Errorf("number the print: %w", err)
	}
	row := db.PrintInsertParams{
		ID: id, StudioID: p.Studio, Template: h.ID(), Cue: string(ask.Cue), Title: title, Version: version, Recorded: recorded, Ask: text,
		AuthorID: pgUUID(p.ID), State: printTaking,
	}
	if ask.Production != nil {
		row.Production = pgUUID(*ask.Production)
	}
	return id, a.store.Tx(ctx, func(tx pgx.Tx) error {
		q := a.store.Queries().WithTx(tx)
		if err := q.PrintInsert(ctx, row); err != nil {
			return fmt.Errorf("note the print: %w", err)
		}
		if recorded {
			return nil
		}
		return a.queuePrint(ctx, tx, q, id)
	})
}

// printQueue is the queue of prints, of which a server makes few at once: each takes all cores.
const (
	printQueue       = "prints"
	printsAtOnce     = 1
	printSampleBytes = 192 << 20
)

func (a *App) queuePrint(ctx context.Context, tx pgx.Tx, q *db.Queries, id uuid.UUID) error {
	job, err := a.jobs.InsertTx(ctx, tx, printArgs{id}, &river.InsertOpts{MaxAttempts: 1, Queue: printQueue})
	if err != nil {
		return fmt.Errorf("queue the print: %w", err)
	}
	return q.PrintSetJob(ctx, db.PrintSetJobParams{ID: id, JobID: &job.Job.ID})
}

// StopPrint stops a print, or takes it from the queue.
func (a *App) StopPrint(ctx context.Context, p Person, id uuid.UUID) error {
	r, err := a.store.Queries().PrintGet(ctx, db.PrintGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return store.NotFound(err)
	}
	n, err := a.store.Queries().PrintStop(ctx, db.PrintStopParams{ID: id, StudioID: p.Studio, Reason: "stopped; it can go on"})
	if err != nil {
		return fmt.Errorf("stop the print: %w", err)
	}
	if n == 0 {
		return refused("", "the print has ended already")
	}
	if r.JobID != nil && a.jobs != nil {
		if _, err := a.jobs.JobCancel(ctx, *r.JobID); err != nil && !errors.Is(err, river.ErrNotFound) {
			return fmt.Errorf("stop the print: %w", err)
		}
	}
	return nil
}

// ResumePrint has a print that was stopped, or that failed, go on. What it made is made again,
// to the same bytes.
func (a *App) ResumePrint(ctx context.Context, p Person, id uuid.UUID) error {
	r, err := a.store.Queries().PrintGet(ctx, db.PrintGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return store.NotFound(err)
	}
	switch {
	case a.jobs == nil || a.audio == nil:
		return errNoAudio
	case r.State == printStopped, r.State == printFailed, r.Recorded && (r.State == printDone || r.State == printTaking):
	default:
		return refused("", "the print goes on already, or is done")
	}
	return a.store.Tx(ctx, func(tx pgx.Tx) error { return a.queuePrint(ctx, tx, a.store.Queries().WithTx(tx), id) })
}

// DeletePrint deletes a print. Its audio goes, where no other print has the same.
func (a *App) DeletePrint(ctx context.Context, p Person, id uuid.UUID) error {
	to, err := a.store.Queries().DeliveryOpenOf(ctx, db.DeliveryOpenOfParams{PrintID: id, StudioID: p.Studio})
	if err != nil {
		return fmt.Errorf("look who has a print: %w", err)
	}
	if to != "" {
		return refused("", "%s can still fetch it by a link; end the link first", to)
	}
	files, err := a.store.Queries().PrintFiles(ctx, id)
	if err != nil {
		return err
	}
	n, err := a.store.Queries().PrintDelete(ctx, db.PrintDeleteParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return fmt.Errorf("delete the print: %w", err)
	}
	if n == 0 {
		if _, err := a.store.Queries().PrintGet(ctx, db.PrintGetParams{ID: id, StudioID: p.Studio}); err != nil {
			return store.NotFound(err)
		}
		return refused("", "it is being printed; stop it first")
	}
	return a.forgetAudio(ctx, p.Studio, files)
}

// forgetAudio deletes the audio of files that no print has any more.
func (a *App) forgetAudio(ctx context.Context, studio uuid.UUID, files []db.PrintFile) error {
	for _, f := range files {
		if err := a.store.AudioForget(ctx, studio, f.Sha256); err != nil {
			return err
		}
	}
	return nil
}

// lookAfterPrints goes on with prints whose server ended, until the context ends.
func (a *App) lookAfterPrints(ctx context.Context) {
	tick := time.NewTicker(printSilence / 4)
	defer tick.Stop()
	for {
		if err := a.resumePrints(ctx); err != nil && ctx.Err() == nil {
			slog.Error("go on with prints", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// resumePrints goes on with prints whose server says nothing any more.
func (a *App) resumePrints(ctx context.Context) error {
	if a.audio == nil {
		return nil
	}
	before := time.Now().Add(-printSilence)
	rows, err := a.store.Queries().PrintsAbandoned(ctx, before)
	if err != nil {
		return fmt.Errorf("look for abandoned prints: %w", err)
	}
	for _, r := range rows {
		err := a.store.Tx(ctx, func(tx pgx.Tx) error {
			q := a.store.Queries().WithTx(tx)
			n, err := q.PrintAbandon(ctx, db.PrintAbandonParams{ID: r.ID, Before: before})
			if err != nil || n == 0 {
				return err // another server was sooner
			}
			return a.queuePrint(ctx, tx, q, r.ID)
		})
		if err != nil {
			return fmt.Errorf("go on with a print: %w", err)
		}
	}
	return nil
}

// printSilence is how long a print may say nothing before another server takes it.
const printSilence = 20 * time.Second

// TakeRecorded begins a print that was recorded elsewhere, of a cue or of another piece: its files
// follow.
func (h *Hot) TakeRecorded(ctx context.Context, p Person, title string, ask PrintAsk) (uuid.UUID, error) {
	if h.app.audio == nil {
		return uuid.Nil, errNoAudio
	}
	if ask.RateHz == 0 {
		ask.RateHz = rig.SoundRateHz
	}
	if ask.Samples == "" {
		ask.Samples = wav.Whole24
	}
	ask.Over = nil
	if err := ask.check(h.View().Template); err != nil {
		return uuid.Nil, err
	}
	if ask.Production != nil {
		film, err := h.app.OpenFilm(ctx, p, *ask.Production)
		if err != nil {
			return uuid.Nil, err
		}
		c := film.View().Production.Cue(ask.Cue)
		if c == nil {
			return uuid.Nil, refused("", "the cue is no longer there")
		}
		title = c.Called()
	}
	return h.insertPrint(ctx, p, strings.TrimSpace(title), ask, true)
}

// Say says what recorded files are, by their numbers: a bus, or a role; empty lets Fanfold match
// them again. It is remembered for the next recording, and the print is proved again.
func (a *App) Say(ctx context.Context, p Person, id uuid.UUID, says map[int]string) error {
	x, err := a.Print(ctx, p, id)
	if err != nil {
		return err
	}
	if !x.Recorded {
		return refused("", "what Fanfold printed is known already")
	}
	h, err := a.Open(ctx, p, x.Template)
	if err != nil {
		return err
	}
	t := h.View().Template
	for n, say := range says {
		at := slices.IndexFunc(x.Files, func(f db.PrintFile) bool { return int(f.Number) == n })
		if at < 0 {
			return refused("", "there is no file %d in it", n)
		}
		key := printing.Key(x.Files[at].Path)
		role := audit.Role(say)
		switch b := t.Index().Buses[template.ID(say)]; {
		case say == "":
			err = a.store.Queries().PrintMatchForget(ctx, db.PrintMatchForgetParams{Template: x.Template, Key: key})
		case b != nil && (b.Kind.Is().Stem || b.Kind.Is().Only), role == audit.Guide, role == audit.Mix, role == audit.Limited, role == audit.Other:
			err = a.store.Queries().PrintMatchSet(ctx, db.PrintMatchSetParams{Template: x.Template, Key: key, Says: say})
		default:
			return refused("", "%q is not a stem of this template", say)
		}
		if err != nil {
			return fmt.Errorf("remember what a file is: %w", err)
		}
	}
	return a.ResumePrint(ctx, p, id)
}

// PrintableCue is a cue whose music can be printed by a template, or why it cannot.
type PrintableCue struct {
	Production     uuid.UUID
	ProductionName string
	Cue            cue.ID
	Called, Why    string
	RateHz         int // of the production
}

// PrintableCues lists the cues of all productions that are of a template, or of none.
func (a *App) PrintableCues(ctx context.Context, p Person, id uuid.UUID) ([]PrintableCue, error) {
	rows, err := a.Productions(ctx, p)
	if err != nil {
		return nil, err
	}
	out := []PrintableCue{}
	for _, row := range rows {
		f, err := a.OpenFilm(ctx, p, row.ID)
		if err != nil {
			return nil, err
		}
		now := f.View().Production
		for _, c := range now.InOrder() {
			if c.Template != "" && c.Template != id.String() {
				continue
			}
			x := PrintableCue{Production: row.ID, ProductionName: now.Name, Cue: c.ID, Called: c.Called(), RateHz: now.RateHz}
			if c.Music == nil {
				x.Why = "it keeps no music yet"
			}
			out = append(out, x)
		}
	}
	return out, nil
}

// CanPrint tells whether this server has what prints need.
func (a *App) CanPrint() bool { return a.audio != nil && a.jobs != nil }
