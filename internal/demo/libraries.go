package demo

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"maps"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"fanfold/internal/core/template"
	"fanfold/internal/demo/synth"
	"fanfold/internal/format/sf2"
	"fanfold/internal/format/wav"
)

// made says that the libraries were written, and as which: others are made again.
const made = "made 3\nMade-up sounds for the demo: small stand-ins for what the libraries would be.\n"

// WriteLibraries writes the demo's libraries as SFZ files and SoundFonts with sounds made
// by computation, unless they are there: for every patch of the template one, by its source.
func WriteLibraries(dir string) error {
	note := filepath.Join(dir, "libraries.txt")
	if text, err := os.ReadFile(note); err == nil && string(text) == made {
		return nil
	}
	t, err := Template()
	if err != nil {
		return err
	}
	w := writer{dir: dir, wanted: map[string]map[string]bool{}, tails: map[string]map[string]bool{}}
	for _, i := range t.Instruments {
		for _, p := range t.PatchesOf(i) {
			if err := w.patch(t, i, p); err != nil {
				return err
			}
		}
	}
	if err := w.samples(); err != nil {
		return err
	}
	if err := w.fonts(); err != nil {
		return err
	}
	return write(note, []byte(made))
}

// source is where the file of a patch lies within its library's folder. programmes counts
// the presets of the SoundFont.
func source(p *template.Patch, articulations []string, programmes *int) *template.Source {
	if len(articulations) == 1 && articulations[0] == "col legno" {
		*programmes++
		return &template.Source{File: fontName, Programme: *programmes - 1}
	}
	return &template.Source{File: p.Name + ".sfz"}
}

type writer struct {
	dir    string
	wanted map[string]map[string]bool // timbres, by library
	tails  map[string]map[string]bool // rooms after notes, by library: each section has its own
	sticks []stick
}

func write(path string, data []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return fmt.Errorf("write the demo's libraries: %w", err)
	}
	if err := os.WriteFile(path, data, 0o644); err != nil {
		return fmt.Errorf("write the demo's libraries: %w", err)
	}
	return nil
}

func sampleName(timbre string, key int, strong bool) string {
	return fmt.Sprintf("%s %d %s.wav", timbre, key, map[bool]string{true: "f", false: "p"}[strong])
}

// keysOf are the keys a timbre is made for.
func keysOf(t synth.Timbre) []int {
	var out []int
	for k := t.Low; k <= t.High; k += t.Step {
		out = append(out, k)
	}
	return out
}

// samples makes the sounds that the patches name, several at once.
func (w *writer) samples() error {
	var g errgroup.Group
	g.SetLimit(runtime.NumCPU())
	for _, library := range slices.Sorted(maps.Keys(w.wanted)) {
		folder := filepath.Join(w.dir, library, "Samples")
		for _, name := range slices.Sorted(maps.Keys(w.wanted[library])) {
			timbre := synth.Timbres[name]
			for _, key := range keysOf(timbre) {
				for _, strong := range []bool{false, true} {
					g.Go(func() error {
						return writeWAV(filepath.Join(folder, sampleName(name, key, strong)), 1, timbre.Make(key, strong).Frames)
					})
				}
			}
		}
		for _, name := range slices.Sorted(maps.Keys(w.tails[library])) {
			g.Go(func() error {
				return writeWAV(filepath.Join(folder, name), 2, synth.Tail(roomOf(library).tail, uint64(1e6*dice(name, library))))
			})
		}
	}
	return g.Wait()
}

func writeWAV(path string, channels int, frames []int16) error {
	var b bytes.Buffer
	if err := wav.Write16(&b, synth.RateHz, channels, frames); err != nil {
		return err
	}
	return write(path, b.Bytes())
}

// room is how a library sounds as a whole.
type room struct {
	levelDB float64
	release float64 // s, of its notes
	tail    float64 // s, of the room after a note; 0 for none
	tailDB  float64
}

var rooms = map[string]room{
	"Wren & Vale Strings":    {6, .35, .8, -20},
	"Tallow Brass":           {9, .7, 1.6, -16},
	"Millrace Winds":         {3, .25, .6, -24},
	"Coldharbour Percussion": {7, .9, 1.6, -20},
	"Saint Orrin Voices":     {1, 1.1, 2, -16},
	"Pinfold Keys":           {5, .3, 0, 0},
	"Low Meadow Textures":    {4, .4, 0, 0},
}

