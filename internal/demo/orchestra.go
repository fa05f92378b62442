package demo

import (
	"strings"

	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
)

var players = []template.Player{
	{ID: "player-lamp", Name: "Lamp player", Sounds: 16, Outputs: 16, OwnMiB: 96, WakeMs: 2500, WakeAgainMs: 400, Order: 1},
	{ID: "player-tide", Name: "Tide player", Sounds: 1, Outputs: 4, OwnMiB: 48, WakeMs: 1800, WakeAgainMs: 250, Order: 2},
}

// desk is a set of like instruments: every name in every variant.
type desk struct {
	section, stem, library, player string
	names                          []string
	variants                       []variant
	mib                            float64 // of the first variant's patch
	low, high                      int     // MIDI keys
}

type variant struct {
	suffix        string
	articulations string
	part          float64 // of the desk's size
	stem          string  // instead of the desk's
}

func names(list string) []string { return strings.Split(list, ", ") }

var (
	windVariants = []variant{
		{"long", "long;legato;flutter;trill", 1, ""},
		{"short", "staccato;tenuto;marcato", 0.6, ""},
		{"effects", "runs;bends;key clicks;air", 0.3, ""},
	}
	brassVariants = []variant{
		{"long", "long;legato;swell;con sordino", 1, ""},
		{"short", "staccato;marcato;sforzando", 0.7, ""},
		{"effects", "rip;fall;flutter;bells up", 0.3, ""},
	}
	plain = []variant{{"", "hit;roll", 1, ""}}
)

func strings5(high bool) []variant {
	long, short := "Low strings long", "Low strings short"
	if high {
		long, short = "High strings long", "High strings short"
	}
	return []variant{
		{"long", "long;legato;con sordino", 1, long},
		{"tremolo", "tremolo;trill;sul ponticello", 0.8, long},
		{"sul tasto", "sul tasto;flautando", 0.6, long},
		{"swells", "swell;crescendo;fortepiano", 0.7, long},
		{"harmonics", "harmonics;flautando", 0.5, long},
		{"short", "spiccato;staccato;marcato", 0.9, short},
		{"pizzicato", "pizzicato;snap pizzicato", 0.4, short},
		{"col legno", "col legno", 0.3, short},
	}
}

