// Package rig drives the sample machines. What should be ready on each machine
// goes in; what is ready, as the host agents report it, comes out. Orders are
// idempotent: each carries the whole wanted set of a machine and a generation
// number, so that a host that comes back is simply told everything again.
package rig

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"
)

// Load is one instrument that a host should hold ready.
type Load struct {
	ID      string       `json:"id"` // template and instrument
	Name    string       `json:"name"`
	Patches []PatchLoad  `json:"patches"`
	Players []PlayerLoad `json:"players"`
}

// PatchLoad is one patch to preload.
type PatchLoad struct {
	Name       string  `json:"name"`
	PreloadMiB float64 `json:"preloadMib"`
	Key        string  `json:"key,omitempty"`      // loads that name it share the patch, and it is loaded once
	WholeMiB   float64 `json:"wholeMib,omitempty"` // of the patch untrimmed; 0 when it is not trimmed
	Trim       string  `json:"trim,omitempty"`     // the keys it is trimmed to, as KeysText writes them; empty when it is not
	Library    string  `json:"library,omitempty"`
	File       string  `json:"file,omitempty"` // within the library's folder; empty when nobody knows it
	Bank       int     `json:"bank,omitempty"` // of a SoundFont's preset
	Programme  int     `json:"programme,omitempty"`
	Mics       string  `json:"mics,omitempty"`    // the microphone positions that are heard, a line each; empty for all
	LevelDB    float64 `json:"levelDb,omitempty"` // its level trim, dB
}

func (p PatchLoad) micNames() []string {
	if p.Mics == "" {
		return nil
	}
	return strings.Split(p.Mics, "\n")
}

// KeysText writes keys with their velocities: "60:1-127 62:64-90".
func KeysText(keys [][3]int) string {
	var b strings.Builder
	for n, k := range keys {
		if n > 0 {
			b.WriteByte(' ')
		}
		fmt.Fprintf(&b, "%d:%d-%d", k[0], k[1], k[2])
	}
	return b.String()
}

// within tells whether a note is among keys that KeysText wrote.
func within(text string, key, velocity int) bool {
	for _, part := range strings.Fields(text) {
		var k, low, high int
		if _, err := fmt.Sscanf(part, "%d:%d-%d", &k, &low, &high); err == nil && k == key && low <= velocity && velocity <= high {
			return true
		}
	}
	return false
}

// PlayerLoad is one running player the instrument needs.
type PlayerLoad struct {
	Key         string  `json:"key"`  // which player: its kind, riser and port
	Kind        string  `json:"kind"` // the kind on the riser; the first of a kind wakes slowly
	OwnMiB      float64 `json:"ownMib"`
	WakeMs      int     `json:"wakeMs"`
	WakeAgainMs int     `json:"wakeAgainMs"`
}

// Orders is the whole wanted set of one machine, in loading order.
type Orders struct {
	Generation int64  `json:"generation"`
	Loads      []Load `json:"loads"`
}

// State is the state of an instrument on a host.
type State string

// The states a host reports. What it does not name is tacet.
const (
	Tuning State = "tuning"
	Ready  State = "ready"
	Failed State = "failed"
)

// Item is the state of one instrument.
type Item struct {
	ID       string  `json:"id"`
	State    State   `json:"state"`
	Progress float64 `json:"progress,omitempty"` // 0..1 while tuning
	Reason   string  `json:"reason,omitempty"`   // why it failed, or stalls; of one that is ready, why it cannot be heard
	Voices   int     `json:"voices,omitempty"`   // that sound now
	Armed    bool    `json:"armed,omitempty"`    // somebody is about to play it
	Missed   int     `json:"missed,omitempty"`   // notes outside what it was trimmed to, loaded on demand
	// Stalled is set by the desk, not by hosts: a load that does not move.
	Stalled bool `json:"stalled,omitempty"`
}

// Report is what a host holds.
type Report struct {
	Generation int64    `json:"generation"` // of the orders it follows; 0 after a start
	MemoryMiB  float64  `json:"memoryMib"`
	UsedMiB    float64  `json:"usedMib"`
	LeftMs     int64    `json:"leftMs"` // until everything ordered is ready, as the host expects
	Items      []Item   `json:"items"`
	ScanRoots  []string `json:"scanRoots,omitempty"` // folders of the machine that may be scanned
	Version    string   `json:"version,omitempty"`   // of the host
	Cores      int      `json:"cores,omitempty"`
	DiskMiBs   float64  `json:"diskMibs,omitempty"`  // reading samples, MiB/s
	Libraries  []string `json:"libraries,omitempty"` // installed, by name
	Voices     int      `json:"voices,omitempty"`    // that sound now
	Load       float64  `json:"load,omitempty"`      // share of its cores in use, 0..1
}

// mostFigure bounds the figures of a report: no machine has as much of anything.
const mostFigure = 1 << 50

// readReport reads what a host says of itself. The error names a figure that cannot be.
func readReport(data []byte) (Report, error) {
	var r Report
	if err := json.Unmarshal(data, &r); err != nil {
		return r, fmt.Errorf("read a host's report: %w", err)
	}
	for _, x := range []struct {
		name   string
		figure float64
	}{
		{"memory", r.MemoryMiB}, {"used memory", r.UsedMiB}, {"disk rate", r.DiskMiBs}, {"cores", float64(r.Cores)},
		{"generation", float64(r.Generation)}, {"time left", float64(r.LeftMs)}, {"voices", float64(r.Voices)}, {"load", r.Load},
	} {
		if !(x.figure >= 0 && x.figure <= mostFigure) {
			return r, fmt.Errorf("a host's report has a %s of %g", x.name, x.figure)
		}
	}
	return r, nil
}

// Heartbeat is how often a host reports when nothing changes. A host silent
// for three of them is away.
const Heartbeat = time.Second

// StallAfter is how long a load may stand still before the desk says so.
const StallAfter = 15 * time.Second

func ordersSubject(credential string) string { return "rig." + credential + ".orders" }
func reportSubject(credential string) string { return "rig." + credential + ".report" }
