package sfz

import (
	"cmp"
	"io/fs"
	"maps"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/note"
)

// MostSounds bounds the regions of a file that is read for playing.
const MostSounds = 30_000

// Instrument is a file read for playing.
type Instrument struct {
	Sounds     []Sound
	Controls   map[int]float64 // values that controllers start with, 0..127
	PassedOver map[string]int  // opcodes that were not understood, or whose value cannot be: how often
}

// Sound is a region with all that says how it sounds.
type Sound struct {
	Region
	Position  string  // of the microphones, as its master or group is labelled; empty for all
	Trigger   string  // attack, release, release_key, first or legato
	Offset    float64 // frames passed over at the start
	End       float64 // the last frame, MostFrames for that of the sample; -1 sounds nothing
	LoopStart float64 // frames, the last one played too; -1 for that of the sample
	LoopEnd   float64
	KeyCentre float64 // the key as recorded
	KeyTrack  float64 // cents for each key
	Tune      float64 // cents
	Transpose float64 // semitones
	BendUp    float64 // cents
	BendDown  float64

	Volume    float64 // dB
	Amplitude float64 // per cent
	Pan       float64 // -100 left .. 100 right
	Width     float64 // -100 .. 100, of a stereo sample
	VelTrack  float64 // per cent, how much velocity does to the level
	RtDecay   float64 // dB a release falls for each second the key was held
	Delay     float64 // s

	Group   float64 // 0 for none
	OffBy   float64
	OffMode string // fast or normal
	OffTime float64
	LowRand float64 // 0..1
	HiRand  float64

	SwitchLow, SwitchHigh, SwitchDefault float64 // keys, -1 for none
	SwitchDown, SwitchUp                 float64 // keys that are held, or are not; -1 for none

	Fades     []Fade
	KeyCurve  string // gain or power
	VelCurve  string
	CtrlCurve string
	Ranges    []Range // of controllers within which it sounds
	Mods      []Mod

	Filter     string  // lpf_2p and the like; empty for none
	Cutoff     float64 // Hz, 0 for none
	Resonance  float64 // dB
	FilKey     float64 // cents for each key
	FilVel     float64 // cents at full velocity
	FilCentre  float64
	Amp, Fil   Envelope
	Pitch      Envelope
	AmpL, FilL LFO
	PitchL     LFO
}

// Envelope is how something goes up and down. Its times are s, its levels per cent.
type Envelope struct {
	Delay, Start, Attack, Hold, Decay, Sustain, Release float64
	Depth                                               float64 // cents
	VelDepth                                            float64 // cents at full velocity
}

// LFO goes up and down for ever.
type LFO struct{ Delay, Fade, Freq, Depth float64 } // s, s, Hz, dB or cents

// Fade is a crossfade by key, velocity or a controller: between Low and High it comes in,
// or goes out.
type Fade struct {
	By        string // key, vel or cc
	CC        int
	Low, High float64
	Out       bool
}

// Range is what a controller must be for a region to sound.
type Range struct {
	CC        int
	Low, High float64
}

// Mod is what a controller does at its highest value.
type Mod struct {
	CC    int
	To    string // volume (dB), amplitude (per cent), pan, tune (cents), cutoff (cents), resonance (dB), release or attack (s)
	Depth float64
}

// ReadSounds reads the file name in a folder for playing. Opcodes that are not known, and
// values that cannot be, are passed over and counted. The error names the file and line.
func ReadSounds(folder fs.FS, name string) (*Instrument, error) {
	p := &parser{
		folder: folder, root: path.Dir(name), defines: map[string]string{}, file: &File{},
		included: map[string]bool{}, paths: map[[2]string]string{},
		sounds: &Instrument{Controls: map[int]float64{}, PassedOver: map[string]int{}},
	}
	p.scopes = [4]map[string]string{{}, {}, {}, {}}
	if err := p.read(name, 0); err != nil {
		return nil, err
	}
	if err := p.endRegion(); err != nil {
		return nil, err
	}
	for opcode, value := range p.scopes[control] {
		if cc, ok := numbered(opcode, "set_cc"); ok {
			if x, err := strconv.ParseFloat(value, 64); err == nil && x >= 0 && x <= 127 {
				p.sounds.Controls[cc] = x
			}
		}
	}
	return p.sounds, nil
}

