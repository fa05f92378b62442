package casting

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Music is one part of a cue, with its notes.
type Music struct {
	Part
	Port    int    // the file's number for it, from 0; -1 when not said
	Device  string // the file's name for it, empty when not said
	Channel int    // 1..16; 0 when not said, or several
	Played  articulation.Part
}

// How says what matched a part with instruments.
type How string

// The ways, in the order they are tried.
const (
	ByChoice How = "hand" // a person chose
	ByName   How = "name" // the track is named like the instrument
	BySeat   How = "seat" // it plays on the instrument's port and channel
	ByCast   How = "cast" // the casting list gives it the part
	ByNobody How = ""     // nobody plays it
)

// Heard is who plays a part of a cue, and what it asks of each of them.
type Heard struct {
	Music  Music
	How    How
	Why    string // in words
	Uses   []template.Use
	Plays  map[template.ID][]articulation.Note // the notes of each of them, with how they are played
	Lacks  []string                            // techniques nobody chosen plays
	Beyond []int                               // the keys of notes that its instrument cannot sound, in order
}

// Hear finds the instruments of the template that a cue uses: by the name of a
// track, by its device or port and channel, or by casting within the template. A name
// says more than whose part it is: "Vln 1 spic" asks for spiccato, "Hn 1-4" is shared by
// four desks. hand says whom people chose themselves, by the part's ID; an empty list
// leaves the part out.
func (c *Caster) Hear(parts []Music, hand map[string][]template.ID) []Heard {
	names, seats, devices := map[string]*template.Instrument{}, map[[2]int]*template.Instrument{}, map[device]*template.Instrument{}
	ports := c.t.Ports()
	for _, i := range c.t.ScoreOrder() {
		if i.Kind != template.Sampled {
			continue
		}
		if key := nameKey(i.Name); names[key] == nil {
			names[key] = i
		}
		if i.Seat == nil {
			continue
		}
		if at := [2]int{ports[i.Seat.PortOf()], i.Seat.Channel}; seats[at] == nil {
			seats[at] = i
		}
		if at := (device{nameKey(c.t.DeviceName(*i.Seat)), i.Seat.Channel}); devices[at] == nil {
			devices[at] = i
		}
	}
	settled := make([]Part, len(parts))
	for n, m := range parts {
		settled[n] = m.Part
	}
	settled = Beside(settled)
	out := make([]Heard, len(parts))
	for n, m := range parts {
		m.Part = settled[n]
		h := Heard{Music: m, Uses: []template.Use{}, Plays: map[template.ID][]articulation.Note{}, Lacks: []string{}}
		chosen, byHand := hand[m.ID]
		i := names[nameKey(m.Name)]
		at := seats[[2]int{m.Port, m.Channel}]
		there := devices[device{nameKey(m.Device), m.Channel}]
		switch {
		case byHand:
			h.How, h.Why = ByChoice, "chosen by hand"
			h.share(c.shares(m, chosen))
		case i != nil:
			h.How, h.Why = ByName, "the track has its name"
			h.share(c.shares(m, []template.ID{i.ID}))
		case there != nil && m.Channel > 0:
			h.How, h.Why = BySeat, fmt.Sprintf("%s, channel %d is its seat", m.Device, m.Channel)
			h.share(c.shares(m, []template.ID{there.ID}))
		case at != nil && m.Port >= 0 && m.Channel > 0:
			h.How, h.Why = BySeat, fmt.Sprintf("port %d, channel %d is its seat", m.Port+1, m.Channel)
			h.share(c.shares(m, []template.ID{at.ID}))
		default:
			c.hearDesks(&h)
		}
		h.Beyond = c.beyond(h)
		out[n] = h
	}
	return out
}

// hearDesks casts a part within the template: for each desk that its name speaks of, with
// the way of playing that it says.
func (c *Caster) hearDesks(h *Heard) {
	m := c.asNamed(h.Music)
	desks := sound.Desks(m.Name)
	if len(desks) < 2 {
		desks = []int{0}
	}
	for k, d := range desks {
		part, mine := m.Part, m
		if d > 0 {
			part.Name = fmt.Sprintf("%s %d", deskName(m.Part), d)
			mine.Played.Notes = ofDesk(m.Played.Notes, k, len(desks))
		}
		cast := c.cast(part, []template.Preference{{Kind: template.FromTemplate}})
		for _, w := range cast.Lacks {
			if !slices.Contains(h.Lacks, w) {
				h.Lacks = append(h.Lacks, w)
			}
		}
		if cast.Entry == Nobody {
			if h.How == ByNobody {
				h.Why = cast.Why
			}
			continue
		}
		h.How, h.Why = ByCast, "cast: the template's own"
		h.share(c.shares(mine, cast.Instruments))
	}
}

