package app

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// HeardAs is how rows are heard.
type HeardAs string

// Rows are heard as they are, or as they come out of a bus: with its effects, and with faders,
// sends, pans and effects on the way there.
const (
	HeardDry   HeardAs = "dry"
	HeardAtBus HeardAs = "bus"
)

// Sound is a block of what a machine sounds, as it is heard.
type Sound struct {
	Number, Voices int
	Idle           bool // nothing follows until something sounds
	Block          render.Block
}

// MostArmed is how many rows one person may play at once.
const MostArmed = 16

// Told is what a listener is told beside the sound. Fields that say nothing are left out.
type Told struct {
	Armed    []Armed  `json:"armed,omitempty"`    // all that are, when it changed
	NotReady []string `json:"notReady,omitempty"` // rows that were played and are not ready
	Lost     string   `json:"lost,omitempty"`     // the machine whose sound has ended of itself
	Stolen   int      `json:"stolen,omitempty"`   // voices that had to stop for others
	Dry      int      `json:"dry,omitempty"`      // gaps, since samples were not read in time
	Refused  string   `json:"refused,omitempty"`
}

// Armed is a row that is played.
type Armed struct {
	ID            template.ID `json:"id"`
	Name          string      `json:"name"`
	Machine       string      `json:"machine"`
	Ready         bool        `json:"ready"`
	KeyLow        int         `json:"keyLow"`
	KeyHigh       int         `json:"keyHigh"`
	Switches      []int       `json:"switches"` // keys that choose articulations
	Articulations []string    `json:"articulations"`
	Home          template.ID `json:"home"`     // the row on whose seat it sits
	Dynamics      int         `json:"dynamics"` // the controller value it begins with; -1 for none
	target        articulation.Target
	upbeat        []template.Controller
	load, machine string
	ways          []render.Way
}

// Listening is one person who plays rows of a template and hears them.
type Listening struct {
	h     *Hot
	name  string
	words *articulation.Vocabulary
	send  func(machine string, s Sound)
	tell  func(Told)
	ctx   context.Context // of what graphs need
	who   Person
	stop  func()
	ended chan struct{}

	mu           sync.Mutex
	ids          []template.ID
	as           HeardAs
	bus          template.ID // at which they are heard; empty for the mix
	plan         graphPlan
	articulation string
	armed        []Armed
	machines     map[string]*heardMachine // that sound for the listener
	offs         map[playedKey][]rig.PlayMessage
}

// graphPlan is what the graphs were made of, and how long they ring.
type graphPlan struct {
	as       HeardAs
	bus      template.ID
	rows     []*template.Instrument
	buses    []*template.Bus
	tempoBPM float64
	lanes    int
	tailS    float64
	ways     func(*template.Instrument) []render.Way
	graph    func() *render.Graph // another; nil for none
}

type heardMachine struct {
	graph       *render.Graph // nil where rows are heard as they are
	at          time.Time
	sounding    bool
	stolen, dry int
}

// playedKey is a key as the listener pressed it.
type playedKey struct {
	row template.ID
	key int
}

// Listen begins to listen. send is called with each block of sound, tell with what there is
// to tell; neither may wait. End ends it.
func (h *Hot) Listen(ctx context.Context, p Person, send func(machine string, s Sound), tell func(Told)) (*Listening, error) {
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	l := &Listening{
		h: h, name: uuid.NewString(), words: words, send: send, tell: tell, ended: make(chan struct{}), as: HeardDry,
		ctx: context.WithoutCancel(ctx), who: p,
		machines: map[string]*heardMachine{}, offs: map[playedKey][]rig.PlayMessage{},
	}
	if l.stop, err = h.app.rig.HearSound(h.studio().String(), l.name, l.heard); err != nil {
		return nil, err
	}
	go l.keep()
	return l, nil
}

// End ends it: everything stops sounding.
func (l *Listening) End() {
	close(l.ended)
	l.stop()
	l.mu.Lock()
	machines := l.known()
	l.mu.Unlock()
	for _, m := range machines {
		_ = l.h.app.rig.Play(l.h.studio().String(), m, rig.PlayOrder{Listener: l.name, Close: true}) // a host that is away is silent
	}
}

