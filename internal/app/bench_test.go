package app_test

import (
	"fmt"
	"runtime"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/storetest"
)

// manyRows is a studio with a template of n rows that all sit on machines with
// room for them.
func manyRows(b *testing.B, n int) (*app.App, *app.Hot, app.Person, string, []template.ID) {
	return manyRowsIn(b, storetest.Open(b), n)
}

func manyRowsIn(b *testing.B, s *store.Store, n int) (*app.App, *app.Hot, app.Person, string, []template.ID) {
	a := app.New(app.Config{Store: s, Rig: &quietRig{wanted: map[string][]rig.Load{}}})
	ada, err := s.AccountEnsure(ctx, "Studio", "ada@studio.example", "Ada", "a long password")
	require.NoError(b, err)
	p := app.Person{ID: ada.ID, Studio: ada.StudioID, Name: "Ada"}
	base := coretest.Large(n, 200)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	for k, m := range base.Machines {
		big := *m
		big.MemoryMiB = 1 << 24
		base.Machines[k] = &big
	}
	row, err := a.Create(ctx, p, base)
	require.NoError(b, err)
	h, err := a.Open(ctx, p, row.ID)
	require.NoError(b, err)
	var ids []template.ID
	for _, i := range h.View().Template.Instruments {
		if i.Seat != nil {
			ids = append(ids, i.ID)
		}
	}
	return a, h, p, row.ID.String(), ids
}

// What the server itself does for each load of a call of 1,000 of 4,000
// instruments: making the call, and taking in ten reports a second of every
// machine while five seconds pass. The goal is 2 ms a load.
func BenchmarkServerPerLoad(b *testing.B) {
	a, h, p, own, ids := manyRows(b, 4000)
	for b.Loop() {
		require.NoError(b, h.Call(ctx, ids[:1000], app.CallThem, true))
		t := h.View().Template
		for tick := range 50 {
			for _, m := range t.Machines {
				r := rig.Report{Generation: 1}
				for n, id := range ids[:1000] {
					if t.Instrument(id).Seat.Machine != m.ID {
						continue
					}
					item := rig.Item{ID: own + "/" + string(id), State: rig.Tuning}
					if n < 20*tick {
						item.State = rig.Ready
					}
					r.Items = append(r.Items, item)
				}
				a.Reported(rig.Host{Studio: p.Studio.String(), Machine: string(m.ID)}, r, false)
			}
		}
		require.NoError(b, h.Call(ctx, ids[:1000], app.RestThem, true))
	}
	b.ReportMetric(float64(b.Elapsed().Milliseconds())/float64(b.N)/1000, "ms/load")
	b.ReportMetric(0, "ns/op")
}

// Setting a field of 10,000 rows at the server: kept in the database, proved, and
// told to a browser. The goal is 300 ms to the browser that asked.
func BenchmarkEditAll10000(b *testing.B) {
	_, h, p, _, _ := manyRows(b, 10_000)
	w := h.Watch(h.View().Revision)
	go func() {
		for range w.Events {
		}
	}()
	defer h.Unwatch(w)
	n := 0
	for b.Loop() {
		n++
		notes := fmt.Sprintf("checked %d", n)
		var edit change.Edit
		for _, i := range h.View().Template.Instruments {
			edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Notes: &notes})
		}
		_, err := h.ApplyFrom(ctx, p, h.View().Revision, edit)
		require.NoError(b, err)
	}
}

// The running state of 10,000 instruments, all called, to somebody who comes.
// The goal is a second.
func BenchmarkState10000(b *testing.B) {
	_, h, _, _, ids := manyRows(b, 10_000)
	require.NoError(b, h.Call(ctx, ids, app.CallThem, true))
	bytes := 0
	for b.Loop() {
		begun := time.Now()
		w := h.Watch(h.View().Revision)
		bytes = len((<-w.Events).Data)
		h.Unwatch(w)
		require.Less(b, time.Since(begun), time.Minute)
	}
	b.ReportMetric(float64(bytes)/1e6, "MB")
	b.ReportMetric(float64(b.Elapsed().Milliseconds())/float64(b.N), "ms/state")
	b.ReportMetric(0, "ns/op")
}

// Opening a template of 10,000 rows that has left memory. The goal is 200 ms.
func BenchmarkOpenAgain10000(b *testing.B) {
	s := storetest.Open(b)
	_, h, p, _, _ := manyRowsIn(b, s, 10_000)
	for name, catalogue := range map[string]bool{"beside another": true, "with the catalogue": false} {
		b.Run(name, func(b *testing.B) {
			var spent []time.Duration
			for b.Loop() {
				fresh := app.New(app.Config{Store: s, Rig: &quietRig{wanted: map[string][]rig.Load{}}})
				if catalogue {
					_, err := fresh.Catalogue(ctx, p)
					require.NoError(b, err)
				}
				runtime.GC() // what earlier rounds left is not of this one
				begun := time.Now()
				again, err := fresh.Open(ctx, p, h.ID())
				spent = append(spent, time.Since(begun))
				require.NoError(b, err)
				require.Equal(b, h.View().Revision, again.View().Revision)
			}
			slices.Sort(spent)
			b.ReportMetric(float64(spent[len(spent)/2].Milliseconds()), "ms/open") // the median
			b.ReportMetric(0, "ns/op")
		})
	}
}
