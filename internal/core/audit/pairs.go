package audit

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/share"
)

// One sound in two files is found by their phases: where both hold the same samples, the
// phases of all their frequencies differ by one delay, whatever else each of them holds
// (generalised cross-correlation with phase transform: Knapp and Carter, 1976). Two sounds
// that only resemble each other agree at a few frequencies and not at one delay. Two that begin
// at once, or ring in one hall, may agree in phases; they do not agree in one gain.

// The bounds of looking for one sound in two files.
const (
	// pairRateHz is about the rate at which it is looked, Hz, and spanS over how many seconds
	// together.
	pairRateHz, spanS = 8000, 10
	// lowestHz is from where on it is looked, Hz: below, all music agrees.
	lowestHz = 150.0
	// samePhase is the share of frequencies that must agree, and aboveOthers how much more
	// than at any other delay.
	samePhase, aboveOthers = .06, 2.0
	// aboveChance is how far above what chance gives a peak must be: seven times.
	aboveChance = 7
	// besideMS is how near other delays belong to the same peak, ms.
	besideMS = 6
	// mostApartMS is the longest delay, ms, between two files of one sound.
	mostApartMS = 400
	// quietPower is the power below which a second counts as silent: -80 dBFS.
	quietPower = 1e-8
)

// slow is a track at a low rate: its spectrum of this second with all levels even.
type slow struct {
	t      *track
	low    *decimator
	sound  []float64 // of this second
	phases []complex128
	heard  bool // it is not silent
}

// bench is what a spectrum is computed with, used again and again.
type bench struct {
	fft      *fourier.FFT
	all      []float64 // a second before it is brought down
	padded   []float64 // sound, or what comes of a spectrum
	spectrum []complex128
}

type pair struct {
	a, b  *slow
	kind  string
	sum   []complex64
	count int
	found []samePlace
}

type samePlace struct {
	from, to int // s
	late     int // at the low rate
	share    float64
	levelDB  float64 // of b in a
}

// pairs looks for one sound in two files.
type pairs struct {
	run   *run
	slows []*slow
	pairs []*pair
	by    int // every so many samples one is kept
	size  int // of the spectra
	rate  float64
	from  int
	free  sync.Pool       // of *bench
	past  [][]([]float64) // of each slow, the seconds of the span
	shape []float64
}

func (r *run) newPairs() *pairs {
	p := &pairs{run: r, by: max(1, r.report.RateHz/pairRateHz)}
	p.rate = float64(r.report.RateHz) / float64(p.by)
	frames := r.frames / p.by
	for p.size = 1; p.size < 2*frames; {
		p.size *= 2
	}
	p.free.New = func() any {
		return &bench{fft: fourier.NewFFT(p.size), padded: make([]float64, p.size), spectrum: make([]complex128, p.size/2+1)}
	}
	p.shape = hann(frames)
	for _, t := range r.tracks {
		if t.sum && (t.Role == Stem || t.Role == Guide) {
			p.slows = append(p.slows, &slow{t: t, low: newDecimator(p.by)})
		}
	}
	p.past = make([][][]float64, len(p.slows))
	for _, a := range p.slows {
		for _, b := range p.slows {
			kind := kindOf(&a.t.File, &b.t.File)
			if kind == "" || kind != "guide-leak" && a.t.at > b.t.at {
				continue
			}
			p.pairs = append(p.pairs, &pair{a: a, b: b, kind: kind, sum: make([]complex64, p.size/2+1)})
		}
	}
	return p
}

// kindOf is what it would be if the sound of b were in a; empty where that is right.
func kindOf(a, b *File) string {
	switch {
	case a == b || a.Role != Stem:
		return ""
	case b.Role == Guide:
		return "guide-leak"
	case b.Role != Stem || a.Name == b.Name || !slices.ContainsFunc(a.Folds, func(id string) bool { return slices.Contains(b.Folds, id) }):
		return ""
	case a.Carries == Wet && b.Carries == Dry || a.Carries == Dry && b.Carries == Wet:
		return "wet-in-dry"
	}
	return "same-sound"
}

// window takes the present second in.
func (p *pairs) second(second int) {
	if len(p.pairs) == 0 {
		return
	}
	share.Out(len(p.slows), func(n int) {
		s, past := p.slows[n], p.past[n]
		var into []float64 // of a span that is over
		if len(past) < cap(past) {
			into = past[:len(past)+1][len(past)]
		}
		s.take(p, into)
		p.past[n] = append(past, s.sound)
	})
	share.Out(len(p.pairs), func(n int) { p.pairs[n].add(p, lowestHz) })
	if second-p.from+1 == spanS {
		p.look(second + 1)
	}
}

