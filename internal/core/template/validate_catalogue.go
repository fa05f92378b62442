package template

import (
	"math"
	"slices"
	"unicode/utf8"
)

func (v *validator) catalogue() {
	for i, l := range v.t.Libraries {
		v.id("libraries", i, l.ID)
		v.name("libraries", i, l.Name)
		if l.Room != "" && !slices.Contains(Rooms, l.Room) {
			v.fail(at("libraries", i, "room"), "%q is not a room; rooms are dry, stage and hall", l.Room)
		}
		v.words("libraries", i, "machines", l.Machines)
		v.emblem("libraries", i, l.Emblem)
	}
	for i, p := range v.t.Players {
		v.id("players", i, p.ID)
		v.name("players", i, p.Name)
		v.emblem("players", i, p.Emblem)
		v.ranged("players", i, "banks", float64(p.Banks), 0, 128, "")
		v.ranged("players", i, "sounds", float64(p.Sounds), 1, PortChannels, "")
		v.ranged("players", i, "outputs", float64(p.Outputs), 1, 64, "")
		v.ranged("players", i, "ownMib", p.OwnMiB, 0, 1<<20, " MiB")
		v.ranged("players", i, "wakeMs", float64(p.WakeMs), 0, 3_600_000, " ms")
		v.ranged("players", i, "wakeAgainMs", float64(p.WakeAgainMs), 0, 3_600_000, " ms")
	}
	for i, p := range v.t.Patches {
		v.id("patches", i, p.ID)
		v.name("patches", i, p.Name)
		if v.x.Libraries[p.Library] == nil {
			v.fail(at("patches", i, "library"), "no library has the id %q", p.Library)
		}
		if v.x.Players[p.Player] == nil {
			v.fail(at("patches", i, "player"), "no player has the id %q", p.Player)
		}
		v.patchFigures(i, p)
	}
}

func (v *validator) patchFigures(i int, p *Patch) {
	v.ranged("patches", i, "preloadMib", p.PreloadMiB, 0, 1<<22, " MiB")
	v.ranged("patches", i, "fullMib", p.FullMiB, 0, 1<<24, " MiB")
	v.ranged("patches", i, "voices", float64(p.Voices), 0, 4096, "")
	v.ranged("patches", i, "keyLow", float64(p.KeyLow), 0, 127, "")
	v.ranged("patches", i, "keyHigh", float64(p.KeyHigh), float64(p.KeyLow), 127, "")
	v.patchDetails(i, p)
}

func (v *validator) patchDetails(i int, p *Patch) {
	v.ranged("patches", i, "roundRobins", float64(p.RoundRobins), 0, 1024, "")
	v.ranged("patches", i, "voicesPerNote", float64(p.PerNote), 0, 1024, "")
	if !slices.Contains(AllDynamics, p.Dynamics) {
		v.fail(at("patches", i, "dynamics"), "%q is not a kind of dynamics", p.Dynamics)
	}
	if len(p.Sound) > MaxName {
		v.fail(at("patches", i, "sound"), "a sound ID has at most %d characters", MaxName)
	}
	if z := p.SwitchZone; z != nil && (z.Low < 0 || z.High > 127 || z.Low > z.High) {
		v.fail(at("patches", i, "switchZone"), "keys run from 0 to 127, low before high")
	}
	if len(p.Mics) > MaxMappings {
		v.fail(at("patches", i, "mics"), "%d microphone positions; %d at most", len(p.Mics), MaxMappings)
	}
	for _, m := range p.Mics {
		if err := CheckName(m.Name); err != nil {
			v.fail(at("patches", i, "mics"), "%s", err)
		}
		v.ranged("patches", i, "mics", m.PreloadMiB, 0, 1<<22, " MiB")
		v.ranged("patches", i, "mics", m.FullMiB, 0, 1<<24, " MiB")
	}
	if s := p.Source; s != nil {
		if s.File == "" || len(s.File) > MaxFile || !utf8.ValidString(s.File) {
			v.fail(at("patches", i, "source.file"), "the path is empty, not UTF-8 or longer than %d bytes", MaxFile)
		}
		v.ranged("patches", i, "source.bank", float64(s.Bank), 0, math.MaxUint16, "")
		v.ranged("patches", i, "source.programme", float64(s.Programme), 0, math.MaxUint16, "")
	}
	v.words("patches", i, "roles", p.Roles)
	v.mappings("patches", i, p.Map)
}

