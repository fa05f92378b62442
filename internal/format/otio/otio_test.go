package otio_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/otio"
)

var film = timecode.Rate{Num: 24, Den: 1}

func rational(value, rate float64) string {
	return fmt.Sprintf(`{"OTIO_SCHEMA":"RationalTime.1","value":%g,"rate":%g}`, value, rate)
}

func timeRange(start, long, rate float64) string {
	return fmt.Sprintf(`{"OTIO_SCHEMA":"TimeRange.1","start_time":%s,"duration":%s}`, rational(start, rate), rational(long, rate))
}

func timeline(children string) string {
	return `{"OTIO_SCHEMA":"Timeline.1","name":"R1","global_start_time":` + rational(86400, 24) + `,"tracks":{"OTIO_SCHEMA":"Stack.1","children":[
		{"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[]},
		{"OTIO_SCHEMA":"Track.1","kind":"Video","children":[` + children + `]}]}}`
}

// Clips of both versions, a gap, a dissolve that lies around its cut, a speed, a still, a time
// at another rate, a nested sequence, and what is not known.
func TestAWholeFile(t *testing.T) {
	got, err := otio.Read(strings.NewReader(timeline(strings.Join([]string{
		`{"OTIO_SCHEMA":"Clip.1","name":"Lamp","source_range":` + timeRange(100, 48, 24) + `,"media_reference":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"file:///cards/A001/A001_C002.mov"}}`,
		`{"OTIO_SCHEMA":"Gap.1","source_range":` + timeRange(0, 12, 24) + `}`,
		`{"OTIO_SCHEMA":"Clip.2","name":"Sea","source_range":` + timeRange(0, 2, 1) + `,"active_media_reference_key":"HI","media_references":{"HI":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"B.mov"}},"effects":[{"OTIO_SCHEMA":"LinearTimeWarp.1","time_scalar":0.5},{"OTIO_SCHEMA":"Glow.9"}]}`,
		`{"OTIO_SCHEMA":"Transition.1","in_offset":` + rational(6, 24) + `,"out_offset":` + rational(4, 24) + `}`,
		`{"OTIO_SCHEMA":"Clip.1","name":"Door","source_range":` + timeRange(50, 24, 24) + `,"effects":[{"OTIO_SCHEMA":"FreezeFrame.1"}]}`,
		`{"OTIO_SCHEMA":"Stack.1","name":"Titles","source_range":` + timeRange(0, 10, 24) + `,"children":[]}`,
		`{"OTIO_SCHEMA":"Puppet.3"}`,
	}, ","))), film, 0)
	require.NoError(t, err)
	require.Equal(t, "R1", got.Title)
	require.Equal(t, []cut.Event{
		{Number: "1", Source: "A001_C002.mov", Clip: "Lamp", In: 100, Start: 86400, End: 86448},
		{Number: "2", Source: "B.mov", Clip: "Sea", In: 0, Start: 86460, End: 86502, Speed: .5},
		{Number: "3", Clip: "Door", In: 44, Start: 86502, End: 86532, Fade: 10, Still: true},
		{Number: "4", Clip: "Titles", Start: 86532, End: 86542},
	}, got.Events)
	require.Equal(t, []string{"left out: 1 × Glow.9, which is not known", "left out: 1 × Puppet.3, which is not known", "2 times are given at another rate than 24; they are taken to the nearest frame"}, got.Notes)
}

func TestWhatIsRefused(t *testing.T) {
	for text, says := range map[string]string{
		`{}`: "not an OpenTimelineIO file", `[1`: "read OpenTimelineIO file", timeline(``): "no video track",
		timeline(`{"OTIO_SCHEMA":"Clip.1","name":"Lamp"}`):                                                                                                          `the clip "Lamp" does not say how long it is`,
		timeline(`{"OTIO_SCHEMA":"Clip.1","name":"Lamp","source_range":` + timeRange(0, -4, 24) + `}`):                                                              `the clip "Lamp" lasts -4 frames`,
		timeline(`{"OTIO_SCHEMA":"Clip.1","name":"Lamp","source_range":` + timeRange(0, 1, 0) + `}`):                                                                "is not possible",
		timeline(`{"OTIO_SCHEMA":"Clip.1","name":"Lamp","source_range":` + timeRange(0, 9e9, 24) + `}`):                                                             "outside of a day",
		timeline(`{"OTIO_SCHEMA":"Gap.1","source_range":` + timeRange(0, 9, 24) + `}`):                                                                              "no picture",
		timeline(strings.Repeat(`{"OTIO_SCHEMA":"Track.1","children":[`, 40) + strings.Repeat(`]}`, 40)):                                                            "more than 16 deep",
		timeline(`{"OTIO_SCHEMA":"Clip.1","source_range":{"start_time":{"value":"x"}}}`):                                                                            "read OpenTimelineIO file",
		timeline(`{"OTIO_SCHEMA":"Transition.1","in_offset":` + rational(-5, 24) + `}`):                                                                             "lasts -5 frames",
		timeline(`{"OTIO_SCHEMA":"Gap.1","source_range":` + timeRange(0, -9, 24) + `}`):                                                                             "lasts -9 frames",
		timeline(`{"OTIO_SCHEMA":"Clip.1","name":"a","source_range":` + timeRange(0, 9, 24) + `,"effects":[{"OTIO_SCHEMA":"LinearTimeWarp.1","time_scalar":1e9}]}`): "runs at 1e+09 times",
	} {
		_, err := otio.Read(strings.NewReader(text), film, 0)
		require.ErrorContains(t, err, says)
	}
}