var desks = []desk{
	{"Winds / Flutes", "High winds", "Millrace Winds", "Lamp player", names("Piccolo, Flute 1, Flute 2, Flute 3, Alto flute, Bass flute, Flutes a 3"), windVariants, 420, 60, 96},
	{"Winds / Oboes", "High winds", "Millrace Winds", "Lamp player", names("Oboe 1, Oboe 2, Oboe 3, English horn, Oboes a 3"), windVariants, 380, 58, 91},
	{"Winds / Clarinets", "High winds", "Millrace Winds", "Lamp player", names("E-flat clarinet, Clarinet 1, Clarinet 2, Clarinet 3, Clarinets a 3"), windVariants, 440, 50, 91},
	{"Winds / Low clarinets", "Low winds", "Millrace Winds", "Lamp player", names("Bass clarinet, Contrabass clarinet"), windVariants, 360, 34, 77},
	{"Winds / Bassoons", "Low winds", "Millrace Winds", "Lamp player", names("Bassoon 1, Bassoon 2, Bassoon 3, Contrabassoon, Bassoons a 3"), windVariants, 390, 34, 75},
	{"Winds / Whistles", "High winds", "Low Meadow Textures", "Tide player", names("Low whistle, High whistle, Wooden flute, Double reed"), windVariants, 210, 50, 90},
	{"Brass / Horns", "Horns", "Tallow Brass", "Lamp player", names("Horn 1, Horn 2, Horn 3, Horn 4, Horns a 2, Horns a 4, Horns a 6"), brassVariants, 880, 34, 77},
	{"Brass / Trumpets", "Trumpets", "Tallow Brass", "Lamp player", names("Piccolo trumpet, Trumpet 1, Trumpet 2, Trumpet 3, Flugelhorn, Trumpets a 3"), brassVariants, 760, 52, 86},
	{"Brass / Trombones", "Low brass", "Tallow Brass", "Lamp player", names("Trombone 1, Trombone 2, Bass trombone, Contrabass trombone, Trombones a 3"), brassVariants, 820, 28, 72},
	{"Brass / Tubas", "Low brass", "Tallow Brass", "Lamp player", names("Tuba, Contrabass tuba, Cimbasso, Euphonium"), brassVariants, 640, 24, 65},
	{"Percussion / Drums", "Low percussion", "Coldharbour Percussion", "Lamp player", names("Concert bass drum, Field drum, Taiko ensemble, Frame drums, Low toms, Hall thunder, Slit drums, Surdo, Dunes ensemble, Barrel drums, Gran cassa soft, War drums"), plain, 520, 24, 84},
	{"Percussion / Timpani", "Timpani", "Coldharbour Percussion", "Lamp player", names("Timpani, Timpani soft, Timpani hard, Timpani rolls"), plain, 610, 36, 60},
	{"Percussion / High", "High percussion", "Coldharbour Percussion", "Lamp player", names("Snare, Piccolo snare, Tambourine, Triangle, Shaker, Castanets, Woodblocks, Temple blocks, Claves, Sticks, Ratchet, Sleigh bells, Whip, Guiro"), plain, 130, 36, 84},
	{"Percussion / Metals", "Metals", "Coldharbour Percussion", "Lamp player", names("Cymbals, Suspended cymbal, Tam-tam, Wind gong, Bell tree, Mark tree, Anvil, Brake drums, Bowed cymbal, Finger cymbals, Bell plates, Water gong"), plain, 340, 36, 84},
	{"Percussion / Tuned", "Tuned percussion", "Coldharbour Percussion", "Tide player", names("Glockenspiel, Xylophone, Vibraphone, Marimba, Bass marimba, Crotales, Tubular bells, Handbells, Waterphone, Steel pan"), []variant{{"", "hit;roll;bowed", 1, ""}}, 280, 41, 96},
	{"Keys and harp / Keys", "Keys", "Pinfold Keys", "Tide player", names("Concert grand, Upright, Felt upright, Celesta, Harpsichord, Harmonium, Pump organ, Toy piano, Clavichord, Church organ, Bowed piano, Prepared piano"), []variant{{"", "sustain;una corda", 1, ""}}, 960, 21, 108},
	{"Keys and harp / Harps", "Harp", "Pinfold Keys", "Tide player", names("Harp 1, Harp 2, Gut harp, Lever harp, Zither, Hammered dulcimer"), []variant{{"", "pluck;harmonics;glissando;muted", 1, ""}}, 410, 24, 103},
	{"Voices / Women", "Choir high", "Saint Orrin Voices", "Lamp player", names("Sopranos, Altos, Women a 16, Girls"), []variant{{"ah", "long;legato", 1, ""}, {"oo", "long;legato", 0.9, ""}, {"short", "staccato;marcato", 0.5, ""}, {"effects", "cluster;whisper;slide", 0.4, ""}}, 1100, 53, 84},
	{"Voices / Men", "Choir low", "Saint Orrin Voices", "Lamp player", names("Tenors, Basses, Men a 16, Oktavists"), []variant{{"ah", "long;legato", 1, ""}, {"oo", "long;legato", 0.9, ""}, {"short", "staccato;marcato", 0.5, ""}, {"effects", "cluster;whisper;slide", 0.4, ""}}, 1100, 36, 67},
	{"Voices / Soloists", "Solo voices", "Saint Orrin Voices", "Tide player", names("Lantern soprano, Salt contralto, Desert tenor, Boy treble"), []variant{{"", "legato;vocalise;whisper", 1, ""}}, 720, 48, 84},
	{"Strings / Violins 1", "High strings long", "Wren & Vale Strings", "Lamp player", names("Violins 1, Violins 1 a 8, Violins 1 a 4"), strings5(true), 1400, 55, 100},
	{"Strings / Violins 2", "High strings long", "Wren & Vale Strings", "Lamp player", names("Violins 2, Violins 2 a 8, Violins 2 a 4"), strings5(true), 1300, 55, 98},
	{"Strings / Violas", "High strings long", "Wren & Vale Strings", "Lamp player", names("Violas, Violas a 6, Violas a 4"), strings5(true), 1250, 48, 91},
	{"Strings / Cellos", "Low strings long", "Wren & Vale Strings", "Lamp player", names("Cellos, Cellos a 6, Cellos a 3"), strings5(false), 1250, 36, 84},
	{"Strings / Basses", "Low strings long", "Wren & Vale Strings", "Lamp player", names("Basses, Basses a 4, Basses a 2"), strings5(false), 900, 24, 67},
	{"Strings / Soloists", "Solo strings", "Wren & Vale Strings", "Tide player", names("Solo violin, Solo viola, Solo cello, Solo bass, Hardanger fiddle"), []variant{{"", "legato;spiccato;harmonics;pizzicato", 1, ""}}, 840, 28, 100},
	{"Hybrid / Textures", "Textures", "Low Meadow Textures", "Tide player", names("Salt drone, Brine pad, Lamp glow, Fog horns, Dome air, Tide wash, Glass sand, Slow tide, Marsh light, Low meadow, Rope strain, Night wind, Wet stone, Keeper's breath, Far shore"), []variant{{"", "long;swell", 1, ""}}, 380, 24, 96},
	{"Hybrid / Pulses", "Pulses", "Low Meadow Textures", "Tide player", names("Clockwork, Lens motor, Rope pulse, Sail ticks, Gear train, Bilge pump, Pendulum, Winch"), []variant{{"", "eighths;sixteenths;triplets", 1, ""}}, 260, 24, 96},
	{"Hybrid / Impacts", "Impacts", "Low Meadow Textures", "Tide player", names("Shutter slam, Door far, Wave break, Iron fall, Thunder dome, Reverse salt, Hull hit, Riser long, Riser short, Drop"), []variant{{"", "hit;rise", 1, ""}}, 180, 24, 96},
}

