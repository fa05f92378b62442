package audit

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"

	"fanfold/internal/core/dsp"
)

// Null is whether the stems of a fold add up to the mix.
type Null struct {
	Fold     string    `json:"fold"`
	Name     string    `json:"name"`
	Stems    int       `json:"stems"`         // that were added up
	Why      string    `json:"why,omitempty"` // it was not tested
	AddsUp   bool      `json:"addsUp"`
	PeakDB   float64   `json:"peakDb"` // of what is left, dBFS
	RMSDB    float64   `json:"rmsDb"`
	NoiseDB  float64   `json:"noiseDb"`   // RMS that rounding and dither must leave, dBFS
	AllowedD float64   `json:"allowedDb"` // the highest peak that is allowed, dBFS
	Seconds  []float32 `json:"seconds"`   // the peak of what is left, second by second, dBFS
	Skipped  int       `json:"skipped"`   // seconds in which the limiter worked
}

// What may be left.
const (
	// renderedDB is what may be left of sound that is not rounded, dBFS.
	renderedDB = -120
	// peakRoomDB is how far the peaks of the noise of many files lie above its RMS. It is
	// near to Gaussian; in ten minutes of stereo it reaches 5.6 times its RMS, 15 dB, and
	// eight times once in ten billion years.
	peakRoomDB = 18
	// rmsRoomDB is how much stronger the noise of one second may be than it should: dither may
	// be shaped.
	rmsRoomDB = 3
	// limitRoomDB is how far below the strongest sample a limited mix is taken as it was, dB.
	limitRoomDB = 3
)

// null adds up the stems of a fold.
type null struct {
	run     *run
	fold    Fold
	mix     *track
	stems   []*track
	guides  []*track // what is left may be one of them
	why     string
	scale   float64 // of the mix, by which the stems come into it
	noise   float64 // power of what rounding leaves
	peak    float64
	power   float64
	counted int
	seconds []float32
	skipped int
	failed  []failure
	known   []column
	lagged  int // how often lags were looked for
	wetLike int // seconds in which only the wet differs
	left    [2][]float64

	unexplained bool // the mix has what no stem has
}

// failure is a second in which something is left, and what explains it.
type failure struct {
	second  int
	peak    float64
	energy  float64
	causes  []cause
	open    bool // not explained
	clipped []*track
	dropped []*track
}

// cause is a stem that explains what is left.
type cause struct {
	stem *track
	gain float64 // with which the mix has it, against the stem
	late int     // samples by which the stem is later than the mix
	drop bool    // it stops while the mix goes on
}

// column is a stem at a lag, as one explanation.
type column struct {
	stem *track
	late int
}

func (r *run) newNull(f Fold) *null {
	n := &null{run: r, fold: f, scale: 1}
	roles := []Role{Mix, Limited}
	for _, role := range roles {
		for _, t := range r.tracks {
			if n.mix == nil && t.Role == role {
				n.mix = t
			}
		}
	}
	apart := ""
	for _, t := range r.tracks {
		switch {
		case t.Role != Stem || !slices.Contains(t.Folds, f.ID):
		case t.sum:
			n.stems = append(n.stems, t)
		case apart == "":
			apart = t.Called()
		}
	}
	switch {
	case f.Why != "":
		n.why = f.Why
	case n.mix == nil:
		n.why = "there is no mix to hold them against"
	case !n.mix.sum:
		n.why = "the mix has another rate than the stems"
	case apart != "":
		n.why = apart + " has another rate than the mix"
	case len(n.stems) == 0:
		n.why = "none of its stems is here at the rate of the mix"
	}
	if n.why != "" {
		return n
	}
	if n.mix.Role == Limited && r.ask.LimitedGain > 0 {
		n.scale = r.ask.LimitedGain
	}
	n.noise = rounding(&n.mix.File)
	for _, t := range n.stems {
		n.noise += t.Gain * t.Gain * n.scale * n.scale * rounding(&t.File)
	}
	for c := range n.left {
		n.left[c] = make([]float64, r.frames)
	}
	for _, t := range r.tracks {
		if t.Role == Guide && t.sum {
			n.guides = append(n.guides, t)
		}
	}
	return n
}