// deskName is the name of an instrument that a desk's number goes behind.
func deskName(p Part) string {
	if is := sound.ByID(p.Sound); p.Sound != "" && is != nil {
		return is.Name
	}
	return p.Name
}

// asNamed lets the notes of a part that say no way of playing be played as its name says.
func (c *Caster) asNamed(m Music) Music {
	if len(m.Ways) > 0 {
		return m
	}
	var words []string
	for _, w := range strings.FieldsFunc(m.Name, func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(",;/()_-", r) }) {
		if sound.Named(strings.TrimRight(w, ".")) != nil { // "Tr." is a trumpet here, no trill
			w = "|"
		}
		words = append(words, w)
	}
	terms := articulation.Phrases(c.words, strings.Join(words, " "))
	if len(terms) == 0 {
		return m
	}
	var list []string
	for _, t := range terms {
		list = append(list, t.Name)
		m.Ways = append(m.Ways, Way{Name: t.Name, Notes: m.Notes})
	}
	m.Played.Notes = slices.Clone(m.Played.Notes)
	for n := range m.Played.Notes {
		m.Played.Notes[n].Articulations = list
	}
	return m
}

// ofDesk are the notes of one of several desks, from 0: of a chord its share, from the
// highest note down; a single note is everybody's.
func ofDesk(notes []articulation.Note, desk, of int) []articulation.Note {
	sorted := slices.Clone(notes)
	slices.SortStableFunc(sorted, func(a, b articulation.Note) int { return cmp.Or(cmp.Compare(a.Start, b.Start), b.Key-a.Key) })
	var out []articulation.Note
	for from := 0; from < len(sorted); {
		to := from
		for to < len(sorted) && sorted[to].Start == sorted[from].Start {
			to++
		}
		for n := from; n < to; n++ {
			if to-from == 1 || (n-from)*of/(to-from) == desk || to-from < of && (n-from) == desk*(to-from)/of {
				out = append(out, sorted[n])
			}
		}
		from = to
	}
	return out
}

// beyond lists the keys that are asked of somebody and that lie beyond the range of the
// instrument; of one that is not known or has no pitch, none.
func (c *Caster) beyond(h Heard) []int {
	out := []int{}
	for _, u := range h.Uses {
		id := h.Music.Sound
		if patches := c.t.PatchesOf(c.t.Instrument(u.Instrument)); id == "" && len(patches) > 0 {
			id = patches[0].Sound
		}
		is := sound.ByID(id)
		if id == "" || is == nil || !sound.Pitched(id) {
			continue
		}
		for _, k := range u.Keys {
			if (k.Key < is.Low || k.Key > is.High) && !slices.Contains(out, k.Key) {
				out = append(out, k.Key)
			}
		}
	}
	slices.Sort(out)
	return out
}

// device is a port by its name, and a channel of it.
type device struct {
	name    string
	channel int
}

func nameKey(name string) string { return strings.ToLower(strings.Join(strings.Fields(name), " ")) }

// share is what one instrument plays of a part.
type share struct {
	instrument template.ID
	notes      []articulation.Note
}

// share adds shares to what the instruments of a part play; one may play for several desks.
func (h *Heard) share(list []share) {
	for _, x := range list {
		u := useOf(x.instrument, x.notes)
		h.Plays[x.instrument] = append(h.Plays[x.instrument], x.notes...)
		at := slices.IndexFunc(h.Uses, func(x template.Use) bool { return x.Instrument == u.Instrument })
		if at >= 0 {
			h.Uses[at] = join(h.Uses[at], u)
		} else {
			h.Uses = append(h.Uses, u)
		}
	}
}

// shares shares the notes of a part among instruments: each note goes to the
// first that plays it as it is asked for, else to the first of all.
func (c *Caster) shares(m Music, ids []template.ID) []share {
	var players []*template.Instrument
	for _, id := range ids {
		if i := c.t.Instrument(id); i != nil {
			players = append(players, i)
		}
	}
	if len(players) == 0 {
		return nil
	}
	notes := articulation.Decode(articulation.MapOf(c.t, players[0]), m.Played)
	shared := make([][]articulation.Note, len(players))
	for _, n := range notes {
		at := max(0, slices.IndexFunc(players, func(i *template.Instrument) bool {
			return len(players) == 1 || c.plays(i, n.Articulations)
		}))
		shared[at] = append(shared[at], n)
	}
	out := make([]share, 0, len(players))
	for k, i := range players {
		if len(shared[k]) > 0 || len(notes) == 0 {
			out = append(out, share{i.ID, shared[k]})
		}
	}
	return out
}

