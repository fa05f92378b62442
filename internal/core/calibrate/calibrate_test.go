package calibrate

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
)

const rate = 48000

// made is what a made-up row does: the truth that a measurement must find.
type made struct {
	gain     float64 // of the middle note, dBFS RMS
	dynamics float64 // from soft to strong, dB
	delay    float64 // ms
	position float64 // degrees
	cents    float64
	noise    float64 // dBFS RMS
	decay    float64 // s
	dead     bool
	same     bool // whatever the articulation
}

// memory is a recording in memory.
type memory struct{ channels [][]float64 }

func (m memory) RateHz() float64 { return rate }
func (m memory) Channels() int   { return len(m.channels) }
func (m memory) Frames() int64   { return int64(len(m.channels[0])) }
func (m memory) ReadAt(into [][]float64, from int64) (int, error) {
	if from >= m.Frames() {
		return 0, io.EOF
	}
	n := 0
	for c := range into {
		n = copy(into[c], m.channels[c][from:])
	}
	return n, nil
}

// perform plays a schedule as its made-up rows would, late by so much.
func perform(s Schedule, rows []made, late float64) memory {
	out := memory{[][]float64{make([]float64, int((s.Seconds+late+1)*rate)), make([]float64, int((s.Seconds+late+1)*rate))}}
	dice := rand.New(rand.NewPCG(9, 9))
	for _, e := range s.Events {
		r := rows[e.Row]
		angle := (r.position + 45) * math.Pi / 180
		left, right := math.Cos(angle), math.Sin(angle)
		switch {
		case e.Kind == Silence: // its player is awake from here on
			from, to := int((e.At+late)*rate), int((e.At+late+16)*rate)
			for _, next := range s.Events {
				if next.Kind == Silence && next.At > e.At && s.Rows[next.Row].Pair == s.Rows[e.Row].Pair {
					to = min(to, int((next.At+late)*rate))
				}
			}
			for n := from; n < min(to, len(out.channels[0])); n++ {
				for c := range out.channels {
					out.channels[c][n] += dice.NormFloat64() * dsp.Amplitude(r.noise) / math.Sqrt2
				}
			}
			continue
		case r.dead:
			continue
		}
		delay := r.delay / 1000
		if e.Kind == Click {
			delay = 0
		}
		db := r.gain + r.dynamics*float64(e.Strength-Strengths[1])/float64(Strengths[2]-Strengths[0])
		hz := dsp.KeyHz(e.Key) * math.Exp2(r.cents/1200)
		harmonics := []float64{1, .5, .3, .2}
		if e.Way == "staccato" && !r.same {
			harmonics = []float64{1, .1, .6, .8}
		}
		sum := 0.0
		for _, h := range harmonics {
			sum += h * h / 2
		}
		amplitude := dsp.Amplitude(db) / math.Sqrt(sum)
		start, stop := (e.At + late + delay), e.Seconds
		for n := int(start * rate); n < len(out.channels[0]); n++ {
			at := float64(n)/rate - start
			if at < 0 {
				continue
			}
			a := amplitude
			if at > stop {
				if a *= dsp.Amplitude(-60 * (at - stop) / r.decay); a < 1e-7 {
					break
				}
			}
			x := 0.0
			for k, h := range harmonics {
				x += h * math.Cos(2*math.Pi*hz*float64(k+1)*at)
			}
			out.channels[0][n] += a * x * left
			out.channels[1][n] += a * x * right
		}
	}
	return out
}

func one(ways ...string) Row { return Row{ID: "x", Name: "Flute", Low: 59, High: 98, Ways: ways} }

// The figures that must come back: gain within 0.2 dB, delay within 1 ms, position within 2
// degrees, pitch within 5 cents, noise within 1 dB, decay within 10 %.
func TestWhatIsPutInComesBack(t *testing.T) {
	dice := rand.New(rand.NewPCG(7, 7))
	for range 12 {
		f := func(low, high float64) float64 { return low + (high-low)*dice.Float64() }
		truth := made{gain: f(-36, -14), dynamics: f(6, 30), delay: f(0, 150), position: f(-40, 40), cents: f(-60, 60), noise: f(-90, -70), decay: f(.15, 2)}
		click := made{gain: -18, dynamics: 10, noise: -90, decay: .2}
		middle := 40 + dice.IntN(45)
		s := New([]Row{{ID: "click", Name: "Woodblock", Low: 60, High: 72, Percussed: true}, {ID: "x", Name: "Row", Low: middle - 12, High: middle + 12}})
		got, err := s.Measure(0, perform(s, []made{click, truth}, f(0, 20)))
		require.NoError(t, err)
		require.Len(t, got, 2)
		x := got[1]
		what := func(name string) string { return fmt.Sprintf("%s of %+v on key %d", name, truth, middle) }
		require.Empty(t, x.Fault)
		require.False(t, x.Silent)
		require.InDelta(t, truth.gain, x.Levels[1], .2, what("gain"))
		require.InDelta(t, truth.dynamics, x.DynamicDB(), .3, what("dynamics"))
		require.InDelta(t, truth.delay, x.StartMs, 1, what("delay"))
		require.InDelta(t, truth.position, x.Position, 2, what("position"))
		require.InDelta(t, truth.cents, x.Cents, 5, what("cents"))
		require.InDelta(t, truth.noise, x.Noise, 1, what("noise"))
		require.InEpsilon(t, truth.decay, x.DecayS, .1, what("decay"))
	}
}