func (p *pairs) end() {
	if len(p.pairs) > 0 && len(p.past[0]) > 0 {
		p.look(p.from + len(p.past[0]))
	}
	p.finish()
}

// take brings the present second of a track down to the low rate, and to its phases.
func (s *slow) take(p *pairs, into []float64) {
	b := p.bench()
	defer p.free.Put(b)
	s.sound, b.all = s.low.run(s.t.windows[present], b.all, into)
	s.heard = dot(s.sound, s.sound)/float64(len(s.sound)) >= quietPower
	if !s.heard {
		return
	}
	s.phases = b.fft.Coefficients(s.phases, b.shaped(p.shape, s.sound))
	for k, v := range s.phases {
		if a := real(v)*real(v) + imag(v)*imag(v); a > 0 {
			a = 1 / math.Sqrt(a)
			s.phases[k] = complex(real(v)*a, imag(v)*a)
		}
	}
}

func (p *pairs) bench() *bench { return p.free.Get().(*bench) } //nolint:forcetypeassert // nothing else is put there

// shaped is a sound in a window, filled up with silence.
func (b *bench) shaped(window, sound []float64) []float64 {
	clear(b.padded)
	for k, w := range window[:min(len(window), len(sound))] {
		b.padded[k] = w * sound[k]
	}
	return b.padded
}

// add takes a second of both in.
func (x *pair) add(p *pairs, lowest float64) {
	if !x.a.heard || !x.b.heard {
		return
	}
	low := int(lowest / p.rate * float64(p.size))
	high := int(.9 * float64(p.size) / 2) // above it the filter takes everything away
	a, b, sum := x.a.phases[low:high], x.b.phases[low:high], x.sum[low:high]
	for k, v := range a {
		w := b[k]
		sum[k] += complex(float32(real(v)*real(w)+imag(v)*imag(w)), float32(imag(v)*real(w)-real(v)*imag(w)))
	}
	x.count++
}

// look looks at the span that ends at a second, and begins the next.
func (p *pairs) look(to int) {
	share.Out(len(p.pairs), func(n int) { p.pairs[n].look(p, p.from, to) })
	for n := range p.past {
		p.past[n] = p.past[n][:0]
	}
	p.from = to
}

func (x *pair) look(p *pairs, from, to int) {
	defer func() {
		clear(x.sum)
		x.count = 0
	}()
	if x.count == 0 {
		return
	}
	low := int(lowestHz / p.rate * float64(p.size))
	high := int(.9 * float64(p.size) / 2)
	b := p.bench()
	defer p.free.Put(b)
	for k, v := range x.sum {
		b.spectrum[k] = complex128(v) / complex(2*float64(high-low)*float64(x.count), 0)
	}
	corr := b.fft.Sequence(b.padded, b.spectrum)
	most := int(mostApartMS / 1000. * p.rate)
	beside := int(math.Ceil(besideMS / 1000. * p.rate))
	at := func(late int) float64 { return math.Abs(corr[(late+p.size)%p.size]) }
	best := 0
	for late := -most; late <= most; late++ {
		if at(late) > at(best) {
			best = late
		}
	}
	others := 0.0
	for late := -most; late <= most; late++ {
		if late < best-beside || late > best+beside {
			others = max(others, at(late))
		}
	}
	// A peak between two samples is lower than it is high: half of it is in each.
	share := max(at(best), at(best)+max(at(best-1), at(best+1))/2)
	// Frequencies that have nothing to do with each other agree at random: by the root of how
	// many there are. Padding and the window make three neighbours of one.
	chance := 1 / math.Sqrt(float64(high-low)/3*float64(x.count))
	if share < max(samePhase, aboveChance*chance) || at(best) < aboveOthers*others {
		return
	}
	if x.kind == "wet-in-dry" && (best < -1 || best > 1) {
		return // the hall answers the dry sound later
	}
	if p.sameGain(x, best, low, high) < sameShare {
		return
	}
	x.found = append(x.found, samePlace{from, to, best, share, x.levelOf(p, best)})
}

// The bounds of what is one sound: how near phases must be, rad, which bins of a spectrum count,
// against its strongest, and which share of them must have one gain, within a dB.
const (
	nearPhase = .35
	loudBin   = 1e-5
	sameShare = .42
)