// mostNames bounds how many opcodes that are passed over are named.
const mostNames = 200

func (in *Instrument) passOver(opcode string) {
	if _, told := in.PassedOver[opcode]; told || len(in.PassedOver) < mostNames {
		in.PassedOver[opcode]++
	}
}

// number is an opcode whose value is one, and between what it must lie.
type number struct {
	at        func(*Sound) *float64
	low, high float64
}

// MostFrames is more than any sample has.
const MostFrames = 1 << 40

// The bounds of what opcodes may say.
const (
	mostCents   = 12_800
	mostSeconds = 3_600
	mostDB      = 144
)

var numbers = map[string]number{
	"offset":     {func(s *Sound) *float64 { return &s.Offset }, 0, MostFrames},
	"end":        {func(s *Sound) *float64 { return &s.End }, -1, MostFrames},
	"loop_start": {func(s *Sound) *float64 { return &s.LoopStart }, 0, MostFrames}, "loopstart": {func(s *Sound) *float64 { return &s.LoopStart }, 0, MostFrames},
	"loop_end": {func(s *Sound) *float64 { return &s.LoopEnd }, 0, MostFrames}, "loopend": {func(s *Sound) *float64 { return &s.LoopEnd }, 0, MostFrames},
	"pitch_keytrack": {func(s *Sound) *float64 { return &s.KeyTrack }, -mostCents, mostCents},
	"tune":           {func(s *Sound) *float64 { return &s.Tune }, -mostCents, mostCents}, "pitch": {func(s *Sound) *float64 { return &s.Tune }, -mostCents, mostCents},
	"transpose": {func(s *Sound) *float64 { return &s.Transpose }, -127, 127},
	"bend_up":   {func(s *Sound) *float64 { return &s.BendUp }, -mostCents, mostCents}, "bendup": {func(s *Sound) *float64 { return &s.BendUp }, -mostCents, mostCents},
	"bend_down": {func(s *Sound) *float64 { return &s.BendDown }, -mostCents, mostCents}, "benddown": {func(s *Sound) *float64 { return &s.BendDown }, -mostCents, mostCents},
	"volume": {func(s *Sound) *float64 { return &s.Volume }, -mostDB, mostDB}, "gain": {func(s *Sound) *float64 { return &s.Volume }, -mostDB, mostDB},
	"amplitude":    {func(s *Sound) *float64 { return &s.Amplitude }, 0, 10_000},
	"pan":          {func(s *Sound) *float64 { return &s.Pan }, -100, 100},
	"width":        {func(s *Sound) *float64 { return &s.Width }, -100, 100},
	"amp_veltrack": {func(s *Sound) *float64 { return &s.VelTrack }, -100, 100},
	"rt_decay":     {func(s *Sound) *float64 { return &s.RtDecay }, -200, 200},
	"delay":        {func(s *Sound) *float64 { return &s.Delay }, 0, 100},
	"group":        {func(s *Sound) *float64 { return &s.Group }, math.MinInt32, math.MaxUint32},
	"off_by":       {func(s *Sound) *float64 { return &s.OffBy }, math.MinInt32, math.MaxUint32}, "offby": {func(s *Sound) *float64 { return &s.OffBy }, math.MinInt32, math.MaxUint32},
	"off_time": {func(s *Sound) *float64 { return &s.OffTime }, 0, mostSeconds},
	"lorand":   {func(s *Sound) *float64 { return &s.LowRand }, 0, 1},
	"hirand":   {func(s *Sound) *float64 { return &s.HiRand }, 0, 1},
	"cutoff":   {func(s *Sound) *float64 { return &s.Cutoff }, 0, 96_000}, "resonance": {func(s *Sound) *float64 { return &s.Resonance }, 0, 40},
	"fil_keytrack": {func(s *Sound) *float64 { return &s.FilKey }, 0, 1200}, "fil_veltrack": {func(s *Sound) *float64 { return &s.FilVel }, -mostCents, mostCents},
	"ampeg_sustain": {func(s *Sound) *float64 { return &s.Amp.Sustain }, 0, 100},
	"fileg_sustain": {func(s *Sound) *float64 { return &s.Fil.Sustain }, 0, 100}, "fileg_depth": {func(s *Sound) *float64 { return &s.Fil.Depth }, -mostCents, mostCents}, "fileg_vel2depth": {func(s *Sound) *float64 { return &s.Fil.VelDepth }, -mostCents, mostCents},
	"pitcheg_sustain": {func(s *Sound) *float64 { return &s.Pitch.Sustain }, 0, 100}, "pitcheg_depth": {func(s *Sound) *float64 { return &s.Pitch.Depth }, -mostCents, mostCents}, "pitcheg_vel2depth": {func(s *Sound) *float64 { return &s.Pitch.VelDepth }, -mostCents, mostCents},
	"amplfo_depth": {func(s *Sound) *float64 { return &s.AmpL.Depth }, -10, 10},
	"fillfo_depth": {func(s *Sound) *float64 { return &s.FilL.Depth }, -1200, 1200}, "pitchlfo_depth": {func(s *Sound) *float64 { return &s.PitchL.Depth }, -1200, 1200},
}

