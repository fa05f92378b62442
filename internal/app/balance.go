package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/balance"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

// Measuring is how the measuring of rows goes.
type Measuring struct {
	Running bool     `json:"running"`
	Done    int      `json:"done"`
	Of      int      `json:"of"`
	LeftMs  int64    `json:"leftMs"` // as it went so far; 0 when not known
	Heard   int      `json:"heard"`  // rows that were measured
	Kept    int      `json:"kept"`   // of them, those that were trimmed so that they are as loud as before
	Reason  string   `json:"reason"` // why it ended before its time
	Not     []string `json:"not"`    // the first rows that could not be, with the reason
	// Changed are the rows that are other than when they were measured before.
	Changed []ChangedRow `json:"changed"`
}

// ChangedRow is a row that sounds different from before.
type ChangedRow struct {
	ID   template.ID `json:"id"`
	Name string      `json:"name"`
	What []string    `json:"what"` // in words
}

// hearing measures rows of one template, one run at a time.
type hearing struct {
	mu    sync.Mutex
	state Measuring
	stop  context.CancelFunc
	began time.Time
}

// mostNot bounds the rows that are told by name.
const mostNot = 20

// measuredAtOnce is how many rows one machine measures side by side.
const measuredAtOnce = 2

// StartMeasuring measures rows by the stand-ins that hold their samples; none for all that
// sit and play patches. What was heard is kept as one change. With level, rows that were heard
// before are trimmed by it so that they are as loud as they were.
func (h *Hot) StartMeasuring(ctx context.Context, p Person, ids []template.ID, level bool) (Measuring, error) {
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return Measuring{}, err
	}
	t := h.View().Template
	rows, _ := calibrate.RowsOf(t, true)
	if len(ids) > 0 {
		rows = slices.DeleteFunc(rows, func(r calibrate.Row) bool { return !slices.Contains(ids, r.ID) })
	}
	if len(rows) == 0 {
		return Measuring{}, refused("", "none of these rows sits on a machine and plays a patch; seat them first")
	}
	h.hearing.mu.Lock()
	defer h.hearing.mu.Unlock()
	if h.hearing.state.Running {
		return Measuring{}, refused("", "rows are being measured already; wait, or stop that")
	}
	run, stop := context.WithCancel(context.WithoutCancel(ctx))
	h.hearing.state, h.hearing.stop, h.hearing.began = Measuring{Running: true, Of: len(rows), Not: []string{}, Changed: []ChangedRow{}}, stop, time.Now()
	go func() {
		defer stop()
		h.measure(run, p, t, words, rows, level)
	}()
	return h.hearing.state, nil
}

// MeasuringState tells how it goes.
func (h *Hot) MeasuringState() Measuring {
	h.hearing.mu.Lock()
	defer h.hearing.mu.Unlock()
	s := h.hearing.state
	s.Not, s.Changed = append([]string{}, s.Not...), append([]ChangedRow{}, s.Changed...)
	if s.Running && s.Done > 0 {
		s.LeftMs = time.Since(h.hearing.began).Milliseconds() * int64(s.Of-s.Done) / int64(s.Done)
	}
	return s
}

// StopMeasuring ends it; what was heard until then is kept.
func (h *Hot) StopMeasuring() Measuring {
	h.hearing.mu.Lock()
	if h.hearing.stop != nil {
		h.hearing.stop()
	}
	h.hearing.mu.Unlock()
	return h.MeasuringState()
}

// measure asks the machines, and keeps what they heard.
func (h *Hot) measure(ctx context.Context, p Person, t *template.Template, words *articulation.Vocabulary, rows []calibrate.Row, level bool) {
	now := time.Now().UTC().Format(time.RFC3339)
	heard := map[template.ID]*template.Heard{}
	var mu sync.Mutex
	byMachine := map[template.ID]chan calibrate.Row{}
	for _, r := range rows {
		m := machineOf(t.Instrument(r.ID))
		if byMachine[m] == nil {
			byMachine[m] = make(chan calibrate.Row, len(rows))
		}
		byMachine[m] <- r
	}
	var all sync.WaitGroup
	for machine, queue := range byMachine {
		close(queue)
		for range measuredAtOnce {
			all.Go(func() {
				for r := range queue {
					if ctx.Err() != nil {
						return
					}
					x, err := h.measureRow(ctx, t, words, machine, r, nil, now)
					mu.Lock()
					if err == nil {
						heard[r.ID] = x
					}
					mu.Unlock()
					h.measuredOne(r, err)
				}
			})
		}
	}
	all.Wait()
	reason := ""
	if ctx.Err() != nil {
		reason = "stopped; what was heard until then is kept"
	}
	last, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer cancel()
	changed := changedRows(h.View().Template, heard)
	kept, err := h.keepHeard(last, p, heard, "by the stand-in", level)
	if err != nil {
		reason = err.Error()
	}
	if level {
		changed = []ChangedRow{} // they were changed on purpose
	}
	h.hearing.mu.Lock()
	defer h.hearing.mu.Unlock()
	h.hearing.state.Running, h.hearing.state.Heard, h.hearing.state.Reason, h.hearing.state.Changed = false, len(heard), reason, changed
	h.hearing.state.Kept = kept
}

// changedRows lists the rows, in score order, that sound different from when they were measured
// before.
func changedRows(t *template.Template, heard map[template.ID]*template.Heard) []ChangedRow {
	out := []ChangedRow{}
	for _, i := range t.ScoreOrder() {
		if what := balance.Since(i.Heard, heard[i.ID]); len(what) > 0 {
			out = append(out, ChangedRow{i.ID, i.Name, what})
		}
	}
	return out
}