// rounding is the power of the noise that rounding with dither leaves in a file: half a step
// RMS, as 7-sound's sources say of triangular dither. Floating point leaves next to none.
func rounding(f *File) float64 {
	if f.Floating || f.Bits == 0 {
		return 0
	}
	half := .5 / math.Exp2(float64(f.Bits-1))
	return half * half
}

// side is a channel of a track's window; a track of one channel has it on both sides.
func (t *track) side(window, c int) []float64 {
	x := t.windows[window]
	return x[min(c, len(x)-1)]
}

// window looks at the present second.
func (n *null) window(second int) {
	if n.why != "" {
		return
	}
	for c := range n.left {
		left := n.left[c]
		copy(left, n.mix.side(present, c))
		for _, t := range n.stems {
			gain := t.Gain * n.scale
			for k, v := range t.side(present, c)[:len(left)] {
				left[k] -= gain * v
			}
		}
	}
	peak, power := level(n.left[:])
	if n.mix.Role == Limited {
		if high, _ := level(n.mix.windows[present]); high > n.limit() {
			n.skipped++
			n.seconds = append(n.seconds, float32(dsp.Silence))
			return
		}
	}
	n.peak, n.power, n.counted = max(n.peak, peak), n.power+power, n.counted+1
	n.seconds = append(n.seconds, float32(dsp.DB(peak)))
	if peak <= n.mostPeak() && power <= n.mostPower() {
		return
	}
	n.explain(second, peak, power*float64(2*len(n.left[0])))
}

// limit is from where on a limited mix is not what went in: somewhat below its strongest
// sample, which is known only in the end; until then below what is asked for.
func (n *null) limit() float64 {
	top := dsp.Amplitude(-1)
	if n.run.ask.PeakDB != 0 {
		top = dsp.Amplitude(n.run.ask.PeakDB)
	}
	return top * dsp.Amplitude(-limitRoomDB)
}

// mostPeak is the strongest sample that may be left, mostPower the power.
func (n *null) mostPeak() float64 {
	return max(dsp.Amplitude(renderedDB), math.Sqrt(n.noise)*dsp.Amplitude(peakRoomDB))
}

func (n *null) mostPower() float64 {
	least := dsp.Amplitude(renderedDB)
	return max(least*least, n.noise*math.Pow(10, rmsRoomDB/10.))
}

// The bounds of what is explained.
const (
	// explained is the share of the energy that may stay unexplained: a tenth of a percent.
	explained = 1e-3
	// mostCauses is how many stems one second is explained by.
	mostCauses = 8
	// mostLagged is for how many seconds of a fold lags are looked for.
	mostLagged = 6
	// worthwhile is the share of what is left that a further stem must explain.
	worthwhile = .2
)

// explain finds the stems that what is left comes from.
func (n *null) explain(second int, peak, energy float64) {
	f := failure{second: second, peak: peak, energy: energy}
	for _, t := range append([]*track{n.mix}, n.stems...) {
		if high, _ := level(t.windows[present]); high >= fullScale && t.meter.clipped > 0 {
			f.clipped = append(f.clipped, t)
		}
	}
	if len(f.clipped) > 0 { // what is beyond full scale is in no file
		n.failed = append(n.failed, f)
		return
	}
	floor := max(explained*energy, 2*n.mostPower()*float64(2*len(n.left[0])))
	chosen := slices.Clone(n.known)
	fit, left := n.fit(chosen, energy)
	if left > floor {
		chosen, fit, left = n.grow(chosen, fit, left, floor)
	}
	if left > floor && n.lagged < mostLagged {
		n.lagged++
		for range mostCauses {
			late, ok := n.lag(chosen, fit, left)
			if !ok {
				break
			}
			n.known = append(n.known, late...)
			chosen = slices.Clone(n.known)
			if fit, left = n.fit(chosen, energy); left <= floor {
				break
			}
		}
		if left > floor {
			chosen, fit, left = n.grow(chosen, fit, left, floor)
		}
	}
	f.causes = n.causes(chosen, fit, energy)
	if f.open = left > floor; f.open {
		if f.dropped = n.dropped(chosen, fit, left); len(f.dropped) > 0 {
			f.open = false
			for _, t := range f.dropped {
				f.causes = append(f.causes, cause{stem: t, drop: true})
			}
		} else if n.inTheWet(chosen, fit, left) {
			n.wetLike++
		}
	}
	n.failed = append(n.failed, f)
}

