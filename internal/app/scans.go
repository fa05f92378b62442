package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/riverqueue/river"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/rig"
	"fanfold/internal/scan"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// scanArgs names the scan a job runs.
type scanArgs struct {
	Scan uuid.UUID `json:"scan"`
}

// Kind implements river.JobArgs.
func (scanArgs) Kind() string { return "scan" }

type scanWorker struct {
	river.WorkerDefaults[scanArgs]
	app *App
}

// Timeout implements river.Worker: a scan takes as long as it takes.
func (*scanWorker) Timeout(*river.Job[scanArgs]) time.Duration { return -1 }

// Work implements river.Worker.
func (w *scanWorker) Work(ctx context.Context, job *river.Job[scanArgs]) error {
	return w.app.runScan(ctx, job.Args.Scan)
}

// AllowScans lets people scan these folders of the server, and what is in
// them. Others cannot be seen.
func (a *App) AllowScans(folders ...string) error {
	for _, f := range folders {
		abs, err := filepath.Abs(f)
		if err != nil {
			return fmt.Errorf("folder to scan: %w", err)
		}
		if info, err := os.Stat(abs); err != nil || !info.IsDir() {
			return fmt.Errorf("folder to scan: %s is not a folder", abs)
		}
		a.scanRoots = append(a.scanRoots, abs)
	}
	return nil
}

// ScanRoots lists the folders of the server that may be scanned.
func (a *App) ScanRoots() []string { return append([]string{}, a.scanRoots...) }

// scanFolder opens a folder that lies in one that may be scanned.
func (a *App) scanFolder(folder string) (*os.Root, error) {
	root, err := scan.OpenWithin(a.scanRoots, folder)
	if err != nil {
		return nil, refused("", "%s", err)
	}
	return root, nil
}

// mostFolders bounds a listing.
const mostFolders = 500

// Folders lists the folders within one that may be scanned.
func (a *App) Folders(folder string) ([]string, error) {
	dir, err := a.scanFolder(folder)
	if err != nil {
		return nil, err
	}
	defer func() { _ = dir.Close() }() // only read
	entries, err := fs.ReadDir(dir.FS(), ".")
	if err != nil {
		return nil, refused("", "%s cannot be read: %s", folder, err)
	}
	out := []string{}
	for _, e := range entries {
		if e.IsDir() && len(out) < mostFolders {
			out = append(out, e.Name())
		}
	}
	return out, nil
}

// Scan is one scan of a folder, as people see it.
type Scan struct {
	ID          uuid.UUID     `json:"id"`
	Machine     string        `json:"machine"` // its name; empty for the server
	Folder      string        `json:"folder"`
	Library     string        `json:"library"`
	State       string        `json:"state"` // waiting, running, done, stopped or failed
	Done        int           `json:"done"`  // patch files
	Files       int           `json:"files"`
	Patches     int           `json:"patches"`
	Unchanged   int           `json:"unchanged"` // patch files not read again
	Broken      []scan.Broken `json:"broken"`    // the first of them
	BrokenCount int           `json:"brokenCount"`
	Reason      string        `json:"reason"`
	LeftMs      int64         `json:"leftMs"` // as it went so far; 0 when not known
}

func scanOf(row db.Scan, cat *Hot) Scan {
	s := Scan{
		ID: row.ID, Machine: cat.machineName(template.ID(row.Machine)), Folder: row.Folder, Library: row.Library, State: row.State, Done: int(row.FilesDone), Files: int(row.Files),
		Patches: int(row.Patches), Unchanged: int(row.Unchanged), BrokenCount: int(row.BrokenCount), Reason: row.Reason, Broken: []scan.Broken{},
	}
	if err := json.Unmarshal(row.Broken, &s.Broken); err != nil {
		s.Reason = "what was broken can no longer be read"
	}
	return s
}

// Scans lists the studio's last scans, newest first.
func (a *App) Scans(ctx context.Context, p Person) ([]Scan, error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	rows, err := a.store.Queries().ScanList(ctx, p.Studio)
	out := []Scan{}
	for _, row := range rows {
		out = append(out, scanOf(row, cat))
	}
	return out, err
}

