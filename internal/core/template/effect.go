package template

import (
	"fmt"
	"maps"
	"math"
	"slices"
)

// EffectKind says what an effect does.
type EffectKind string

// The kinds of effect.
const (
	EffectHall        EffectKind = "hall"
	EffectPlate       EffectKind = "plate"
	EffectDelay       EffectKind = "delay"
	EffectFilter      EffectKind = "filter"
	EffectConvolution EffectKind = "convolution"
	EffectLimiter     EffectKind = "limiter"
)

// BusEffect is one thing that runs on a bus when Fanfold itself plays. What runs there in the
// user's own sequencer is said in words, by Process.
type BusEffect struct {
	Kind  EffectKind         `json:"kind"`
	Off   bool               `json:"off,omitempty"`
	Set   map[string]float64 `json:"set,omitempty"`   // parameters that are not as usual, by name
	Audio string             `json:"audio,omitempty"` // of a convolution: the digest of the recording that is its impulse
	File  string             `json:"file,omitempty"`  // and its name
}

// Parameter is one that an effect has.
type Parameter struct {
	Name, Words, Unit string
	Low, High, Usual  float64
	Choice            bool // few values, in steps of their own, rather than a range
}

// The parameters that effects share, by name.
const (
	SetPreDelay = "preDelayMs"
	SetDecay    = "decayS"
	SetLow      = "lowTimes"
	SetHigh     = "highTimes"
	SetLowCut   = "lowCutHz"
	SetHighCut  = "highCutHz"
	SetWet      = "wetPercent"
	SetLevel    = "levelDb"
	SetTime     = "timeMs"
	SetQuarters = "quarters"
	SetFeedback = "feedbackPercent"
	SetCross    = "cross"
	SetLowHz    = "lowHz"
	SetLowDB    = "lowDb"
	SetBellHz   = "bellHz"
	SetBellDB   = "bellDb"
	SetBellQ    = "bellQ"
	SetHighHz   = "highHz"
	SetHighDB   = "highDb"
	SetCeiling  = "ceilingDb"
	SetRelease  = "releaseMs"
)

// The ends of the cuts: there nothing is cut.
const (
	NoLowCutHz  = 10.0
	NoHighCutHz = 20_000.0
)

func cuts(low, high float64) []Parameter {
	return []Parameter{
		{Name: SetLowCut, Words: "low cut", Unit: "Hz", Low: NoLowCutHz, High: 2000, Usual: low},
		{Name: SetHighCut, Words: "high cut", Unit: "Hz", Low: 200, High: NoHighCutHz, Usual: high},
	}
}

var (
	wet   = Parameter{Name: SetWet, Words: "wet", Unit: "%", Low: 0, High: 100, Usual: 100}
	level = Parameter{Name: SetLevel, Words: "level", Unit: "dB", Low: -40, High: 12, Usual: 0}
)

func reverb(preDelay, decay, low, high, lowCut, highCut float64) []Parameter {
	return slices.Concat([]Parameter{
		{Name: SetPreDelay, Words: "pre-delay", Unit: "ms", Low: 0, High: 500, Usual: preDelay},
		{Name: SetDecay, Words: "decay", Unit: "s", Low: .1, High: MaxDecayS, Usual: decay},
		{Name: SetLow, Words: "low decay", Unit: "×", Low: .3, High: 2.5, Usual: low},
		{Name: SetHigh, Words: "high decay", Unit: "×", Low: .1, High: 1.5, Usual: high},
	}, cuts(lowCut, highCut), []Parameter{wet, level})
}

// EffectType is what a kind of effect is, said once.
type EffectType struct {
	Kind       EffectKind
	Words      string
	Parameters []Parameter
	OnMix      bool // it runs on the mix alone: what it does is not the sum of what it does to parts
	Audio      bool // it needs a recording
	Tempo      bool // it follows the tempo
}

