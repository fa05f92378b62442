package demo_test

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/balance"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/demo"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// heard measures every row of the demo by one host that holds all libraries.
func heard(t *testing.T, lantern *template.Template) {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, demo.WriteLibraries(dir))
	here := make(chan struct{})
	var once sync.Once
	desk, err := rig.Open(rig.DeskConfig{
		Lookup: func(context.Context, string, string) (rig.Host, bool) {
			return rig.Host{Credential: "c", Studio: "s", Machine: "m"}, true
		},
		Listen: func(_ rig.Host, _ rig.Report, away bool) {
			if !away {
				once.Do(func() { close(here) })
			}
		},
	})
	require.NoError(t, err)
	t.Cleanup(desk.Close)
	desk.Know(rig.Host{Credential: "c", Studio: "s", Machine: "m"})
	machine := rig.NewStandIn(1000, 1000, 1, rig.Faults{})
	machine.ScanRoots = []string{dir}
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() {
		done <- rig.RunHost(ctx, rig.Line{Address: desk.Address(), Token: rig.Token("c", "secret")}, machine, slog.New(slog.DiscardHandler))
	}()
	t.Cleanup(func() {
		stop()
		require.NoError(t, <-done)
	})
	<-here

	clock, err := tempo.New(480)
	require.NoError(t, err)
	words := articulation.NewVocabulary(nil)
	rows, _ := calibrate.RowsOf(lantern, true)
	began := time.Now()
	queue := make(chan calibrate.Row, len(rows))
	for _, r := range rows {
		queue <- r
	}
	close(queue)
	var all sync.WaitGroup
	for range 2 {
		all.Go(func() {
			for r := range queue {
				i := lantern.Instrument(r.ID)
				compiled, err := articulation.Compile(words, calibrate.Alone(r).Part(0), calibrate.TargetOf(lantern, i), clock, articulation.Options{})
				if err != nil {
					t.Error(err)
					return
				}
				ask := rig.MeasureAsk{Row: r, On: "2026-01-02T03:04:05Z", Load: rig.Load{ID: string(r.ID), Name: r.Name}}
				for _, p := range lantern.PatchesOf(i) {
					l := rig.PatchLoad{Name: p.Name, Library: lantern.Index().Libraries[p.Library].Name, File: p.Source.File, Programme: p.Source.Programme}
					if mics := i.MicsOf(p); len(mics) > 0 {
						l.Mics = mics[0].Name
					}
					ask.Load.Patches = append(ask.Load.Patches, l)
				}
				for _, m := range compiled.Messages {
					kind, _ := sampler.KindOf(m.Status)
					ask.Messages = append(ask.Messages, rig.TimedMessage{At: float64(m.Tick) / calibrate.TicksPerSecond, Kind: kind, Key: m.Data1, Value: m.Data2})
				}
				h, err := desk.Measure(context.Background(), "s", "m", ask)
				if err != nil {
					t.Error(r.Name, err)
					return
				}
				i.Heard = h // each row is one's own
			}
		})
	}
	all.Wait()
	t.Logf("%d rows in %.1f s", len(rows), time.Since(began).Seconds())
}

// The faults that the demo's libraries have on purpose are found, each by its mark, and no
// others; and trimmed rows are at the working level, or as near as their peaks allow.
func TestTheDemosFaultsAreFound(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	heard(t, lantern)
	found := map[string][]string{}
	for _, m := range proof.Check(lantern, "").Marks {
		found[m.Code] = append(found[m.Code], m.Name)
		t.Log(m.Code, ": ", m.Message)
	}
	for _, names := range found {
		slices.Sort(names)
	}
	delete(found, "shared-return")
	require.Len(t, found["off-level"], 1, "one for all")
	delete(found, "off-level")
	require.Equal(t, map[string][]string{
		"dead-patch": {"Contrabass clarinet effects"}, "wrong-octave": {"Euphonium long", "Fog horns"},
		"same-articulation": {"Desert tenor", "Oboe 2 short"}, "late-start": {"Hall thunder"},
	}, found)
	for _, x := range balance.Propose(lantern, lantern.Instruments, 0.05) {
		lantern.Instrument(x.Row.ID).LevelTrimDB = x.ToDB
	}
	for _, r := range balance.Of(lantern).Rows {
		if r.Fault == "" && r.Off {
			require.InDelta(t, balance.CeilingDB, r.Row.Heard.Peak+r.Row.LevelTrimDB, .06, r.Row.Name)
		}
	}
}