func init() { // the times of all envelopes and LFOs
	for eg, at := range map[string]func(*Sound) *Envelope{"ampeg": func(s *Sound) *Envelope { return &s.Amp }, "fileg": func(s *Sound) *Envelope { return &s.Fil }, "pitcheg": func(s *Sound) *Envelope { return &s.Pitch }} {
		for part, in := range map[string]func(*Envelope) *float64{
			"delay": func(e *Envelope) *float64 { return &e.Delay }, "attack": func(e *Envelope) *float64 { return &e.Attack }, "hold": func(e *Envelope) *float64 { return &e.Hold },
			"decay": func(e *Envelope) *float64 { return &e.Decay }, "release": func(e *Envelope) *float64 { return &e.Release },
		} {
			numbers[eg+"_"+part] = number{func(s *Sound) *float64 { return in(at(s)) }, 0, mostSeconds}
		}
		numbers[eg+"_start"] = number{func(s *Sound) *float64 { return &at(s).Start }, 0, 100}
	}
	for lfo, at := range map[string]func(*Sound) *LFO{"amplfo": func(s *Sound) *LFO { return &s.AmpL }, "fillfo": func(s *Sound) *LFO { return &s.FilL }, "pitchlfo": func(s *Sound) *LFO { return &s.PitchL }} {
		numbers[lfo+"_delay"] = number{func(s *Sound) *float64 { return &at(s).Delay }, 0, mostSeconds}
		numbers[lfo+"_fade"] = number{func(s *Sound) *float64 { return &at(s).Fade }, 0, mostSeconds}
		numbers[lfo+"_freq"] = number{func(s *Sound) *float64 { return &at(s).Freq }, 0, 200}
	}
}

// words are opcodes whose value is one of a few words.
var words = map[string]struct {
	at func(*Sound) *string
	of []string
}{
	"trigger":     {func(s *Sound) *string { return &s.Trigger }, []string{"attack", "release", "release_key", "first", "legato"}},
	"off_mode":    {func(s *Sound) *string { return &s.OffMode }, []string{"fast", "normal", "time"}},
	"fil_type":    {func(s *Sound) *string { return &s.Filter }, []string{"lpf_1p", "hpf_1p", "lpf_2p", "hpf_2p", "bpf_2p", "brf_2p"}},
	"xf_keycurve": {func(s *Sound) *string { return &s.KeyCurve }, []string{"gain", "power"}},
	"xf_velcurve": {func(s *Sound) *string { return &s.VelCurve }, []string{"gain", "power"}},
	"xf_cccurve":  {func(s *Sound) *string { return &s.CtrlCurve }, []string{"gain", "power"}},
}

