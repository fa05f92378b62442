package rig

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/nats-io/nats.go"

	"fanfold/internal/core/patch"
	"fanfold/internal/scan"
)

// ScanOrder asks a host to scan a folder of its machine, or to stop that.
type ScanOrder struct {
	ID     string       `json:"id"`
	Folder string       `json:"folder"`
	Policy patch.Policy `json:"policy"`
	Stop   bool         `json:"stop,omitempty"`
}

// ScanNews is how a scan goes; several messages together hold what was found.
type ScanNews struct {
	ID        string        `json:"id"`
	Done      int           `json:"done"`
	Files     int           `json:"files"`
	Patches   []scan.Found  `json:"patches,omitempty"`
	Broken    []scan.Broken `json:"broken,omitempty"`
	Unchanged int           `json:"unchanged"`
	Gone      []string      `json:"gone,omitempty"`
	Over      bool          `json:"over,omitempty"` // the last message
	Stopped   bool          `json:"stopped,omitempty"`
	Reason    string        `json:"reason,omitempty"` // why it failed
}

func scanSubject(credential string) string { return "rig." + credential + ".scan" }
func newsSubject(credential string) string { return "rig." + credential + ".scanned" }

// newsOf is how many patches, or broken files, one message holds.
const newsOf = 500

// scanner runs scans on a machine. What it measured it keeps while it runs, so
// that a second scan reads only what changed.
type scanner struct {
	roots []string
	tell  func(ScanNews)

	mu    sync.Mutex
	stops map[string]context.CancelFunc
	known map[string]map[string]scan.Kept // by folder and policy
}

func newScanner(roots []string, tell func(ScanNews)) *scanner {
	return &scanner{roots: roots, tell: tell, stops: map[string]context.CancelFunc{}, known: map[string]map[string]scan.Kept{}}
}

func (s *scanner) follow(ctx context.Context, o ScanOrder) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if stop := s.stops[o.ID]; stop != nil || o.Stop {
		if stop != nil && o.Stop {
			stop()
		}
		return
	}
	running, stop := context.WithCancel(ctx)
	s.stops[o.ID] = stop
	go func() {
		defer stop()
		s.run(running, o)
		s.mu.Lock()
		delete(s.stops, o.ID)
		s.mu.Unlock()
	}()
}

// run scans, and tells what came of it.
func (s *scanner) run(ctx context.Context, o ScanOrder) {
	key := fmt.Sprintf("%s %v", o.Folder, o.Policy)
	s.mu.Lock()
	known := s.known[key]
	s.mu.Unlock()
	told := time.Time{}
	last := ScanNews{ID: o.ID}
	r, err := s.scan(ctx, o, known, func(done, of int) {
		last.Done, last.Files = done, of
		if time.Since(told) > 100*time.Millisecond {
			told = time.Now()
			s.tell(last)
		}
	})
	kept := make(map[string]scan.Kept, len(known)+len(r.Measured))
	for _, from := range []map[string]scan.Kept{known, r.Measured} {
		for name, k := range from {
			kept[name] = k
		}
	}
	for _, name := range r.Gone {
		delete(kept, name)
	}
	s.mu.Lock()
	s.known[key] = kept
	s.mu.Unlock()
	for from := 0; from < max(len(r.Patches), len(r.Broken)); from += newsOf {
		news := last
		news.Patches, news.Broken = part(r.Patches, from), part(r.Broken, from)
		s.tell(news)
	}
	last.Over, last.Unchanged, last.Gone = true, r.Unchanged, r.Gone[:min(newsOf, len(r.Gone))]
	switch {
	case errors.Is(err, context.Canceled):
		last.Stopped = true
	case err != nil:
		last.Reason = err.Error()
	}
	s.tell(last)
}

func part[T any](list []T, from int) []T {
	from = min(from, len(list))
	return list[from:min(len(list), from+newsOf)]
}

func (s *scanner) scan(ctx context.Context, o ScanOrder, known map[string]scan.Kept, tell scan.Progress) (scan.Result, error) {
	root, err := scan.OpenWithin(s.roots, o.Folder)
	if err != nil {
		return scan.Result{}, err
	}
	defer func() { _ = root.Close() }() // only read
	return scan.Folder(ctx, root.FS(), scan.Options{Policy: o.Policy, Known: known, Tell: tell})
}

// ---- the desk's side ----

var errAway = errors.New("its host is away")

// Scan asks the host of a machine for a scan. hear is called with each news,
// the last one with Over; one at a time.
func (d *Desk) Scan(studio, machine string, o ScanOrder, hear func(ScanNews)) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	for credential, s := range d.hosts {
		if s.host.Studio == studio && s.host.Machine == machine && !s.away {
			d.scans[o.ID] = &hostScan{credential, hear}
			return d.order(credential, o)
		}
	}
	return errAway
}

// StopScan tells the host to stop a scan.
func (d *Desk) StopScan(id string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if s := d.scans[id]; s != nil {
		_ = d.order(s.credential, ScanOrder{ID: id, Stop: true}) // one that does not hear it ends by itself
	}
}

type hostScan struct {
	credential string
	hear       func(ScanNews)
}

func (d *Desk) order(credential string, o ScanOrder) error {
	data, err := json.Marshal(o)
	if err != nil {
		return fmt.Errorf("order a scan: %w", err)
	}
	if err := d.conn.Publish(scanSubject(credential), data); err != nil {
		return fmt.Errorf("order a scan: %w", err)
	}
	return nil
}

func (d *Desk) scanned(m *nats.Msg) {
	var news ScanNews
	credential := m.Subject[len("rig.") : len(m.Subject)-len(".scanned")]
	if err := json.Unmarshal(m.Data, &news); err != nil {
		return // a host of another version
	}
	d.mu.Lock()
	s := d.scans[news.ID]
	if s == nil || s.credential != credential {
		d.mu.Unlock()
		return
	}
	if news.Over {
		delete(d.scans, news.ID)
	}
	d.mu.Unlock()
	s.hear(news)
}

// scansOf ends the scans of a host that went away. The caller holds the lock
// and calls what is returned without it.
func (d *Desk) scansOf(credential string) (end []func()) {
	for id, s := range d.scans {
		if s.credential == credential {
			delete(d.scans, id)
			end = append(end, func() {
				s.hear(ScanNews{ID: id, Over: true, Reason: "the machine went away in the middle; scan again"})
			})
		}
	}
	return end
}
