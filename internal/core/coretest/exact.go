package coretest

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Programme is a linear programme in whole numbers, in the words of the LP format.
type Programme struct {
	Goal    string   // "Minimize" or "Maximize"
	Sum     []string // its terms
	Rows    []string // "x1 + 2 x2 <= 3"
	Whole   []string // variables that are whole numbers
	Binary  []string // and those that are 0 or 1; all others are 0 or more
	Seconds int      // how long the solver may look
}

var objective = regexp.MustCompile(`Objective value:\s+(-?[0-9.]+)`)

// Exact has an independent solver answer: COIN-OR branch and cut (Debian coinor-cbc). The
// answer is not proved when time is up; known is false when there is none.
func (p Programme) Exact(t testing.TB) (answer float64, known, proved bool) {
	t.Helper()
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n goal: %s\nSubject To\n", p.Goal, strings.Join(p.Sum, "\n + "))
	for n, r := range p.Rows {
		fmt.Fprintf(&b, " c%d: %s\n", n, r)
	}
	for head, names := range map[string][]string{"General": p.Whole, "Binary": p.Binary} {
		if len(names) > 0 {
			fmt.Fprintf(&b, "%s\n %s\n", head, strings.Join(names, "\n "))
		}
	}
	b.WriteString("End\n")
	file := filepath.Join(t.TempDir(), "programme.lp")
	require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o600))
	said, err := exec.Command("cbc", file, "sec", strconv.Itoa(p.Seconds), "solve").CombinedOutput() //nolint:gosec // a test's own file
	require.NoError(t, err, "Debian's package coinor-cbc is needed: %s", said)
	found := objective.FindSubmatch(said)
	if found == nil {
		return 0, false, false
	}
	x, err := strconv.ParseFloat(string(found[1]), 64)
	require.NoError(t, err)
	return max(x, -x), true, strings.Contains(string(said), "Optimal solution found")
}
