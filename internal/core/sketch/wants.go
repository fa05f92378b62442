package sketch

import "fanfold/internal/core/sound"

// manner is a way of playing that a sketch is written with, and how well each
// articulation serves as it, 0..1. No articulations: any does.
type manner struct {
	name string
	by   map[string]float64
}

// The manners, by articulations of the standard vocabulary. What counts as plain is common
// practice, no source.
var (
	long     = manner{"long", map[string]float64{"long": 1, "arco": 1, "position ordinario": 1, "senza sordino": .9, "tenuto": .4, "roll": .5, "bowed": .3}}
	short    = manner{"short", map[string]float64{"staccato": 1, "spiccato": 1, "hit": 1, "staccatissimo": .8, "marcato": .7, "detache": .6, "double tongue": .5, "accent": .5}}
	legato   = manner{"legato", map[string]float64{"legato": 1, "portamento": .5}}
	plucked  = manner{"pizzicato", map[string]float64{"pizzicato": 1, "snap pizzicato": .4}}
	tremolo  = manner{"tremolo", map[string]float64{"tremolo": 1, "measured tremolo": .5}}
	singing  = manner{"solo", map[string]float64{"legato": 1, "long": .7, "portamento": .4}}
	swelling = manner{"swell", map[string]float64{"swell": 1, "roll": .9, "crescendo": .9, "bowed": .5, "hit": .3}}
	anyhow   = manner{}
)

// standing says how well instruments stand for a family when there is no room for more,
// 0..1, by the longest kind that an instrument is of; one that is not named, as little as
// oddity.
type standing map[string]float64

const oddity = .1

func (s standing) of(id string) float64 {
	best, length := oddity, -1
	for kind, worth := range s {
		if sound.Within(id, kind) && len(kind) > length {
			best, length = worth, len(kind)
		}
	}
	return best
}

// families are what a sketch is written for, with who leads each. Who leads is common
// practice, no source.
var families = []family{
	{"Strings", standing{"strings.group": 1, "strings.violin": .85, "strings.cello": .85, "strings.viola": .6, "strings.contrabass": .5}, .4, []familyWant{
		{"High strings", long, 55, 96, 120}, {"Low strings", long, 28, 62, 110}, {"High strings", short, 55, 96, 95}, {"Low strings", short, 28, 62, 85},
		{"Strings", legato, 28, 96, 80}, {"Strings", plucked, 28, 90, 75}, {"Strings", tremolo, 28, 96, 50},
	}},
	{"Brass", standing{"brass.group": 1, "brass.french-horn": .85, "brass.wagner-tuba": .2, "brass.trombone": .8, "brass.trombone.bass": .5, "brass.trombone.contrabass": .2, "brass.trumpet": .75, "brass.trumpet.piccolo": .2,
		"brass.tuba": .4, "brass.tuba.subcontrabass": .2, "brass.euphonium": .3, "brass.cornet": .4}, .7, []familyWant{
		{"High brass", long, 52, 82, 55}, {"Low brass", long, 29, 60, 55}, {"High brass", short, 52, 82, 45}, {"Low brass", short, 29, 60, 40}, {"Brass", legato, 29, 82, 25},
	}},
	{"Winds", standing{"wind.group": 1, "wind.reed.clarinet": .8, "wind.flutes.flute": .8, "wind.reed.oboe": .7, "wind.reed.bassoon": .7, "wind.reed.clarinet.bass": .4, "wind.reed.english-horn": .4, "wind.reed.basset-horn": .2,
		"wind.reed.clarinet.eflat": .2, "wind.flutes.flute.alto": .25, "wind.flutes.flute.bass": .15, "wind.flutes.flute.contrabass": .05, "wind.flutes.flute.piccolo": .3, "wind.reed.contrabassoon": .3, "wind.reed.clarinet.contrabass": .15}, .8, []familyWant{
		{"High winds", long, 60, 94, 50}, {"Low winds", long, 35, 62, 40}, {"High winds", short, 60, 94, 42}, {"Low winds", short, 35, 62, 32}, {"Winds", legato, 35, 94, 40},
	}},
	{"Voices", standing{"voice.vocals": 1, "voice.soprano": .7, "voice.alto": .6, "voice.tenor": .6, "voice.bass": .6, "voice.child": .3}, .3, []familyWant{
		{"Voices", long, 40, 84, 50}, {"Voices", short, 40, 84, 8},
	}},
}

type family struct {
	name  string // as sound.Family has it
	leads standing
	alone float64 // what one player is worth beside a section, 0..1
	wants []familyWant
}

// familyWant is a manner that a sketch wants of a family or of its high or low half, the
// sounding keys that this spans, MIDI notes, and what it is worth.
type familyWant struct {
	of        string
	manner    manner
	low, high int
	worth     float64
}

// specially is how well a special kind of an instrument serves beside the plain one, 0..1.
const specially = .7

// sizes say how well a number of players who play as one serves, by family: the usual
// section best. The first line whose number is reached counts.
var sizes = map[string][]struct {
	players int
	serves  float64
}{
	"Strings": {{9, 1}, {8, .95}, {6, .92}, {4, .85}, {0, .75}},
	"Brass":   {{7, .9}, {6, .95}, {3, 1}, {0, .85}},
	"Voices":  {{12, 1}, {0, .85}},
}

