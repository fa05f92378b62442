package sfz

import (
	"strconv"
	"strings"

	"fanfold/internal/core/note"
)

// resolve makes a region of the opcodes in force. Opcodes it does not know
// say nothing of zones and are passed over; a value that can not be read is
// an error.
func (p *parser) resolve(get func(string) (string, bool)) (Region, error) {
	r := Region{
		KeyHigh: 127, VelHigh: 127, VelLow: 1, Centre: 60, Sequence: 1, Sounded: 1,
		Switch: -1, SwitchLow: -1, SwitchHigh: -1, SwitchDefault: -1, Trigger: "attack",
	}
	shift, err := p.shift()
	if err != nil {
		return r, err
	}
	if key, ok := get("key"); ok {
		if _, err := p.key("key", key, shift); err != nil {
			return r, err
		}
	}
	for name, field := range map[string]*int{
		"lokey": &r.KeyLow, "hikey": &r.KeyHigh, "pitch_keycenter": &r.Centre,
		"sw_last": &r.Switch, "sw_lokey": &r.SwitchLow, "sw_hikey": &r.SwitchHigh, "sw_default": &r.SwitchDefault,
	} {
		if value, ok := get(name); ok && value != "sample" { // the sample's own key
			if *field, err = p.key(name, value, shift); err != nil {
				return r, err
			}
		}
	}
	for name, field := range map[string]*int{"lovel": &r.VelLow, "hivel": &r.VelHigh, "seq_length": &r.Sequence, "seq_position": &r.Sounded} {
		if value, ok := get(name); ok {
			if *field, err = p.number(name, value, 0, 127); err != nil {
				return r, err
			}
		}
	}
	r.Label, _ = get("sw_label")
	if value, ok := get("trigger"); ok {
		r.Trigger = value
	}
	for _, name := range []string{"loop_mode", "loopmode"} {
		if value, ok := get(name); ok {
			r.LoopMode = value
		}
	}
	if r.Controllers, err = p.controllers(); err != nil {
		return r, err
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
		return 0, p.fail("%s=%s is no key: a MIDI note 0 to 127, or a name such as c4 for 60", name, value)
	}
	if n < 0 {
		return n, nil // not by keys at all
	}
	return min(127, max(0, n+shift)), nil
}

func (p *parser) number(name, value string, low, high int) (int, error) {
	n, err := strconv.Atoi(value)
	if err != nil || n < low || n > high {
		return 0, p.fail("%s=%s is no number from %d to %d", name, value, low, high)
	}
	return n, nil
}

// controllers reads the ranges loccN and hiccN, the innermost header last.
func (p *parser) controllers() (map[int][2]int, error) {
	var out map[int][2]int
	for _, scope := range []map[string]string{p.scopes[global], p.scopes[master], p.scopes[group], p.region} {
		for name, value := range scope {
			number, isLow := strings.CutPrefix(name, "locc")
			if !isLow {
				var isHigh bool
				if number, isHigh = strings.CutPrefix(name, "hicc"); !isHigh {
					continue
				}
			}
			n, err := strconv.Atoi(number)
			if err != nil || n < 0 || n > 127 {
				continue // controllers beyond MIDI 1.0 are the player's own
			}
			x, err := p.number(name, value, 0, 127)
			if err != nil {
				return nil, err
			}
			if out == nil {
				out = map[int][2]int{}
			}
			band, known := out[n]
			if !known {
				band = [2]int{0, 127}
			}
			if isLow {
				band[0] = x
			} else {
				band[1] = x
			}
			out[n] = band
		}
	}
	return out, nil
}

// sample finds the path of the region's sample: default_path, then the name.
func (p *parser) sample(get func(string) (string, bool)) (string, error) {
	name, ok := get("sample")
	if !ok || name == "" {
		return "", nil
	}
	if strings.HasPrefix(name, "*") {
		return name, nil
	}
	return p.within(p.scopes[control]["default_path"] + name)
}