// A list that is written is read as it was.
func TestThereAndBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		rate := rapid.SampledFrom(timecode.Rates).Draw(r, "rate").Rate
		l := cut.List{Title: "Film", Rate: rate}
		at := rapid.Int64Range(0, 90_000).Draw(r, "from")
		for n := range rapid.IntRange(1, 12).Draw(r, "events") {
			if n > 0 {
				at += rapid.Int64Range(0, 20).Draw(r, "gap")
			}
			length := rapid.Int64Range(1, 400).Draw(r, "length")
			e := cut.Event{Number: fmt.Sprint(n + 1), Source: rapid.StringMatching(`[A-Z]{1,3}\.mov`).Draw(r, "source"), Clip: rapid.StringMatching(`[a-z ]{0,9}`).Draw(r, "clip"), In: rapid.Int64Range(0, 100_000).Draw(r, "in"), Start: at, End: at + length}
			e.Still = rapid.Bool().Draw(r, "still")
			if !e.Still && rapid.Bool().Draw(r, "slow") {
				e.Speed = .5
			}
			if n > 0 && l.Events[n-1].End == at && rapid.Bool().Draw(r, "dissolve") {
				e.Fade = rapid.Int64Range(1, length).Draw(r, "fade")
			}
			at += length
			l.Events = append(l.Events, e)
		}
		var b bytes.Buffer
		require.NoError(r, otio.Write(&b, l.Timeline()))
		got, err := otio.Read(&b, rate, 7)
		require.NoError(r, err)
		require.Empty(r, got.Notes)
		require.Equal(r, l, got.List)
	})
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(timeline(`{"OTIO_SCHEMA":"Clip.1","name":"Lamp","source_range":` + timeRange(100, 48, 24) + `}`)))
	f.Add([]byte(timeline(`{"OTIO_SCHEMA":"Transition.1","in_offset":` + rational(6, 24) + `},{"OTIO_SCHEMA":"Clip.1","source_range":` + timeRange(1, 2, 24) + `}`)))
	f.Fuzz(func(t *testing.T, data []byte) {
		l, err := otio.Read(bytes.NewReader(data), film, 0)
		if err != nil {
			return
		}
		_, err = cut.Checked(film, l.Events)
		require.NoError(t, err)
		require.NoError(t, otio.Write(&bytes.Buffer{}, l.Timeline()))
	})
}

// Sound on tracks of its own: every track begins with the timeline, and its gaps and clips end where
// the events do; the picture is read back from beside them.
func TestSoundBesideAPicture(t *testing.T) {
	rate := timecode.Rate{Num: 24_000, Den: 1001}
	line := cut.Timeline{Title: "Salt", Rate: rate, Tracks: []cut.Track{
		{Name: "Music 1", Sound: true, Events: []cut.Event{{Source: "1M01", Clip: "1M01 Salt", In: 86_500, Start: 86_500, End: 87_000}, {Source: "1M03", Start: 88_000, End: 88_100}}},
		{Name: "Music 2", Sound: true, Events: []cut.Event{{Source: "1M02", Start: 86_900, End: 87_500}}},
		{Name: "Picture", Events: []cut.Event{{Number: "1", Source: "R1", Clip: "Lamp", In: 10, Start: 86_400, End: 88_000}}},
	}}
	var b bytes.Buffer
	require.NoError(t, otio.Write(&b, line))
	type span struct {
		Start struct{ Value, Rate float64 } `json:"start_time"`
		Long  struct{ Value, Rate float64 } `json:"duration"`
	}
	var got struct {
		Begin  struct{ Value, Rate float64 } `json:"global_start_time"`
		Tracks struct {
			Children []struct {
				Kind, Name string
				Children   []struct {
					Schema string `json:"OTIO_SCHEMA"`
					Range  span   `json:"source_range"`
					Media  *struct {
						URL string `json:"target_url"`
					} `json:"media_reference"`
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal(b.Bytes(), &got))
	require.EqualValues(t, 86_400, got.Begin.Value)
	for n, track := range got.Tracks.Children {
		require.Equal(t, line.Tracks[n].Name, track.Name)
		require.Equal(t, map[bool]string{true: "Audio", false: "Video"}[line.Tracks[n].Sound], track.Kind)
		at, k := got.Begin.Value, 0
		for _, c := range track.Children {
			end := at + c.Range.Long.Value
			require.InDelta(t, 23.976, c.Range.Long.Rate, .001)
			if c.Schema == "Clip.1" {
				e := line.Tracks[n].Events[k]
				require.EqualValues(t, []float64{float64(e.Start), float64(e.End), float64(e.In)}, []float64{at, end, c.Range.Start.Value})
				require.Equal(t, e.Source, c.Media.URL)
				k++
			}
			at = end
		}
		require.Equal(t, len(line.Tracks[n].Events), k)
	}
	back, err := otio.Read(&b, rate, 0)
	require.NoError(t, err)
	require.Equal(t, line.Tracks[2].Events, back.Events)
}