func roomOf(library string) room { return rooms[library] }

// dice is a number from 0 to 1 that a name always gives.
func dice(name, of string) float64 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(name + "\x00" + of))
	return float64(h.Sum32()%1000) / 999
}

// patch writes the SFZ file of a patch, or keeps it for a SoundFont.
func (w *writer) patch(t *template.Template, i *template.Instrument, p *template.Patch) error {
	library := t.Index().Libraries[p.Library].Name
	if p.Source.File == fontName {
		w.sticks = append(w.sticks, stick{library, p})
		return nil
	}
	section, r := t.SectionPath(i.Section), roomOf(library)
	s := sheet{library: library, patch: p, timbre: timbreOf(section, i.Name), fault: faults[i.Name], used: map[string]bool{}}
	if w.wanted[library] == nil {
		w.wanted[library], w.tails[library] = map[string]bool{}, map[string]bool{}
	}
	fmt.Fprintf(&s.text, "// Made up for the demo: a small stand-in for %s of %s.\n<control> default_path=Samples/ set_cc1=80\n", p.Name, library)
	fmt.Fprintf(&s.text, "<global> ampeg_release=%.2f pan=%.0f", r.release, panOf(section))
	if p.SwitchZone != nil {
		fmt.Fprintf(&s.text, " sw_lokey=%d sw_hikey=%d sw_default=%d", p.SwitchZone.Low, p.SwitchZone.High, p.SwitchZone.Low)
	}
	s.text.WriteString("\n")
	level := r.levelDB + 4*dice(p.Name, "level") - 2 + s.fault.levelDB
	s.cents = 6*dice(p.Name, "tune") - 3
	positions := []string{""}
	if len(p.Mics) > 0 {
		positions = nil
		for _, m := range p.Mics {
			positions = append(positions, m.Name)
		}
	}
	for n, position := range positions {
		s.level, s.delay = level, float64(s.fault.lateMs)/1000
		if position != "" {
			fmt.Fprintf(&s.text, "<master> master_label=%s", position)
			if n > 0 { // further off: softer, duller, later
				s.level, s.delay = level-5, s.delay+.018
				s.text.WriteString(" cutoff=5000")
			}
			s.text.WriteString("\n")
		}
		for n, a := range i.Articulations {
			if s.fault.same && n == 1 {
				a = i.Articulations[0]
			}
			s.way(i.Articulations[n], ways[a], n)
		}
		if r.tail > 0 && !s.fault.dead {
			name := "room " + strings.ReplaceAll(string(i.Section), "/", "-") + ".wav"
			w.tails[library][name] = true
			fmt.Fprintf(&s.text, "<group> trigger=release loop_mode=one_shot <region> sample=%s lokey=%d hikey=%d pitch_keytrack=0 pan=0 volume=%.1f amp_veltrack=60 rt_decay=1\n", name, p.KeyLow, p.KeyHigh, s.level+r.tailDB)
		}
	}
	maps.Copy(w.wanted[library], s.used)
	return write(filepath.Join(w.dir, library, filepath.FromSlash(p.Source.File)), []byte(s.text.String()))
}

// sheet is the text of one patch as it is written.
type sheet struct {
	text                strings.Builder
	library, timbre     string
	patch               *template.Patch
	fault               fault
	level, cents, delay float64 // dB, s
	used                map[string]bool
}