// sample is a stem at a lag as it comes into the mix: later by so many samples means that the
// stem's sample belongs to an earlier one of the mix.
func (n *null) value(x column, c int, into []float64) []float64 {
	gain := x.stem.Gain * n.scale
	if x.stem.Role == Guide {
		gain = 1
	}
	frames := len(n.left[0])
	windows := [3][]float64{x.stem.side(before, c), x.stem.side(present, c), x.stem.side(next, c)}
	for k := range into {
		at := k + x.late + frames
		into[k] = gain * windows[at/frames][at%frames]
	}
	return into
}

// fit explains what is left by some stems, as best as can be (least squares), and tells the
// energy that stays.
func (n *null) fit(columns []column, energy float64) (fit []float64, left float64) {
	if len(columns) == 0 {
		return nil, energy
	}
	frames := len(n.left[0])
	gram, right := mat.NewSymDense(len(columns), nil), mat.NewVecDense(len(columns), nil)
	values := make([][]float64, len(columns))
	for c := range n.left {
		for k, x := range columns {
			if values[k] == nil {
				values[k] = make([]float64, frames)
			}
			n.value(x, c, values[k])
			right.SetVec(k, right.AtVec(k)+dot(values[k], n.left[c]))
			for o := range k + 1 {
				gram.SetSym(k, o, gram.At(k, o)+dot(values[k], values[o]))
			}
		}
	}
	top := 0.0
	for k := range columns {
		top = max(top, gram.At(k, k))
	}
	for k := range columns { // one that is silent explains nothing
		gram.SetSym(k, k, gram.At(k, k)+1e-12*top+1e-30)
	}
	var chol mat.Cholesky
	var out mat.VecDense
	if !chol.Factorize(gram) || chol.SolveVecTo(&out, right) != nil {
		return make([]float64, len(columns)), energy
	}
	fit = make([]float64, len(columns))
	left = energy
	for k := range fit {
		fit[k] = out.AtVec(k)
		left -= fit[k] * right.AtVec(k)
	}
	return fit, max(0, left)
}

func dot(a, b []float64) (sum float64) {
	b = b[:len(a)]
	for n, v := range a {
		sum += v * b[n]
	}
	return sum
}

// grow adds stems to an explanation, the one that explains most first, for as long as that is
// worth it.
func (n *null) grow(columns []column, fit []float64, left, floor float64) ([]column, []float64, float64) {
	for left > floor && len(columns) < mostCauses {
		rest := n.rest(columns, fit)
		best, most := column{}, 0.0
		for _, t := range append(n.guides, n.stems...) {
			x := column{stem: t}
			if slices.Contains(columns, x) {
				continue
			}
			if e := n.explains(x, rest); e > most {
				best, most = x, e
			}
		}
		if most < worthwhile*left {
			break
		}
		wider := append(slices.Clone(columns), best)
		newFit, newLeft := n.fit(wider, n.energy())
		if newLeft > left*(1-worthwhile/2) {
			break
		}
		columns, fit, left = wider, newFit, newLeft
	}
	return columns, fit, left
}

