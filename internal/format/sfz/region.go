package sfz

import (
	"strconv"
	"strings"

	"fanfold/internal/core/note"
)

// known are the opcodes that say something of zones. All others are passed over.
var known = map[string]bool{
	"sample": true, "default_path": true, "note_offset": true, "octave_offset": true,
	"key": true, "lokey": true, "hikey": true, "lovel": true, "hivel": true,
	"sw_last": true, "sw_label": true, "seq_length": true, "seq_position": true,
	"loop_mode": true, "loopmode": true,
}

// resolve makes a region of the opcodes in force. A value that cannot be read
// is an error.
func (p *parser) resolve(get func(string) (string, bool)) (Region, error) {
	r := Region{KeyHigh: 127, VelHigh: 127, VelLow: 1, Sequence: 1, Sounded: 1, Switch: -1}
	shift, err := p.shift()
	if err != nil {
		return r, err
	}
	if key, ok := get("key"); ok {
		if _, err := p.key("key", key, shift); err != nil {
			return r, err
		}
	}
	for _, x := range []struct {
		name  string
		field *int
	}{{"lokey", &r.KeyLow}, {"hikey", &r.KeyHigh}, {"sw_last", &r.Switch}} {
		if value, ok := get(x.name); ok {
			if *x.field, err = p.key(x.name, value, shift); err != nil {
				return r, err
			}
		}
	}
	for _, x := range []struct {
		name  string
		field *int
	}{{"lovel", &r.VelLow}, {"hivel", &r.VelHigh}, {"seq_length", &r.Sequence}, {"seq_position", &r.Sounded}} {
		if value, ok := get(x.name); ok {
			if *x.field, err = p.number(x.name, value, 0, 127); err != nil {
				return r, err
			}
		}
	}
	r.Label, _ = get("sw_label")
	for _, name := range []string{"loop_mode", "loopmode"} {
		if value, ok := get(name); ok {
			r.LoopMode = value
		}
	}
	r.Sample, err = p.sample(get)
	return r, err
}

// shift is what note_offset and octave_offset of the control header add.
func (p *parser) shift() (int, error) {
	sum := 0
	for name, each := range map[string]int{"note_offset": 1, "octave_offset": 12} {
		if value, ok := p.scopes[control][name]; ok {
			n, err := p.number(name, value, -127, 127)
			if err != nil {
				return 0, err
			}
			sum += n * each
		}
	}
	return sum, nil
}

func (p *parser) key(name, value string, shift int) (int, error) {
	n, err := note.Parse(value, note.Scientific)
	if err != nil || n < -1 || n > 127 {
		return 0, p.fail("%s=%s is not a key: a MIDI note 0 to 127, or a name such as c4 for 60", name, value)
	}
	if n < 0 {
		return n, nil // not by keys at all
	}
	return min(127, max(0, n+shift)), nil
}

func (p *parser) number(name, value string, low, high int) (int, error) {
	n, err := strconv.Atoi(value)
	if err != nil || n < low || n > high {
		return 0, p.fail("%s=%s is not a number from %d to %d", name, value, low, high)
	}
	return n, nil
}

// sample finds the path of the region's sample: default_path, then the name.
// Regions of one sample share the text of its path.
func (p *parser) sample(get func(string) (string, bool)) (string, error) {
	name, ok := get("sample")
	if !ok || name == "" {
		return "", nil
	}
	if strings.HasPrefix(name, "*") {
		return name, nil
	}
	key := [2]string{p.scopes[control]["default_path"], name}
	if known, ok := p.paths[key]; ok {
		return known, nil
	}
	if len(key[0])+len(name) > MostPath {
		return "", p.fail("a path is longer than %d bytes", MostPath)
	}
	clean, err := p.within(key[0] + name)
	if err != nil {
		return "", err
	}
	if p.pathsAre += len(clean); p.pathsAre > MostPathBytes {
		return "", p.fail("the paths of its samples are longer than %d MiB together", MostPathBytes>>20)
	}
	p.paths[key] = clean
	return clean, nil
}