// sameGain is the share of the frequencies that agree in their phase which also agree in their
// gain: nearly all where one sound is in both, few where two only begin at once or ring in one
// hall.
func (p *pairs) sameGain(x *pair, late, low, high int) float64 {
	a, b := p.past[slices.Index(p.slows, x.a)], p.past[slices.Index(p.slows, x.b)]
	one, two := p.bench(), p.bench()
	defer p.free.Put(one)
	defer p.free.Put(two)
	tau := refined(x.sum, late, p.size)
	const binsOfDB, lowestDB, highestDB = 2, -80, 30
	var histogram [binsOfDB * (highestDB - lowestDB)]int
	total := 0
	for n := range a {
		sa := one.fft.Coefficients(one.spectrum, one.shaped(p.shape, a[n]))
		sb := two.fft.Coefficients(two.spectrum, two.shaped(p.shape, b[n]))
		top := 0.0
		for k := low; k < high; k++ {
			top = max(top, power(sb[k]))
		}
		for k := low; k < high; k++ {
			if power(sb[k]) < loudBin*top || power(sb[k]) == 0 || power(sa[k]) == 0 {
				continue
			}
			turn := 2 * math.Pi * float64(k) * tau / float64(p.size)
			cross := sa[k] * complex(real(sb[k]), -imag(sb[k])) * complex(math.Cos(turn), math.Sin(turn))
			if math.Abs(math.Atan2(imag(cross), real(cross))) > nearPhase {
				continue
			}
			total++
			db := 10 * math.Log10(power(sa[k])/power(sb[k]))
			if at := int(math.Floor((db - lowestDB) * binsOfDB)); at >= 0 && at < len(histogram) {
				histogram[at]++
			}
		}
	}
	best := 0
	for n := range histogram[:len(histogram)-3] {
		best = max(best, histogram[n]+histogram[n+1]+histogram[n+2]+histogram[n+3])
	}
	return float64(best) / float64(max(1, total))
}

func power(z complex128) float64 { return real(z)*real(z) + imag(z)*imag(z) }

// refined is a delay to a twentieth of a sample: where the phases of a sum agree most.
func refined(sum []complex64, late, size int) (tau float64) {
	most := 0.0
	for step := -20; step <= 20; step++ {
		at := float64(late) + float64(step)/20
		total := complex128(0)
		for k, v := range sum {
			if v != 0 {
				turn := 2 * math.Pi * float64(k) * at / float64(size)
				total += complex128(v) * complex(math.Cos(turn), math.Sin(turn))
			}
		}
		if p := real(total); math.Abs(p) > most {
			most, tau = math.Abs(p), at
		}
	}
	return tau
}

// levelOf is how strong the sound of b is in a, at a delay, dB against b: by least squares over
// the seconds of the span.
func (x *pair) levelOf(p *pairs, late int) float64 {
	a, b := p.past[slices.Index(p.slows, x.a)], p.past[slices.Index(p.slows, x.b)]
	both, own := 0.0, 0.0
	for n := range a {
		sa, sb := a[n], b[n]
		for k := max(0, late); k < len(sa)+min(0, late); k++ {
			v := sb[k-late]
			both += sa[k] * v
			own += v * v
		}
	}
	if own <= 0 {
		return dsp.Silence
	}
	return dsp.DB(both / own)
}

// leastSpans is in how many spans one sound must be in two stems to be told: two that play the
// same for a moment agree by chance.
const leastShareAlone = .3

// finish marks what was found.
func (p *pairs) finish() {
	r := p.run
	for _, x := range p.pairs {
		if len(x.found) == 0 || len(x.found) == 1 && x.kind != "guide-leak" && x.found[0].share < leastShareAlone {
			continue
		}
		sum, seconds := 0.0, 0
		for _, f := range x.found {
			sum += math.Pow(10, f.levelDB/10) * float64(f.to-f.from)
			seconds += f.to - f.from
		}
		db := dsp.PowerDB(sum / float64(seconds))
		from, to := float64(x.found[0].from), float64(x.found[len(x.found)-1].to)
		a, b := &r.ask.Files[x.a.t.at], &r.ask.Files[x.b.t.at]
		place := fmt.Sprintf("from %d:%02d to %d:%02d", int(from)/60, int(from)%60, int(to)/60, int(to)%60)
		switch x.kind {
		case "guide-leak":
			r.mark(x.kind, a, db, from, to, "%s contains the guide %s at %.0f dB, %s", a.Called(), b.Called(), db, place)
		case "wet-in-dry":
			if a.Carries == Wet {
				a, b = b, a
			}
			r.mark(x.kind, a, db, from, to, "%s contains the wet sound of %s, %s", a.Called(), b.Called(), place)
		default:
			r.mark(x.kind, a, db, from, to, "%s and %s contain the same sound, %s", a.Called(), b.Called(), place)
		}
	}
}

func hann(n int) []float64 {
	out := make([]float64, n)
	for k := range out {
		out[k] = .5 - .5*math.Cos(2*math.Pi*(float64(k)+.5)/float64(n))
	}
	return out
}
