package main

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
)

// do runs a command as a shell would.
func do(args ...string) (code int, out, errs string) {
	var stdout, stderr bytes.Buffer
	code = run(args, &stdout, &stderr)
	return code, stdout.String(), stderr.String()
}

// object runs a command with --json and reads its one object.
func object(t *testing.T, want int, into any, args ...string) {
	t.Helper()
	code, out, errs := do(append(args, "--json")...)
	require.Equal(t, want, code, "%s%s", out, errs)
	decoder := json.NewDecoder(strings.NewReader(out))
	require.NoError(t, decoder.Decode(into), out)
	require.False(t, decoder.More(), "one object, and nothing else")
}

const list = `section,instrument,articulations,library,stem,group,machine,preload_mib,kind
Winds / Flutes,Piccolo,long;short,Millrace Winds,High winds,Flutes,,310,
Winds / Flutes,Flute 1,long,Millrace Winds,High winds,Flutes,,412,
Winds / Bassoons,Bassoon,long,Millrace Winds,Low winds,,,390,
Brass / Horns,Horns a 4,long,Tallow Brass,Horns,,,910,
Guides,Dialogue,,,,,,,guide
`

type files struct{ dir, list, made, seated string }

// made brings the list in and seats it, all by command.
func made(t *testing.T) files {
	dir := t.TempDir()
	f := files{dir, filepath.Join(dir, "rows.csv"), filepath.Join(dir, "t.fanfold.json"), filepath.Join(dir, "seated.fanfold.json")}
	require.NoError(t, os.WriteFile(f.list, []byte(list), 0o644))
	code, out, errs := do("import", f.list, "-o", f.made, "--machine", "Alder:64:16")
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "5 rows in 6 new sections, 5 stems, 1 group, 2 libraries, 4 patches")
	code, _, errs = do("seat", f.made, "-o", f.seated)
	require.Equal(t, 0, code, errs)
	return f
}

// The way of the product on the command line: import, check, seat, check,
// route, load, export. The shapes are the contract's (4-reference, Commands).
func TestTheWholeWay(t *testing.T) {
	f := made(t)
	var proof struct {
		Instruments int
		Marks       []struct {
			Code, Subject, Message string
			Remedies               []string
		}
	}
	object(t, 1, &proof, "check", f.made)
	require.Equal(t, 5, proof.Instruments)
	require.Len(t, proof.Marks, 4, "four have no seat")
	require.Equal(t, "unseated", proof.Marks[0].Code)
	require.Equal(t, "Piccolo", proof.Marks[0].Subject)
	require.NotEmpty(t, proof.Marks[0].Remedies)
	object(t, 0, &proof, "check", f.seated)
	require.Empty(t, proof.Marks)

	var routed struct {
		Stems []struct {
			Name        string
			Instruments []string
		}
		Matrix []struct {
			Instrument, Destination, Chain string
			Gain                           float64
		}
		Buses []struct{ Name, Kind, Fold string }
	}
	object(t, 0, &routed, "route", f.seated, "--fold", "fine")
	require.Equal(t, "High winds", routed.Stems[0].Name)
	require.Equal(t, []string{"Winds / Flutes / Piccolo", "Winds / Flutes / Flute 1"}, routed.Stems[0].Instruments)
	toMix := 0.0
	for _, m := range routed.Matrix {
		require.Equal(t, "dry", m.Chain)
		require.NotContains(t, m.Instrument, "Dialogue", "a guide is in no stem and not in the mix")
		if m.Destination == "Mix" {
			toMix += m.Gain
		}
	}
	require.InDelta(t, 4, toMix, 1e-12)
	require.Len(t, routed.Buses, 8, "mix, speakers, two sections, three stems, one group")

	var seats struct {
		Risers   int `json:"risers_used"`
		Bound    int `json:"lower_bound"`
		Unseated []struct{ Instrument, Reason string }
		Seats    []struct {
			Instrument, Machine, Outputs string
			Riser, Port, Channel         int
		}
	}
	object(t, 0, &seats, "seat", f.made)
	require.Equal(t, []int{1, 1, 0, 4}, []int{seats.Risers, seats.Bound, len(seats.Unseated), len(seats.Seats)})
	require.Equal(t, "3-4", seats.Seats[0].Outputs)
	require.Equal(t, seats.Seats[0].Outputs, seats.Seats[1].Outputs, "one group, one pair")
	require.NotEqual(t, seats.Seats[0].Outputs, seats.Seats[2].Outputs)

	var loads struct {
		Machines []struct {
			Machine  string
			ReadyMiB float64 `json:"ready_mib"`
			LimitMiB float64 `json:"limit_mib"`
			Seconds  float64
		}
		Order []struct {
			Instrument string
			Seconds    float64
		}
	}
	object(t, 0, &loads, "load", f.seated)
	require.InDelta(t, 64+310+412+390+910, loads.Machines[0].ReadyMiB, 1e-9)
	require.InDelta(t, 56*1024, loads.Machines[0].LimitMiB, 1e-9)
	require.InDelta(t, 2+2022.0/500, loads.Machines[0].Seconds, 1e-6, "2 s to wake the player, 2022 MiB at 500 MiB/s")
	require.Len(t, loads.Order, 4)
	sum := 0.0
	for _, l := range loads.Order {
		sum += l.Seconds
	}
	require.Less(t, math.Abs(sum-loads.Machines[0].Seconds), 1e-6)
}

