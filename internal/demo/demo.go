// Package demo builds the made-up studio of "The Salt Lantern": its people,
// machines and main template, through the same use cases as a person would.
// An empty database goes in; a studio to look around in comes out.
package demo

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

// The demo account.
const (
	Email    = "composer@saltlantern.example"
	Password = "a lighthouse at the edge of a salt desert"
)

// Machines are the studio's machines, as fitted.
var Machines = []template.Machine{
	{ID: "machine-alder", Name: "Alder", MemoryMiB: 64 << 10, ReserveMiB: 16 << 10, Cores: 16, DiskMiBs: 1500,
		Address: "192.168.10.21", NetworkMbits: 1000, BufferSamples: 256, BufferTimes: 1},
	{ID: "machine-birch", Name: "Birch", MemoryMiB: 128 << 10, ReserveMiB: 8 << 10, Cores: 24, DiskMiBs: 2500,
		Address: "192.168.10.22", NetworkMbits: 1000, BufferSamples: 256, BufferTimes: 1},
	{ID: "machine-cedar", Name: "Cedar", MemoryMiB: 64 << 10, ReserveMiB: 8 << 10, Cores: 12, DiskMiBs: 1500,
		Address: "192.168.10.23", NetworkMbits: 1000, BufferSamples: 128, BufferTimes: 2},
}

// Build makes the studio unless it is there, and returns its template's id.
func Build(ctx context.Context, s *store.Store, a *app.App) (app.Person, uuid.UUID, error) {
	row, err := s.AccountEnsure(ctx, "Salt Lantern", Email, "Composer", Password)
	if err != nil {
		return app.Person{}, uuid.Nil, err
	}
	p := app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name}
	list, err := a.Templates(ctx, p)
	if err != nil {
		return p, uuid.Nil, err
	}
	var id uuid.UUID
	if len(list) > 0 {
		id = list[0].ID
	} else if id, err = buildTemplate(ctx, a, p); err != nil {
		return p, id, err
	}
	return p, id, buildFilm(ctx, a, p, id)
}

// buildFilm makes the production, unless there is one.
func buildFilm(ctx context.Context, a *app.App, p app.Person, id uuid.UUID) error {
	films, err := a.Productions(ctx, p)
	if err != nil || len(films) > 0 {
		return err
	}
	film, err := Film()
	if err != nil {
		return fmt.Errorf("build the demo production: %w", err)
	}
	for _, c := range film.Cues {
		c.Template = id.String()
	}
	if err := keepMusic(ctx, a, p, film); err != nil {
		return fmt.Errorf("build the demo production: %w", err)
	}
	if _, err := a.CreateProduction(ctx, p, film); err != nil {
		return fmt.Errorf("build the demo production: %w", err)
	}
	return nil
}

func buildTemplate(ctx context.Context, a *app.App, p app.Person) (uuid.UUID, error) {
	row, err := a.Create(ctx, p, template.New("template-salt-lantern", "The Salt Lantern"))
	if err != nil {
		return uuid.Nil, err
	}
	h, err := a.Open(ctx, p, row.ID)
	if err != nil {
		return uuid.Nil, err
	}
	for _, make := range []app.Maker{machines, instruments, catalogue, delivery, rules, wiring, plate, numbers, seats, calls} {
		if _, err := h.Apply(ctx, p, make); err != nil {
			return uuid.Nil, fmt.Errorf("build the demo template: %w", err)
		}
	}
	return row.ID, nil
}

// Template builds the same template without a database, for tests and
// benchmarks.
func Template() (*template.Template, error) {
	t := template.New("template-salt-lantern", "The Salt Lantern")
	for _, make := range []app.Maker{machines, instruments, catalogue, delivery, rules, wiring, plate, numbers, seats, calls} {
		c, err := make(t)
		if err != nil {
			return nil, err
		}
		if t, _, err = change.Apply(t, c); err != nil {
			return nil, err
		}
	}
	return t, nil
}

func machines(t *template.Template) (change.Change, error) {
	set := t.Settings
	set.MemoryRule = template.FitCalls
	var put change.Put
	for _, m := range Machines {
		put.Machines = append(put.Machines, change.Append(&m))
	}
	for _, x := range players {
		put.Players = append(put.Players, change.Append(&x))
	}
	return change.Batch{Label: "Add three machines", Changes: []change.Change{change.Configure{Name: t.Name, Settings: set}, put}}, nil
}

func instruments(t *template.Template) (change.Change, error) {
	batch, _, problems := intake.Plan(t, Rows(), intake.Sequence(), intake.StandardDefaults())
	if len(problems) > 0 {
		return nil, fmt.Errorf("line %d, %s: %s", problems[0].Line, problems[0].Column, problems[0].Reason)
	}
	return batch, nil
}

func seats(t *template.Template) (change.Change, error) {
	return seating.Everyone(t, seating.Options{}).Change(), nil
}

func calls(t *template.Template) (change.Change, error) {
	var put change.Put
	for n, c := range callSheet {
		call := &template.Call{ID: template.ID(fmt.Sprintf("call-%d", n+1)), Name: c.name, Opening: n == 0, Instruments: []template.ID{}}
		for _, i := range t.Instruments {
			if i.NeedsSeat() && c.takes(i.Name, t.SectionPath(i.Section)) {
				call.Instruments = append(call.Instruments, i.ID)
			}
		}
		put.Calls = append(put.Calls, change.Append(call))
	}
	return put, nil
}
