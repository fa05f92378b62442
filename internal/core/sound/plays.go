package sound

import (
	"slices"
	"strings"
)

// Desk is one row that an instrument begins with in a template: what its name ends in,
// empty for an instrument of one row, and the articulations that are on it.
type Desk struct {
	Suffix        string
	Articulations []string // by their names in the standard vocabulary
}

// Plays is how an instrument is played.
type Plays struct {
	Desks []Desk
	Also  []string // what can be asked of it as well
}

// Can tells whether an articulation can be asked of the instrument.
func (p Plays) Can(articulation string) bool {
	return slices.Contains(p.Also, articulation) || slices.ContainsFunc(p.Desks, func(d Desk) bool { return slices.Contains(d.Articulations, articulation) })
}

// How is how an instrument is played: as its nearest kind in the table is. Of one that is
// not known, what everything that sustains plays.
func How(id string) Plays {
	if s := ByID(id); s != nil { // a name, too
		id = s.ID
	}
	for id != "" {
		if p, ok := plays[id]; ok {
			return p
		}
		n := strings.LastIndexByte(id, '.')
		if n < 0 {
			break
		}
		id = id[:n]
	}
	return plays[""]
}

// long and short write rows; one writes the only row of an instrument.
func long(list string) Desk  { return Desk{"long", split(list)} }
func short(list string) Desk { return Desk{"short", split(list)} }
func one(list string) Desk   { return Desk{"", split(list)} }

const (
	trills  = "trill minor second, trill major second, trill minor third, trill major third"
	shaped  = "tenuto, marcato, accent, sforzando, fortepiano, swell, crescendo, diminuendo"
	blown   = shaped + ", double tongue, triple tongue, glissando, bend, air, runs, " + trills
	mutes   = "con sordino, senza sordino, straight mute, cup mute, harmon mute, bucket mute"
	brassed = blown + ", " + mutes + ", flutter, fall, doit, rip, bells up, staccatissimo, effect"
	bowed   = shaped + ", " + trills + ", arco, staccatissimo, detache, ricochet, portamento, glissando, harmonics, measured tremolo, snap pizzicato, col legno, " +
		"col legno tratto, con sordino, senza sordino, position ordinario, sul ponticello, sul tasto, flautando, runs, bend, cluster, effect"
	sung   = shaped + ", portamento, glissando, whisper, cluster, effect, runs"
	struck = "accent, crescendo, diminuendo, sforzando, swell, glissando, effect"
)