func (n *null) energy() float64 {
	sum := 0.0
	for c := range n.left {
		sum += dot(n.left[c], n.left[c])
	}
	return sum
}

// rest is what some stems leave unexplained.
func (n *null) rest(columns []column, fit []float64) (rest [2][]float64) {
	value := make([]float64, len(n.left[0]))
	for c := range rest {
		rest[c] = slices.Clone(n.left[c])
		for k, x := range columns {
			for at, v := range n.value(x, c, value) {
				rest[c][at] -= fit[k] * v
			}
		}
	}
	return rest
}

// explains is how much energy of some sound a stem alone explains.
func (n *null) explains(x column, rest [2][]float64) float64 {
	value := make([]float64, len(rest[0]))
	both, own := 0.0, 0.0
	for c := range rest {
		n.value(x, c, value)
		both += dot(value, rest[c])
		own += dot(value, value)
	}
	if own <= 0 {
		return 0
	}
	return both * both / own
}

// causes turns an explanation into what is wrong with each stem.
func (n *null) causes(columns []column, fit []float64, energy float64) (out []cause) {
	value := make([]float64, len(n.left[0]))
	share := func(k int) float64 {
		own := 0.0
		for c := range n.left {
			n.value(columns[k], c, value)
			own += dot(value, value)
		}
		return fit[k] * fit[k] * own / max(energy, 1e-30)
	}
	for k, x := range columns {
		if x.late == 0 || share(k) < tinyShare {
			continue
		}
		if math.Abs(fit[k]) > lateShare {
			out = append(out, cause{stem: x.stem, gain: fit[k], late: x.late})
		}
	}
	for k, x := range columns {
		if x.late != 0 || math.Abs(fit[k]) < tinyGain || share(k) < tinyShare || slices.ContainsFunc(out, func(c cause) bool { return c.stem == x.stem }) {
			continue
		}
		out = append(out, cause{stem: x.stem, gain: 1 + fit[k]})
	}
	return out
}

const (
	// tinyGain is by how much a stem must differ to be told, a thousandth of a dB, and
	// tinyShare how much of what is left it must explain.
	tinyGain, tinyShare = 1e-4, 1e-3
	// lateShare is how much of a stem must come at another time to be told.
	lateShare = .1
)

// dropped are the stems that stop in the middle of their sound where something is left.
func (n *null) dropped(columns []column, fit []float64, left float64) (out []*track) {
	rest := n.rest(columns, fit)
	for _, t := range n.stems {
		if run, ok := stops(t); ok {
			held := 0.0
			for c := range rest {
				part := rest[c][run.from:run.to]
				held += dot(part, part)
			}
			if held > mostlyThere*left {
				out = append(out, t)
			}
		}
	}
	return out
}

// mostlyThere is the share of what is left that lies where a stem has stopped.
const mostlyThere = .9

// stops is where a stem falls silent, or comes back, in the middle of its sound: silence in the
// present second with something as strong as sound right at one of its ends.
func stops(t *track) (longest stretch, ok bool) {
	x := t.windows[present]
	frames := len(x[0])
	silent := func(k int) bool {
		for c := range x {
			if x[c][k] != 0 {
				return false
			}
		}
		return true
	}
	for k := 0; k < frames; {
		if !silent(k) {
			k++
			continue
		}
		run := stretch{int64(k), int64(k)}
		for k < frames && silent(k) {
			k++
		}
		run.to = int64(k)
		if run.to-run.from > longest.to-longest.from {
			longest = run
		}
	}
	if float64(longest.to-longest.from) < dropS*float64(frames) {
		return longest, false
	}
	look := int(besideS * float64(frames))
	return longest, t.peakNear(int(longest.from)-look, int(longest.from)) >= heardPeak || t.peakNear(int(longest.to), int(longest.to)+look) >= heardPeak
}