// known lists the machines that know the listener. The caller holds the lock.
func (l *Listening) known() []string {
	out := make([]string, 0, len(l.machines))
	for m := range l.machines {
		out = append(out, m)
	}
	slices.Sort(out)
	return out
}

// keepEvery is how often hosts are told that somebody still listens; silentAfter is how long
// one that sounded may say nothing before that is told.
const (
	keepEvery   = time.Second
	checkEvery  = 50 * time.Millisecond
	silentAfter = 250 * time.Millisecond
)

// keep tells hosts that somebody listens, follows the template, and notices hosts that fall
// silent in the middle of a sound.
func (l *Listening) keep() {
	tick := time.NewTicker(checkEvery)
	defer tick.Stop()
	kept := time.Now()
	for {
		select {
		case <-l.ended:
			return
		case now := <-tick.C:
			for _, lost := range l.silent(now) {
				l.tell(Told{Lost: l.h.machineName(template.ID(lost))})
			}
			if now.Sub(kept) >= keepEvery {
				kept = now
				l.follow()
			}
		}
	}
}

func (l *Listening) silent(now time.Time) (lost []string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for name, m := range l.machines {
		if m.sounding && now.Sub(m.at) > silentAfter {
			m.sounding = false
			lost = append(lost, name)
		}
	}
	return lost
}

// heard takes a block of a machine.
func (l *Listening) heard(machine string, b rig.SoundBlock) {
	l.mu.Lock()
	m := l.machines[machine]
	if m == nil {
		l.mu.Unlock()
		return
	}
	m.at, m.sounding = time.Now(), !b.Idle
	told := Told{}
	told.Stolen, told.Dry = max(0, b.Count.Stolen-m.stolen), max(0, b.Count.Dry-m.dry)
	m.stolen, m.dry = b.Count.Stolen, b.Count.Dry
	graph := m.graph
	l.mu.Unlock()
	if told.Stolen+told.Dry > 0 {
		l.tell(told)
	}
	out := Sound{Number: b.Number, Voices: b.Count.Voices, Idle: b.Idle}
	switch {
	case graph != nil && len(b.Lanes) == graph.Lanes():
		out.Block = graph.Run(b.Lanes) // this machine's alone; blocks of one machine come one by one
	case graph == nil && len(b.Lanes) > 0 && b.Lanes[0] != nil:
		out.Block = *b.Lanes[0]
	}
	l.send(machine, out)
}

// Arm sets the rows that are played, and how they are heard: at a bus, an empty one being the
// mix.
func (l *Listening) Arm(ids []template.ID, as HeardAs, bus template.ID) {
	if len(ids) > MostArmed {
		l.tell(Told{Refused: fmt.Sprintf("at most %[1]d rows are played at once; the first %[1]d are armed", MostArmed)})
		ids = ids[:MostArmed]
	}
	l.mu.Lock()
	l.ids, l.as, l.bus = ids, as, bus
	l.offs = map[playedKey][]rig.PlayMessage{}
	l.mu.Unlock()
	l.follow()
	l.begin()
}

// begin sets the controllers that rows begin with, except volume, which is the sequencer's.
func (l *Listening) begin() {
	l.mu.Lock()
	armed := l.armed
	l.mu.Unlock()
	batch := map[string][]rig.PlayMessage{}
	for _, a := range armed {
		var list []articulation.Control
		for _, c := range a.upbeat {
			if c.Number != volume {
				list = append(list, articulation.Control{Number: c.Number, Value: c.Value})
			}
		}
		batch[a.machine] = append(batch[a.machine], l.controls(a, list...)...)
	}
	l.play(batch)
}

// volume is the controller of that name.
const volume = 7