func (c *Caster) plays(i *template.Instrument, ways []string) bool {
	for _, w := range ways {
		if !slices.ContainsFunc(i.Articulations, func(a string) bool { return c.plain(a) == c.plain(w) }) {
			return false
		}
	}
	return len(ways) > 0
}

func useOf(id template.ID, notes []articulation.Note) template.Use {
	u := template.Use{Instrument: id, Articulations: []string{}, Keys: []template.UsedKey{}, Notes: len(notes), Music: Fingerprint(notes)}
	keys, ways := map[int]template.UsedKey{}, map[string]int{}
	for _, n := range notes {
		k, known := keys[n.Key]
		if !known {
			k = template.UsedKey{Key: n.Key, Low: n.Velocity, High: n.Velocity}
		}
		k.Low, k.High = min(k.Low, n.Velocity), max(k.High, n.Velocity)
		keys[n.Key] = k
		for _, w := range n.Articulations {
			ways[w]++
		}
	}
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		u.Keys = append(u.Keys, keys[key])
	}
	u.Articulations = append(u.Articulations, slices.SortedFunc(maps.Keys(ways), func(a, b string) int {
		return cmp.Or(cmp.Compare(ways[b], ways[a]), strings.Compare(a, b))
	})...)
	return u
}

// Fingerprint is the same for the same notes, played alike at the same times,
// in whatever order they are listed; 16 hexadecimal digits of SHA-256.
func Fingerprint(notes []articulation.Note) string {
	lines := make([]string, len(notes))
	for n, x := range notes {
		var b []byte
		for _, v := range []int64{x.Start, x.End, int64(x.Key), int64(x.Velocity)} {
			b = binary.BigEndian.AppendUint64(b, uint64(v))
		}
		lines[n] = string(b) + strings.Join(x.Articulations, "\x00")
	}
	slices.Sort(lines)
	sum := sha256.New()
	for _, l := range lines {
		sum.Write(binary.BigEndian.AppendUint32(nil, uint32(len(l))))
		sum.Write([]byte(l))
	}
	return hex.EncodeToString(sum.Sum(nil)[:8])
}

// CueCall is the call of a cue: everybody who plays, and what is asked of them.
// A call of that name is replaced.
func CueCall(t *template.Template, heard []Heard, name string, mint template.Mint) (change.Change, error) {
	name = strings.TrimSpace(name)
	if err := template.CheckName(name); err != nil {
		return nil, &change.Refused{Reason: fmt.Sprintf("name the cue: %s", err)}
	}
	call := &template.Call{ID: mint("call"), Name: name, Instruments: []template.ID{}}
	uses := map[template.ID]template.Use{}
	for _, h := range heard {
		for _, u := range h.Uses {
			if was, twice := uses[u.Instrument]; twice {
				u = join(was, u)
			}
			uses[u.Instrument] = u
		}
	}
	for _, i := range t.ScoreOrder() {
		if u, plays := uses[i.ID]; plays {
			call.Instruments = append(call.Instruments, i.ID)
			call.Uses = append(call.Uses, u)
		}
	}
	if len(call.Instruments) == 0 {
		return nil, &change.Refused{Reason: "nobody in the template plays this music; choose by hand, or cast the score first"}
	}
	for _, c := range t.Calls {
		if strings.EqualFold(c.Name, name) {
			call.ID, call.Opening = c.ID, c.Opening
		}
	}
	return change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}}, nil
}

// join is what two parts ask of one instrument.
func join(a, b template.Use) template.Use {
	out := template.Use{Instrument: a.Instrument, Articulations: slices.Clone(a.Articulations), Notes: a.Notes + b.Notes, Keys: []template.UsedKey{}}
	for _, w := range b.Articulations {
		if !slices.Contains(out.Articulations, w) {
			out.Articulations = append(out.Articulations, w)
		}
	}
	keys := map[int]template.UsedKey{}
	for _, k := range slices.Concat(a.Keys, b.Keys) {
		if was, known := keys[k.Key]; known {
			k.Low, k.High = min(k.Low, was.Low), max(k.High, was.High)
		}
		keys[k.Key] = k
	}
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		out.Keys = append(out.Keys, keys[key])
	}
	sum := sha256.Sum256([]byte(a.Music + b.Music))
	out.Music = hex.EncodeToString(sum[:8])
	return out
}
