package rig

import (
	"fmt"
	"time"
)

// stalls watches the loads of one host and marks those that stand still. Hosts
// report a load once they have begun it, so that one waiting its turn is not
// taken for stalled.
type stalls struct {
	after time.Duration
	since map[string]standing
}

type standing struct {
	progress float64
	at       time.Time
}

// mark returns the report with stalled loads marked and explained.
func (s *stalls) mark(r Report, now time.Time) Report {
	next := map[string]standing{}
	items := make([]Item, len(r.Items))
	copy(items, r.Items)
	for n, i := range items {
		if i.State != Tuning {
			continue
		}
		was, known := s.since[i.ID]
		if !known || was.progress != i.Progress {
			was = standing{i.Progress, now}
		}
		next[i.ID] = was
		if still := now.Sub(was.at); still >= s.after {
			items[n].Stalled = true
			items[n].Reason = fmt.Sprintf("it has stood at %d%% for %d s; rest it and call it again", int(100*i.Progress), int(still.Seconds()))
		}
	}
	s.since = next
	r.Items = items
	return r
}