// plays tells how instruments are played, by the ID of their kind: what the rows of a
// desk begin with, and what else can be asked of them. Techniques follow the chapters on
// each instrument in "Principles of Orchestration" and "Treatise on Instrumentation",
// from memory; which of them a template begins with is common practice, no source.
var plays = map[string]Plays{
	"": {[]Desk{long("long, legato"), short("staccato")}, split(shaped + ", glissando, effect, runs")},

	"strings":       {[]Desk{long("long, legato, tremolo"), short("staccato, spiccato, pizzicato")}, split(bowed)},
	"wind.flutes":   {[]Desk{long("long, legato, flutter"), short("staccato")}, split(blown + ", harmonics, key clicks, multiphonics, staccatissimo, effect")},
	"wind.reed":     {[]Desk{long("long, legato"), short("staccato")}, split(blown + ", flutter, key clicks, multiphonics, staccatissimo, effect")},
	"wind":          {[]Desk{long("long, legato"), short("staccato")}, split(blown + ", flutter, staccatissimo, effect")},
	"brass":         {[]Desk{long("long, legato"), short("staccato, marcato")}, split(brassed)},
	"brass.trumpet": {[]Desk{long("long, legato"), short("staccato, double tongue")}, split(brassed)},

	"brass.french-horn": {[]Desk{long("long, legato"), short("staccato, marcato")}, split(brassed + ", stopped")},
	"brass.trombone":    {[]Desk{long("long, legato"), short("staccato, marcato")}, split(brassed)},

	"drum":                             {[]Desk{one("hit, roll")}, split(struck)},
	"drum.timpani":                     {[]Desk{long("roll"), short("hit")}, split(struck + ", con sordino, senza sordino")},
	"drum.snare-drum":                  {[]Desk{long("roll"), short("hit")}, split(struck + ", con sordino, senza sordino")},
	"drum.slit-drum":                   {[]Desk{one("hit")}, split(struck + ", roll")},
	"metal":                            {[]Desk{one("hit")}, split(struck + ", roll, bowed")},
	"metal.triangle":                   {[]Desk{one("hit, roll")}, split(struck)},
	"metal.cymbal":                     {[]Desk{one("hit, roll, swell")}, split(struck + ", bowed")},
	"metal.cymbal.crash":               {[]Desk{one("hit")}, split(struck + ", roll")},
	"metal.tamtam":                     {[]Desk{one("hit, roll")}, split(struck + ", bowed")},
	"metal.bells":                      {[]Desk{one("glissando")}, split(struck + ", hit")},
	"metal.crotales":                   {[]Desk{one("hit, bowed")}, split(struck)},
	"wood":                             {[]Desk{one("hit, roll")}, split(struck)},
	"rattle":                           {[]Desk{one("hit, roll")}, split(struck)},
	"pitched-percussion":               {[]Desk{one("hit, roll")}, split(struck)},
	"pitched-percussion.tubular-bells": {[]Desk{one("hit")}, split(struck + ", roll")},
	"pitched-percussion.vibraphone":    {[]Desk{one("hit, roll")}, split(struck + ", bowed")},

	"effect":                             {[]Desk{one("hit")}, split(struck + ", roll")},
	"metal.flexatone":                    {[]Desk{one("hit, glissando")}, split(struck + ", roll")},
	"metal.thundersheet":                 {[]Desk{one("roll, hit")}, split(struck)},
	"rattle.ratchet":                     {[]Desk{one("roll, hit")}, split(struck)},
	"pitched-percussion.cimbalom":        {[]Desk{one("hit, roll")}, split(struck + ", pizzicato, con sordino, senza sordino")},
	"pitched-percussion.kalimba":         {[]Desk{one("hit")}, split(struck)},
	"pitched-percussion.glass-harmonica": {[]Desk{one("bowed")}, split(struck + ", hit, roll")},
	"keyboard.ondes-martenot":            {[]Desk{one("long, glissando")}, split("legato, staccato, swell, crescendo, diminuendo, effect, " + trills)},

	"pluck":          {[]Desk{one("long")}, split("harmonics, glissando, tremolo, staccato, bend, effect, accent")},
	"pluck.harp":     {[]Desk{one("long, harmonics, glissando")}, split("staccato, effect, runs, trill major second, trill minor second, tremolo, accent")},
	"pluck.mandolin": {[]Desk{one("long, tremolo")}, split("harmonics, glissando, staccato, accent")},
	"keyboard":       {[]Desk{one("long")}, split("staccato, legato, accent, marcato, glissando, effect, runs, " + trills)},
	"keyboard.organ": {[]Desk{one("long")}, split("staccato, legato, tremolo, cluster, effect, runs, " + trills)},

	"voice":       {[]Desk{long("long, legato"), short("staccato")}, split(sung)},
	"voice.child": {[]Desk{long("long, legato")}, split(sung + ", staccato")},

	"synth":         {[]Desk{one("long")}, split("effect, swell, crescendo, diminuendo, glissando, hit")},
	"synth.effects": {[]Desk{one("effect")}, split("hit, swell, crescendo, glissando, roll, long")},
}

// registers say in which half of its family an instrument plays, by the ID of its kind;
// the range decides for those that are not named. Common practice, no source.
var registers = map[string]string{
	"wind.flutes": "high", "wind.flutes.flute.bass": "low", "wind.flutes.flute.contrabass": "low", "wind.reed.heckelphone": "low", "wind.reed.oboe": "high", "wind.reed.english-horn": "high", "wind.reed.clarinet": "high", "wind.reed.clarinet.bass": "low",
	"wind.reed.clarinet.contrabass": "low", "wind.reed.bassoon": "low", "wind.reed.contrabassoon": "low", "wind.reed.saxophone.soprano": "high", "wind.reed.saxophone.alto": "high",
	"wind.reed.saxophone.tenor": "low", "wind.reed.saxophone.baritone": "low", "wind.reed.basset-horn": "low",
	"brass.french-horn": "high", "brass.trumpet": "high", "brass.cornet": "high", "brass.flugelhorn": "high", "brass.alto-horn": "high", "brass.trombone": "low", "brass.tuba": "low", "brass.cimbasso": "low",
	"brass.euphonium": "low", "brass.baritone-horn": "low", "brass.wagner-tuba": "low",
	"drum": "low", "drum.snare-drum": "high", "drum.tambourine": "high", "metal": "high", "metal.tamtam": "low", "wood": "high", "rattle": "high", "effect": "high", "drum.bongo": "high", "metal.thundersheet": "low", "metal.bells.bell-plate": "low", "metal.brake-drums": "high", "drum.group": "low",
	"pitched-percussion": "high",
	"voice.soprano":      "high", "voice.alto": "high", "voice.mezzo-soprano": "high", "voice.child": "high", "voice.tenor": "low", "voice.baritone": "low", "voice.bass": "low",
	"strings.violin": "high", "strings.viola": "high", "strings.cello": "low", "strings.contrabass": "low",
}

// Register is the half of its family in which an instrument plays, "high" or "low"; empty
// where its range decides.
func Register(id string) string {
	if s := ByID(id); s != nil && id != "" {
		id = s.ID
	}
	for id != "" {
		if r := registers[id]; r != "" {
			return r
		}
		id = id[:max(0, strings.LastIndexByte(id, '.'))]
	}
	return ""
}
