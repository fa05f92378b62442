package demo

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"

	"fanfold/internal/format/wav"
)

// bells are the made-up instruments of the demo's samples: name, lowest key,
// and how many keys.
var bells = []struct {
	folder, name string
	low, keys    int
}{
	{"Bells", "Lamp bell", 60, 24}, {"Bells", "Harbour bell", 48, 24}, {"Bells", "Fog bell", 36, 18}, {"Bells", "Glockenspiel of salt", 79, 25},
	{"Chimes", "Tubular bells of the pier", 60, 18}, {"Chimes", "Stair chimes", 65, 20}, {"Chimes", "Rail chimes", 55, 22},
	{"Tuned", "Marimba of driftwood", 45, 40}, {"Tuned", "Vibraphone of glass", 53, 37},
}

// WriteSamples writes a small library of SFZ files and sounds made by
// computation, for scanning and sounding, unless it is there. One of them lacks
// a sample, so that a scan has something to tell.
func WriteSamples(dir string) error {
	root := filepath.Join(dir, "Lamp Room Bells")
	if _, err := os.Stat(filepath.Join(root, "read me.txt")); err == nil {
		return nil
	}
	for _, b := range bells {
		var text strings.Builder
		text.WriteString("// made up for the demo\n<control> default_path=Samples/\n<global> ampeg_release=1.2 loop_mode=no_loop\n")
		for n, way := range []string{"hit", "roll", "damped"} {
			fmt.Fprintf(&text, "<group> sw_lokey=24 sw_hikey=26 sw_last=%d sw_default=24 sw_label=%s\n", 24+n, way)
			for k := 0; k < b.keys; k += 6 {
				sample := fmt.Sprintf("%s %s %d.wav", b.name, way, b.low+k)
				path := filepath.Join(root, b.folder, "Samples", sample)
				if err := writeBell(path, b.low+k, n); err != nil {
					return err
				}
				high := min(b.low+k+5, b.low+b.keys-1)
				for round := 1; round <= 2; round++ {
					fmt.Fprintf(&text, "<region> sample=%s lokey=%d hikey=%d pitch_keycenter=%d seq_length=2 seq_position=%d\n", sample, b.low+k, high, b.low+k, round)
				}
			}
		}
		if b.name == "Rail chimes" {
			text.WriteString("<region> sample=Rail chimes scraped.wav key=40\n")
		}
		if err := os.WriteFile(filepath.Join(root, b.folder, b.name+".sfz"), []byte(text.String()), 0o644); err != nil {
			return fmt.Errorf("write the demo's samples: %w", err)
		}
	}
	return os.WriteFile(filepath.Join(root, "read me.txt"), []byte("Made-up samples for the demo. Scan this folder in Library.\n"), 0o644)
}

// rate is that of the demo's samples, Hz.
const rate = 24000

// writeBell writes a decaying tone with the partials of a bar, as long as its
// way of playing asks.
func writeBell(path string, key, way int) error {
	frames := []int{rate, 2 * rate, rate / 4}[way]
	hz := 440 * math.Pow(2, float64(key-69)/12)
	sound := make([]int16, frames)
	for n := range sound {
		t := float64(n) / rate
		x := 0.0
		for p, ratio := range []float64{1, 2.76, 5.4} { // of a free bar
			x += math.Sin(2*math.Pi*hz*ratio*t) * math.Exp(-t*float64(3+4*p)) / float64(1+p)
		}
		if way == 1 {
			x *= 0.6 + 0.4*math.Sin(2*math.Pi*11*t)
		}
		sound[n] = int16(9000 * x)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return fmt.Errorf("write the demo's samples: %w", err)
	}
	var b bytes.Buffer
	if err := wav.Write16(&b, rate, 1, sound); err != nil {
		return err
	}
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		return fmt.Errorf("write the demo's samples: %w", err)
	}
	return nil
}