// EffectTypes lists every kind. Its usual values are those of a large hall that is dark at
// the top, of a bright plate, and of a delay that stays behind what is played (common
// practice, no source).
var EffectTypes = []EffectType{
	{Kind: EffectHall, Words: "hall", Parameters: reverb(20, 2, 1.1, .5, 60, 12_000)},
	{Kind: EffectPlate, Words: "plate", Parameters: reverb(0, 1.6, .9, .8, 120, 16_000)},
	{Kind: EffectDelay, Words: "delay", Tempo: true, Parameters: slices.Concat([]Parameter{
		{Name: SetTime, Words: "time", Unit: "ms", Low: 1, High: 4000, Usual: 420},
		{Name: SetQuarters, Words: "note length", Unit: "quarters", Low: 0, High: 8, Usual: 0, Choice: true},
		{Name: SetFeedback, Words: "feedback", Unit: "%", Low: 0, High: 95, Usual: 30},
		{Name: SetCross, Words: "ping-pong", Low: 0, High: 1, Usual: 0, Choice: true},
	}, cuts(100, 6000), []Parameter{wet, level})},
	{Kind: EffectFilter, Words: "filter", Parameters: append(cuts(NoLowCutHz, NoHighCutHz),
		Parameter{Name: SetLowHz, Words: "low shelf", Unit: "Hz", Low: 20, High: 2000, Usual: 120},
		Parameter{Name: SetLowDB, Words: "low shelf", Unit: "dB", Low: -24, High: 24, Usual: 0},
		Parameter{Name: SetBellHz, Words: "bell", Unit: "Hz", Low: 20, High: 20_000, Usual: 1000},
		Parameter{Name: SetBellDB, Words: "bell", Unit: "dB", Low: -24, High: 24, Usual: 0},
		Parameter{Name: SetBellQ, Words: "bell, Q", Low: .1, High: 20, Usual: 1},
		Parameter{Name: SetHighHz, Words: "high shelf", Unit: "Hz", Low: 500, High: 20_000, Usual: 6000},
		Parameter{Name: SetHighDB, Words: "high shelf", Unit: "dB", Low: -24, High: 24, Usual: 0},
		level,
	)},
	{Kind: EffectConvolution, Words: "convolution", Audio: true, Parameters: slices.Concat([]Parameter{
		{Name: SetPreDelay, Words: "pre-delay", Unit: "ms", Low: 0, High: 500, Usual: 0},
	}, cuts(NoLowCutHz, NoHighCutHz), []Parameter{wet, level})},
	{Kind: EffectLimiter, Words: "limiter", OnMix: true, Parameters: []Parameter{
		{Name: SetCeiling, Words: "ceiling, true peak", Unit: "dBFS", Low: -12, High: 0, Usual: -1},
		{Name: SetRelease, Words: "release", Unit: "ms", Low: 10, High: 1000, Usual: 120},
		{Name: SetLevel, Words: "input level", Unit: "dB", Low: -12, High: 24, Usual: 0},
	}},
}

// Is is what a kind of effect is; nil for one that there is not.
func (k EffectKind) Is() *EffectType {
	for n := range EffectTypes {
		if EffectTypes[n].Kind == k {
			return &EffectTypes[n]
		}
	}
	return nil
}

// Parameter is one of a kind's parameters; nil for one that it has not.
func (is *EffectType) Parameter(name string) *Parameter {
	for n := range is.Parameters {
		if is.Parameters[n].Name == name {
			return &is.Parameters[n]
		}
	}
	return nil
}

// Value is what a parameter of the effect stands at, in its unit; 0 for one that it has not.
func (e BusEffect) Value(name string) float64 {
	if x, ok := e.Set[name]; ok {
		return x
	}
	if is := e.Kind.Is(); is != nil {
		if p := is.Parameter(name); p != nil {
			return p.Usual
		}
	}
	return 0
}

// Clone returns a copy that shares nothing with the original.
func (e BusEffect) Clone() BusEffect {
	e.Set = maps.Clone(e.Set)
	return e
}

// Equal tells whether two effects do the same.
func (e BusEffect) Equal(o BusEffect) bool {
	return e.Kind == o.Kind && e.Off == o.Off && maps.Equal(e.Set, o.Set) && e.Audio == o.Audio && e.File == o.File
}

// CloneEffects returns a list that shares nothing with the original; nil for none.
func CloneEffects(list []BusEffect) []BusEffect {
	var out []BusEffect
	for _, e := range list {
		out = append(out, e.Clone())
	}
	return out
}

// Sounds tells whether the effect does something: it is on.
func (e BusEffect) Sounds() bool { return !e.Off }

// MostEffects is how many effects may run on one bus.
const MostEffects = 8

// effects checks what runs on a bus, or on the returns of a set; mix tells that it is the mix.
func (v *validator) effects(path string, list []BusEffect, mix bool) {
	if len(list) > MostEffects {
		v.fail(path, "%d effects; %d run on a bus at most", len(list), MostEffects)
	}
	for n, e := range list {
		path := fmt.Sprintf("%s[%d]", path, n)
		is := e.Kind.Is()
		switch {
		case is == nil:
			v.fail(path+".kind", "%q is not a kind of effect", e.Kind)
			continue
		case is.OnMix && !mix:
			v.fail(path+".kind", "a %s runs on the mix alone; on parts of it the stems would no longer add up", is.Words)
		case is.OnMix && n < len(list)-1:
			v.fail(path+".kind", "a %s is the last effect of the mix", is.Words)
		case !is.Audio && (e.Audio != "" || e.File != ""):
			v.fail(path+".audio", "a %s needs no recording", is.Words)
		}
		if e.Audio != "" && !IsDigest(e.Audio) {
			v.fail(path+".audio", "%q is not a SHA-256 in lower-case hexadecimal", e.Audio)
		}
		if e.File != "" && CheckName(e.File) != nil {
			v.fail(path+".file", "%s", CheckName(e.File))
		}
		for _, name := range slices.Sorted(maps.Keys(e.Set)) {
			p, x := is.Parameter(name), e.Set[name]
			switch {
			case p == nil:
				v.fail(path+".set", "a %s has no %q", is.Words, name)
			case math.IsNaN(x) || x < p.Low || x > p.High:
				v.fail(path+".set."+name, "%s %s is outside %s to %s", figure(x), p.Unit, figure(p.Low), figure(p.High))
			}
		}
	}
}
