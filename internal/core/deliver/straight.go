package deliver

import (
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Straighten leads every sound to the mix over exactly one stem of each fold,
// so that all folds add up: stems into the stem they belong to, or the mix, at
// 0 dB after their fader, coarser ones without fader or processing; all else
// into stems of the finest fold, returns into the one that carries their sound.
// What adds up already stays as it is. Nil when nothing needs to change.
func Straighten(t *template.Template) (change.Change, error) {
	var folds []template.ID // with stems, from fine to coarse
	for _, f := range t.Folds {
		if len(t.StemsOf(f.ID)) > 0 {
			folds = append(folds, f.ID)
		}
	}
	if len(folds) == 0 {
		return nil, nil
	}
	s := &steps{t: t}
	s.then(func(t *template.Template) (change.Change, error) { return newStraight(t, folds).onward(), nil })
	s.then(func(t *template.Template) (change.Change, error) { return newStraight(t, folds).home(), nil })
	s.then(func(t *template.Template) (change.Change, error) {
		if addsUp(t) {
			return nil, nil
		}
		return splitShared(t)
	})
	s.then(func(t *template.Template) (change.Change, error) { return newStraight(t, folds).oneStem(), nil })
	if len(s.done) == 0 {
		return nil, s.err
	}
	return s.batch("Lead everything over one stem of each fold")
}

func addsUp(t *template.Template) bool {
	f := fan.New(t)
	return !slices.ContainsFunc(t.Folds, func(x *template.Fold) bool { return len(t.StemsOf(x.ID)) > 0 && !f.Sum(x).AddsUp() })
}

type straight struct {
	t     *template.Template
	f     *fan.Fan
	folds []template.ID
	wires change.Connect
	put   change.Put
}

func newStraight(t *template.Template, folds []template.ID) *straight {
	return &straight{t: t, f: fan.New(t), folds: folds}
}

func (s *straight) cut(from, to template.ID) {
	s.wires.Wires = append(s.wires.Wires, change.Wire{From: from, To: to})
}

func (s *straight) lead(from, to template.ID) {
	s.wires.Wires = append(s.wires.Wires, change.Wire{From: from, To: to, Level: &change.WireSetting{Tap: template.Post}})
}

func (s *straight) done() change.Change {
	var out change.Batch
	if len(s.put.Buses) > 0 {
		out.Changes = append(out.Changes, s.put)
	}
	if len(s.wires.Wires) > 0 {
		out.Changes = append(out.Changes, s.wires)
	}
	if len(out.Changes) == 0 {
		return nil
	}
	return out
}

func (s *straight) finest(b *template.Bus) bool {
	return b.Kind.Is().Stem && b.Fold == s.folds[0]
}

// onward straightens everything but the returns.
func (s *straight) onward() change.Change {
	for _, b := range s.t.Buses {
		switch is := b.Kind.Is(); {
		case is.Stem:
			s.stem(b)
		case is.Sums:
			s.into(b.ID, b.Section, b.Routes)
		case is.Beyond:
			for _, r := range b.Routes {
				if to := s.t.Index().Buses[r.To]; !to.Kind.Is().Last && !to.Kind.Is().Prints {
					s.cut(b.ID, r.To)
				}
			}
		}
	}
	for _, i := range s.t.Instruments {
		if i.Kind != template.Guide {
			s.into(i.ID, i.Section, i.Routes)
		} else if slices.ContainsFunc(i.Routes, func(r template.Route) bool { return s.t.Index().Buses[r.To].Kind.Is().Only }) {
			s.wires.Wires = append(s.wires.Wires, change.ToSpeakers(s.t, i).Wires...)
		}
	}
	return s.done()
}

// stem leads a stem into one of the next fold, or the mix.
func (s *straight) stem(b *template.Bus) {
	onward := s.t.TheMix()
	place := slices.Index(s.folds, b.Fold)
	if place >= 0 && place < len(s.folds)-1 {
		onward = s.nearest(s.folds[place+1], b.Section, s.t.ParentStem(b))
	}
	straight := false
	for _, r := range b.Routes {
		switch to := s.t.Index().Buses[r.To]; {
		case to == onward:
			straight = r.GainDB == 0 && r.Tap == template.Post && r.At == ""
		case to.Kind.Is().Only || !to.Kind.Is().Beyond:
			s.cut(b.ID, r.To)
		}
	}
	if !straight {
		s.lead(b.ID, onward.ID)
	}
	if place > 0 && (b.GainDB != 0 || b.Process != "") {
		c := b.Clone()
		c.GainDB, c.Process = 0, ""
		s.put.Buses = append(s.put.Buses, change.Append(c))
	}
}

// nearest is the stem of a fold for a section: the one asked for, if it is of
// that fold, else one of the same section, of the same top section, or the
// first.
func (s *straight) nearest(fold, section template.ID, asked *template.Bus) *template.Bus {
	if asked != nil && asked.Fold == fold {
		return asked
	}
	stems := s.t.StemsOf(fold)
	best, most := stems[0], 0
	for _, b := range stems {
		score := 0
		if section != "" && b.Section == section {
			score = 2
		} else if top := s.t.TopSection(section); top != nil && top == s.t.TopSection(b.Section) {
			score = 1
		}
		if score > most {
			best, most = b, score
		}
	}
	return best
}

// into cuts what leads a group or an instrument past the finest stems, and
// leads it into one of them if it has no other dry way there.
func (s *straight) into(id, section template.ID, routes []template.Route) {
	past, there := false, false
	for _, r := range routes {
		to := s.t.Index().Buses[r.To]
		switch {
		case to.Kind.Is().Only, to.Kind.Is().Stem && !s.finest(to):
			s.cut(id, r.To)
			past = true
		case s.finest(to), to.Kind.Is().Sums:
			there = true
		}
	}
	if past && !there {
		s.lead(id, s.nearest(s.folds[0], section, nil).ID)
	}
}

// home leads every return into the one stem that carries its sound, and
// nowhere else but into other returns.
func (s *straight) home() change.Change {
	homes := map[*template.Bus][]*template.Bus{} // of each return, by its sources
	for n, i := range s.t.Instruments {
		stems := s.f.StemsIn(s.f.FromRow(n), s.folds[0])
		if i.Kind == template.Guide || len(stems) == 0 {
			continue
		}
		for _, r := range s.f.FromRow(n) {
			if b := s.f.Bus(r); b.Kind.Is().Wet() {
				if home := s.homeOf(stems[0]); !slices.Contains(homes[b], home) {
					homes[b] = append(homes[b], home)
				}
			}
		}
	}
	for _, b := range s.t.Buses {
		if !b.Kind.Is().Wet() {
			continue
		}
		own, unused := homes[b], len(homes[b]) == 0
		if unused {
			own = append(own, s.homeOf(s.nearest(s.folds[0], b.Section, nil)))
		}
		onward := slices.IndexFunc(b.Routes, func(r template.Route) bool {
			to := s.t.Index().Buses[r.To]
			return slices.Contains(own, to) || unused && s.finest(to)
		})
		leads := false
		for n, r := range b.Routes {
			to := s.t.Index().Buses[r.To]
			if is := to.Kind.Is(); is.Sends || is.Prints || is.Last {
				continue
			}
			leads = true
			if n != onward {
				s.cut(b.ID, r.To)
			}
		}
		if leads && onward < 0 {
			s.lead(b.ID, own[0].ID)
		}
	}
	return s.done()
}

func (s *straight) homeOf(stem *template.Bus) *template.Bus {
	if home := s.t.WetHome(stem); home != nil {
		return home
	}
	return stem
}

// oneStem leads instruments that still do not add up into one stem alone: their
// stems carry their returns in several folds.
func (s *straight) oneStem() change.Change {
	var done change.Batch
	led := map[template.ID]bool{}
	for _, fold := range s.t.Folds {
		for _, m := range s.f.Sum(fold).Mismatches {
			stems := s.f.Stems(m.Instrument, s.folds[0])
			if len(stems) > 0 && !led[m.Instrument.ID] {
				led[m.Instrument.ID] = true
				done.Changes = append(done.Changes, change.AssignStem{IDs: []template.ID{m.Instrument.ID}, Stem: stems[0].ID})
			}
		}
	}
	if len(done.Changes) == 0 {
		return nil
	}
	return done
}
