package templatefile_test

import (
	"bytes"
	"context"
	"flag"
	"os"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/templatefile"
)

var update = flag.Bool("update", false, "write the golden file anew")

const golden = "testdata/salt-lantern.fanfold.json"

// The demo template is written byte for byte as before, and comes back
// identical. The web tests check the same file against the published schema
// with another validator.
func TestGoldenAndBack(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, templatefile.Write(&out, lantern))
	if *update {
		require.NoError(t, os.WriteFile(golden, out.Bytes(), 0o644))
	}
	want, err := os.ReadFile(golden)
	require.NoError(t, err)
	require.True(t, bytes.Equal(want, out.Bytes()), "it differs from %s; see it with: go test ./internal/format/templatefile -update && git diff", golden)
	back, err := templatefile.Read(bytes.NewReader(want))
	require.NoError(t, err)
	var again bytes.Buffer
	require.NoError(t, templatefile.Write(&again, back))
	require.Equal(t, out.String(), again.String())
}

func TestBadFilesAreRefusedByName(t *testing.T) {
	data, err := os.ReadFile(golden)
	require.NoError(t, err)
	for name, tc := range map[string]struct{ old, new, says string }{
		"newer version":  {`"version": 9`, `"version": 10`, "the file is version 10, this program reads up to version 9"},
		"other format":   {`"fanfold-template"`, `"something"`, `it says "something"`},
		"dangling route": {`"to": "bus-3"`, `"to": "bus-99999"`, "no bus has the id"},
		"wrong type":     {`"cores": 16`, `"cores": "many"`, "template.machines.0.cores"},
		"unknown field":  {`"cores": 16`, `"cores": 16, "colour": 1`, "additional properties"},
		"out of range":   {`"channel": 16`, `"channel": 17`, "channel"},
		"cut off":        {"\n}\n", "", "is not JSON"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := templatefile.Read(strings.NewReader(strings.Replace(string(data), tc.old, tc.new, 1)))
			require.ErrorContains(t, err, tc.says)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(`{"format":"fanfold-template","version":1,"template":{}}`))
	var small bytes.Buffer
	require.NoError(f, templatefile.Write(&small, coretest.Orchestra(2, 1)))
	f.Add(small.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		back, err := templatefile.Read(bytes.NewReader(data))
		if err == nil {
			require.NoError(t, back.Validate())
		}
	})
}