func (v *validator) vocabulary() {
	names := map[string]bool{}
	for i, term := range v.t.Vocabulary {
		v.id("vocabulary", i, term.ID)
		v.name("vocabulary", i, term.Name)
		if key := FoldName(term.Name); names[key] {
			v.fail(at("vocabulary", i, "name"), "%q is in the vocabulary twice", term.Name)
		} else {
			names[key] = true
		}
		if !slices.Contains(Families, term.Family) {
			v.fail(at("vocabulary", i, "family"), "%q is not a family; families are long, short, legato and effect", term.Family)
		}
		if term.Natural && term.Group == "" {
			v.fail(at("vocabulary", i, "natural"), "only one of an either/or group can be natural")
		}
		v.words("vocabulary", i, "synonyms", term.Synonyms)
	}
}

// words checks a list of short texts.
func (v *validator) words(list string, i int, field string, words []string) {
	if len(words) > MaxMappings {
		v.fail(at(list, i, field), "%d of them; %d at most", len(words), MaxMappings)
	}
	for _, w := range words {
		if err := CheckName(w); err != nil {
			v.fail(at(list, i, field), "%s", err)
		}
	}
}

func (v *validator) mappings(list string, i int, mappings []Mapping) {
	if len(mappings) > MaxMappings {
		v.fail(at(list, i, "map"), "%d articulations; a map holds %d at most", len(mappings), MaxMappings)
		return
	}
	seen := make(map[string]bool, len(mappings))
	for _, m := range mappings {
		if err := CheckName(m.Articulation); err != nil {
			v.fail(at(list, i, "map"), "an articulation: %s", err)
		}
		if key := FoldName(m.Articulation); seen[key] {
			v.fail(at(list, i, "map"), "%q is mapped twice", m.Articulation)
		} else {
			seen[key] = true
		}
		if m.LeadMs < 0 || m.LeadMs > 1000 || m.DelayMs < 0 || m.DelayMs > 2000 {
			v.fail(at(list, i, "map"), "%q: the lead is 0 to 1000 ms, the delay 0 to 2000 ms", m.Articulation)
		}
		if len(m.Switches) > MaxSwitches {
			v.fail(at(list, i, "map"), "%q: %d switches; %d at most", m.Articulation, len(m.Switches), MaxSwitches)
		}
		for _, s := range m.Switches {
			if why := s.wrong(); why != "" {
				v.fail(at(list, i, "map"), "%q: %s", m.Articulation, why)
			}
		}
	}
}

// wrong says what is wrong with a switch; nothing when it is sound.
func (s Switch) wrong() string {
	low, high, what := 0, 127, "a "+string(s.Kind)
	switch s.Kind {
	case ByController:
		high = 119
	case ByChannel:
		if low, high = 1, PortChannels; s.Relative {
			low, high, what = 1-PortChannels, PortChannels-1, "a relative channel"
		}
	case ByKey, ByProgramme, ByVelocity:
	default:
		return figureless(s.Kind)
	}
	if s.Number < low || s.Number > high {
		return what + " is " + figure(float64(low)) + " to " + figure(float64(high)) + ", not " + figure(float64(s.Number))
	}
	if s.Low < 0 || s.High > 127 || s.Low > s.High {
		return "a band runs from 0 or above to 127 or below, low before high"
	}
	if s.Bank != nil && (*s.Bank < 0 || *s.Bank > 16383) {
		return "a bank is 0 to 16383"
	}
	return ""
}

func figureless(k SwitchKind) string {
	return "\"" + string(k) + "\" is not a kind of switch; kinds are key, controller, programme, channel and velocity"
}