func TestExports(t *testing.T) {
	f := made(t)
	for format, starts := range map[string]string{"smf": "MThd", "routing": "section,instrument", "rows": "section,instrument,articulations", "template": "{\n \"format\": \"fanfold-template\""} {
		out := filepath.Join(f.dir, "out."+format)
		code, _, errs := do("export", f.seated, "--format", format, "-o", out)
		require.Equal(t, 0, code, errs)
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		require.True(t, strings.HasPrefix(string(data), starts), "%s: %.60s", format, data)
	}
	same, err := os.ReadFile(filepath.Join(f.dir, "out.template"))
	require.NoError(t, err)
	before, err := os.ReadFile(f.seated)
	require.NoError(t, err)
	require.Equal(t, string(before), string(same))

	sheets := filepath.Join(f.dir, "seating.zip")
	code, _, errs := do("export", f.seated, "--format", "seating", "-o", sheets)
	require.Equal(t, 0, code, errs)
	archive, err := zip.OpenReader(sheets)
	require.NoError(t, err)
	defer archive.Close()
	require.Equal(t, "Alder seating.csv", archive.File[0].Name)
	one := filepath.Join(f.dir, "alder.csv")
	code, _, errs = do("export", f.seated, "--format", "seating", "--machine", "alder", "-o", one)
	require.Equal(t, 0, code, errs)
	data, err := os.ReadFile(one)
	require.NoError(t, err)
	require.Equal(t, 5, strings.Count(string(data), "\r\n"))
}

// A list added to a template that is there; a second time it finds all but
// the rows.
func TestImportIntoATemplate(t *testing.T) {
	f := made(t)
	var report struct {
		Report struct {
			Instruments int
			Sections    []string
		}
	}
	object(t, 0, &report, "import", f.list, "--into", f.made, "-o", f.made)
	require.Equal(t, 5, report.Report.Instruments)
	require.Empty(t, report.Report.Sections)
	var proof struct {
		Marks []struct{ Code string }
	}
	object(t, 1, &proof, "check", f.made)
	twice := 0
	for _, m := range proof.Marks {
		if m.Code == "duplicate-name" {
			twice++
		}
	}
	require.Equal(t, 5, twice)
}