// switchKeys are opcodes whose value is a key, beside those of the region.
var switchKeys = map[string]func(*Sound) *float64{
	"sw_lokey": func(s *Sound) *float64 { return &s.SwitchLow }, "sw_hikey": func(s *Sound) *float64 { return &s.SwitchHigh },
	"sw_default": func(s *Sound) *float64 { return &s.SwitchDefault }, "sw_down": func(s *Sound) *float64 { return &s.SwitchDown },
	"sw_up": func(s *Sound) *float64 { return &s.SwitchUp }, "pitch_keycenter": func(s *Sound) *float64 { return &s.KeyCentre },
	"fil_keycenter": func(s *Sound) *float64 { return &s.FilCentre },
}

// modulated are what a controller can change, by the name before its number.
var modulated = map[string]string{
	"volume_oncc": "volume", "gain_oncc": "volume", "gain_cc": "volume", "amplitude_oncc": "amplitude", "pan_oncc": "pan",
	"tune_oncc": "tune", "pitch_oncc": "tune", "cutoff_oncc": "cutoff", "cutoff_cc": "cutoff", "resonance_oncc": "resonance",
	"ampeg_release_oncc": "release", "ampeg_releasecc": "release", "ampeg_attack_oncc": "attack", "ampeg_attackcc": "attack",
}

// fades are the ends of crossfades: by what, and which end of which.
var fades = map[string]struct {
	by        string
	out, high bool
}{
	"xfin_lokey": {"key", false, false}, "xfin_hikey": {"key", false, true}, "xfout_lokey": {"key", true, false}, "xfout_hikey": {"key", true, true},
	"xfin_lovel": {"vel", false, false}, "xfin_hivel": {"vel", false, true}, "xfout_lovel": {"vel", true, false}, "xfout_hivel": {"vel", true, true},
	"xfin_locc": {"cc", false, false}, "xfin_hicc": {"cc", false, true}, "xfout_locc": {"cc", true, false}, "xfout_hicc": {"cc", true, true},
}

// sound keeps the region that has just been read, for playing.
func (p *parser) sound(r Region) error {
	s := Sound{
		Region: r, Trigger: "attack", End: MostFrames, LoopStart: -1, LoopEnd: -1, KeyCentre: 60, KeyTrack: 100, BendUp: 200, BendDown: -200,
		Amplitude: 100, Width: 100, VelTrack: 100, HiRand: 1, SwitchLow: -1, SwitchHigh: -1, SwitchDefault: -1, SwitchDown: -1, SwitchUp: -1,
		KeyCurve: "power", VelCurve: "power", CtrlCurve: "power", Filter: "lpf_2p", FilCentre: 60, OffMode: "fast",
	}
	s.Amp.Sustain, s.Fil.Sustain, s.Pitch.Sustain = 100, 100, 100
	if key, ok := p.inherited("key"); ok { // it says the centre, too
		if k, err := note.Parse(key, note.Scientific); err == nil {
			s.KeyCentre = float64(k)
		}
	}
	all := map[string]string{}
	for _, scope := range []map[string]string{p.scopes[global], p.scopes[master], p.scopes[group], p.region} {
		maps.Copy(all, scope)
	}
	for opcode, value := range all {
		if !p.says(&s, opcode, value) {
			p.sounds.passOver(opcode)
		}
	}
	if shift, err := p.shift(); err == nil && shift != 0 {
		for _, at := range []*float64{&s.SwitchLow, &s.SwitchHigh, &s.SwitchDefault, &s.SwitchDown, &s.SwitchUp} {
			if *at >= 0 {
				*at = min(127, max(0, *at+float64(shift)))
			}
		}
	}
	sortFades(&s)
	if len(p.sounds.Sounds) == MostSounds {
		return p.fail("more than %d regions to play", MostSounds)
	}
	p.sounds.Sounds = append(p.sounds.Sounds, s)
	return nil
}