// way writes one articulation, the number-th.
func (s *sheet) way(articulation string, how way, number int) {
	name := s.timbre
	if how.timbre != "" {
		name = how.timbre
	}
	t := synth.Timbres[name]
	s.used[name] = true
	fmt.Fprintf(&s.text, "<group> %s", how.opcodes)
	if s.patch.SwitchZone != nil {
		fmt.Fprintf(&s.text, " sw_last=%d sw_label=%s", s.patch.SwitchZone.Low+number, articulation)
	}
	if t.Sustained {
		fmt.Fprintf(&s.text, " loop_mode=loop_continuous loop_start=%d loop_end=%d", synth.Lead, synth.Lead+synth.Loop-1)
	} else {
		s.text.WriteString(" loop_mode=no_loop")
	}
	if s.delay > 0 {
		fmt.Fprintf(&s.text, " delay=%.3f", s.delay)
	}
	long := t.Sustained && !how.short
	if long { // the wheel adds what is taken off, and fades strong in over soft
		fmt.Fprintf(&s.text, " amp_veltrack=25 volume_oncc1=14 volume=%.1f\n", s.level+how.db-10)
	} else {
		fmt.Fprintf(&s.text, " amp_veltrack=80 volume=%.1f\n", s.level+how.db+4)
	}
	keys := keysOf(t)
	for n, key := range keys {
		low, high := key-t.Step/2, key-t.Step/2+t.Step-1
		if n == 0 {
			low = 0
		}
		if n == len(keys)-1 {
			high = 127
		}
		if low, high = max(low, s.patch.KeyLow), min(high, s.patch.KeyHigh); low <= high {
			s.regions(t, key, low, high, false, long)
			s.regions(t, key, low, high, true, long)
		}
	}
}

// turns is how many round robins short notes have.
const turns = 3

// regions writes the sample of a key at one strength, for all of its turns.
func (s *sheet) regions(t synth.Timbre, key, low, high int, strong, long bool) {
	name, centre, cents := sampleName(t.Name, key, strong), key, s.cents
	if s.fault.dead {
		name = "lost " + name
	}
	if s.fault.octave {
		centre -= 12
	}
	if t.Sustained {
		cents -= synth.CentsOf(key)
	}
	fade := "xfout"
	if strong {
		fade = "xfin"
	}
	if long {
		fmt.Fprintf(&s.text, "<region> sample=%s lokey=%d hikey=%d pitch_keycenter=%d tune=%.1f %s_locc1=30 %s_hicc1=110\n", name, low, high, centre, cents, fade, fade)
		return
	}
	for turn := range turns {
		fmt.Fprintf(&s.text, "<region> sample=%s lokey=%d hikey=%d pitch_keycenter=%d tune=%.1f %s_lovel=40 %s_hivel=110 seq_length=%d seq_position=%d offset=%d\n",
			name, low, high, centre, cents+float64(3*turn), fade, fade, turns, turn+1, 40*turn)
	}
}

// stick is a patch that is a preset of a SoundFont.
type stick struct {
	library string
	patch   *template.Patch
}

// fontName is the SoundFont of what is struck with the wood of the bow.
const fontName = "Col legno.sf2"

// fonts writes it.
func (w *writer) fonts() error {
	byLibrary := map[string][]*template.Patch{}
	for _, s := range w.sticks {
		byLibrary[s.library] = append(byLibrary[s.library], s.patch)
	}
	timbre := synth.Timbres["stick"]
	for library, list := range byLibrary {
		font := sf2.Font{Name: library}
		keys := keysOf(timbre)
		for _, key := range keys {
			for _, strong := range []bool{false, true} {
				font.Samples = append(font.Samples, sf2.FontSample{Name: strings.TrimSuffix(sampleName(timbre.Name, key, strong), ".wav"), RateHz: synth.RateHz, Key: key, Frames: timbre.Make(key, strong).Frames})
			}
		}
		for _, p := range list {
			preset := sf2.FontPreset{Name: p.Name, Programme: p.Source.Programme}
			for n, key := range keys {
				low, high := max(p.KeyLow, key-timbre.Step/2), min(p.KeyHigh, key-timbre.Step/2+timbre.Step-1)
				if low > high {
					continue
				}
				softer := int(40 * dice(p.Name, "level")) // tenths of a dB
				preset.Zones = append(preset.Zones,
					sf2.FontZone{Sample: 2 * n, KeyLow: low, KeyHigh: high, VelLow: 1, VelHigh: 80, Generators: [][2]int{{sf2.Attenuation, softer}, {sf2.ReleaseVolEnv, -1200}}},
					sf2.FontZone{Sample: 2*n + 1, KeyLow: low, KeyHigh: high, VelLow: 81, VelHigh: 127, Generators: [][2]int{{sf2.Attenuation, softer}, {sf2.ReleaseVolEnv, -1200}}})
			}
			font.Presets = append(font.Presets, preset)
		}
		var b bytes.Buffer
		if err := sf2.Write(&b, font); err != nil {
			return err
		}
		if err := write(filepath.Join(w.dir, library, fontName), b.Bytes()); err != nil {
			return err
		}
	}
	return nil
}
