package rig_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

// scanned asks for a scan and gathers the news to the last.
func scanned(t *testing.T, d *rig.Desk, o rig.ScanOrder) (last rig.ScanNews, patches int) {
	t.Helper()
	news := make(chan rig.ScanNews, 1000)
	require.Eventually(t, func() bool { return d.Scan("s", "Birch", o, func(n rig.ScanNews) { news <- n }) == nil }, 10*time.Second, 20*time.Millisecond)
	timeout := time.After(time.Minute)
	for {
		select {
		case n := <-news:
			patches += len(n.Patches)
			if n.Over {
				return n, patches
			}
		case <-timeout:
			require.Fail(t, "the scan never ended")
		}
	}
}

func many(t *testing.T, files int) string {
	dir := t.TempDir()
	for n := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("p%d.sfz", n)), []byte(strings.Repeat("<region> sample=*sine key=60\n", 100)), 0o644))
	}
	return dir
}

// A host scans a folder of its machine in as many messages as it takes, reads
// only what changed the second time, and looks nowhere it was not told.
func TestAHostScansItsFolders(t *testing.T) {
	d, _ := openPatientDesk(t, 10*time.Second)
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{many(t, 1200)}
	host(t, d, machine)
	order := rig.ScanOrder{ID: "one", Folder: machine.ScanRoots[0], Policy: patch.DefaultPolicy()}
	last, patches := scanned(t, d, order)
	require.Equal(t, 1200, patches)
	require.Empty(t, last.Reason)
	order.ID = "two"
	last, patches = scanned(t, d, order)
	require.Equal(t, []int{1200, 1200}, []int{patches, last.Unchanged})
	order.ID, order.Folder = "three", "/etc"
	last, _ = scanned(t, d, order)
	require.Contains(t, last.Reason, "/etc may not be scanned")
}

func TestAScanOfAHostIsStopped(t *testing.T) {
	d, _ := openPatientDesk(t, 10*time.Second)
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{many(t, 4000)}
	host(t, d, machine)
	news := make(chan rig.ScanNews, 1000)
	order := rig.ScanOrder{ID: "one", Folder: machine.ScanRoots[0], Policy: patch.DefaultPolicy()}
	require.Eventually(t, func() bool { return d.Scan("s", "Birch", order, func(n rig.ScanNews) { news <- n }) == nil }, 10*time.Second, 20*time.Millisecond)
	<-news
	d.StopScan("one")
	require.Eventually(t, func() bool { n := <-news; return n.Over && n.Stopped }, 10*time.Second, time.Millisecond)
	require.ErrorContains(t, d.Scan("s", "Cedar", order, nil), "its host is away")
}

// A host that goes away in the middle ends its scans with the reason.
func TestAScanEndsWithItsHost(t *testing.T) {
	d, _ := openPatientDesk(t, time.Second)
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{many(t, 8000)}
	stop := host(t, d, machine)
	news := make(chan rig.ScanNews, 1000)
	order := rig.ScanOrder{ID: "one", Folder: machine.ScanRoots[0], Policy: patch.DefaultPolicy()}
	require.Eventually(t, func() bool { return d.Scan("s", "Birch", order, func(n rig.ScanNews) { news <- n }) == nil }, 10*time.Second, 20*time.Millisecond)
	<-news
	stop()
	require.Eventually(t, func() bool {
		n := <-news
		return n.Over && (strings.Contains(n.Reason, "went away") || n.Stopped)
	}, 15*time.Second, time.Millisecond)
}

// A host tells the zones of a patch it has scanned, and nobody else's; what it
// has not scanned, it says so.
func TestAHostTellsZones(t *testing.T) {
	d, _ := openPatientDesk(t, 10*time.Second)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "Bell.sfz"), []byte("<region> sample=*sine lokey=40 hikey=59\n<region> sample=*sine lokey=60 hikey=80 lovel=90\n"), 0o644))
	_, err := d.Zones(t.Context(), "s", "Birch", dir, &template.Patch{Name: "Bell"})
	require.ErrorContains(t, err, "its host is away")
	machine := rig.NewStandIn(1000, 1000, 1, rig.Faults{})
	machine.ScanRoots = []string{dir}
	stop := host(t, d, machine)
	defer stop()
	scanned(t, d, rig.ScanOrder{ID: "scan", Folder: dir, Policy: patch.DefaultPolicy()})
	zones, err := d.Zones(t.Context(), "s", "Birch", dir, &template.Patch{Name: "Bell"})
	require.NoError(t, err)
	require.Len(t, zones, 2)
	require.Equal(t, []int{60, 80, 90, 127}, []int{zones[1].KeyLow, zones[1].KeyHigh, zones[1].VelLow, zones[1].VelHigh})
	_, err = d.Zones(t.Context(), "s", "Birch", dir, &template.Patch{Name: "Drum"})
	require.ErrorContains(t, err, "Drum is not known there")
	_, err = d.Zones(t.Context(), "other studio", "Birch", dir, &template.Patch{Name: "Bell"})
	require.Error(t, err)
}