// Rows lists the demo's instruments as a row list would.
func Rows() []intake.Row {
	var out []intake.Row
	add := func(r intake.Row) {
		r.Line = len(out) + 2
		out = append(out, r)
	}
	for _, d := range desks {
		for n, name := range d.names {
			for _, v := range d.variants {
				add(d.row(name, v, n))
			}
		}
	}
	for _, name := range names("Room microphone, Solo booth") {
		add(intake.Row{Section: "Live", Instrument: name, Kind: "input", Stem: "Live"})
	}
	for range 6 {
		add(intake.Row{Section: "Hybrid / Textures", Instrument: "Spare", Kind: "spare"})
	}
	for _, name := range names("Dialogue, Effects, Temp music") {
		add(intake.Row{Section: "Guides", Instrument: name, Kind: "guide"})
	}
	return out
}

func (d desk) row(name string, v variant, n int) intake.Row {
	full := strings.TrimSpace(name + " " + v.suffix)
	size := float64(int(1.5 * d.mib * v.part * (1 - 0.06*float64(n%5))))
	whole := size * 9
	voices := 4 + int(size/120)
	stem := d.stem
	if v.stem != "" {
		stem = v.stem
	}
	_, group, _ := strings.Cut(d.section, template.PathSeparator)
	return intake.Row{
		Section: d.section, Instrument: full, Articulations: strings.Split(v.articulations, ";"),
		Library: d.library, Player: d.player, Stem: stem, Group: group,
		PreloadMiB: &size, FullMiB: &whole, Voices: &voices, KeyLow: &d.low, KeyHigh: &d.high,
	}
}

// callSheet lists the named calls and whom they take.
var callSheet = []struct {
	name  string
	takes func(name, section string) bool
}{
	{"Opening call", func(name, _ string) bool {
		return name == "Violins 1 long" || name == "Cellos long" || name == "Horns a 4 long" || name == "Flute 1 long" || name == "Concert grand" || name == "Harp 1"
	}},
	{"1M03 The causeway", func(name, section string) bool {
		return section == "Hybrid / Textures" || strings.HasPrefix(section, "Winds") && strings.HasSuffix(name, "1 long") || section == "Keys and harp / Harps"
	}},
	{"1M05 Lamp room", func(name, section string) bool {
		return strings.HasPrefix(section, "Strings") && strings.HasSuffix(name, "long") || section == "Voices / Soloists"
	}},
	{"2M11 Storm over salt", func(name, section string) bool {
		return strings.HasPrefix(section, "Brass") || section == "Percussion / Drums" || section == "Percussion / Timpani" || strings.HasPrefix(section, "Strings") && strings.HasSuffix(name, "short")
	}},
	{"Strings only", func(_, section string) bool {
		return strings.HasPrefix(section, "Strings") && !strings.Contains(section, "Soloists")
	}},
}