// Bad rows are told on standard error by line and column, good ones are
// taken, and the exit code says so.
func TestImportLeavesBadRowsOut(t *testing.T) {
	dir := t.TempDir()
	bad, out := filepath.Join(dir, "bad.csv"), filepath.Join(dir, "t.json")
	require.NoError(t, os.WriteFile(bad, []byte("section,name,Odd,preload\nWinds,Flute,x,300\nWinds,,x,300\nWinds,Oboe,x,heavy\n"), 0o644))
	code, stdout, errs := do("import", bad, "-o", out)
	require.Equal(t, 1, code)
	require.Contains(t, stdout, "1 row in 1 new section")
	require.Contains(t, errs, "line 3, instrument: the name is empty")
	require.Contains(t, errs, `line 4, preload_mib: "heavy" is not a size`)
	require.Contains(t, errs, `the column "Odd" is not read; map it with --map "Odd"=...`)

	require.NoError(t, os.WriteFile(bad, []byte("section,name\nWinds,\n"), 0o644))
	none := filepath.Join(dir, "none.json")
	code, stdout, _ = do("import", bad, "-o", none)
	require.Equal(t, 1, code)
	require.Contains(t, stdout, "nothing was written")
	_, err := os.Stat(none)
	require.ErrorIs(t, err, os.ErrNotExist)

	require.NoError(t, os.WriteFile(bad, []byte("Abteilung,Spur\nWinds,Flute\n"), 0o644))
	code, _, errs = do("import", bad, "-o", out, "--map", "Abteilung=section", "--map", "Spur=instrument")
	require.Equal(t, 0, code, errs)
}

// Exit codes: 1 for findings and refusals, 2 for wrong use; errors go to
// standard error and say what to do.
func TestWrongUseAndRefusals(t *testing.T) {
	f := made(t)
	broken := filepath.Join(f.dir, "broken.json")
	require.NoError(t, os.WriteFile(broken, fmt.Appendf(nil, `{"format":"fanfold-template","version":%d}`, templatefile.Version+1), 0o644))
	for name, tc := range map[string]struct {
		args []string
		code int
		says string
	}{
		"unknown command":   {[]string{"sing"}, 2, `there is no command "sing"`},
		"unknown flag":      {[]string{"check", "--loud"}, 2, "unknown flag"},
		"no file":           {[]string{"check"}, 2, "give one file: the template file"},
		"two files":         {[]string{"seat", "a", "b"}, 2, "give one file"},
		"missing file":      {[]string{"check", f.dir + "/none.json"}, 2, "no such file"},
		"newer version":     {[]string{"check", broken}, 1, "use a newer Fanfold"},
		"unknown fold":      {[]string{"route", f.made, "--fold", "finest"}, 2, `there is no fold "finest"; folds are [fine sections]`},
		"unknown call":      {[]string{"load", f.made, "--call", "9M99"}, 2, `there is no call "9M99"`},
		"unknown format":    {[]string{"export", f.made, "--format", "pdf", "-o", "x"}, 2, "formats are template, smf, dawproject, score, rows, routing, routing-pdf, ribbons, seating"},
		"export to nowhere": {[]string{"export", f.made}, 2, "say where to write with -o"},
		"unknown machine":   {[]string{"export", f.made, "--format", "seating", "--machine", "Elm", "-o", "x"}, 2, `there is no machine "Elm"`},
		"import to nowhere": {[]string{"import", f.list}, 2, "say where to write with -o"},
		"bad map":           {[]string{"import", f.list, "-o", "x", "--map", "nonsense"}, 2, "is not HEADING=column"},
		"bad machine":       {[]string{"import", f.list, "-o", "x", "--machine", "Alder:much:16"}, 2, "figures above 0"},
		"a list as file":    {[]string{"check", f.list}, 1, "line 1 is not JSON"},
		"no database":       {[]string{"serve"}, 2, "set DATABASE_URL"},
		"no credential":     {[]string{"host"}, 2, "set FANFOLD_CREDENTIAL"},
		"no memory":         {[]string{"host", "--credential", "a.b", "--memory", "0"}, 2, "are above 0"},
		"bad credential":    {[]string{"host", "--credential", "nonsense"}, 1, "copy it whole"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("DATABASE_URL", "")
			t.Setenv("FANFOLD_CREDENTIAL", "")
			code, out, errs := do(tc.args...)
			require.Equal(t, tc.code, code, "%s%s", out, errs)
			require.Contains(t, errs, tc.says)
			require.Empty(t, out)
		})
	}
}