// inherited is an opcode as it is in force for a region: its own, or the innermost one around it.
func (p *parser) inherited(name string) (string, bool) {
	for _, m := range []map[string]string{p.region, p.scopes[group], p.scopes[master], p.scopes[global]} {
		if v, ok := m[name]; ok {
			return v, true
		}
	}
	return "", false
}

// says takes one opcode; false when it is not known, or its value cannot be.
func (p *parser) says(s *Sound, opcode, value string) bool {
	if known[opcode] {
		return true // the region has it
	}
	if at, ok := switchKeys[opcode]; ok {
		k, err := note.Parse(value, note.Scientific)
		if err != nil || k < 0 || k > 127 {
			return false
		}
		*at(s) = float64(k)
		return true
	}
	if opcode == "master_label" || opcode == "group_label" {
		s.Position = value
		return true
	}
	if w, ok := words[opcode]; ok {
		for _, word := range w.of {
			if value == word {
				*w.at(s) = word
				return true
			}
		}
		return false
	}
	x, err := strconv.ParseFloat(value, 64)
	if err != nil || math.IsNaN(x) {
		return false
	}
	if n, ok := numbers[opcode]; ok {
		if x < n.low || x > n.high {
			return false
		}
		*n.at(s) = x
		return true
	}
	return s.controlled(opcode, x)
}

// controlled takes an opcode that names a controller, or the end of a crossfade.
func (s *Sound) controlled(opcode string, x float64) bool {
	stem := strings.TrimRight(opcode, "0123456789")
	cc, numbered := numbered(opcode, stem)
	if f, ok := fades[stem]; ok && x >= 0 && x <= 127 && numbered == (f.by == "cc") {
		s.fade(f.by, cc, f.out, f.high, x)
		return true
	}
	if !numbered || math.Abs(x) > mostCents {
		return false
	}
	if to, ok := modulated[stem]; ok {
		s.Mods = append(s.Mods, Mod{cc, to, x})
		return true
	}
	if (stem == "locc" || stem == "hicc") && x >= 0 && x <= 127 {
		for n := range s.Ranges {
			if s.Ranges[n].CC == cc {
				s.Ranges[n].limit(stem, x)
				return true
			}
		}
		r := Range{cc, 0, 127}
		r.limit(stem, x)
		s.Ranges = append(s.Ranges, r)
		return true
	}
	return false
}

func (r *Range) limit(stem string, x float64) {
	if stem == "locc" {
		r.Low = x
	} else {
		r.High = x
	}
}

// fade keeps one end of a crossfade.
func (s *Sound) fade(by string, cc int, out, high bool, x float64) {
	at := -1
	for n, f := range s.Fades {
		if f.By == by && f.CC == cc && f.Out == out {
			at = n
		}
	}
	if at < 0 {
		f := Fade{By: by, CC: cc, Out: out}
		if out {
			f.Low, f.High = 127, 127
		}
		s.Fades, at = append(s.Fades, f), len(s.Fades)
	}
	if high {
		s.Fades[at].High = x
	} else {
		s.Fades[at].Low = x
	}
}

// numbered is the controller that ends an opcode.
func numbered(opcode, stem string) (int, bool) {
	text, ok := strings.CutPrefix(opcode, stem)
	if !ok || text == "" {
		return 0, false
	}
	n, err := strconv.Atoi(text)
	return n, err == nil && n >= 0 && n <= 127
}

// sortFades puts what came from a map in order, so that a file always reads the same.
func sortFades(s *Sound) {
	slices.SortFunc(s.Fades, func(a, b Fade) int {
		return cmp.Or(strings.Compare(a.By, b.By), a.CC-b.CC, boolean(a.Out)-boolean(b.Out))
	})
	slices.SortFunc(s.Ranges, func(a, b Range) int { return a.CC - b.CC })
	slices.SortFunc(s.Mods, func(a, b Mod) int {
		return cmp.Or(strings.Compare(a.To, b.To), a.CC-b.CC, cmp.Compare(a.Depth, b.Depth))
	})
}

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
}
