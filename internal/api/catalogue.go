package api

import (
	"context"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// Catalogue implements the contract.
func (s *server) Catalogue(ctx context.Context, _ gen.CatalogueRequestObject) (gen.CatalogueResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	v := h.View()
	t := v.Template
	out := gen.Catalogue{
		Id: h.ID(), Revision: v.Revision, Settings: t.Settings, MiddleC: t.MiddleC(),
		Rig:       values(t.Machines),
		Libraries: values(t.Libraries), Players: values(t.Players), Shelves: shelves(t), Own: []gen.Id{}, Sounds: sounds,
		Castings: values(t.Castings), Shipped: casting.Shipped(),
		Vocabulary: values(articulation.NewVocabulary(t.Vocabulary).Terms()),
	}
	for _, w := range t.Vocabulary {
		out.Own = append(out.Own, w.ID)
	}
	return gen.Catalogue200JSONResponse(out), nil
}

func values[T any](list []*T) []T {
	out := make([]T, len(list))
	for n, v := range list {
		out[n] = *v
	}
	return out
}

func shelves(t *template.Template) []gen.Shelf {
	place := make(map[template.ID]int, len(t.Libraries))
	out := make([]gen.Shelf, len(t.Libraries))
	for n, l := range t.Libraries {
		out[n].Id, place[l.ID] = l.ID, n
	}
	for _, p := range t.Patches {
		shelf := &out[place[p.Library]]
		shelf.Patches++
		shelf.PreloadMib += p.PreloadMiB
		shelf.FullMib += p.FullMiB
	}
	return out
}

// sounds are the cards of all instruments, which never change.
var sounds = func() []gen.Sound {
	all := sound.All()
	out := make([]gen.Sound, len(all))
	for n, x := range all {
		out[n] = gen.Sound{Id: x.ID, Name: x.Name, Section: x.Section, Low: x.Low, High: x.High, Names: x.Names, Roles: x.Roles, About: x.About}
	}
	return out
}()

// mostPatches bounds one page of patches.
const mostPatches = 500

// Patches implements the contract.
func (s *server) Patches(ctx context.Context, r gen.PatchesRequestObject) (gen.PatchesResponseObject, error) {
	h, err := s.app.Catalogue(ctx, person(ctx))
	if err != nil {
		return nil, err
	}
	q := catalogue.Query{Text: or(r.Params.Text, ""), Library: template.ID(or(r.Params.Library, "")), Sound: or(r.Params.Sound, "")}
	if r.Params.Sort != nil {
		q.Sort = string(*r.Params.Sort)
	}
	list := h.Finder().Find(q)
	out := gen.PatchPage{Total: len(list), Revision: h.View().Revision}
	from := min(max(0, or(r.Params.Offset, 0)), len(list))
	list = list[from:min(len(list), from+min(max(0, or(r.Params.Limit, 100)), mostPatches))]
	out.Patches = values(list)
	return gen.Patches200JSONResponse(out), nil
}

func or[T any](value *T, otherwise T) T {
	if value == nil {
		return otherwise
	}
	return *value
}

// EditPatches implements the contract.
func (s *server) EditPatches(ctx context.Context, r gen.EditPatchesRequestObject) (gen.EditPatchesResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Catalogue(ctx, p)
	if err != nil {
		return nil, err
	}
	if len(r.Body.Ids) == 0 {
		return nil, &change.Refused{Reason: "choose at least one patch"}
	}
	revision, err := h.ApplySeen(ctx, p, r.Body.Base, app.EditPatches(r.Body.Ids, func(p *template.Patch) error {
		setPatch(p, r.Body.Set)
		return nil
	}))
	return gen.EditPatches200JSONResponse{Revision: revision}, err
}

func set[T any](field *T, value *T) {
	if value != nil {
		*field = *value
	}
}

func setPatch(p *template.Patch, f gen.PatchFields) {
	set(&p.Name, f.Name)
	set(&p.Library, f.Library)
	set(&p.Player, f.Player)
	set(&p.Sound, f.Sound)
	set(&p.Roles, f.Roles)
	set(&p.PreloadMiB, f.PreloadMib)
	p.Guessed = p.Guessed && f.PreloadMib == nil
	set(&p.FullMiB, f.FullMib)
	set(&p.Voices, f.Voices)
	set(&p.PerNote, f.VoicesPerNote)
	set(&p.RoundRobins, f.RoundRobins)
	set(&p.KeyLow, f.KeyLow)
	set(&p.KeyHigh, f.KeyHigh)
	set(&p.Mics, f.Mics)
	set(&p.Heavy, f.Heavy)
	set(&p.Dynamics, (*template.Dynamics)(f.Dynamics))
	if f.SwitchZone != nil {
		p.SwitchZone = f.SwitchZone
	}
	if or(f.NoSwitchZone, false) {
		p.SwitchZone = nil
	}
	if f.Map != nil {
		p.Map = template.CloneMap(*f.Map) // each patch its own copy
	}
}

// CheckMap implements the contract.
func (s *server) CheckMap(_ context.Context, r gen.CheckMapRequestObject) (gen.CheckMapResponseObject, error) {
	b := r.Body
	out := gen.MapFaults{Clashes: []gen.MapClash{}, InRange: []int{}, Free: []int{}, Said: make([]string, len(b.Map))}
	if err := template.CheckMap(b.Map); err != nil {
		return nil, err
	}
	for _, c := range articulation.Clashes(b.Map) {
		out.Clashes = append(out.Clashes, gen.MapClash{A: c.A, B: c.B, Message: c.Message})
	}
	out.InRange = append(out.InRange, articulation.InRange(b.Map, b.KeyLow, b.KeyHigh)...)
	out.Free = append(out.Free, articulation.FreeKeys(b.Map, b.SwitchZone, b.KeyLow, b.KeyHigh)...)
	for n, m := range b.Map {
		out.Said[n] = articulation.SayAll(m.Switches)
	}
	return gen.CheckMap200JSONResponse(out), nil
}

// TryMap implements the contract.
func (s *server) TryMap(ctx context.Context, r gen.TryMapRequestObject) (gen.TryMapResponseObject, error) {
	h, err := s.app.Catalogue(ctx, person(ctx))
	if err != nil {
		return nil, err
	}
	b, cat := r.Body, h.View().Template
	if err := template.CheckMap(b.Map); err != nil {
		return nil, err
	}
	notes, err := articulation.Strip(b.Notes, cat.MiddleC(), stripTicks)
	if err != nil {
		return nil, &change.Refused{Reason: err.Error()}
	}
	if b.Channel < 1 || b.Channel > template.PortChannels {
		return nil, &change.Refused{Reason: "a channel is 1 to 16"}
	}
	clock, err := tempo.New(stripTicks)
	if err != nil {
		return nil, err
	}
	// A bar before the first note leaves room for what comes before it.
	for n := range notes {
		notes[n].Start, notes[n].End = notes[n].Start+4*stripTicks, notes[n].End+4*stripTicks
	}
	var o articulation.Options
	if from := or(b.From, 0); from > 0 && from < len(notes) {
		o.From = notes[from].Start
	}
	done, err := articulation.Compile(articulation.NewVocabulary(cat.Vocabulary), articulation.Part{Notes: notes}, articulation.Target{
		Map: b.Map, Dynamics: template.Dynamics(or(b.Dynamics, "")), Channel: b.Channel, KeyLow: b.KeyLow, KeyHigh: b.KeyHigh,
	}, clock, o)
	if err != nil {
		return nil, &change.Refused{Reason: err.Error()}
	}
	out := gen.Tried{Messages: told(clock, 4*stripTicks, done.Messages), Missing: done.Missing, Outside: done.Outside, Switches: done.Switches}
	return gen.TryMap200JSONResponse(out), nil
}

// stripTicks is the time resolution of the try-out strip.
const stripTicks = 480

// Use implements the contract.
func (s *server) Use(ctx context.Context, r gen.UseRequestObject) (gen.UseResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	maker, err := h.Use(ctx, p, r.Body.Patches, catalogue.Place{
		Section: or(r.Body.Section, ""), Before: or(r.Body.Before, ""), Onto: or(r.Body.Onto, ""),
	})
	if err != nil {
		return nil, err
	}
	done, err := s.adding(ctx, r.Id, maker)
	return gen.Use200JSONResponse(done), err
}

// Swap implements the contract.
func (s *server) Swap(ctx context.Context, r gen.SwapRequestObject) (gen.SwapResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	sum, revision, err := h.Swap(ctx, p, r.Body.Ids, r.Body.Patch, r.Body.Layer, r.Body.Take)
	return gen.Swap200JSONResponse{Lost: append([]string{}, sum.Lost...), Gained: append([]string{}, sum.Gained...), Revision: revision}, err
}

// Layout implements the contract.
func (s *server) Layout(ctx context.Context, r gen.LayoutRequestObject) (gen.LayoutResponseObject, error) {
	to := template.Layout(r.Body.To)
	if r.Body.To == "switched" {
		to = template.Switched
	}
	done, err := s.adding(ctx, r.Id, app.LayOut(r.Body.Ids, to, or(r.Body.Pattern, "")))
	return gen.Layout200JSONResponse(done), err
}
