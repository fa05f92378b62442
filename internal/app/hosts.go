package app

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// Sample is what a machine held at one time.
type Sample struct {
	At      time.Time
	UsedMiB float64
	Voices  int
}

// HostView is a machine as its host tells of it.
type HostView struct {
	Online      bool
	Seen        time.Time // when it was last heard; zero for never
	Report      rig.Report
	History     []Sample // oldest first, the last HistoryLength of it
	Pace        calls.Pace
	Credentials []db.HostCredential
}

// HistoryLength is how long a machine's past is kept, one sample a second.
const HistoryLength = 10 * time.Minute

// asideWithin bounds what is written beside the work, and may be lost.
const asideWithin = 5 * time.Second

// hostBook keeps what hosts reported, by their machine.
type hostBook struct {
	mu    sync.Mutex
	known map[machineKey]*hostPast
}

type machineKey struct {
	studio  uuid.UUID
	machine template.ID
}

type hostPast struct {
	online  bool
	seen    time.Time
	report  rig.Report
	history []Sample
}

// note takes in a report, and tells whether the host came or went.
func (b *hostBook) note(key machineKey, r rig.Report, away bool, now time.Time) (turned bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.known == nil {
		b.known = map[machineKey]*hostPast{}
	}
	p := b.known[key]
	if p == nil {
		p = &hostPast{}
		b.known[key] = p
	}
	turned = p.online == away
	p.online = !away
	if away {
		return turned
	}
	p.seen = now
	r.Items = nil // kept elsewhere
	p.report = r
	if n := len(p.history); n > 0 && now.Sub(p.history[n-1].At) < time.Second {
		return turned
	}
	p.history = append(p.history, Sample{At: now, UsedMiB: r.UsedMiB, Voices: r.Voices})
	if most := int(HistoryLength / time.Second); len(p.history) > 2*most {
		p.history = append([]Sample{}, p.history[len(p.history)-most:]...)
	}
	return turned
}

func (b *hostBook) view(key machineKey, now time.Time) HostView {
	b.mu.Lock()
	defer b.mu.Unlock()
	p := b.known[key]
	if p == nil {
		return HostView{}
	}
	v := HostView{Online: p.online, Seen: p.seen, Report: p.report}
	for _, s := range p.history {
		if now.Sub(s.At) <= HistoryLength {
			v.History = append(v.History, s)
		}
	}
	return v
}

// Reported takes a host's report to every template of its studio.
func (a *App) Reported(host rig.Host, report rig.Report, away bool) {
	studio, err := uuid.Parse(host.Studio)
	if err != nil {
		return
	}
	machine := template.ID(host.Machine)
	if a.hosts.note(machineKey{studio, machine}, report, away, time.Now()) {
		select {
		case a.turned <- struct{}{}: // one more machine to drive, or one less
		default:
		}
		if id, err := uuid.Parse(host.Credential); err == nil {
			a.beside.Go(func() {
				ctx, stop := context.WithTimeout(context.Background(), asideWithin)
				defer stop()
				_ = a.store.Queries().CredentialSeen(ctx, id) // only to tell when it was last here
			})
		}
	}
	a.noteRoots(studio, machine, report.ScanRoots)
	a.each(studio, func(h *Hot) { h.reported(machine, report, away) })
}

// Host tells of a machine and of the credentials made for it.
func (a *App) Host(ctx context.Context, p Person, machine template.ID) (HostView, error) {
	v := a.hosts.view(machineKey{p.Studio, machine}, time.Now())
	v.Pace = a.paces.of(machineKey{p.Studio, machine})
	var err error
	v.Credentials, err = a.store.Queries().CredentialsOf(ctx, db.CredentialsOfParams{StudioID: p.Studio, Machine: string(machine)})
	if err != nil {
		return v, fmt.Errorf("list the credentials of %s: %w", machine, err)
	}
	for _, c := range v.Credentials {
		if c.SeenAt.Valid && v.Seen.Before(c.SeenAt.Time) {
			v.Seen = c.SeenAt.Time
		}
	}
	return v, nil
}

