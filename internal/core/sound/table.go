package sound

// entry writes one line of the table: the ID, the English name, the section,
// the lowest and highest sounding key, other names, usual roles, and what it
// is.
func entry(id, name, section string, low, high int, names, roles, about string) Sound {
	return Sound{ID: id, Name: name, Section: section, Low: low, High: high, Names: split(names), Roles: split(roles), About: about}
}

// table lists the instruments of the orchestra in score order. IDs are the
// standard sounds of MusicXML; the sounding ranges (MIDI notes, 60 is middle
// C) follow the tables of "Principles of Orchestration" and common practice
// where it is silent, both from memory.
var table = []Sound{
	entry("wind.flutes.flute.piccolo", "Piccolo", "Winds / Flutes", 74, 108, "picc, pic, flauto piccolo, ottavino, kleine flöte, petite flûte", "melody, brilliance", "The smallest flute, an octave above it. Cuts through a full orchestra when high; low notes are soft and breathy."),
	entry("wind.flutes.flute", "Flute", "Winds / Flutes", 59, 98, "fl, flauto, flauti, flöte, flûte, flutes, concert flute", "melody, runs", "The clear soprano of the winds. Agile, soft in its lowest octave, brilliant in its third."),
	entry("wind.flutes.flute.alto", "Alto flute", "Winds / Flutes", 55, 91, "afl, flauto contralto, altflöte", "colour, melody", "A fourth below the flute; dark and breathy, easily covered."),
	entry("wind.flutes.flute.bass", "Bass flute", "Winds / Flutes", 47, 84, "bfl, flauto basso, bassflöte", "colour", "An octave below the flute; hollow and quiet, for close microphones."),
	entry("wind.flutes.recorder", "Recorder", "Winds / Flutes", 60, 98, "rec, blockflöte, flauto dolce", "colour", "A whistle flute with a plain, early sound."),
	entry("wind.flutes.whistle", "Whistle", "Winds / Whistles", 62, 98, "low whistle, high whistle, tin whistle", "colour, melody", "A small whistle flute of folk music."),
	entry("wind.reed.oboe", "Oboe", "Winds / Oboes", 58, 93, "ob, oboi, hautbois, oboes, hoboe", "melody, solo", "A nasal, singing double reed; the orchestra tunes to its A."),
	entry("wind.reed.english-horn", "English horn", "Winds / Oboes", 52, 81, "eh, cor anglais, ca, corno inglese, englischhorn", "solo, colour", "The alto oboe, a fifth lower; melancholy solos."),
	entry("wind.reed.clarinet.eflat", "E-flat clarinet", "Winds / Clarinets", 55, 96, "ebcl, eb clarinet, es-klarinette, clarinetto piccolo, petite clarinette", "brilliance", "The small clarinet; shrill and agile above the others."),
	entry("wind.reed.clarinet", "Clarinet", "Winds / Clarinets", 50, 94, "cl, clarinetto, clarinetti, klarinette, clarinette, clarinets, wind.reed.clarinet.bflat, wind.reed.clarinet.a, bb clarinet", "melody, harmony, runs", "A single reed of very wide range: dark low, warm in the middle, bright high. The softest of all winds when it wants to be."),
	entry("wind.reed.basset-horn", "Basset horn", "Winds / Clarinets", 41, 89, "bhn, corno di bassetto, bassetthorn", "colour", "A tenor clarinet with a veiled tone."),
	entry("wind.reed.clarinet.bass", "Bass clarinet", "Winds / Low clarinets", 34, 82, "bcl, clarinetto basso, bassklarinette, clarinette basse", "bass, colour", "An octave below the clarinet; smooth, dark, able to vanish into nothing."),
	entry("wind.reed.clarinet.contrabass", "Contrabass clarinet", "Winds / Low clarinets", 22, 65, "cbcl, contrabass clarinet, kontrabassklarinette", "bass", "Two octaves below the clarinet; a rumble under the low winds."),
	entry("wind.reed.saxophone.soprano", "Soprano saxophone", "Winds / Saxophones", 56, 88, "ssx, ssax, soprano sax", "solo", "The straight high saxophone."),
	entry("wind.reed.saxophone.alto", "Alto saxophone", "Winds / Saxophones", 49, 81, "asx, asax, alto sax, saxofono contralto, saxophone, sax, wind.reed.saxophone", "solo, harmony", "The usual solo saxophone of the orchestra."),
	entry("wind.reed.saxophone.tenor", "Tenor saxophone", "Winds / Saxophones", 44, 76, "tsx, tsax, tenor sax", "solo, harmony", "A fifth below the alto."),
	entry("wind.reed.saxophone.baritone", "Baritone saxophone", "Winds / Saxophones", 36, 69, "bsax, baritone sax, bari sax", "bass", "An octave below the alto."),
	entry("wind.reed.bassoon", "Bassoon", "Winds / Bassoons", 34, 75, "bn, bsn, fagotto, fagotti, fagott, basson, bassoons", "bass, harmony, solo", "The bass of the double reeds; plaintive in its high tenor, dry in staccato."),
	entry("wind.reed.contrabassoon", "Contrabassoon", "Winds / Bassoons", 22, 58, "cbn, cbsn, contrafagotto, kontrafagott, contrebasson, double bassoon", "bass", "An octave below the bassoon, doubling the basses."),

	entry("brass.french-horn", "Horn", "Brass / Horns", 34, 77, "hn, hrn, cor, corni, corno, french horn, horns, cors, f horn, hörner", "harmony, melody, solo", "Round and warm between winds and brass; noble in unison, brassy when stopped or forced."),
	entry("brass.trumpet.piccolo", "Piccolo trumpet", "Brass / Trumpets", 62, 91, "tromba piccola, picc tpt", "brilliance", "An octave above the trumpet."),
	entry("brass.trumpet", "Trumpet", "Brass / Trumpets", 52, 86, "tpt, tp, tr, trp, tromba, trombe, trompete, trompette, trumpets, brass.trumpet.c, brass.trumpet.bflat, c trumpet, bb trumpet", "melody, fanfare", "The soprano of the brass; bright, pointed, quick in repeated notes."),
	entry("brass.cornet", "Cornet", "Brass / Trumpets", 52, 84, "cnt, cornetto, kornett, cornet à pistons", "melody", "A mellower trumpet of conical bore."),
	entry("brass.flugelhorn", "Flugelhorn", "Brass / Trumpets", 52, 82, "flhn, flicorno, flügelhorn, bugle", "solo, colour", "The softest of the high brass."),
	entry("brass.trombone", "Trombone", "Brass / Trombones", 40, 72, "tbn, trb, trombone, tromboni, posaune, trombones, brass.trombone.tenor, tenor trombone", "harmony, power", "The weight of the brass; solemn soft, cutting loud. Slides."),
	entry("brass.trombone.bass", "Bass trombone", "Brass / Trombones", 34, 67, "btbn, trombone basso, bassposaune", "bass", "The lowest of the usual three trombones."),
	entry("brass.trombone.contrabass", "Contrabass trombone", "Brass / Trombones", 24, 60, "cbtbn, kontrabassposaune", "bass", "An octave below the trombone."),
	entry("brass.cimbasso", "Cimbasso", "Brass / Tubas", 24, 60, "cimb", "bass", "A contrabass valve trombone; a harder edge than the tuba."),
	entry("brass.euphonium", "Euphonium", "Brass / Tubas", 34, 70, "euph, tenor tuba, eufonio", "solo, harmony", "A small, singing tuba."),
	entry("brass.tuba", "Tuba", "Brass / Tubas", 26, 65, "tb, tba, bass tuba, basstuba, brass.tuba.bass, tubas", "bass", "The round bass of the brass."),
	entry("brass.tuba.subcontrabass", "Contrabass tuba", "Brass / Tubas", 22, 60, "cb tuba, kontrabasstuba", "bass", "The largest tuba."),

	entry("drum.timpani", "Timpani", "Percussion / Timpani", 38, 60, "tmp, timp, pauken, timbales, kettledrums", "rhythm, bass", "Tuned kettledrums, four or five to a player."),
	entry("drum.bass-drum", "Bass drum", "Percussion / Drums", 24, 60, "bd, gran cassa, g.c., große trommel, grosse caisse, concert bass drum", "weight", "Depth under a climax; a soft roll for thunder."),
	entry("drum.snare-drum", "Snare drum", "Percussion / High", 36, 84, "sd, snare, side drum, kleine trommel, caisse claire, field drum, piccolo snare, tamburo", "rhythm", "Crisp rhythm; rolls that swell."),
	entry("drum.tom-tom", "Tom-toms", "Percussion / Drums", 36, 84, "toms, tom tom, low toms", "rhythm", "Drums without snares, from high to low."),
	entry("drum.taiko", "Taiko", "Percussion / Drums", 24, 84, "taiko ensemble, large drums, war drums", "weight, rhythm", "Large barrel drums, mostly as an ensemble."),
	entry("drum.frame-drum", "Frame drums", "Percussion / Drums", 36, 84, "frame drum", "rhythm", "A skin on a shallow frame, played by hand."),
	entry("drum.surdo", "Surdo", "Percussion / Drums", 24, 60, "surdo drum", "weight", "A deep two-headed drum."),
	entry("drum.slit-drum", "Slit drums", "Percussion / Drums", 36, 84, "slit drum", "rhythm", "A hollow log with a slit."),
	entry("drum.tambourine", "Tambourine", "Percussion / High", 36, 84, "tamb, tamburino, schellentrommel, tambour de basque", "rhythm", "A small frame with jingles."),
	entry("metal.triangle", "Triangle", "Percussion / High", 36, 84, "trgl, tri, triangolo", "brilliance", "A single clear point, or a shimmer."),
	entry("wood.castanets", "Castanets", "Percussion / High", 36, 84, "cast, castagnette", "rhythm", "Small wooden shells."),
	entry("wood.wood-block", "Woodblocks", "Percussion / High", 36, 84, "wood block, woodblock, holzblock", "rhythm", "A hollow block, dry and pointed."),
	entry("wood.temple-block", "Temple blocks", "Percussion / High", 36, 84, "temple block, tempelblöcke", "rhythm", "Rounded blocks in a scale of five."),
	entry("rattle.shaker", "Shaker", "Percussion / High", 36, 84, "shakers, maracas, egg", "rhythm", "Seeds in a shell."),
	entry("metal.cymbal.crash", "Cymbals", "Percussion / Metals", 36, 84, "cym, piatti, becken, clash cymbals, crash cymbals, cymbales", "climax", "A pair struck together."),
	entry("metal.cymbal.suspended", "Suspended cymbal", "Percussion / Metals", 36, 84, "sus cym, susp. cym., piatto sospeso, bowed cymbal", "swell", "One cymbal hung up; rolls that swell."),
	entry("metal.tamtam", "Tam-tam", "Percussion / Metals", 36, 84, "tamtam, tam tam, gong, wind gong", "climax, colour", "A flat gong of no pitch that blooms after the stroke."),
	entry("metal.anvil", "Anvil", "Percussion / Metals", 36, 84, "amboss, incudine", "accent", "A block of steel."),
	entry("metal.bells.mark-tree", "Mark tree", "Percussion / Metals", 36, 84, "bar chimes, wind chimes, bell tree", "colour", "A row of small bars, brushed."),
	entry("pitched-percussion.glockenspiel", "Glockenspiel", "Percussion / Tuned", 79, 108, "glock, glsp, campanelli, jeu de timbres, orchestra bells", "brilliance, melody", "Small steel bars, sounding two octaves above the writing."),
	entry("metal.crotales", "Crotales", "Percussion / Tuned", 84, 108, "crot, antique cymbals, cymbales antiques", "brilliance", "Small tuned cymbals, struck or bowed."),
	entry("pitched-percussion.xylophone", "Xylophone", "Percussion / Tuned", 65, 108, "xyl, xylo, silofono", "accent, melody", "Wooden bars, dry and bright; sounds an octave above the writing."),
	entry("pitched-percussion.vibraphone", "Vibraphone", "Percussion / Tuned", 53, 89, "vib, vibes, vibrafono", "harmony, colour", "Metal bars with a pedal and turning discs."),
	entry("pitched-percussion.marimba", "Marimba", "Percussion / Tuned", 36, 96, "mar, mrb, marimbafono, bass marimba", "rhythm, harmony", "Low wooden bars with resonators."),
	entry("pitched-percussion.tubular-bells", "Tubular bells", "Percussion / Tuned", 60, 77, "t.b., chimes, campane, röhrenglocken, cloches, tub. bells", "colour", "Hung tubes; the sound of church bells."),
	entry("metal.steel-drums", "Steel pan", "Percussion / Tuned", 52, 88, "steel pan, steel drum", "melody", "A tuned oil drum."),
	entry("drum.group", "Percussion", "Percussion / High", 24, 108, "perc, percussion, schlagzeug, batterie, percussione, players", "rhythm", "Several players with whatever the score asks for."),

	entry("pluck.harp", "Harp", "Keys and harp / Harps", 23, 103, "hp, arpa, arpe, harfe, harpe, harps", "harmony, colour", "Forty-seven strings and seven pedals; chords, runs, harmonics."),
	entry("keyboard.piano", "Piano", "Keys and harp / Keys", 21, 108, "pf, pno, pianoforte, klavier, concert grand, grand piano, keyboard.piano.grand, upright, keyboard.piano.upright", "rhythm, harmony, solo", "The whole range of the orchestra under ten fingers."),
	entry("keyboard.celesta", "Celesta", "Keys and harp / Keys", 60, 108, "cel, céleste, celeste", "colour", "Steel plates struck from a keyboard; sounds an octave above the writing."),
	entry("keyboard.harpsichord", "Harpsichord", "Keys and harp / Keys", 29, 89, "hpd, cembalo, clavecin, clavicembalo", "rhythm", "Plucked strings under a keyboard; no dynamics by touch."),
	entry("keyboard.harmonium", "Harmonium", "Keys and harp / Keys", 36, 96, "harm, pump organ", "harmony", "Free reeds and bellows."),
	entry("keyboard.organ.pipe", "Organ", "Keys and harp / Keys", 24, 108, "org, orgel, orgue, church organ, pipe organ, keyboard.organ", "weight, harmony", "Pipes; the longest held notes of all."),

	entry("voice.soprano", "Soprano", "Voices / Women", 57, 84, "sopr, sopran, soprani, sopranos, s.", "melody", "The high voice of women."),
	entry("voice.alto", "Alto", "Voices / Women", 53, 77, "contralto, mezzo, alt, altos, a.", "harmony", "The low voice of women."),
	entry("voice.tenor", "Tenor", "Voices / Men", 46, 72, "tenore, tenors, ténor", "melody, harmony", "The high voice of men."),
	entry("voice.bass", "Bass voice", "Voices / Men", 38, 65, "basses choir, basso, baritone, oktavists, choir bass", "bass", "The low voice of men."),
	entry("voice.vocals", "Choir", "Voices / Women", 38, 84, "coro, chor, chorus, choeur, voices, voice.female, voice.male, women, men, girls", "harmony, power", "Mixed voices."),
	entry("voice.child", "Boys' choir", "Voices / Soloists", 57, 84, "boys, children, treble", "colour", "Unbroken voices."),

	entry("strings.violin", "Violins", "Strings / Violins 1", 55, 103, "vln, vn, vl, violin, violini, violine, violons, violin i, violin 1, violins 1, violin ii, violin 2, violins 2, violins i, violins ii, solo violin", "melody, runs, harmony", "The sopranos of the strings, divided in firsts and seconds."),
	entry("strings.viola", "Violas", "Strings / Violas", 48, 91, "vla, va, viola, viole, bratsche, bratschen, alto, altos strings, solo viola", "harmony, inner voices", "A fifth below the violins; the warm middle."),
	entry("strings.cello", "Cellos", "Strings / Cellos", 36, 84, "vc, vlc, violoncello, violoncelli, violoncelle, celli, cello, violoncellos, solo cello", "melody, bass", "An octave below the violas; bass line and the great tenor melody."),
	entry("strings.contrabass", "Basses", "Strings / Basses", 24, 67, "cb, db, kb, contrabass, contrabasses, contrabassi, contrabasso, contrabbasso, contrabbassi, double bass, double basses, kontrabass, contrebasse, bass, solo bass, string bass", "bass", "The floor of the orchestra; sounds an octave below the writing."),
	entry("strings.group", "Strings", "Strings / Ensemble", 24, 103, "str, string ensemble, archi, streicher, cordes, full strings", "harmony, power", "All strings as one."),
	entry("strings.fiddle.hardanger", "Hardanger fiddle", "Strings / Soloists", 55, 96, "hardingfele", "solo, colour", "A folk fiddle with sympathetic strings."),

	entry("synth.pad", "Pad", "Hybrid / Textures", 0, 127, "texture, textures, drone, synth", "colour, harmony", "A held, made sound that moves slowly."),
	entry("synth.effects", "Synth effects", "Hybrid / Impacts", 0, 127, "impacts, hits, risers, pulses", "accent", "Made sounds: hits, risers, pulses."),
}
