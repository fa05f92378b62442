package articulation

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"fanfold/internal/core/note"
	"fanfold/internal/core/template"
)

// forms are the ways a switch is written: "key 24", "key C1 held",
// "cc 32 0-20", "prog 7 bank 2", "chan +2", "vel 1-64".
var forms = []struct {
	form *regexp.Regexp
	read func(m []string, middleC int) (template.Switch, error)
}{
	{regexp.MustCompile(`(?i)^key(?:\s+|\s*=\s*)(\S+?)(\s+held)?$`), func(m []string, middleC int) (template.Switch, error) {
		key, err := note.Parse(m[1], middleC)
		if err != nil || key < 0 || key > 127 {
			return template.Switch{}, fmt.Errorf("%q is not a key", m[1])
		}
		return template.Switch{Kind: template.ByKey, Number: key, Hold: m[2] != ""}, nil
	}},
	{regexp.MustCompile(`(?i)^(?:cc|controller)\s*#?(\d+)(?:\s+|\s*=\s*)(\d+)(?:\s*(?:-|to)\s*(\d+))?$`), func(m []string, _ int) (template.Switch, error) {
		low, high := bandOf(m[2], m[3])
		return template.Switch{Kind: template.ByController, Number: number(m[1]), Low: low, High: high}, nil
	}},
	{regexp.MustCompile(`(?i)^(?:prog|programme|program|pc)(?:\s*|\s*=\s*)(\d+)(?:\s+bank(?:\s+|\s*=\s*)(\d+))?$`), func(m []string, _ int) (template.Switch, error) {
		s := template.Switch{Kind: template.ByProgramme, Number: number(m[1])}
		if m[2] != "" {
			bank := number(m[2])
			s.Bank = &bank
		}
		return s, nil
	}},
	{regexp.MustCompile(`(?i)^(?:chan|channel)\s+([+-]?)(\d+)$`), func(m []string, _ int) (template.Switch, error) {
		return template.Switch{Kind: template.ByChannel, Number: number(m[1] + m[2]), Relative: m[1] != ""}, nil
	}},
	{regexp.MustCompile(`(?i)^(?:vel|velocity)\s+(\d+)(?:\s*(?:-|to)\s*(\d+))?$`), func(m []string, _ int) (template.Switch, error) {
		low, high := bandOf(m[1], m[2])
		return template.Switch{Kind: template.ByVelocity, Low: low, High: high}, nil
	}},
}

// number reads digits; too many give a number that no check lets pass.
func number(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil {
		return 1 << 30
	}
	return n
}

func bandOf(low, high string) (int, int) {
	if high == "" {
		high = low
	}
	return number(low), number(high)
}

// ReadSwitch reads one switch as people write it, with key 60 as C of the
// octave middleC.
func ReadSwitch(text string, middleC int) (template.Switch, error) {
	text = strings.TrimSpace(text)
	for _, f := range forms {
		if m := f.form.FindStringSubmatch(text); m != nil {
			return f.read(m, middleC)
		}
	}
	return template.Switch{}, fmt.Errorf("%q is not a switch; write as in key 24, cc 32 0-20, prog 7 bank 2, chan +2 or vel 1-64", text)
}

// WriteSwitch writes a switch so that ReadSwitch reads it, with keys as
// numbers.
func WriteSwitch(s template.Switch) string {
	switch s.Kind {
	case template.ByController:
		return fmt.Sprintf("cc %d %d-%d", s.Number, s.Low, s.High)
	case template.ByProgramme:
		if s.Bank != nil {
			return fmt.Sprintf("prog %d bank %d", s.Number, *s.Bank)
		}
		return fmt.Sprintf("prog %d", s.Number)
	case template.ByChannel:
		if s.Relative {
			return fmt.Sprintf("chan %+d", s.Number)
		}
		return fmt.Sprintf("chan %d", s.Number)
	case template.ByVelocity:
		return fmt.Sprintf("vel %d-%d", s.Low, s.High)
	}
	if s.Hold {
		return fmt.Sprintf("key %d held", s.Number)
	}
	return fmt.Sprintf("key %d", s.Number)
}

// ReadMap reads a map in one line: "long: key 24 | stacc.: key 25, vel 1-64,
// lead 20, late 90". The error names the part.
func ReadMap(text string, middleC int) ([]template.Mapping, error) {
	var out []template.Mapping
	for _, part := range strings.Split(text, "|") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		name, rest, _ := strings.Cut(part, ":")
		m := template.Mapping{Articulation: strings.TrimSpace(name), Switches: []template.Switch{}}
		for _, item := range strings.Split(rest, ",") {
			item = strings.TrimSpace(item)
			word, figure, _ := strings.Cut(item, " ")
			switch {
			case item == "":
			case word == "lead":
				m.LeadMs = number(figure)
			case word == "late":
				m.DelayMs = number(figure)
			default:
				s, err := ReadSwitch(item, middleC)
				if err != nil {
					return nil, fmt.Errorf("%s: %w", m.Articulation, err)
				}
				m.Switches = append(m.Switches, s)
			}
		}
		out = append(out, m)
	}
	return out, template.CheckMap(out)
}

// WriteMap writes a map so that ReadMap reads it.
func WriteMap(mappings []template.Mapping) string {
	parts := make([]string, len(mappings))
	for n, m := range mappings {
		var items []string
		for _, s := range m.Switches {
			items = append(items, WriteSwitch(s))
		}
		if m.LeadMs > 0 {
			items = append(items, fmt.Sprintf("lead %d", m.LeadMs))
		}
		if m.DelayMs > 0 {
			items = append(items, fmt.Sprintf("late %d", m.DelayMs))
		}
		parts[n] = strings.TrimSpace(m.Articulation + ": " + strings.Join(items, ", "))
	}
	return strings.Join(parts, " | ")
}
