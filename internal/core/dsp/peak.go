package dsp

import "math"

// phases is the interpolating filter of ITU-R BS.1770-4, annex 2: four samples for one.
// From memory; TestTruePeakFilter holds it against what it must do.
var phases = [4][12]float64{
	{0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625, 0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500},
	{-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250, 0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375},
	{-0.0189208984375, 0.0330810546875, -0.0582275390625, 0.1015625000000, -0.2003173828125, 0.7797851562500, 0.4650878906250, -0.1665039062500, 0.0891113281250, -0.0517578125000, 0.0292968750000, -0.0291748046875},
	{-0.0083007812500, 0.0148925781250, -0.0266113281250, 0.0476074218750, -0.1022949218750, 0.9721679687500, 0.1373291015625, -0.0594482421875, 0.0332031250000, -0.0196533203125, 0.0109863281250, 0.0017089843750},
}

// Oversampled looks at one channel between its samples.
type Oversampled struct{ last [12]float64 } // the newest first

// OversampledLate is by how much what Peak tells is later than the sample, frames.
const OversampledLate = 6

// Peak takes a sample in and is the highest of the four points around the one that came
// OversampledLate frames before.
func (o *Oversampled) Peak(x float64) (peak float64) {
	copy(o.last[1:], o.last[:11])
	o.last[0] = x
	for n := range phases {
		sum := 0.0
		for k, c := range phases[n] {
			sum += c * o.last[k]
		}
		peak = max(peak, math.Abs(sum))
	}
	return peak
}

// TruePeak finds the highest point between samples of one channel, of four times as many
// points as there are samples, at 48 kHz and near it. It looks between samples only where
// something higher than what it has can be.
type TruePeak struct {
	last [11]float64 // before what comes next
	high float64     // at least the strongest of them
	peak float64
	at   int64
	seen int64
}

// mostBetween is how much higher than the samples around it a point between them can be:
// the sum of the filter's coefficients without their signs.
var mostBetween = func() (most float64) {
	for _, p := range phases {
		sum := 0.0
		for _, c := range p {
			sum += math.Abs(c)
		}
		most = max(most, sum)
	}
	return most
}()

// PieceFrames is how many samples AddPiece takes at most.
const PieceFrames = 32

// Add takes samples in.
func (p *TruePeak) Add(samples []float64) {
	for len(samples) > 0 {
		piece := samples[:min(PieceFrames, len(samples))]
		high := 0.0
		for _, x := range piece {
			if x = math.Abs(x); x > high {
				high = x
			}
		}
		p.AddPiece(piece, high)
		samples = samples[len(piece):]
	}
}

// AddPiece takes at most PieceFrames samples in, of which somebody knows the strongest.
func (p *TruePeak) AddPiece(piece []float64, high float64) {
	if max(high, p.high)*mostBetween > p.peak {
		p.look(piece)
	}
	if n := len(piece); n >= len(p.last) {
		copy(p.last[:], piece[n-len(p.last):])
	} else {
		copy(p.last[:], p.last[n:])
		copy(p.last[len(p.last)-n:], piece)
		high = max(high, p.high) // at least that of what is left of what was before
	}
	p.high = high
	p.seen += int64(len(piece))
}

// even and odd are half of the filters: what the first and the last of phases, and the second and
// the third, have in common when one is read backwards, and in what they differ.
var even, odd = func() (even, odd [2][6]float64) {
	for n := range even {
		for k := range even[n] {
			even[n][k] = (phases[n][k] + phases[n][11-k]) / 2
			odd[n][k] = (phases[n][k] - phases[n][11-k]) / 2
		}
	}
	return even, odd
}()

func (p *TruePeak) look(piece []float64) {
	var all [11 + PieceFrames]float64
	copy(all[:], p.last[:])
	copy(all[len(p.last):], piece)
	peak := p.peak
	for n := range piece {
		w := (*[12]float64)(all[n : n+12])
		// The first and last phase mirror each other, and so do the two between.
		e0, o0, e1, o1 := 0.0, 0.0, 0.0, 0.0
		for k := range 6 {
			sum, differ := w[11-k]+w[k], w[11-k]-w[k]
			e0 += even[0][k] * sum
			o0 += odd[0][k] * differ
			e1 += even[1][k] * sum
			o1 += odd[1][k] * differ
		}
		if high := max(math.Abs(e0)+math.Abs(o0), math.Abs(e1)+math.Abs(o1)); high > peak {
			peak, p.at = high, max(0, p.seen+int64(n)-OversampledLate)
		}
	}
	p.peak = peak
}

// DBTP is the true peak of what came in, dBTP.
func (p *TruePeak) DBTP() float64 { return DB(p.peak) }

// At is the frame near which the true peak was.
func (p *TruePeak) At() int64 { return p.at }

// Level is how strong samples are.
type Level struct {
	RMS  float64 // dBFS: a square wave of full scale is 0, a sine -3.01
	Peak float64 // of the samples, dBFS
	DC   float64 // their mean, of full scale 1
}

// LevelOf measures samples; of none everything is Silence.
func LevelOf(samples []float64) Level {
	if len(samples) == 0 {
		return Level{RMS: Silence, Peak: Silence}
	}
	squares, sum, peak := 0.0, 0.0, 0.0
	for _, x := range samples {
		squares += x * x
		sum += x
		peak = max(peak, math.Abs(x))
	}
	n := float64(len(samples))
	return Level{RMS: PowerDB(squares / n), Peak: DB(peak), DC: sum / n}
}
