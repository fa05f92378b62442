package audit

import (
	"math"
)

// WaveFrames is how many frames one step of a wave has: of each the lowest and the highest sample
// of the first channel and of the second, or of the first again, full scale being 127. What is
// not silent is at least 1.
const WaveFrames = 256

// wave draws a file.
type wave struct {
	low, high [2]float64
	frames    int
	steps     []int8
}

func (w *wave) add(sound [][]float64) {
	for from := 0; from < len(sound[0]); {
		to := min(len(sound[0]), from+WaveFrames-w.frames)
		for side := range w.low {
			low, high := w.low[side], w.high[side]
			for _, v := range sound[min(side, len(sound)-1)][from:to] {
				if v < low {
					low = v
				} else if v > high {
					high = v
				}
			}
			w.low[side], w.high[side] = low, high
		}
		if w.frames += to - from; w.frames == WaveFrames {
			w.end()
		}
		from = to
	}
}

func (w *wave) end() {
	if w.frames == 0 {
		return
	}
	for side := range w.low {
		w.steps = append(w.steps, eighth(w.low[side]), eighth(w.high[side]))
	}
	*w = wave{steps: w.steps}
}

// eighth is a sample in eight bits, away from zero.
func eighth(v float64) int8 {
	return int8(max(-127, min(127, math.Copysign(math.Ceil(math.Abs(v)*127), v))))
}
