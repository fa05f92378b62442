package sound

// Clef is how a part begins.
type Clef string

// The clefs.
const (
	Treble     Clef = "treble"
	TrebleLow  Clef = "treble-8" // with an eight below: it sounds an octave lower, as tenors and guitars read it
	Alto       Clef = "alto"
	Bass       Clef = "bass"
	Percussion Clef = "percussion"
	Grand      Clef = "grand" // two staves, treble and bass
)

// Written is how a part is written: its clef, and how far it sounds from what is written.
type Written struct {
	Clef      Clef
	Diatonic  int // steps from the written to the sounding note
	Chromatic int // semitones likewise, without octaves
	Octaves   int // likewise
}

// written lists the instruments that are written differently from how they sound, or not in the clef that
// their range suggests. The usual transpositions and clefs of orchestral parts: common practice, as
// handbooks of instrumentation have them, from memory. Clarinets and trumpets are those in B flat,
// horns in F, bass clarinets in the treble clef, and brass of the tenor register at pitch.
var written = map[string]Written{
	"wind.flutes.flute.piccolo": {Treble, 0, 0, 1}, "wind.flutes.flute.alto": {Treble, -3, -5, 0}, "wind.flutes.flute.bass": {Treble, 0, 0, -1}, "wind.flutes.flute.contrabass": {Treble, 0, 0, -2},
	"wind.reed.english-horn": {Treble, -4, -7, 0}, "wind.reed.heckelphone": {Treble, 0, 0, -1},
	"wind.reed.clarinet.eflat": {Treble, 2, 3, 0}, "wind.reed.clarinet": {Treble, -1, -2, 0}, "wind.reed.basset-horn": {Treble, -4, -7, 0},
	"wind.reed.clarinet.bass": {Treble, -1, -2, -1}, "wind.reed.clarinet.contrabass": {Treble, -1, -2, -2},
	"wind.reed.saxophone.soprano": {Treble, -1, -2, 0}, "wind.reed.saxophone.alto": {Treble, -5, -9, 0}, "wind.reed.saxophone.tenor": {Treble, -1, -2, -1},
	"wind.reed.saxophone.baritone": {Treble, -5, -9, -1}, "wind.reed.saxophone.bass": {Treble, -1, -2, -2},
	"wind.reed.bassoon": {Bass, 0, 0, 0}, "wind.reed.contrabassoon": {Bass, 0, 0, -1},
	"brass.french-horn": {Treble, -4, -7, 0}, "brass.wagner-tuba": {Treble, -4, -7, 0},
	"brass.trumpet": {Treble, -1, -2, 0}, "brass.trumpet.piccolo": {Treble, 6, 10, 0}, "brass.cornet": {Treble, -1, -2, 0}, "brass.flugelhorn": {Treble, -1, -2, 0},
	"brass.alto-horn": {Treble, -5, -9, 0}, "brass.trombone": {Bass, 0, 0, 0}, "brass.baritone-horn": {Bass, 0, 0, 0}, "brass.euphonium": {Bass, 0, 0, 0},
	"pitched-percussion.glockenspiel": {Treble, 0, 0, 2}, "metal.crotales": {Treble, 0, 0, 2}, "pitched-percussion.xylophone": {Treble, 0, 0, 1},
	"pitched-percussion.marimba": {Grand, 0, 0, 0}, "pitched-percussion.cimbalom": {Grand, 0, 0, 0},
	"pluck.harp": {Grand, 0, 0, 0}, "pluck.guitar": {TrebleLow, 0, 0, -1}, "pluck.guitar.electric": {TrebleLow, 0, 0, -1}, "pluck.banjo": {TrebleLow, 0, 0, -1}, "pluck.bass.electric": {Bass, 0, 0, -1},
	"keyboard.celesta": {Grand, 0, 0, 1}, "keyboard.ondes-martenot": {Treble, 0, 0, 0},
	"voice.tenor": {TrebleLow, 0, 0, 0}, "voice.vocals": {Grand, 0, 0, 0}, "voice.baritone": {Bass, 0, 0, 0},
	"strings.viola": {Alto, 0, 0, 0}, "strings.cello": {Bass, 0, 0, 0}, "strings.contrabass": {Bass, 0, 0, -1}, "strings.group": {Grand, 0, 0, 0},
}

// middle is the key below whose middle a range is written in the bass clef: the D above middle C lies
// between the staves.
const middle = 57

// WrittenAs is how the part of a sound is written. One that is not in the table is written at pitch: drums in
// the percussion clef, keyboards on two staves, others in the clef of the middle of their range; an
// unknown one in the treble clef.
func WrittenAs(id string) Written {
	if w, ok := written[id]; ok {
		return w
	}
	s := ByID(id)
	switch {
	case s == nil:
		return Written{Clef: Treble}
	case Within(id, "keyboard"):
		return Written{Clef: Grand}
	case !Pitched(id):
		return Written{Clef: Percussion}
	case s.Low+s.High < 2*middle:
		return Written{Clef: Bass}
	}
	return Written{Clef: Treble}
}
