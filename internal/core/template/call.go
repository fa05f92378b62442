package template

import "slices"

// Call is a named set of instruments to bring to ready.
type Call struct {
	ID          ID     `json:"id"`
	Name        string `json:"name"`
	Opening     bool   `json:"opening,omitempty"` // what the template starts with
	Instruments []ID   `json:"instruments"`
	Uses        []Use  `json:"uses,omitempty"` // what its music asks of them; none when it was not made from music
}

// Use is what the music of a call asks of one of its instruments.
type Use struct {
	Instrument    ID        `json:"instrument"`
	Articulations []string  `json:"articulations"` // as the music names them
	Keys          []UsedKey `json:"keys"`          // by key
	Notes         int       `json:"notes"`         // how many
	Music         string    `json:"music"`         // a fingerprint: other notes have another one
}

// UsedKey is a key that is played, and how softly and how loudly.
type UsedKey struct {
	Key  int `json:"key"`  // 0..127
	Low  int `json:"low"`  // velocity, 1..127
	High int `json:"high"` // velocity, Low..127
}

// UseOf is what the call's music asks of an instrument; nil when it says
// nothing of it.
func (c *Call) UseOf(instrument ID) *Use {
	if n := slices.IndexFunc(c.Uses, func(u Use) bool { return u.Instrument == instrument }); n >= 0 {
		return &c.Uses[n]
	}
	return nil
}

// UsesOf is what the call's music asks of an instrument and of the rows that
// feed one player with it, in list order of the call; none when it asks nothing.
func (t *Template) UsesOf(c *Call, i *Instrument) []*Use {
	var out []*Use
	for n := range c.Uses {
		if u := &c.Uses[n]; u.Instrument == i.ID || t.OnePlayer(t.Instrument(u.Instrument), i) {
			out = append(out, u)
		}
	}
	return out
}

// OnePlayer tells whether two rows feed one player as one sound: they are spread
// out over it, or sit on one seat.
func (t *Template) OnePlayer(a, b *Instrument) bool {
	return a.Spread != "" && a.Spread == b.Spread || t.Home(a) == t.Home(b)
}

// Stale tells whether the notes of a printed instrument are others now than
// those that were recorded.
func (t *Template) Stale(i *Instrument) bool {
	return i.Printed != nil && i.Printed.Music != "" && t.otherNotes(i, i.Printed.Call, i.Printed.Music)
}

// TrimStale tells whether the notes an instrument is trimmed to are others now.
func (t *Template) TrimStale(i *Instrument) bool {
	return i.Trim != nil && t.otherNotes(i, i.Trim.Call, i.Trim.Music)
}

// otherNotes tells whether a call asks for other notes of an instrument than
// those of a fingerprint, which is empty for none; a call no longer there tells
// nothing.
func (t *Template) otherNotes(i *Instrument, call ID, music string) bool {
	c := t.Index().Calls[call]
	if c == nil {
		return false
	}
	now := ""
	if u := c.UseOf(t.Home(i).ID); u != nil {
		now = u.Music
	}
	return now != music
}

func (v *validator) calls() {
	for i, c := range v.t.Calls {
		v.id("calls", i, c.ID)
		v.name("calls", i, c.Name)
		for n, id := range c.Instruments {
			if _, ok := v.x.Place[id]; !ok {
				v.fail(atIn("calls", i, "instruments", n), "no instrument has the id %q", id)
			}
		}
		for n, u := range c.Uses {
			where := atIn("calls", i, "uses", n)
			if !slices.Contains(c.Instruments, u.Instrument) {
				v.fail(where+".instrument", "the call has no instrument %q", u.Instrument)
			}
			for k, x := range u.Keys {
				if x.Key < 0 || x.Key > 127 || x.Low < 1 || x.High > 127 || x.Low > x.High || k > 0 && u.Keys[k-1].Key >= x.Key {
					v.fail(where+".keys", "keys are 0 to 127 in rising order, their velocities 1 to 127")
				}
			}
		}
	}
}