// peakNear is the strongest sample between two places, from the start of the present second.
func (t *track) peakNear(from, to int) (peak float64) {
	frames := len(t.windows[present][0])
	for k := max(from, -frames); k < min(to, 2*frames); k++ {
		at := k + frames
		for _, x := range t.windows[at/frames] {
			peak = max(peak, math.Abs(x[at%frames]))
		}
	}
	return peak
}

// inTheWet tells whether what no stem explains can be of the wet stems alone: it is no stronger
// than two of them that differ, and no dry stem has a part in it.
func (n *null) inTheWet(columns []column, fit []float64, left float64) bool {
	rest := n.rest(columns, fit)
	wet, value := 0.0, make([]float64, len(n.left[0]))
	for _, t := range n.stems {
		x := column{stem: t}
		if t.Carries != Wet {
			if n.explains(x, rest) > dryShare*left {
				return false
			}
			continue
		}
		for c := range n.left {
			n.value(x, c, value)
			wet += dot(value, value)
		}
	}
	return wet > 0 && left < 2*wet
}

// dryShare is the share of what is left that a dry stem may explain by chance.
const dryShare = .02

// finish tells what came of it.
func (n *null) finish(r *run) Null {
	out := Null{
		Fold: n.fold.ID, Name: n.fold.Name, Stems: len(n.stems), Why: n.why, PeakDB: dsp.DB(n.peak), RMSDB: dsp.PowerDB(n.power / float64(max(1, n.counted))),
		NoiseDB: dsp.PowerDB(n.noise), AllowedD: dsp.DB(n.mostPeak()), Seconds: n.seconds, Skipped: n.skipped,
	}
	if n.why != "" {
		return out
	}
	if n.counted == 0 {
		out.Why = "the limiter of the mix works all the time"
		return out
	}
	if out.AddsUp = len(n.failed) == 0; out.AddsUp {
		return out
	}
	n.tell(r, out)
	return out
}

// tell marks what does not add up, and why.
func (n *null) tell(r *run, out Null) {
	worst, from, to := 0.0, n.failed[0].second, 0
	for _, f := range n.failed {
		worst, to = max(worst, f.peak), max(to, f.second+1)
	}
	places := n.places(func(failure) bool { return true })
	m := r.mark("null", nil, dsp.DB(worst), float64(from), float64(to), "the stems of %s do not add up to the mix: %s is left %s", n.fold.Name, decibels(dsp.DB(worst)), places)
	m.Name, m.Fold = n.fold.Name, n.fold.ID
	type key struct {
		stem *track
		kind string
		late int
	}
	groups := map[key][]int{} // by the failures
	var order []key
	for k, f := range n.failed {
		for _, c := range f.causes {
			x := key{c.stem, c.kind(), c.late}
			if groups[x] == nil {
				order = append(order, x)
			}
			groups[x] = append(groups[x], k)
		}
	}
	for _, x := range order {
		// A second or two in which a stem looks otherwise than in many others is where its fault
		// begins or ends: what it is was not known yet there.
		if slices.ContainsFunc(order, func(o key) bool {
			return o.stem == x.stem && len(groups[x]) <= fewSeconds && len(groups[o]) >= manyMore*len(groups[x]) && o != x
		}) {
			continue
		}
		n.tellCause(r, x.stem, x.kind, x.late, groups[x])
	}
	n.tellClipped(m)
	n.tellOpen(r)
}

// tellClipped says of a mark that what is left comes of clipping, where all of it does.
func (n *null) tellClipped(m *Mark) {
	var names []string
	for _, f := range n.failed {
		if len(f.clipped) == 0 {
			return
		}
		for _, t := range f.clipped {
			if !slices.Contains(names, t.Called()) {
				names = append(names, t.Called())
			}
		}
	}
	m.Message += ", where " + and(names) + " clip"
	m.Remedy = "Print or record everything softer by as much, or as floating point: what is beyond full scale is lost in these files."
}

