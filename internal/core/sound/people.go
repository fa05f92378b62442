package sound

import "strings"

// Player is what one person can do on an instrument.
type Player struct {
	Low, High int     // where a good player is at ease at any strength, sounding keys; 0 and 0 for no limit but the range
	AtOnce    int     // notes at once
	BreathS   float64 // of playing in one breath, s; 0 for those who need none
}

// of writes one line of the table.
func of(low, high, atOnce int, breathS float64) Player { return Player{low, high, atOnce, breathS} }

// people says what one person can do, by the ID of the kind of instrument. Comfortable
// ranges and notes at once follow the chapters on each instrument in "Principles of
// Orchestration" and "The Study of Orchestration", from memory; how long a breath lasts at
// middle strength is common practice, no source.
var people = map[string]Player{
	"wind.flutes.flute.piccolo": of(76, 103, 1, 14), "wind.flutes.flute": of(62, 93, 1, 11), "wind.flutes.flute.alto": of(57, 84, 1, 9), "wind.flutes.flute.bass": of(50, 77, 1, 7), "wind.flutes.flute.contrabass": of(38, 65, 1, 6),
	"wind.flutes": of(0, 0, 1, 12), "wind.reed.oboe": of(60, 88, 1, 22), "wind.reed.english-horn": of(54, 79, 1, 20), "wind.reed.clarinet.eflat": of(58, 91, 1, 16), "wind.reed.clarinet": of(50, 89, 1, 16),
	"wind.reed.basset-horn": of(43, 82, 1, 14), "wind.reed.clarinet.bass": of(36, 74, 1, 12), "wind.reed.clarinet.contrabass": of(26, 58, 1, 9), "wind.reed.bassoon": of(36, 70, 1, 14), "wind.reed.contrabassoon": of(24, 53, 1, 9),
	"wind.reed.saxophone.soprano": of(58, 85, 1, 14), "wind.reed.saxophone.alto": of(51, 78, 1, 13), "wind.reed.saxophone.tenor": of(46, 73, 1, 12), "wind.reed.saxophone.baritone": of(38, 66, 1, 10),
	"wind":              of(0, 0, 1, 12),
	"brass.french-horn": of(41, 74, 1, 13), "brass.wagner-tuba": of(41, 70, 1, 12), "brass.trumpet.piccolo": of(67, 88, 1, 13), "brass.trumpet": of(55, 81, 1, 14), "brass.cornet": of(55, 79, 1, 14), "brass.flugelhorn": of(55, 77, 1, 13),
	"brass.trombone": of(43, 69, 1, 10), "brass.trombone.bass": of(36, 65, 1, 8), "brass.trombone.contrabass": of(28, 57, 1, 7), "brass.cimbasso": of(29, 57, 1, 7), "brass.alto-horn": of(48, 71, 1, 13),
	"brass.baritone-horn": of(45, 68, 1, 12), "brass.euphonium": of(41, 68, 1, 11), "brass.tuba": of(31, 60, 1, 7), "brass.tuba.subcontrabass": of(27, 55, 1, 6), "brass": of(0, 0, 1, 11),
	"voice.soprano": of(60, 79, 1, 12), "voice.mezzo-soprano": of(57, 77, 1, 12), "voice.alto": of(55, 74, 1, 12), "voice.tenor": of(48, 67, 1, 12), "voice.baritone": of(43, 64, 1, 12), "voice.bass": of(41, 62, 1, 12),
	"voice.child": of(60, 76, 1, 9), "voice": of(0, 0, 1, 12),
	"strings.violin": of(55, 96, 2, 0), "strings.viola": of(48, 84, 2, 0), "strings.cello": of(36, 76, 2, 0), "strings.contrabass": of(28, 60, 1, 0), "strings": of(0, 0, 2, 0),
	"pluck.harp": of(24, 100, 8, 0), "pluck.guitar": of(40, 84, 6, 0), "pluck": of(0, 0, 4, 0), "keyboard": of(0, 0, 10, 0),
	"drum.timpani": of(41, 57, 2, 0), "pitched-percussion.tubular-bells": of(0, 0, 2, 0), "pitched-percussion.vibraphone": of(0, 0, 4, 0), "pitched-percussion.marimba": of(0, 0, 4, 0), "pitched-percussion": of(0, 0, 2, 0),
	"drum": of(0, 0, 2, 0), "metal": of(0, 0, 2, 0), "wood": of(0, 0, 2, 0), "rattle": of(0, 0, 1, 0), "effect": of(0, 0, 1, 0), "wind.pipes.bagpipes": of(0, 0, 4, 0),
}

// PlayerOf is what one person can do on an instrument, as on its nearest kind; of one that is
// not known, or that nobody plays, known is false.
func PlayerOf(id string) (p Player, known bool) {
	if s := ByID(id); s != nil && id != "" {
		id = s.ID
	}
	for id != "" {
		if p, known = people[id]; known {
			return p, true
		}
		id = id[:max(0, strings.LastIndexByte(id, '.'))]
	}
	return Player{}, false
}

// Changes are times that players need between two ways of playing, s. Common practice, no
// source.
var Changes = struct {
	MuteIn, MuteOut float64 // to put a mute on, to take it off
	Pluck, Bow      float64 // from the bow to plucking, and back
	Instrument      float64 // to take another instrument
	Percussion      float64 // to go to another instrument or take other sticks
	Breath          float64 // to take one
	Pedal           float64 // to retune a kettledrum
}{MuteIn: 3, MuteOut: 2, Pluck: .4, Bow: .6, Instrument: 6, Percussion: 2, Breath: .3, Pedal: 3}

// Kettledrums is how many a timpanist has. Common practice, no source.
const Kettledrums = 4

// sectionSizes are how many play in a string section, or sing in a choir's, when nobody has
// said so: those of a large orchestra. Common practice, no source.
var sectionSizes = map[string]int{
	"strings.violin": 14, "strings.viola": 10, "strings.cello": 8, "strings.contrabass": 6,
	"voice.soprano": 10, "voice.mezzo-soprano": 8, "voice.alto": 10, "voice.tenor": 8, "voice.baritone": 8, "voice.bass": 8, "voice.vocals": 36, "voice.child": 12,
}

// SectionSize is how many play in a string section or sing in a choir's when nobody has
// said so; 0 for others.
// Second violins are two fewer than the first.
func SectionSize(id string, second bool) int {
	s := ByID(id)
	if s == nil || id == "" {
		return 0
	}
	n := sectionSizes[s.ID]
	if second && n > 2 && s.ID == "strings.violin" {
		n -= 2
	}
	return n
}
