package articulation

import (
	"slices"
	"strings"

	"fanfold/internal/core/template"
)

// choice is a mapping made ready.
type choice struct {
	*template.Mapping
	group   string // its either/or group; one for all that have none
	natural bool
	channel int // where its notes go; 0 for the seat's
	low     int // of its velocity band; 0 without one
	high    int
	held    []template.Switch
	sent    []template.Switch
}

// free is the group of articulations that stand in none: they exclude one
// another, since a note is played one way.
const free = ""

func (c *compiler) index() error {
	c.choices = make(map[string]*choice, len(c.target.Map))
	c.natural, c.names = map[string]*choice{}, map[string][]*choice{}
	for n := range c.target.Map {
		m := &c.target.Map[n]
		x := &choice{Mapping: m, low: 0, high: 127}
		if t := c.v.Find(m.Articulation); t != nil {
			x.group, x.natural = t.Group, t.Natural
		}
		for _, s := range m.Switches {
			switch {
			case s.Kind == template.ByChannel:
				x.channel = s.Number
				if s.Relative {
					x.channel = c.target.Channel + s.Number
				}
				if x.channel < 1 || x.channel > template.PortChannels {
					return &UnseatedError{m.Articulation, x.channel}
				}
			case s.Kind == template.ByVelocity:
				x.low, x.high = s.Low, s.High
			case s.Kind == template.ByKey && s.Hold:
				x.held = append(x.held, s)
			default:
				x.sent = append(x.sent, s)
			}
		}
		c.choices[c.v.key(m.Articulation)] = x
		if x.natural {
			c.natural[x.group] = x
		}
		if c.base == nil && x.group == free {
			c.base = x
		}
	}
	return nil
}

// wanted are the mappings a note asks for, one of each group.
func (c *compiler) wanted(articulations []string) []*choice {
	key := strings.Join(articulations, "\x00")
	if known, ok := c.names[key]; ok {
		return known
	}
	byGroup := map[string]*choice{}
	for _, a := range articulations {
		x := c.choices[c.v.key(a)]
		if x == nil {
			if t := c.v.Find(a); t == nil || !t.Natural { // a natural way needs no switch
				c.missing[a] = true
			}
			continue
		}
		byGroup[x.group] = x
	}
	for group, x := range c.natural {
		if byGroup[group] == nil {
			byGroup[group] = x
		}
	}
	if byGroup[free] == nil && c.base != nil && len(articulations) == 0 {
		byGroup[free] = c.base
	}
	var out []*choice
	for _, x := range byGroup {
		out = append(out, x)
	}
	slices.SortFunc(out, func(a, b *choice) int { return strings.Compare(a.group, b.group) })
	c.names[key] = out
	return out
}
