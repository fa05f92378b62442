package demo

import "strings"

// way is how an articulation is played by the made-up libraries.
type way struct {
	opcodes string
	db      float64 // stronger than others
	timbre  string  // instead of the instrument's
	short   bool
}

// short ends a note in a time, s.
func short(seconds string, db float64) way {
	return way{opcodes: "ampeg_hold=.03 ampeg_decay=" + seconds + " ampeg_sustain=0", db: db, short: true}
}

var ways = map[string]way{
	"long": {opcodes: "ampeg_attack=.09"}, "legato": {opcodes: "ampeg_attack=.03 cutoff=9000"}, "sustain": {},
	"flutter": {opcodes: "ampeg_attack=.06 amplfo_freq=22 amplfo_depth=6"}, "trill": {opcodes: "ampeg_attack=.04 pitchlfo_freq=7 pitchlfo_depth=100"},
	"tremolo": {opcodes: "ampeg_attack=.03 amplfo_freq=12 amplfo_depth=7"}, "swell": {opcodes: "ampeg_attack=.8"}, "crescendo": {opcodes: "ampeg_attack=1.6 ampeg_start=15"},
	"fortepiano": {opcodes: "ampeg_decay=.9 ampeg_sustain=30"}, "sforzando": {opcodes: "ampeg_decay=.5 ampeg_sustain=45", db: 4},
	"con sordino": {opcodes: "ampeg_attack=.1 cutoff=1300", db: -3}, "una corda": {opcodes: "cutoff=1600", db: -3}, "muted": {opcodes: "cutoff=1200 ampeg_decay=2 ampeg_sustain=0"},
	"sul ponticello": {opcodes: "ampeg_attack=.05 fil_type=hpf_2p cutoff=1500", db: 5}, "sul tasto": {opcodes: "ampeg_attack=.14 cutoff=1500"}, "flautando": {opcodes: "ampeg_attack=.2 cutoff=900", db: -2},
	"harmonics": {opcodes: "ampeg_attack=.08 transpose=12 cutoff=2600", db: -4}, "glissando": {opcodes: "pitcheg_start=100 pitcheg_decay=.5 pitcheg_sustain=0 pitcheg_depth=-1200"},
	"staccato": short("1.4", 0), "spiccato": short(".9", 0), "tenuto": short("5", 0), "marcato": short("2.8", 3),
	"pizzicato": {timbre: "pizzicato"}, "snap pizzicato": {timbre: "pizzicato", opcodes: " fil_type=hpf_2p cutoff=700", db: 5}, "col legno": {timbre: "click"},
	"runs": {opcodes: "ampeg_attack=.02 pitchlfo_freq=3 pitchlfo_depth=400"}, "bends": {opcodes: "ampeg_attack=.05 pitcheg_attack=.5 pitcheg_depth=-150"},
	"key clicks": {timbre: "click"}, "air": {timbre: "air"}, "whisper": {timbre: "air", opcodes: "cutoff=2500"},
	"rip": {opcodes: "pitcheg_start=100 pitcheg_decay=.3 pitcheg_sustain=0 pitcheg_depth=-700"}, "fall": {opcodes: "pitcheg_hold=.2 pitcheg_attack=1.2 pitcheg_depth=-900"},
	"bells up": {opcodes: "ampeg_attack=.03 fil_type=hpf_2p cutoff=500", db: 4}, "cluster": {opcodes: "ampeg_attack=.2 pitchlfo_freq=.7 pitchlfo_depth=60"}, "slide": {opcodes: "ampeg_attack=.1 pitcheg_attack=.6 pitcheg_depth=300"},
	"vocalise": {opcodes: "ampeg_attack=.1 pitchlfo_freq=5.5 pitchlfo_depth=35"},
	"hit":      {}, "roll": {opcodes: "amplfo_freq=16 amplfo_depth=9 ampeg_attack=.05"}, "bowed": {timbre: "organ", opcodes: "ampeg_attack=.5 cutoff=4000"},
	"pluck": {}, "eighths": {opcodes: "amplfo_freq=4 amplfo_depth=10"}, "sixteenths": {opcodes: "amplfo_freq=8 amplfo_depth=10"}, "triplets": {opcodes: "amplfo_freq=6 amplfo_depth=10"},
	"rise": {opcodes: "ampeg_attack=1.2 pitcheg_attack=1.2 pitcheg_depth=1200", timbre: "pad"},
}

// timbreOf is how an instrument of a section sounds.
func timbreOf(section, name string) string {
	has := func(words string) bool {
		for _, w := range strings.Split(words, ",") {
			if strings.Contains(strings.ToLower(name), w) {
				return true
			}
		}
		return false
	}
	family, group, _ := strings.Cut(section, " / ")
	switch group {
	case "Flutes", "Whistles":
		if has("reed") {
			return "reed"
		}
		return "flute"
	case "Oboes", "Bassoons":
		return "reed"
	case "Clarinets", "Low clarinets":
		return "clarinet"
	case "Horns":
		return "horn"
	case "Trumpets":
		return "trumpet"
	case "Trombones", "Tubas":
		return "trombone"
	case "Timpani":
		return "timpani"
	case "Drums":
		return "drum"
	case "Metals":
		return "metal"
	case "High":
		if has("snare,tambourine,shaker") {
			return "drum"
		}
		if has("triangle,sleigh") {
			return "metal"
		}
		return "click"
	case "Tuned":
		if has("xylophone,marimba") {
			return "bar"
		}
		return "bell"
	case "Keys":
		if has("organ,harmonium,bowed") {
			return "organ"
		}
		if has("celesta,toy") {
			return "bar"
		}
		if has("harpsichord,clavichord") {
			return "pluck"
		}
		return "piano"
	case "Harps":
		return "pluck"
	case "Textures":
		return "pad"
	case "Pulses":
		return "pad"
	case "Impacts":
		return "impact"
	}
	switch {
	case family == "Voices" && has(" oo"):
		return "voice oo"
	case family == "Voices":
		return "voice ah"
	case strings.Contains(section, "Soloists"):
		return "solo bow"
	}
	return "strings"
}

// panOf is where a section was recorded, -100 left to 100 right.
func panOf(section string) float64 {
	for _, at := range []struct {
		part string
		pan  float64
	}{
		{"Violins 1", -45}, {"Violins 2", -20}, {"Violas", 15}, {"Cellos", 35}, {"Basses", 50}, {"Horns", -25}, {"Trumpets", 12}, {"Trombones", 28},
		{"Tubas", 35}, {"Flutes", -8}, {"Oboes", 6}, {"Clarinets", -10}, {"Bassoons", 10}, {"Timpani", -12}, {"Drums", 20}, {"High", -25}, {"Metals", 25}, {"Tuned", -35}, {"Harps", -35}, {"Women", -10}, {"Men", 10},
	} {
		if strings.Contains(section, at.part) {
			return at.pan
		}
	}
	return 0
}

// fault is what is wrong with a patch on purpose, so that there is something to find.
type fault struct {
	dead, octave, same bool
	lateMs             int
	levelDB            float64
}

var faults = map[string]fault{
	"Contrabass clarinet effects": {dead: true},   // its samples are lost
	"Euphonium long":              {octave: true}, // middle C is an octave off
	"Desert tenor":                {same: true},   // a switch that does not switch
	"Hall thunder":                {lateMs: 140},  // it sounds late
	"Girls oo":                    {levelDB: 9},   // much too loud
	"Basses a 2 long":             {levelDB: -9},  // much too soft
	"Oboe 2 short":                {same: true},   // another switch
	"Fog horns":                   {octave: true}, // and another octave
}