// StartScan queues a scan of a folder into a library: of the server, or, by
// its host, of a machine.
func (a *App) StartScan(ctx context.Context, p Person, machine, folder, library string, policy patch.Policy) (Scan, error) {
	if a.jobs == nil {
		return Scan{}, refused("", "this server runs no scans")
	}
	if err := template.CheckName(library); err != nil {
		return Scan{}, refused("", "name the library the patches belong to: %s", err)
	}
	if policy.PreloadKiB < 0 || policy.ZoneBytes < 0 || policy.PreloadKiB > 1<<20 || policy.ZoneBytes > 1<<20 {
		return Scan{}, refused("", "the preload and the bytes of a zone are 0 to 1,048,576")
	}
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return Scan{}, err
	}
	var id template.ID
	if machine == "" {
		dir, err := a.scanFolder(folder)
		if err != nil {
			return Scan{}, err
		}
		_ = dir.Close() // it may be scanned
	} else if id = cat.machineNamed(machine); len(a.rootsOf(p.Studio)[id]) == 0 {
		return Scan{}, refused("", "the host of %s is away, or was started without --scan-root", machine)
	}
	row, err := a.store.ScanStart(ctx, db.ScanInsertParams{
		StudioID: p.Studio, AuthorID: p.ID, Machine: string(id), Folder: filepath.Clean(folder), Library: strings.TrimSpace(library),
		PreloadKib: int32(policy.PreloadKiB), ZoneBytes: int32(policy.ZoneBytes),
	}, takeKey(ctx), a.queueScan)
	if err != nil {
		return Scan{}, fmt.Errorf("start a scan: %w", err)
	}
	return scanOf(row, cat), nil
}

// queueScan puts a scan into the queue, in the transaction that notes it.
func (a *App) queueScan(ctx context.Context, tx pgx.Tx, scan uuid.UUID) (job int64, err error) {
	queued, err := a.jobs.InsertTx(ctx, tx, scanArgs{scan}, &river.InsertOpts{MaxAttempts: 1})
	if err != nil {
		return 0, err
	}
	return queued.Job.ID, nil
}

// StopScan stops a scan. Nothing of it is taken in; what it measured is kept
// for the next.
func (a *App) StopScan(ctx context.Context, p Person, id uuid.UUID) error {
	row, err := a.store.Queries().ScanGet(ctx, db.ScanGetParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return store.NotFound(err)
	}
	if row.State != "waiting" && row.State != "running" {
		return refused("", "the scan has ended already")
	}
	if _, err := a.jobs.JobCancel(ctx, row.JobID); err != nil {
		return fmt.Errorf("stop the scan: %w", err)
	}
	if _, err := a.store.Queries().ScanCancel(ctx, row.ID); err != nil { // one that runs ends by itself
		return fmt.Errorf("stop the scan: %w", err)
	}
	return nil
}

// runScan runs a scan and takes what it found into the catalogue. One that was
// stopped, or reported as failed, does not run.
func (a *App) runScan(ctx context.Context, id uuid.UUID) error {
	begun, err := a.store.Queries().ScanBegin(ctx, db.ScanBeginParams{ID: id, Owner: a.own()})
	if err != nil {
		return fmt.Errorf("begin the scan: %w", err)
	}
	if begun == 0 {
		return nil
	}
	row, err := a.store.Queries().ScanRead(ctx, id)
	if err != nil {
		return fmt.Errorf("read the scan: %w", err)
	}
	ctx, abandon := context.WithCancelCause(ctx)
	defer abandon(nil)
	go a.beatScan(ctx, id, abandon)
	p := Person{ID: row.AuthorID, Studio: row.StudioID, Name: "Scan"}
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return err
	}
	result, err := a.scanned(ctx, row, cat)
	// The job's context may have ended; what came of it is still written.
	last, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer cancel()
	if row.Machine == "" { // a host keeps its own
		if keep := a.keepMeasured(last, row, result); keep != nil {
			slog.Error("keep what a scan measured", "error", keep)
		}
	}
	switch {
	case errors.Is(err, context.Canceled):
		return a.endScan(last, row, "stopped", "stopped; what was measured is kept for the next scan", result)
	case err != nil:
		return a.endScan(last, row, "failed", err.Error(), result)
	}
	list := make([]catalogue.Measured, len(result.Patches))
	for n, f := range result.Patches {
		list[n] = catalogue.Measured{Name: f.Name, Source: f.Source(), Measure: f.Measure}
	}
	var sum catalogue.Taken
	end := func() (db.ScanEndParams, error) {
		said := fmt.Sprintf("%d new, %d other than before, %d as they were", sum.Added, sum.Updated, sum.Same)
		if len(result.Gone) > 0 {
			said += fmt.Sprintf("; %d files are no longer there: %s", len(result.Gone), strings.Join(result.Gone[:min(3, len(result.Gone))], ", "))
		}
		return a.scanEnd(row, "done", said, result, len(list))
	}
	if len(list) == 0 {
		return a.endScan(last, row, "done", "nothing was found", result)
	}
	ask := document.Ask{Author: p.ID, By: p.Name, Seen: document.Any, Beside: a.store.ScanEnds(end)}
	_, err = cat.apply(last, ask, p, func(v *sheetView) (change.Change, error) {
		c, s, err := catalogue.Scanned(v.State, row.Library, list, NewID)
		sum = s
		return c, err
	})
	if err != nil {
		return a.endScan(last, row, "failed", err.Error(), result)
	}
	return nil
}