// controls are the messages that set controllers of a row: dynamics as what its patch answers
// to.
func (l *Listening) controls(a Armed, list ...articulation.Control) (out []rig.PlayMessage) {
	target := a.target
	target.Map = nil
	done, err := articulation.Compile(l.words, articulation.Part{Controls: list}, target, atOnce, articulation.Options{})
	if err != nil {
		return nil // without notes nothing is out of reach
	}
	for _, m := range done.Messages {
		if x, ok := playMessage(a.load, m); ok {
			out = append(out, x)
		}
	}
	return out
}

// Articulate chooses how notes are played from now on, by name; empty plays as the patch
// stands.
func (l *Listening) Articulate(name string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.articulation = name
}

// follow looks at the rows as they are now, and tells hosts and listener what changed.
func (l *Listening) follow() {
	v := l.h.View()
	l.mu.Lock()
	ids, before, plan := l.ids, l.armed, l.plan
	asked := graphPlan{as: l.as, bus: l.bus, buses: v.Template.Buses, tempoBPM: v.Template.Settings.TempoBPM}
	l.mu.Unlock()
	for _, id := range ids {
		if i := v.Template.Instrument(id); i != nil {
			asked.rows = append(asked.rows, i)
		}
	}
	armed := l.h.armed(v, ids)
	anew := !plan.like(asked) // else what rings on would be cut by every edit of anything
	if anew {
		plan = l.planned(v, asked)
	}
	ways := l.waysOf(v, plan, armed)
	l.mu.Lock()
	l.armed, l.plan = armed, plan
	for n := range l.armed {
		l.armed[n].ways = ways[n]
	}
	for _, a := range armed {
		if a.machine == "" {
			continue
		}
		m := l.machines[a.machine]
		if m == nil {
			m = &heardMachine{}
			l.machines[a.machine] = m
			m.graph = plan.another()
		}
	}
	if anew {
		for _, m := range l.machines {
			m.graph = plan.another()
		}
	}
	orders := l.orders()
	l.mu.Unlock()
	for machine, o := range orders {
		_ = l.h.app.rig.Play(l.h.studio().String(), machine, o) // one that is away sounds when it is back
	}
	same := slices.EqualFunc(before, armed, func(a, b Armed) bool {
		return a.ID == b.ID && a.Name == b.Name && a.Ready == b.Ready && a.Machine == b.Machine && slices.Equal(a.Articulations, b.Articulations) && a.KeyLow == b.KeyLow && a.KeyHigh == b.KeyHigh
	})
	if !same {
		if armed == nil {
			armed = []Armed{}
		}
		l.tell(Told{Armed: armed})
	}
}

// planned makes out the graphs that rows are heard through: each machine has its own, since
// its sound comes by itself, and all that runs there is linear. A limiter of the mix is left
// to where everything comes together.
func (l *Listening) planned(v View, plan graphPlan) graphPlan {
	plan.lanes = 1
	if plan.as != HeardAtBus || len(plan.rows) == 0 {
		return plan
	}
	options := l.h.app.effectOptions(l.ctx, l.who, rig.SoundRateHz, 60/plan.tempoBPM)
	options.Parts = true
	made := func() (*render.Graph, []render.Silence, error) {
		return render.NewGraph(v.Proof.Fan, plan.bus, plan.rows, options)
	}
	first, silent, err := made()
	switch {
	case err != nil:
		l.tell(Told{Refused: "the bus at which rows are heard is no longer there"})
		return plan
	case first.Lanes() == 0:
		l.tell(Told{Refused: "none of these rows reaches that bus"})
	case first.Lanes() > rig.MostLanes:
		l.tell(Told{Refused: fmt.Sprintf("these rows feed more than %d buses; arm fewer", rig.MostLanes)})
		return plan
	case len(silent) > 0:
		l.tell(Told{Refused: fmt.Sprintf("%s: %s", silent[0].Name, silent[0].Reason)})
	}
	plan.lanes, plan.tailS, plan.ways = max(1, first.Lanes()), first.Tail(), first.Ways
	plan.graph = func() *render.Graph {
		out := first
		if first = nil; out != nil {
			return out
		}
		out, _, _ = made() // what was told of the first holds for all
		return out
	}
	return plan
}

