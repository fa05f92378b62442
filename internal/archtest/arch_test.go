// Package archtest checks that imports follow the rooms of
// docs/architecture.md.
package archtest

import (
	"encoding/json"
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// rooms in order: each may import those before it.
var rooms = []string{"docs/schema", "docs/guide", "docs/screenshots", "internal/core", "internal/document", "internal/format", "internal/sampler", "internal/recorded", "internal/effect", "internal/render", "internal/pass", "internal/scan", "internal/roots", "internal/printer", "internal/certs", "internal/rig", "internal/audiostore", "internal/store", "internal/parcel", "internal/app", "internal/remote", "internal/api", "internal/ops", "internal/demo", "web", "cmd"}

// coreOrder likewise, within the core.
var coreOrder = []string{"people", "note", "share", "filename", "dsp", "audit", "sound", "timecode", "tempo", "cut", "cue", "colour", "template", "articulation", "calibrate", "change", "fan", "balance", "ribbon", "calls", "packing", "seating", "layout", "patch", "deliver", "printing", "palette", "proof", "sight", "order", "sketch", "naming", "intake", "catalogue", "casting", "playable", "furnish", "transfer", "compare", "session", "handover", "coretest"}

func room(path string) int {
	return slices.IndexFunc(rooms, func(r string) bool {
		return strings.HasPrefix(path, "fanfold/"+r+"/") || path == "fanfold/"+r
	})
}

// Every format says in docs/formats.md what of it is read, and what is left out.
func TestEveryFormatIsDescribed(t *testing.T) {
	text, err := os.ReadFile("../../docs/formats.md")
	require.NoError(t, err)
	folders, err := os.ReadDir("../format")
	require.NoError(t, err)
	under := []string{"bounded", "celltext", "plaintext", "soundfile"} // what readers have in common
	for _, f := range folders {
		if f.IsDir() && !slices.Contains(under, f.Name()) {
			require.Contains(t, string(text), "(`"+f.Name()+"`)", "docs/formats.md does not describe it")
		}
	}
}

func TestImportsPointDown(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "fanfold/...").Output()
	require.NoError(t, err)
	decoder := json.NewDecoder(strings.NewReader(string(out)))
	seen := 0
	for decoder.More() {
		var p struct {
			ImportPath string
			Imports    []string
		}
		require.NoError(t, decoder.Decode(&p))
		from := room(p.ImportPath)
		seen++
		for _, to := range p.Imports {
			if r := room(to); from >= 0 && r >= 0 {
				require.LessOrEqual(t, r, from, "%s imports %s", p.ImportPath, to)
			}
			name, inCore := strings.CutPrefix(p.ImportPath, "fanfold/internal/core/")
			if !inCore || name == "coretest" {
				continue
			}
			if other, ok := strings.CutPrefix(to, "fanfold/internal/core/"); ok {
				require.Less(t, slices.Index(coreOrder, other), slices.Index(coreOrder, name), "%s imports %s", p.ImportPath, to)
				continue
			}
			if !strings.HasPrefix(to, "gonum.org/v1/gonum/") { // numbers
				require.NotContains(t, strings.Split(to, "/")[0], ".", "%s imports %s: the core stands on the standard library, and on gonum", p.ImportPath, to)
			}
			require.NotContains(t, []string{"net/http", "os", "database/sql", "net"}, to, p.ImportPath)
		}
	}
	require.Greater(t, seen, 15)
}