// knowHosts lets in the hosts whose credentials there are, and no others.
func (a *App) knowHosts(ctx context.Context) error {
	a.mu.Lock()
	before := maps.Clone(a.hosted) // one that is made meanwhile is not gone
	a.mu.Unlock()
	rows, err := a.store.Queries().CredentialList(ctx)
	if err != nil {
		return fmt.Errorf("list credentials: %w", err)
	}
	there := make(map[uuid.UUID]bool, len(rows))
	for _, c := range rows {
		there[c.ID] = true
		a.know(c)
	}
	for id := range before {
		if there[id] {
			continue
		}
		a.mu.Lock()
		delete(a.hosted, id)
		a.mu.Unlock()
		a.rig.Forget(id.String())
	}
	return nil
}

// endCredentials cuts off hosts whose credentials have ended, now and then.
func (a *App) endCredentials(ctx context.Context) {
	Every(ctx, time.Minute, func() {
		if err := a.knowHosts(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("could not read which credentials have ended", "error", err)
		}
	})
}

// know lets in the host of a credential.
func (a *App) know(c db.HostCredential) {
	a.mu.Lock()
	a.hosted[c.ID] = true
	a.mu.Unlock()
	a.rig.Know(rig.Host{Credential: c.ID.String(), Studio: c.StudioID.String(), Machine: c.Machine})
}

// mostCredentialDays bounds how long a credential is good.
const mostCredentialDays = 3660

// MakeCredential makes a credential for a host and returns its token, which
// is not kept. It is good for some days, 0 for ever; a host that keeps it in a
// file is given another secret before it ends.
func (a *App) MakeCredential(ctx context.Context, p Person, machine template.ID, days int) (string, error) {
	if days < 0 || days > mostCredentialDays {
		return "", refused("", "a credential is good for 1 to %d days, or for ever", mostCredentialDays)
	}
	secret := rig.NewSecret()
	row, err := a.store.Queries().CredentialInsert(ctx, db.CredentialInsertParams{StudioID: p.Studio, Machine: string(machine), TokenHash: rig.Hash(secret), Days: int32(days)})
	if err != nil {
		return "", fmt.Errorf("make a credential for %s: %w", machine, err)
	}
	a.know(row)
	return rig.Token(row.ID.String(), secret), nil
}

// bind gives hosts that were known by their machine's name, as earlier versions did,
// to the machines of the studio.
func (a *App) bind(ctx context.Context, cat *Hot) error {
	studio := cat.studio()
	a.mu.Lock()
	named := a.named[studio]
	a.mu.Unlock()
	if !named {
		return nil
	}
	machines := db.MachinesBindParams{StudioID: studio}
	for _, m := range cat.View().Template.Machines {
		machines.Ids, machines.Names = append(machines.Ids, string(m.ID)), append(machines.Names, m.Name)
	}
	if err := a.store.Queries().MachinesBind(ctx, machines); err != nil {
		return fmt.Errorf("give hosts to their machines: %w", err)
	}
	rows, err := a.store.Queries().CredentialList(ctx)
	if err != nil {
		return fmt.Errorf("list credentials: %w", err)
	}
	named = false
	for _, c := range rows {
		if c.StudioID == studio {
			named = named || c.Named
			a.know(c)
		}
	}
	a.mu.Lock()
	a.named[studio] = named
	a.mu.Unlock()
	return a.loadPaces(ctx)
}

// RevokeCredential takes a host's credential back; a host that uses it is cut
// off at once.
func (a *App) RevokeCredential(ctx context.Context, p Person, id uuid.UUID) error {
	n, err := a.store.Queries().CredentialDelete(ctx, db.CredentialDeleteParams{ID: id, StudioID: p.Studio})
	if err != nil {
		return fmt.Errorf("revoke a credential: %w", err)
	}
	if n == 0 {
		return store.ErrNotFound
	}
	a.rig.Forget(id.String())
	return nil
}