// like tells whether the graphs of both are the same.
func (p graphPlan) like(o graphPlan) bool {
	return p.as == o.as && p.bus == o.bus && p.tempoBPM == o.tempoBPM && slices.Equal(p.rows, o.rows) && slices.Equal(p.buses, o.buses)
}

// another is a graph for another machine; nil where rows are heard as they are.
func (p graphPlan) another() *render.Graph {
	if p.graph == nil {
		return nil
	}
	return p.graph()
}

// straight is the way of a row that is heard as it is.
var straight = []render.Way{{Left: 1, Right: 1}}

// waysOf are the ways of rows into the lanes of their machines.
func (l *Listening) waysOf(v View, plan graphPlan, armed []Armed) [][]render.Way {
	out := make([][]render.Way, len(armed))
	for n, a := range armed {
		if out[n] = straight; plan.graph != nil {
			out[n] = plan.ways(v.Template.Instrument(a.ID))
		}
	}
	return out
}

// armed looks rows up: where they sit, whether they are ready, what they play.
func (h *Hot) armed(v View, ids []template.ID) []Armed {
	t := v.Template
	var out []Armed
	for _, id := range ids {
		i := t.Instrument(id)
		if i == nil || len(t.PatchesOf(i)) == 0 {
			continue
		}
		home := t.Home(i)
		target := articulation.TargetOf(t, i)
		a := Armed{
			ID: i.ID, Name: i.Name, Home: home.ID, KeyLow: target.KeyLow, KeyHigh: target.KeyHigh, Articulations: articulation.Names(target.Map),
			Switches: []int{}, Dynamics: -1, target: target, upbeat: t.UpbeatOf(i), load: h.loadID(home),
		}
		for _, c := range a.upbeat {
			if c.Number == 1 {
				a.Dynamics = c.Value
			}
		}
		for _, m := range target.Map {
			for _, s := range m.Switches {
				if s.Kind == template.ByKey {
					a.Switches = append(a.Switches, s.Number)
				}
			}
		}
		if home.Seat != nil {
			a.machine = string(home.Seat.Machine)
			a.Machine = t.Index().Machines[home.Seat.Machine].Name
		}
		a.Ready = h.isReady(home.ID)
		out = append(out, a)
	}
	return out
}

// loadID is the name under which hosts know a row of this template.
func (r *Running) loadID(i *template.Instrument) string { return r.id.String() + "/" + string(i.ID) }

func (r *Running) isReady(id template.ID) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.states[id].State == string(rig.Ready)
}

// atOnce is a clock for what is played now: its notes last a second, long after any lead.
var atOnce = func() *tempo.Map {
	m, err := tempo.New(480)
	if err != nil {
		panic(err) // a quarter of 480 ticks is one
	}
	return m
}()

// The note that is compiled for one that is played, ticks: its end only comes when it does.
const (
	liveStart = 1 << 20
	liveEnd   = 1 << 21
)

// NoteOn plays a key on every armed row: with the switches of the articulation chosen, its
// band of velocity, its channel.
func (l *Listening) NoteOn(key, velocity int) {
	l.mu.Lock()
	how := l.articulation
	armed := l.armed
	l.mu.Unlock()
	batch := map[string][]rig.PlayMessage{}
	var not []string
	for _, a := range armed {
		if !l.h.isReady(a.Home) {
			not = append(not, a.Name)
		}
		note := articulation.Note{Start: liveStart, End: liveEnd, Key: key, Velocity: velocity}
		if how != "" && slices.Contains(a.Articulations, how) {
			note.Articulations = []string{how}
		}
		target := a.target
		if how == "" {
			target.Map = nil
		}
		done, err := articulation.Compile(l.words, articulation.Part{Notes: []articulation.Note{note}}, target, atOnce, articulation.Options{})
		if err != nil {
			l.tell(Told{Refused: err.Error()})
			continue
		}
		var offs []rig.PlayMessage
		for _, m := range done.Messages {
			x, ok := playMessage(a.load, m)
			switch {
			case !ok:
			case m.Tick < liveEnd-liveStart/2:
				batch[a.machine] = append(batch[a.machine], x)
			default:
				offs = append(offs, x)
			}
		}
		at := playedKey{a.ID, key}
		l.mu.Lock()
		batch[a.machine] = append(l.offs[at], batch[a.machine]...) // pressed again without being let go
		l.offs[at] = offs
		l.mu.Unlock()
	}
	l.play(batch)
	if len(not) > 0 {
		l.tell(Told{NotReady: not})
	}
}