// Rows on two pairs play at once; dead ones, switches that do not switch, recordings that
// end too soon and an octave too high are told.
func TestWhatIsWrongIsTold(t *testing.T) {
	rows := []Row{
		{ID: "a", Name: "Claves", Low: 60, High: 72, Percussed: true}, one("long", "staccato"), one("long", "staccato"), {ID: "d", Name: "Horn", Pair: 1, Low: 40, High: 76},
		{ID: "e", Name: "Tuba", Pair: 1, Low: 30, High: 60},
	}
	truth := made{gain: -20, dynamics: 12, noise: -85, decay: .3}
	dead, alike, high := truth, truth, truth
	dead.dead, alike.same, high.cents = true, true, 1200
	s := New(rows)
	require.Equal(t, 2, s.Pairs)
	require.Less(t, s.Seconds, 60.0)
	all := []made{truth, truth, alike, high, dead}
	split := func(pair int) memory {
		only := s
		only.Events = nil
		for _, e := range s.Events {
			if s.Rows[e.Row].Pair == pair {
				only.Events = append(only.Events, e)
			}
		}
		return perform(only, all, 1)
	}
	first, err := s.Measure(0, split(0))
	require.NoError(t, err)
	require.Empty(t, first[1].Alike, "a switch that switches")
	require.Equal(t, [][2]string{{"long", "staccato"}}, first[2].Alike)
	second, err := s.Measure(1, split(1))
	require.NoError(t, err)
	require.InDelta(t, 1200, second[0].Cents, 5, "an octave too high")
	require.True(t, second[1].Silent)
	require.False(t, second[0].Silent)

	short := split(0)
	for c := range short.channels {
		short.channels[c] = short.channels[c][:20*rate]
	}
	got, err := s.Measure(0, short)
	require.NoError(t, err)
	require.Empty(t, got[0].Fault)
	require.Equal(t, "the recording ends before it", got[2].Fault)

	_, err = s.Measure(0, memory{[][]float64{make([]float64, 100*rate)}})
	require.ErrorContains(t, err, "no click is heard in the first 60 s")
	_, err = s.Measure(0, memory{make([][]float64, 3)})
	require.ErrorContains(t, err, "3 channels")
}

// About 450 rows take less than two hours on one pair, and a quarter of an hour on eight;
// nobody of one pair plays before the one before has died away; and every note that is
// measured is one that the row plays.
func TestSchedules(t *testing.T) {
	rows := func(pairs int) []Row {
		var out []Row
		for n := range 450 {
			out = append(out, Row{Name: fmt.Sprint(n), Pair: n % pairs, Low: 40, High: 80, Ways: []string{"long", "staccato", "legato"}})
		}
		return out
	}
	require.Less(t, New(rows(1)).Seconds, 2*3600.0)
	require.Less(t, New(rows(8)).Seconds, 15*60.0)
	s := New(rows(3))
	last := map[int]Event{}
	notes := map[int]int{}
	for _, e := range s.Events {
		if e.Kind == Click {
			continue
		}
		pair := s.Rows[e.Row].Pair
		if was, known := last[pair]; known {
			gap := beside - 1e-9
			if was.Row != e.Row {
				gap = tail
			}
			if was.Kind != Silence {
				require.GreaterOrEqual(t, e.At-was.At-was.Seconds, gap-1e-9)
			}
		}
		last[pair] = e
		if e.Kind != Silence {
			notes[e.Row]++
		}
	}
	for n := range s.Rows {
		p := s.Part(n)
		extra := 0
		if n < 3 {
			extra = 1 // the click
		}
		require.Len(t, p.Notes, notes[n]+extra)
		require.Len(t, p.Controls, len(p.Notes))
	}
}