// single are what a sketch wants beside its families: who serves, how, and the worth.
var single = []struct {
	name   string
	family string // whose soloists, or whose instruments, serve
	who    standing
	manner manner
	solo   bool // one player, and no section
	worth  float64
}{
	{"Piano", "Keys and harp", standing{"keyboard.piano": 1, "keyboard.piano.toy": .1, "keyboard.piano.electric": .6, "keyboard": 0, "pluck": 0}, anyhow, false, 70},
	{"Low percussion", "Percussion", standing{"drum.timpani": 1, "drum.bass-drum": .9, "drum.taiko": .9, "drum.tom-tom": .7, "drum.surdo": .4, "metal": 0, "wood": 0, "rattle": 0, "pitched-percussion": 0, "drum.snare-drum": 0, "drum.tambourine": 0, "drum": .3}, anyhow, false, 60},
	{"High percussion", "Percussion", standing{"drum.snare-drum": 1, "metal.triangle": .6, "drum.tambourine": .6, "rattle.shaker": .5, "wood": .4, "drum": 0, "metal": .2, "pitched-percussion": 0}, anyhow, false, 45},
	{"Harp", "Keys and harp", standing{"pluck.harp": 1, "pluck": .15, "keyboard": 0}, anyhow, false, 45},
	{"A drone or pad", "Hybrid", standing{"synth.pad": 1, "synth": .3}, anyhow, false, 40},
	{"Cymbals and gongs", "Percussion", standing{"metal.cymbal.suspended": 1, "metal.cymbal": .8, "metal.tamtam": .7, "metal": .3, "metal.triangle": 0, "drum": 0, "wood": 0, "rattle": 0, "pitched-percussion": 0}, swelling, false, 28},
	{"A solo string", "Strings", standing{"strings.violin": 1, "strings.cello": 1, "strings.viola": .6, "strings.contrabass": .3}, singing, true, 28},
	{"A solo wind", "Winds", standing{"wind.flutes.flute": 1, "wind.reed.oboe": 1, "wind.reed.clarinet": .9, "wind.reed.english-horn": .8, "wind.reed.bassoon": .6, "wind": .3}, singing, true, 22},
	{"Bells and mallets", "Percussion", standing{"pitched-percussion.glockenspiel": 1, "pitched-percussion.vibraphone": .8, "pitched-percussion.marimba": .8, "pitched-percussion.xylophone": .7, "pitched-percussion": .6, "metal.crotales": .5, "metal": 0, "drum": 0, "wood": 0, "rattle": 0}, anyhow, false, 22},
	{"Celesta", "Keys and harp", standing{"keyboard.celesta": 1, "keyboard": 0, "pluck": 0}, anyhow, false, 12},
	{"A solo voice", "Voices", standing{"voice.soprano": 1, "voice": .7}, singing, true, 10},
}

// more is what an instrument of a kind is worth by itself, once there is room for more than
// one of its family: for the plain manners of playing; other articulations of it are worth
// less, and a second desk or library of it less again. Common practice, no source.
var more = standing{
	"strings.violin": 34, "strings.cello": 30, "strings.viola": 25, "strings.contrabass": 22, "strings.group": 15, "strings": 1,
	"brass.french-horn": 24, "brass.trombone": 19, "brass.trumpet": 19, "brass.tuba": 9, "brass.trombone.bass": 6, "brass.group": 10, "brass": 1.5,
	"brass.trumpet.piccolo": 1.5, "brass.trombone.contrabass": 1.5, "brass.tuba.subcontrabass": 1.5,
	"wind.flutes.flute": 12, "wind.reed.clarinet": 11, "wind.reed.oboe": 10, "wind.reed.bassoon": 9, "wind.flutes.flute.piccolo": 4, "wind.reed.english-horn": 4, "wind.reed.clarinet.bass": 4, "wind.reed.contrabassoon": 2.5, "wind.group": 9,
	"wind.flutes.flute.alto": 1, "wind.flutes.flute.bass": .7, "wind.flutes.flute.contrabass": .3, "wind.reed.clarinet.eflat": 1, "wind.reed.clarinet.contrabass": .7, "wind": .4,
	"voice.vocals": 9, "voice.soprano": 8, "voice.alto": 7, "voice.tenor": 7, "voice.bass": 7, "voice": 1,
	"keyboard.piano": 4, "keyboard.celesta": 3, "keyboard": .6, "pluck.harp": 4, "pluck": .5,
	"drum.timpani": 8, "drum.bass-drum": 4, "drum.taiko": 4, "drum.snare-drum": 3, "drum": .8, "metal.cymbal": 2, "metal.tamtam": 3, "metal": .4, "wood": .2, "rattle": .2,
	"pitched-percussion.glockenspiel": 3, "pitched-percussion.vibraphone": 2, "pitched-percussion.marimba": 2, "pitched-percussion.xylophone": 2, "pitched-percussion": 1,
	"synth.pad": 2, "synth": .6,
}

// plain are the manners that an instrument by itself is wanted for, each with its share of
// what more says.
var plain = []struct {
	manner manner
	share  float64
}{{long, 1}, {short, .8}, {legato, .6}, {plucked, .5}, {tremolo, .4}}

// The shares of what more says for an articulation that none of the plain manners is, for
// one that is an effect, and for a manner of a further desk.
const (
	besides = .08
	effects = .015
	further = .12
)