// A machine too small seats nobody and says why; the file is written all the
// same, for the rest.
func TestSeatSaysWhoIsLeftOver(t *testing.T) {
	f := made(t)
	small := filepath.Join(f.dir, "small.json")
	code, _, errs := do("import", f.list, "-o", small, "--machine", "Alder:1:4")
	require.Equal(t, 0, code, errs)
	code, out, _ := do("seat", small, "-o", small)
	require.Equal(t, 1, code)
	require.Contains(t, out, "Horns a 4                        not seated: needs 974 MiB, more than the 896 MiB of Alder")
	code, out, _ = do("load", small)
	require.Equal(t, 0, code)
	require.Contains(t, out, "have no seat and cannot load")
}

// A SoundFont of Debian's is scanned into a row list, which is imported like
// any other.
func TestScanAFolderIntoRows(t *testing.T) {
	dir := t.TempDir()
	font, err := os.ReadFile("/usr/share/sounds/sf2/TimGM6mb.sf2")
	require.NoError(t, err, "Debian's package timgm6mb-soundfont is needed")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "in", "General"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "General", "font.sf2"), font, 0o644))
	rows, made := filepath.Join(dir, "rows.csv"), filepath.Join(dir, "t.fanfold.json")
	var found struct {
		Patches []struct {
			File, Name string
			Zones      int
			KeyLow     int     `json:"key_low"`
			FullMiB    float64 `json:"full_mib"`
			PreloadMiB float64 `json:"preload_mib"`
		}
		Broken []struct{ File, Reason string }
	}
	object(t, 0, &found, "scan", filepath.Join(dir, "in"), "-o", rows, "--library", "Open sounds", "--preload-kib", "16")
	require.Len(t, found.Patches, 136)
	require.Empty(t, found.Broken)
	for _, p := range found.Patches {
		require.LessOrEqual(t, p.FullMiB, 5764336.0/(1<<20), "no preset is larger than all sound of the font")
		require.Positive(t, p.Zones)
	}
	code, out, errs := do("import", rows, "-o", made)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "136 rows in 1 new section")

	// Two fonts of the same patches, and folders deeper than sections nest: every patch
	// found is a row that comes in, told apart from those of its name.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "General", "twin.sf2"), font, 0o644))
	deep := filepath.Join(dir, "in", filepath.FromSlash(strings.Repeat("a/", template.MaxSectionDepth+3)))
	require.NoError(t, os.MkdirAll(deep, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(deep, "font.sf2"), font, 0o644))
	object(t, 0, &found, "scan", filepath.Join(dir, "in"), "-o", rows)
	code, out, errs = do("import", rows, "-o", made)
	require.Equal(t, 0, code, errs)
	require.Empty(t, errs, "nothing is left out, and nothing said twice")
	require.Contains(t, out, "408 rows in 33 new sections")
	require.Contains(t, out, "1 library, 408 patches")
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "in", "a")))
	require.NoError(t, os.Remove(filepath.Join(dir, "in", "General", "twin.sf2")))

	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "bad.sfz"), []byte("<region> key=zz"), 0o644))
	code, out, errs = do("scan", filepath.Join(dir, "in"))
	require.Equal(t, 1, code)
	require.Contains(t, out, "136 patches, 1 file could not be read")
	require.Contains(t, errs, "bad.sfz: bad.sfz:1: key=zz is not a key")
	code, _, errs = do("scan", filepath.Join(dir, "nowhere"))
	require.Equal(t, 2, code, errs)
	code, _, errs = do("scan", dir, "--preload-kib", "-1")
	require.Equal(t, 2, code, errs)
}