// scanBeat is how often a running scan says that it goes on; scanSilence is how
// long one may say nothing before it is reported as failed.
const (
	scanBeat    = 3 * time.Second
	scanSilence = 20 * time.Second
)

// beatScan says again and again that a scan goes on, and gives it up when it has
// been reported as failed meanwhile.
func (a *App) beatScan(ctx context.Context, id uuid.UUID, abandon context.CancelCauseFunc) {
	tick := time.NewTicker(scanBeat)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		n, err := a.store.Queries().ScanBeat(ctx, db.ScanBeatParams{ID: id, Owner: a.own()})
		if err == nil && n == 0 {
			abandon(store.ErrNotMine)
			return
		}
	}
}

// own is this server as the owner of work.
func (a *App) own() pgtype.UUID { return pgtype.UUID{Bytes: a.id, Valid: true} }

// tellAbandoned reports scans as failed whose server says nothing any more.
func (a *App) tellAbandoned(ctx context.Context) error {
	_, err := a.store.Queries().ScansAbandoned(ctx, pgtype.Interval{Microseconds: scanSilence.Microseconds(), Valid: true})
	if err != nil {
		return fmt.Errorf("look for abandoned scans: %w", err)
	}
	return nil
}

func (a *App) scanned(ctx context.Context, row db.Scan, cat *Hot) (scan.Result, error) {
	tell := a.progressOf(ctx, row, cat)
	if row.Machine != "" {
		return a.scannedThere(ctx, row, cat.machineName(template.ID(row.Machine)), tell)
	}
	dir, err := a.scanFolder(row.Folder)
	if err != nil {
		return scan.Result{}, err
	}
	defer func() { _ = dir.Close() }() // only read
	known, err := a.knownFiles(ctx, row)
	if err != nil {
		return scan.Result{}, err
	}
	return scan.Folder(ctx, dir.FS(), scan.Options{Policy: policyOf(row), Known: known, Tell: tell})
}

// progressOf tells browsers, and writes, how far a scan is.
func (a *App) progressOf(ctx context.Context, row db.Scan, cat *Hot) scan.Progress {
	began, told := time.Now(), time.Time{}
	return func(n, of int) {
		if time.Since(told) < 100*time.Millisecond && n < of {
			return
		}
		told = time.Now()
		s := scanOf(row, cat)
		s.State, s.Done, s.Files = "running", n, of
		s.LeftMs = time.Since(began).Milliseconds() * int64(of-n) / int64(max(1, n))
		cat.tellScan(s)
		if err := a.store.Queries().ScanProgress(ctx, db.ScanProgressParams{ID: row.ID, Owner: a.own(), FilesDone: int32(n), Files: int32(of)}); err != nil && ctx.Err() == nil {
			slog.Error("write the progress of a scan", "error", err)
		}
	}
}

// scannedThere has a machine's host scan, and gathers what it tells.
func (a *App) scannedThere(ctx context.Context, row db.Scan, name string, tell scan.Progress) (scan.Result, error) {
	news := make(chan rig.ScanNews, 64)
	order := rig.ScanOrder{ID: row.ID.String(), Folder: row.Folder, Policy: policyOf(row)}
	hear := func(n rig.ScanNews) { news <- n }
	if err := a.rig.Scan(row.StudioID.String(), row.Machine, order, hear); err != nil {
		return scan.Result{}, fmt.Errorf("%s: %w", name, err)
	}
	var out scan.Result
	stopped := ctx.Done()
	for {
		select {
		case <-stopped:
			a.rig.StopScan(order.ID)
			stopped = nil // its last news, or its silence, ends this
		case n := <-news:
			out.Patches, out.Broken = append(out.Patches, n.Patches...), append(out.Broken, n.Broken...)
			if !n.Over {
				tell(n.Done, n.Files)
				continue
			}
			tell(n.Files, n.Files)
			out.Unchanged, out.Gone = n.Unchanged, n.Gone
			switch {
			case n.Stopped || ctx.Err() != nil:
				return out, context.Canceled
			case n.Reason != "":
				return out, errors.New(n.Reason)
			}
			return out, nil
		}
	}
}

// MachineRoots lists what may be scanned on the machines that are there, by
// the machine's name.
func (a *App) MachineRoots(ctx context.Context, p Person) (map[string][]string, error) {
	cat, err := a.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	out := map[string][]string{}
	for id, roots := range a.rootsOf(p.Studio) {
		out[cat.machineName(id)] = roots
	}
	return out, nil
}