// A file of the first version, as Fanfold wrote it then, is read still and
// becomes one of the present version.
func TestTheFirstVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-1.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	require.Len(t, old.Instruments, 2)
	var now bytes.Buffer
	require.NoError(t, templatefile.Write(&now, old))
	back, err := templatefile.Read(&now)
	require.NoError(t, err)
	require.Equal(t, old.Instruments, back.Instruments)

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"calls": []`, `"calls": [], "vocabulary": []`, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// Likewise a file of the second version, without stem rules and return sets.
func TestTheSecondVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-2.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	require.Len(t, old.Instruments, 1)
	var now bytes.Buffer
	require.NoError(t, templatefile.Write(&now, old))
	require.Contains(t, now.String(), `"version": 9`)

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"calls": []`, `"calls": [], "rules": []`, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// And one of the third, which says nothing of how plans seat.
func TestTheThirdVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-3.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	require.Len(t, old.Rules, 1)
	require.Zero(t, old.Settings.Seating)
	require.Equal(t, template.StandardWeights(), old.PlanWeights())

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"riserPorts": 8`, `"riserPorts": 8, "seating": {}`, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// And one of the fourth, which knows of plans, but of no kept or printed rows.
func TestTheFourthVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-4.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	require.Len(t, old.Settings.Seating.Wishes, 1)
	require.True(t, old.Instruments[0].SeatByHand)

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"seatByHand": true`, `"seatByHand": true, "keep": true`, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// And one of the fifth, whose printed rows name a file that is not kept.
func TestTheFifthVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-5.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	require.Equal(t, &template.Printed{File: "Cue.wav", Seconds: 61.5}, old.Instruments[0].Printed)

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"file": "Cue.wav",`, `"file": "Cue.wav", "audio": "00",`, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// And one of the sixth, which knows of recordings that the studio keeps, but of no levels.
func TestTheSixthVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-6.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	require.Equal(t, strings.Repeat("0f", 32), old.Instruments[0].Printed.Audio)

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"gainDb": `, `"levelTrimDb": 1, "gainDb": `, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// And one of the seventh, which has levels, with tones in octaves.
func TestTheSeventhVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-7.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	h := old.Instruments[0].Heard
	require.Len(t, h.Tone(), 30)
	require.InDelta(t, -20-4.77, h.Tone()[13], .01)
	require.False(t, old.HeardBefore(old.Instruments[0]), "it was not noted what it played then")

	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"octaves": `, `"of": "1z", "octaves": `, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
}

// And one of the eighth, which has no rows that are set aside; one of today has.
func TestTheEighthVersionIsReadStill(t *testing.T) {
	data, err := os.ReadFile("testdata/version-8.fanfold.json")
	require.NoError(t, err)
	old, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	_, err = templatefile.Read(strings.NewReader(strings.Replace(string(data), `"routes": `, `"aside": true, "routes": `, 1)))
	require.ErrorContains(t, err, "additional properties", "what came later is not in it")
	i := old.Instruments[0]
	i.Aside = true
	var file bytes.Buffer
	require.NoError(t, templatefile.Write(&file, old))
	now, err := templatefile.Read(&file)
	require.NoError(t, err)
	require.True(t, now.Instruments[0].Aside)
	require.False(t, now.Instruments[0].Loads(), "and takes no memory")
}

// What was measured of a row, and its level trim, go to the file and back.
func TestLevelsTravel(t *testing.T) {
	data, err := os.ReadFile("testdata/version-6.fanfold.json")
	require.NoError(t, err)
	was, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	cents := -3.5
	i := was.Instruments[0]
	i.LevelTrimDB = -4.5
	i.Heard = &template.Heard{By: template.ByCalibration, On: "2026-01-02T03:04:05Z", Levels: [3]float64{-40, -20, -10}, Peak: -3, Noise: -90, Of: "1z", Thirds: make([]float64, 30), Cents: &cents, Alike: [][2]string{{"long", "legato"}}}
	var file bytes.Buffer
	require.NoError(t, templatefile.Write(&file, was))
	text := file.String()
	back, err := templatefile.Read(&file)
	require.NoError(t, err)
	require.Equal(t, i, back.Instruments[0])
	_, err = templatefile.Read(strings.NewReader(strings.Replace(text, `"by": "calibration"`, `"by": "guess"`, 1)))
	require.ErrorContains(t, err, "by")
}

// What a call's music asks for, kept and printed rows go to the file and back.
func TestCallsFromMusicTravel(t *testing.T) {
	data, err := os.ReadFile("testdata/version-4.fanfold.json")
	require.NoError(t, err)
	was, err := templatefile.Read(bytes.NewReader(data))
	require.NoError(t, err)
	i := was.Instruments[0]
	i.Keep = true
	i.Printed = &template.Printed{File: "Cue.wav", Seconds: 61.5, Call: "cue", Music: "f00d", Audio: strings.Repeat("0f", 32)}
	was.Calls = append(was.Calls, &template.Call{ID: "cue", Name: "1M01", Instruments: []template.ID{i.ID}, Uses: []template.Use{
		{Instrument: i.ID, Articulations: []string{"staccato"}, Keys: []template.UsedKey{{Key: 60, Low: 1, High: 127}}, Notes: 2, Music: "f00d"},
	}})
	var file bytes.Buffer
	require.NoError(t, templatefile.Write(&file, was))
	text := file.String()
	back, err := templatefile.Read(&file)
	require.NoError(t, err)
	require.Equal(t, was.Calls, back.Calls)
	require.Equal(t, i, back.Instruments[0])

	_, err = templatefile.Read(strings.NewReader(strings.Replace(text, `"low": 1,`, `"low": 0,`, 1)))
	require.ErrorContains(t, err, "uses")
	_, err = templatefile.Read(strings.NewReader(strings.Replace(text, `"high": 127`, `"high": 0`, 1)))
	require.Error(t, err)
}

// What is packed is what is written, and both are unpacked, for the demo's template
// and for any that changes make of it.
func TestPackedIsWhatIsWritten(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	same := func(t require.TestingT, x *template.Template) {
		var file, packed, again bytes.Buffer
		require.NoError(t, templatefile.Write(&file, x))
		require.NoError(t, templatefile.Pack(&packed, x))
		require.Less(t, packed.Len(), file.Len())
		for _, data := range [][]byte{packed.Bytes(), file.Bytes()} {
			back, err := templatefile.Unpack(bytes.NewReader(data))
			require.NoError(t, err)
			again.Reset()
			require.NoError(t, templatefile.Write(&again, back))
			require.Equal(t, file.String(), again.String())
		}
	}
	same(t, lantern)
	rapid.Check(t, func(r *rapid.T) {
		x := coretest.Orchestra(12, 2)
		for range 6 {
			if after, _, err := change.Apply(x, coretest.Anything(x).Draw(r, "change")); err == nil {
				x = after
			}
		}
		same(r, x)
	})
}

// A packed template that is damaged is refused, never half-read.
func FuzzUnpack(f *testing.F) {
	for _, rows := range []int{1, 8} {
		var packed bytes.Buffer
		require.NoError(f, templatefile.Pack(&packed, coretest.Orchestra(rows, 1)))
		f.Add(packed.Bytes())
		f.Add(packed.Bytes()[:packed.Len()/2])
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		x, err := templatefile.Unpack(bytes.NewReader(data))
		if err == nil {
			require.NoError(t, x.Validate())
		}
	})
}

// A file of very many wrong things is refused at the first of them, in memory that its
// length bounds, and reading ends with who asked for it.
func TestHopelessFilesAreRefusedAtOnce(t *testing.T) {
	var good bytes.Buffer
	require.NoError(t, templatefile.Write(&good, template.New("t", "T")))
	bomb := strings.Replace(good.String(), `"instruments": []`, `"instruments": [`+strings.TrimSuffix(strings.Repeat("{},", 2<<20), ",")+`]`, 1)
	row := `{"id":"i","name":"I","section":"s","kind":"sampled","routes":[` + strings.TrimSuffix(strings.Repeat("{},", 1<<20), ",") + `]}`
	deep := strings.Replace(good.String(), `"instruments": []`, `"instruments": [`+row+`]`, 1)
	many := strings.Replace(good.String(), `"sections": []`, `"sections": [`+strings.TrimSuffix(strings.Repeat(`{"id":"s","name":"S"},`, 200_001), ",")+`]`, 1)
	for name, x := range map[string]struct{ text, path, says string }{
		"empty rows":     {bomb, "template.instruments.0", "missing"},
		"empty routes":   {deep, "template.instruments.0.routes", ""},
		"many sections":  {many, "template.sections", "holds more than 200000"},
		"NUL":            {strings.Replace(good.String(), `"name": "T"`, `"name": "T\u0000"`, 1), "template.name", "NUL"},
		"said twice":     {strings.Replace(good.String(), `"instruments": []`, `"instruments": [], "instruments": []`, 1), "instruments", "says it twice"},
		"not an object":  {`{"format":"fanfold-template","version":7,"template":[]}`, "template", "not an object"},
		"a list is none": {strings.Replace(good.String(), `"instruments": []`, `"instruments": {}`, 1), "template.instruments", "not a list"},
	} {
		t.Run(name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&before)
			_, err := templatefile.Read(strings.NewReader(x.text))
			runtime.ReadMemStats(&after)
			var bad *templatefile.Bad
			require.ErrorAs(t, err, &bad)
			require.Contains(t, bad.Path, x.path)
			require.Contains(t, bad.Reason, x.says)
			require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(len(x.text))*200+32<<20, "of all that was ever asked for, most is let go of at once")
		})
	}
	gone, stop := context.WithCancel(t.Context())
	stop()
	_, err := templatefile.ReadWithin(gone, strings.NewReader(deep))
	require.ErrorIs(t, err, context.Canceled)
}