// One demo at a time in a place: the next would stop the first one's database.
func TestOneDemoInAPlace(t *testing.T) {
	dir := t.TempDir()
	first, err := holdPlace(dir)
	require.NoError(t, err)
	for _, args := range [][]string{{"demo", "--dir", dir}, {"demo", "--dir", dir, "--forget"}} {
		code, _, errs := do(args...)
		require.Equal(t, 1, code)
		require.Contains(t, errs, "a demo already runs in "+dir)
	}
	require.NoError(t, first.Close())
	code, _, errs := do("demo", "--dir", dir, "--forget")
	require.Equal(t, 0, code, errs)
	_, err = os.Stat(dir)
	require.ErrorIs(t, err, os.ErrNotExist)
}

func TestHelp(t *testing.T) {
	code, out, _ := do("--help")
	require.Equal(t, 0, code)
	for _, command := range []string{"serve", "demo", "host", "import", "scan", "check", "route", "seat", "load", "export"} {
		require.Contains(t, out, "\n  "+command)
	}
}

// Sizes that may be read in two ways are asked about, and nothing is written until
// somebody has said which.
func TestImportAsksWhichMarkIsMeant(t *testing.T) {
	dir := t.TempDir()
	list, out := filepath.Join(dir, "list.csv"), filepath.Join(dir, "t.json")
	require.NoError(t, os.WriteFile(list, []byte("section,name,library,preload\nWinds,Flute,Millrace Winds,\"1,024\"\n"), 0o644))
	code, _, errs := do("import", list, "-o", out)
	require.NotZero(t, code)
	require.Contains(t, errs, "a size such as 1,024 may be 1024 or 1.024 MiB")
	require.NoFileExists(t, out)
	for decimal, mib := range map[string]string{"point": `"preloadMib": 1024`, "comma": `"preloadMib": 1.024`} {
		code, _, errs = do("import", list, "-o", out, "--decimal", decimal)
		require.Zero(t, code, errs)
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		require.Contains(t, string(data), mib+",")
	}
	code, _, errs = do("import", list, "-o", out, "--decimal", "dot")
	require.Equal(t, 2, code)
	require.Contains(t, errs, "neither point nor comma")
}

// Rows of one name in two sections are two, named by their paths; the gain matrix is
// shown as text, too.
func TestRouteTellsRowsApart(t *testing.T) {
	dir := t.TempDir()
	rows, made := filepath.Join(dir, "rows.csv"), filepath.Join(dir, "t.fanfold.json")
	require.NoError(t, os.WriteFile(rows, []byte("section,instrument,stem\nWinds,Solo,All\nBrass,Solo,All\nBrass,Tutti,All\n"), 0o644))
	code, _, errs := do("import", rows, "-o", made)
	require.Equal(t, 0, code, errs)
	code, out, errs := do("route", made)
	require.Equal(t, 0, code, errs)
	require.Contains(t, out, "All: 3 instruments\n  Winds / Solo\n  Brass / Solo\n  Brass / Tutti\n")
	require.Regexp(t, `(?m)^Gain matrix\ninstrument +destination +dB +chain\nWinds / Solo +All +\+0.00 +dry$`, out)
	require.Regexp(t, `(?m)^Brass / Tutti +Mix +\+0.00 +dry$`, out)
	var routed struct {
		Matrix []struct {
			InstrumentID string `json:"instrument_id"`
		}
	}
	object(t, 0, &routed, "route", made)
	ids := map[string]bool{}
	for _, m := range routed.Matrix {
		ids[m.InstrumentID] = true
	}
	require.Len(t, ids, 3)
}