// and writes some names as people say them.
func and(names []string) string {
	switch n := len(names); {
	case n == 1:
		return names[0]
	case n > 3:
		return fmt.Sprintf("%s, %s and %d others", names[0], names[1], n-2)
	default:
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
}

func (c cause) kind() string {
	switch {
	case c.drop:
		return "drop"
	case c.stem.Role == Guide && c.gain < 1:
		return "leaked"
	case c.stem.Role == Guide:
		return "guide"
	case c.late != 0:
		return "late"
	case math.Abs(c.gain) < absent:
		return "missing"
	case c.gain < 0:
		return "inverted"
	}
	return "gain"
}

// absent is the share of a stem below which the mix does not have it, and doubledDB how near
// a gain must be to 6.02 dB to be a doubled path.
const absent, doubledDB = .03, .15

func (n *null) tellCause(r *run, stem *track, kind string, late int, at []int) {
	gain, weight := 0.0, 0.0
	for _, k := range at {
		for _, c := range n.failed[k].causes {
			if c.stem == stem && c.kind() == kind && c.late == late {
				w := n.failed[k].energy
				gain, weight = gain+w*c.gain, weight+w
			}
		}
	}
	if weight > 0 {
		gain /= weight
	}
	from, to := float64(n.failed[at[0]].second), float64(n.failed[at[len(at)-1]].second+1)
	places := n.places(func(f failure) bool {
		return slices.ContainsFunc(f.causes, func(c cause) bool { return c.stem == stem && c.kind() == kind && c.late == late })
	})
	f, name := &r.ask.Files[stem.at], stem.Called()
	db := -dsp.DB(gain) // of the stem against the mix
	switch kind {
	case "leaked", "guide":
		where := "in a stem and not in the mix"
		if kind == "guide" {
			where = "in the mix and in no stem"
		}
		level := dsp.DB(gain - 1)
		r.mark("null-guide", f, level, from, to, "the guide %s is %s, at %.0f dB, %s", name, where, level, places)
	case "drop":
		r.mark("null-missing", f, 0, from, to, "%s is silent %s while the mix has it", name, places)
	case "missing":
		r.mark("null-missing", f, 0, from, to, "%s is not in the mix %s", name, places)
	case "inverted":
		text := "%s is inverted %s"
		if math.Abs(db) > .05 {
			text += fmt.Sprintf(", and %+.1f dB against the mix", db)
		}
		r.mark("null-inverted", f, db, from, to, text, name, places)
	case "late":
		word := "late"
		if late < 0 {
			word = "early"
		}
		by := late
		if by < 0 {
			by = -by
		}
		text := fmt.Sprintf("%s is %s %s (%.2f ms) %s", name, count(by, "sample"), word, 1000*float64(by)/float64(r.report.RateHz), places)
		if math.Abs(db) > .05 {
			text += fmt.Sprintf(", and %+.1f dB against the mix", db)
		}
		r.mark("null-late", f, float64(late), from, to, "%s", text)
	default:
		code, word := "null-gain", "louder"
		if db < 0 {
			word = "softer"
		}
		text := fmt.Sprintf("%s is %s dB %s than in the mix %s", name, dBText(math.Abs(db)), word, places)
		if math.Abs(db-6.02) < doubledDB {
			code, text = "null-doubled", fmt.Sprintf("%s is doubled: it is %.2f dB louder than in the mix %s", name, db, places)
		} else if math.Abs(db+6.02) < doubledDB {
			code, text = "null-doubled", fmt.Sprintf("%s is doubled in the mix: it is %.2f dB louder there %s", name, -db, places)
		}
		r.mark(code, f, db, from, to, "%s", text)
	}
}

// dBText writes a difference so that its first digits show.
func dBText(db float64) string {
	switch {
	case db >= 1:
		return fmt.Sprintf("%.1f", db)
	case db >= .01:
		return fmt.Sprintf("%.2f", db)
	}
	return fmt.Sprintf("%.4f", db)
}

// fewSeconds is how many seconds at the edge of a fault may look otherwise, and manyMore how many
// times as many must be clear.
const fewSeconds, manyMore = 2, 3

// hardlyAny is the share of what is left over all that needs no explanation of its own.
const hardlyAny = .02

// tellOpen tells what no stem explains: that it is of the wet sound, where only that is as
// strong, or what stem it may be that is silent.
func (n *null) tellOpen(r *run) {
	var open []failure
	for _, f := range n.failed {
		if f.open {
			open = append(open, f)
		}
	}
	if len(open) == 0 {
		return
	}
	from, to := float64(open[0].second), float64(open[len(open)-1].second+1)
	places := n.places(func(f failure) bool { return f.open })
	worst, unexplained, all := 0.0, 0.0, 0.0
	for _, f := range open {
		worst, unexplained = max(worst, f.peak), unexplained+f.energy
	}
	for _, f := range n.failed {
		all += f.energy
	}
	if unexplained < hardlyAny*all || len(open) <= fewSeconds && len(n.failed) >= manyMore*len(open)+len(open) {
		return // what explains the rest is there, and begins or ends in these seconds
	}
	var silent []string
	for _, s := range n.fold.Stems {
		t := slices.IndexFunc(n.stems, func(t *track) bool { return t.Stem == s })
		if t < 0 || maxOf(n.stems[t].meter.peak) < silentPeak && !n.stems[t].Silent {
			silent = append(silent, s)
		}
	}
	if n.wetLike == len(open) {
		m := r.mark("null-wet", nil, dsp.DB(worst), from, to, "the stems of %s differ from the mix in the wet sound alone, by %s %s", n.fold.Name, decibels(dsp.DB(worst)), places)
		m.Name, m.Fold, m.Note = n.fold.Name, n.fold.ID, true
		return
	}
	n.unexplained = true
	m := r.mark("null-missing", nil, dsp.DB(worst), from, to, "the mix has what no stem of %s has, %s at most, %s", n.fold.Name, decibels(dsp.DB(worst)), places)
	m.Name, m.Fold = n.fold.Name, n.fold.ID
	if len(silent) > 0 {
		m.Message += fmt.Sprintf("; that may be %s", list(silent))
	}
}

func maxOf(list []float64) (most float64) {
	for _, x := range list {
		most = max(most, x)
	}
	return most
}

func list(names []string) string {
	if len(names) == 1 {
		return names[0]
	}
	return fmt.Sprintf("%s or %d others", names[0], len(names)-1)
}

// places writes the seconds of failures: "at 0:12", "from 0:10 to 0:25", "throughout".
func (n *null) places(which func(failure) bool) string {
	var runs [][2]int
	total := 0
	for _, f := range n.failed {
		if !which(f) {
			continue
		}
		total++
		if k := len(runs) - 1; k >= 0 && f.second <= runs[k][1]+2 {
			runs[k][1] = f.second + 1
			continue
		}
		runs = append(runs, [2]int{f.second, f.second + 1})
	}
	slices.SortStableFunc(runs, func(a, b [2]int) int { return cmp.Compare(b[1]-b[0], a[1]-a[0]) })
	at := func(s int) string { return fmt.Sprintf("%d:%02d", s/60, s%60) }
	switch {
	case len(runs) == 0:
		return ""
	case len(runs) == 1 && total >= len(n.seconds)-1 && total > 2:
		return "throughout"
	}
	text := fmt.Sprintf("from %s to %s", at(runs[0][0]), at(runs[0][1]))
	if runs[0][1]-runs[0][0] == 1 {
		text = "at " + at(runs[0][0])
	}
	if len(runs) > 1 {
		text += fmt.Sprintf(" and in %s more", count(len(runs)-1, "place"))
	}
	return text
}