// playMessage is a compiled message for a host; false for one that its sounds do not hear.
func playMessage(load string, m articulation.Message) (rig.PlayMessage, bool) {
	kind, ok := sampler.KindOf(m.Status)
	return rig.PlayMessage{Load: load, Kind: kind, Key: m.Data1, Value: m.Data2}, ok
}

// NoteOff lets a key go.
func (l *Listening) NoteOff(key int) {
	l.mu.Lock()
	batch := map[string][]rig.PlayMessage{}
	for _, a := range l.armed {
		at := playedKey{a.ID, key}
		batch[a.machine] = append(batch[a.machine], l.offs[at]...)
		delete(l.offs, at)
	}
	l.mu.Unlock()
	l.play(batch)
}

// Control sets a controller on every armed row: the dynamics wheel as what its patch answers
// to.
func (l *Listening) Control(number, value int) {
	l.mu.Lock()
	armed := l.armed
	l.mu.Unlock()
	batch := map[string][]rig.PlayMessage{}
	for _, a := range armed {
		batch[a.machine] = append(batch[a.machine], l.controls(a, articulation.Control{Number: number, Value: value})...)
	}
	l.play(batch)
}

// Bend turns the pitch wheel, -8192 to 8191, and Press presses the keyboard, 0 to 127.
func (l *Listening) Bend(value int) { l.each(sampler.PitchWheel, value) }

// Press is channel pressure, 0 to 127.
func (l *Listening) Press(value int) { l.each(sampler.Pressure, value) }

func (l *Listening) each(kind sampler.Kind, value int) {
	l.mu.Lock()
	batch := map[string][]rig.PlayMessage{}
	for _, a := range l.armed {
		batch[a.machine] = append(batch[a.machine], rig.PlayMessage{Load: a.load, Kind: kind, Value: value})
	}
	l.mu.Unlock()
	l.play(batch)
}

// Stop stops everything that sounds.
func (l *Listening) Stop() {
	l.mu.Lock()
	l.offs = map[playedKey][]rig.PlayMessage{}
	orders := l.orders()
	for m := range orders {
		o := orders[m]
		o.Stop = true
		orders[m] = o
	}
	l.mu.Unlock()
	l.order(orders)
}

// orders are the rows of every machine that knows the listener. The caller holds the lock.
func (l *Listening) orders() map[string]rig.PlayOrder {
	out := map[string]rig.PlayOrder{}
	for m := range l.machines {
		out[m] = rig.PlayOrder{Listener: l.name, Rows: []rig.PlayRow{}, Lanes: l.plan.lanes, TailS: l.plan.tailS}
	}
	for _, a := range l.armed {
		if o, ok := out[a.machine]; ok {
			o.Rows = append(o.Rows, rig.PlayRow{Load: a.load, Ways: a.ways})
			out[a.machine] = o
		}
	}
	return out
}

func (l *Listening) play(batch map[string][]rig.PlayMessage) {
	l.mu.Lock()
	orders := l.orders()
	l.mu.Unlock()
	for m, o := range orders {
		if o.Messages = batch[m]; len(o.Messages) == 0 {
			delete(orders, m)
			continue
		}
		orders[m] = o
	}
	l.order(orders)
}

func (l *Listening) order(orders map[string]rig.PlayOrder) {
	for m, o := range orders {
		if err := l.h.app.rig.Play(l.h.studio().String(), m, o); err != nil {
			l.tell(Told{Lost: l.h.machineName(template.ID(m))})
		}
	}
}
