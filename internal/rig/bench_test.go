package rig_test

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/rig"
)

// Eight hosts, which hold 3,000 instruments and are called 1,000 more, 125
// each: the time until the desk knows that all are ready, against the ideal,
// which is bytes over the disk's rate and the players' waking, five times as
// fast as real. The goal is 5% over it.
func BenchmarkCall1000On8Hosts(b *testing.B) {
	const (
		hosts, held, called = 8, 375, 125
		mib, rate, speed    = 100.0, 500.0, 5.0
	)
	ideal := time.Duration(called * mib / rate / speed * float64(time.Second))
	over, total := 0.0, 0
	for b.Loop() {
		ready, all := make(map[string]int, hosts), make(chan struct{}, 1)
		var mu sync.Mutex
		goal := 0
		d, err := rig.Open(rig.DeskConfig{
			Lookup: func(_ context.Context, id, _ string) (rig.Host, bool) {
				return rig.Host{Credential: id, Studio: "s", Machine: id}, true
			},
			Listen: func(h rig.Host, r rig.Report, _ bool) {
				n := 0
				for _, i := range r.Items {
					if i.State == rig.Ready {
						n++
					}
				}
				mu.Lock()
				defer mu.Unlock()
				ready[h.Machine] = n
				sum := 0
				for _, n := range ready {
					sum += n
				}
				if sum == goal {
					select {
					case all <- struct{}{}:
					default:
					}
				}
			},
		})
		require.NoError(b, err)
		ctx, stop := context.WithCancel(context.Background())
		var running sync.WaitGroup
		want := func(each int) {
			mu.Lock()
			goal = hosts * each
			mu.Unlock()
			for n := range hosts {
				var loads []rig.Load
				for k := range each {
					l := rig.Load{ID: fmt.Sprintf("t/%d-%d", n, k), Name: "x", Patches: []rig.PatchLoad{{Name: "x", PreloadMiB: mib}}}
					if k < held {
						l.Patches[0].PreloadMiB = 0
					}
					loads = append(loads, l)
				}
				d.Want("s", "t", fmt.Sprint("m", n), loads)
			}
		}
		for n := range hosts {
			id := fmt.Sprint("m", n)
			d.Know(rig.Host{Credential: id, Studio: "s", Machine: id})
			running.Go(func() {
				_ = rig.RunHost(ctx, rig.Line{Address: d.Address(), Token: rig.Token(id, "x")}, rig.NewStandIn(1e6, rate, speed, rig.Faults{}), slog.New(slog.DiscardHandler))
			})
		}
		want(held)
		<-all
		begun := time.Now()
		want(held + called)
		<-all
		over += time.Since(begun).Seconds()/ideal.Seconds() - 1
		total++
		stop()
		running.Wait()
		d.Close()
	}
	b.ReportMetric(100*over/float64(total), "%-over-ideal")
	b.ReportMetric(ideal.Seconds(), "s-ideal")
	b.ReportMetric(0, "ns/op")
}