func (h *Hot) measuredOne(r calibrate.Row, err error) {
	h.hearing.mu.Lock()
	defer h.hearing.mu.Unlock()
	s := &h.hearing.state
	s.Done++
	if err != nil && !errors.Is(err, context.Canceled) && len(s.Not) < mostNot {
		s.Not = append(s.Not, fmt.Sprintf("%s: %s", r.Name, err))
	}
}

// measureRow has a machine measure a row: through the microphones it plays, or others.
func (h *Hot) measureRow(ctx context.Context, t *template.Template, words *articulation.Vocabulary, machine template.ID, r calibrate.Row, mics []string, now string) (*template.Heard, error) {
	i := t.Instrument(r.ID)
	schedule := calibrate.Alone(r)
	done, err := articulation.Compile(words, schedule.Part(0), calibrate.TargetOf(t, i), atOnce, articulation.Options{})
	if err != nil {
		return nil, err
	}
	ask := rig.MeasureAsk{Load: h.loadOf(i), Row: r, On: now}
	for n := range ask.Load.Patches {
		if mics != nil {
			ask.Load.Patches[n].Mics = strings.Join(mics, "\n")
		}
		ask.Load.Patches[n].LevelDB -= i.LevelTrimDB // what is measured is before it; trims of layers are part of the row
	}
	for _, m := range done.Messages {
		if x, ok := playMessage("", m); ok {
			ask.Messages = append(ask.Messages, rig.TimedMessage{At: float64(m.Tick) / calibrate.TicksPerSecond, Kind: x.Kind, Key: x.Key, Value: x.Value})
		}
	}
	return h.app.rig.Measure(ctx, h.studio().String(), string(machine), ask)
}

// keepHeard keeps what was heard of rows as one change; those that are gone meanwhile are left
// out. With level it trims them so that they are as loud as before, and tells how many.
func (h *Hot) keepHeard(ctx context.Context, p Person, heard map[template.ID]*template.Heard, how string, level bool) (kept int, err error) {
	if len(heard) == 0 {
		return 0, nil
	}
	_, err = h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		var edit change.Edit
		kept = 0
		for _, i := range t.Instruments {
			x := heard[i.ID]
			if x == nil {
				continue
			}
			fields := change.Fields{ID: i.ID, Heard: x}
			if trim, ok := balance.Keep(i, x); level && ok {
				fields.LevelTrimDB = &trim.ToDB
				kept++
			}
			edit.Edits = append(edit.Edits, fields)
		}
		if len(edit.Edits) == 0 {
			return nil, refused("", "the rows that were measured are no longer there")
		}
		label := fmt.Sprintf("Measure %d rows %s", len(edit.Edits), how)
		if level {
			label += ", and keep their level"
		}
		return change.Batch{Label: label, Changes: []change.Change{edit}}, nil
	})
	return kept, err
}

// Trims proposes level trims for rows; none for all.
func (h *Hot) Trims(ids []template.ID) []balance.Trim {
	t := h.View().Template
	rows := t.Instruments
	if len(ids) > 0 {
		rows = slices.DeleteFunc(slices.Clone(rows), func(i *template.Instrument) bool { return !slices.Contains(ids, i.ID) })
	}
	return balance.Propose(t, rows, leastTrim)
}

// leastTrim is how much a trim must change to be proposed, dB: less is not heard.
const leastTrim = 0.5

// TakeTrims sets the level trims that are proposed for rows.
func (h *Hot) TakeTrims(ctx context.Context, p Person, ids []template.ID) (int64, error) {
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		var rows []*template.Instrument
		for _, id := range ids {
			if i := t.Instrument(id); i != nil {
				rows = append(rows, i)
			}
		}
		list := balance.Propose(t, rows, leastTrim)
		if len(list) == 0 {
			return nil, refused("", "none of these rows needs another level trim")
		}
		return balance.Change(list), nil
	})
}

// TakeHall sets the sends and pans of the rows of sections as the hall asks; none for all.
func (h *Hot) TakeHall(ctx context.Context, p Person, sections []template.ID) (int64, error) {
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) { return balance.TakeHall(t, sections) })
}

// TakeWeights sets the faders of groups as the table of strengths has them; none for all.
func (h *Hot) TakeWeights(ctx context.Context, p Person, groups []template.ID) (int64, error) {
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) { return balance.TakeWeights(t, fan.New(t), groups) })
}

// Microphones measures a row through each of its microphone positions, and puts them in order
// by how near they bring it to the rows of its kind.
func (h *Hot) Microphones(ctx context.Context, p Person, id template.ID) ([]balance.Mics, error) {
	words, err := h.Vocabulary(ctx, p)
	if err != nil {
		return nil, err
	}
	t := h.View().Template
	i := t.Instrument(id)
	if i == nil {
		return nil, refused(id, "the row is no longer in the template")
	}
	rows, _ := calibrate.RowsOf(t, true)
	at := slices.IndexFunc(rows, func(r calibrate.Row) bool { return r.ID == id })
	choices, others := balance.MicsOf(t, i), balance.Alike(t, i)
	switch {
	case at < 0:
		return nil, refused(id, "%s sits on no machine; seat it first", i.Name)
	case len(choices) == 0:
		return nil, refused(id, "%s has no other microphone positions", i.Name)
	case len(others) == 0:
		return nil, refused(id, "no other row of its kind was heard yet; measure them first")
	}
	now := time.Now().UTC().Format(time.RFC3339)
	list := make([]balance.Mics, len(choices))
	for n, names := range choices {
		heard, err := h.measureRow(ctx, t, words, machineOf(i), rows[at], names, now)
		if err != nil {
			return nil, refused(id, "%s", err)
		}
		list[n] = balance.Mics{Names: names, Now: n == 0, Heard: heard}
	}
	return balance.Nearest(list, others), nil
}