func (a *App) rootsOf(studio uuid.UUID) map[template.ID][]string {
	a.mu.Lock()
	defer a.mu.Unlock()
	return maps.Clone(a.hostRoots[studio])
}

// machineName is what the catalogue calls a machine; its ID once it is gone.
func (h *Hot) machineName(id template.ID) string {
	if m := h.View().Template.Index().Machines[id]; m != nil {
		return m.Name
	}
	return string(id)
}

// machineNamed is the machine of the catalogue that has a name; empty without one.
func (h *Hot) machineNamed(name string) template.ID {
	m := find(h.View().Template.Machines, func(m *template.Machine) bool { return template.FoldName(m.Name) == template.FoldName(name) })
	if m == nil {
		return ""
	}
	return m.ID
}

func (a *App) noteRoots(studio uuid.UUID, machine template.ID, roots []string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(roots) == 0 {
		delete(a.hostRoots[studio], machine)
		return
	}
	if a.hostRoots[studio] == nil {
		a.hostRoots[studio] = map[template.ID][]string{}
	}
	a.hostRoots[studio][machine] = roots
}

// policyText names how files were measured: under what policy, and by which readers.
func policyText(row db.Scan) string { return fmt.Sprint(policyOf(row), scan.Version) }

func policyOf(row db.Scan) patch.Policy {
	return patch.Policy{PreloadKiB: int(row.PreloadKib), ZoneBytes: int(row.ZoneBytes)}
}

func (a *App) knownFiles(ctx context.Context, row db.Scan) (map[string]scan.Kept, error) {
	rows, err := a.store.Queries().ScannedFiles(ctx, db.ScannedFilesParams{StudioID: row.StudioID, Folder: row.Folder})
	if err != nil {
		return nil, fmt.Errorf("read what earlier scans measured: %w", err)
	}
	known := make(map[string]scan.Kept, len(rows))
	for _, r := range rows {
		var k scan.Kept
		if r.Policy != policyText(row) || json.Unmarshal([]byte(r.Fingerprint), &k.Stamps) != nil || json.Unmarshal(r.Found, &k.Found) != nil {
			continue // measured otherwise, or by another version: read again
		}
		known[r.File] = k
	}
	return known, nil
}

// keepMeasured writes what was measured for the next scan.
func (a *App) keepMeasured(ctx context.Context, row db.Scan, r scan.Result) error {
	if err := a.store.Queries().ScannedFileForget(ctx, db.ScannedFileForgetParams{StudioID: row.StudioID, Folder: row.Folder, Files: r.Gone}); err != nil {
		return fmt.Errorf("forget files that are gone: %w", err)
	}
	return a.store.ScannedKeep(ctx, row, policyText(row), r.Measured)
}

// mostBroken is how many broken files are kept by name.
const mostBroken = 1000

func (a *App) scanEnd(row db.Scan, state, reason string, r scan.Result, patches int) (db.ScanEndParams, error) {
	broken, err := json.Marshal(append([]scan.Broken{}, r.Broken[:min(mostBroken, len(r.Broken))]...))
	return db.ScanEndParams{
		ID: row.ID, Owner: a.own(), State: state, Reason: reason, Patches: int32(patches), Unchanged: int32(r.Unchanged),
		Broken: broken, BrokenCount: int32(len(r.Broken)),
	}, err
}

// endScan ends a scan that brought no patches.
func (a *App) endScan(ctx context.Context, row db.Scan, state, reason string, r scan.Result) error {
	end, err := a.scanEnd(row, state, reason, r, 0)
	if err == nil {
		_, err = a.store.Queries().ScanEnd(ctx, end) // unless it was reported as failed already
	}
	if err != nil {
		return fmt.Errorf("end the scan: %w", err)
	}
	return nil
}

// scanHeard tells browsers of a scan that was written, here or elsewhere.
func (a *App) scanHeard(id uuid.UUID) {
	ctx, stop := context.WithTimeout(context.Background(), asideWithin)
	defer stop()
	row, err := a.store.Queries().ScanRead(ctx, id)
	if err != nil || row.Owner == a.own() && row.State == "running" {
		return // browsers ask again when they look; and who runs it tells more of it
	}
	a.mu.Lock()
	catalogue := a.catalogues[row.StudioID]
	a.mu.Unlock()
	if cat, open := a.open.Look(catalogue); open {
		cat.tellScan(scanOf(row, cat))
	}
}

// tellScan tells browsers how a scan goes.
func (h *Hot) tellScan(s Scan) {
	data, err := json.Marshal(s)
	if err != nil {
		return
	}
	h.doc.Watchers.Tell(Event{Name: "scan", Data: data})
}
