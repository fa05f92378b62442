package dawproject

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
)

// Right writes a session of so many bytes again with some of its tracks put right. Nothing else of it
// is touched: notes, recordings, devices and all that is not read stay byte for byte. left is what
// could not be put right, in words. The error says what is wrong with the file.
func Right(w io.Writer, r io.ReaderAt, size int64, fixes *session.Righting) (left []string, err error) {
	archive, f, err := opened(r, size)
	if err != nil {
		return nil, err
	}
	in, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("project.xml cannot be unpacked: %w", err)
	}
	defer in.Close()
	text, err := io.ReadAll(io.LimitReader(in, mostXML))
	if err != nil {
		return nil, fmt.Errorf("project.xml cannot be unpacked: %w", err)
	}
	x, err := newRighter(text, fixes)
	if err != nil {
		return nil, err
	}
	if err := x.walk(); err != nil {
		return nil, err
	}
	now, unplaced, err := arrange(x.result(), fixes.Places, x.called)
	if err != nil {
		return nil, err
	}
	x.left["tracks without an ID of their own"] += unplaced
	out := zip.NewWriter(w)
	for _, other := range archive.File {
		if other != f {
			if err := out.Copy(other); err != nil {
				return nil, fmt.Errorf("write DAWproject: %w", err)
			}
			continue
		}
		to, err := out.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Deflate, Modified: f.Modified})
		if err == nil {
			_, err = to.Write(now)
		}
		if err != nil {
			return nil, fmt.Errorf("write DAWproject: %w", err)
		}
	}
	if err := out.Close(); err != nil {
		return nil, fmt.Errorf("write DAWproject: %w", err)
	}
	return x.told(), nil
}

// splice is a piece of the text that becomes another.
type splice struct {
	from, to int
	by       string
}

// place is an element that is open while the text is gone through.
type place struct {
	name   string
	id     string
	attrs  []xml.Attr
	starts int // of its start tag
	body   int // after it
	fix    *session.Fix
	own    *session.Fix // of a folder's own channel
	volume int          // where its fader stands, of a channel; 0 when none was met
	sends  bool         // of a channel: they were met
}

type righter struct {
	text     []byte
	fixes    map[string]*session.Fix
	missing  []session.Missing
	channels map[template.ID]string // of tracks, by their IDs in the session
	b        *builder
	ids      int
	splices  []splice
	ends     map[string]int // of tracks: after their end tag
	inside   map[string]int // of folders: before their end tag
	met      map[string]bool
	left     map[string]int
}

func newRighter(text []byte, fixes *session.Righting) (*righter, error) {
	p, err := decoded(bytes.NewReader(text))
	if err != nil {
		return nil, err
	}
	r := newReader(p)
	if _, err := r.session(""); err != nil {
		return nil, err
	}
	x := &righter{
		text: text, fixes: map[string]*session.Fix{}, missing: fixes.Missing, channels: map[template.ID]string{}, b: &builder{ids: map[template.ID]string{}},
		ends: map[string]int{}, inside: map[string]int{}, met: map[string]bool{}, left: map[string]int{},
	}
	for id, track := range r.channels {
		x.channels[track] = id
	}
	for n := range fixes.Fixes {
		x.fixes[string(fixes.Fixes[n].Track)] = &fixes.Fixes[n]
	}
	for _, m := range fixes.Missing {
		id := markedID + string(m.Track.ID)
		for bytes.Contains(text, []byte(`"`+id)) {
			id += "-" // a copy has taken it
		}
		x.b.ids[m.Track.ID] = id
		x.channels[m.Track.ID] = id + ".channel"
	}
	x.b.channels = x.channels
	return x, nil
}

// walk goes through the text and notes what becomes another.
func (x *righter) walk() error {
	d := xml.NewDecoder(bytes.NewReader(x.text))
	var open []*place
	for {
		at := int(d.InputOffset())
		token, err := d.Token()
		if err != nil {
			return fmt.Errorf("project.xml: %w", err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			p := &place{name: t.Name.Local, attrs: slices.Clone(t.Attr), starts: at, body: int(d.InputOffset())}
			for _, a := range t.Attr {
				if a.Name.Local == "id" {
					p.id = a.Value
				}
			}
			var above *place
			if len(open) > 0 {
				above = open[len(open)-1]
			}
			x.starts(p, above)
			open = append(open, p)
		case xml.EndElement:
			p := open[len(open)-1]
			open = open[:len(open)-1]
			var above *place
			if len(open) > 0 {
				above = open[len(open)-1]
			}
			x.endsAt(p, above, at, int(d.InputOffset()))
			if above == nil { // what stands behind the project is nobody's
				x.insert()
				return nil
			}
		}
	}
}

// starts is called where an element begins.
func (x *righter) starts(p, above *place) {
	switch {
	case p.name == "Track":
		if !x.met[p.id] { // of several with one ID the first has it
			p.fix, p.own = x.fixes[p.id], x.fixes[p.id+".bus"]
			x.met[p.id] = true
		}
		x.track(p)
	case p.name == "Channel" && above != nil && above.name == "Track":
		if p.fix = above.fix; above.own != nil {
			p.fix = above.own
		}
		x.channel(p)
	case p.name == "Channel" && above != nil && above.name == "Structure":
		p.fix = x.fixes[p.id]
		x.track(p)
		x.channel(p)
	case above != nil && above.name == "Channel" && above.fix != nil && p.name == "Volume":
		above.volume = p.starts
		if above.fix.Gain != nil {
			x.parameter(p, levelText(*above.fix.Gain, p))
		}
	case above != nil && above.name == "Channel" && above.fix != nil && p.name == "Pan" && above.fix.Pan != nil:
		x.parameter(p, panText(*above.fix.Pan, p))
	}
}

// endsAt is called where an element ends: from and to are its end tag.
func (x *righter) endsAt(p, above *place, from, to int) {
	switch {
	case p.name == "Track":
		if _, known := x.ends[p.id]; !known {
			x.ends[p.id], x.inside[p.id] = to, from
		}
	case p.name == "Structure":
		x.inside[""] = from
	case p.name == "Sends" && above != nil && above.name == "Channel" && above.fix != nil:
		above.sends = true
		if above.fix.Ways != nil {
			x.splices = append(x.splices, splice{p.starts, to, x.sends(above.fix.Ways.Sends)})
		}
	case p.name == "Channel" && p.fix != nil:
		if p.fix.Ways != nil && !p.sends && len(p.fix.Ways.Sends) > 0 {
			at := cmp.Or(p.volume, from)
			if p.selfClosing(x.text) {
				x.left["sends of tracks without a channel"]++
				return
			}
			x.splices = append(x.splices, splice{at, at, x.sends(p.fix.Ways.Sends)})
		}
		if p.fix.Gain != nil && p.volume == 0 {
			x.left["levels of tracks without a fader"]++
		}
	}
}

func (p *place) selfClosing(text []byte) bool {
	return bytes.HasSuffix(text[p.starts:p.body], []byte("/>"))
}

// tag writes a start tag again, with its attributes as they are now.
func (x *righter) tag(p *place) {
	var b strings.Builder
	b.WriteString("<" + p.name)
	for _, a := range p.attrs {
		name := a.Name.Local
		if a.Name.Space != "" {
			name = a.Name.Space + ":" + name
		}
		b.WriteString(" " + name + `="` + escaped(a.Value) + `"`)
	}
	if p.selfClosing(x.text) {
		b.WriteByte('/')
	}
	b.WriteByte('>')
	x.splices = append(x.splices, splice{p.starts, p.body, b.String()})
}

func escaped(s string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(s)) // into memory
	return b.String()
}

// set sets an attribute; an empty value takes it away.
func (p *place) set(name, value string) {
	at := slices.IndexFunc(p.attrs, func(a xml.Attr) bool { return a.Name.Local == name })
	switch {
	case at >= 0 && value == "":
		p.attrs = slices.Delete(p.attrs, at, at+1)
	case at >= 0:
		p.attrs[at].Value = value
	case value != "":
		p.attrs = append(p.attrs, xml.Attr{Name: xml.Name{Local: name}, Value: value})
	}
}

// track puts name and colour right.
func (x *righter) track(p *place) {
	if p.fix == nil || p.fix.Name == nil && p.fix.Colour == nil {
		return
	}
	if p.fix.Name != nil {
		p.set("name", *p.fix.Name)
	}
	if p.fix.Colour != nil {
		p.set("color", *p.fix.Colour)
	}
	x.tag(p)
}

// channel puts right where a channel goes, and how many sides it has.
func (x *righter) channel(p *place) {
	if p.fix == nil || p.fix.Ways == nil && p.fix.Mono == nil {
		return
	}
	if at := len(x.splices) - 1; at >= 0 && x.splices[at].from == p.starts {
		x.splices = x.splices[:at] // it is a track as well, and is written once
	}
	if p.fix.Ways != nil {
		p.set("destination", x.channels[p.fix.Ways.To])
	}
	if p.fix.Mono != nil {
		p.set("audioChannels", strconv.Itoa(channelsOf(*p.fix.Mono)))
	}
	x.tag(p)
}

// parameter puts the value of a fader or pan right.
func (x *righter) parameter(p *place, value string) {
	p.set("value", value)
	x.tag(p)
}

func (p *place) attr(name string) string {
	for _, a := range p.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// levelText is a fader in the unit of its parameter.
func levelText(gain float64, p *place) string {
	if p.attr("unit") == "decibel" {
		return number(math.Round(2000*math.Log10(max(gain, 1e-5))) / 100)
	}
	return number(gain)
}

// panText is a pan in the bounds of its parameter.
func panText(pan float64, p *place) string {
	low, high := bounds(p.attr("unit"), p.attr("min"), p.attr("max"))
	return number(math.Round(1e6*(low+(pan+1)/2*(high-low))) / 1e6)
}

// sends writes the sends of a channel.
func (x *righter) sends(list []session.Send) string {
	var out sends
	for _, s := range list {
		to := x.channels[s.To]
		if to == "" {
			x.left["sends to tracks without a channel"]++
			continue
		}
		x.ids++
		kind, id := "post", fmt.Sprintf("fanfold-send%d", x.ids)
		for bytes.Contains(x.text, []byte(`"`+id)) {
			id += "-"
		}
		if s.Pre {
			kind = "pre"
		}
		out.List = append(out.List, send{id, to, kind, parameter{ID: id + ".volume", Unit: "linear", Min: "0", Max: "2", Value: number(s.Gain)}})
	}
	if len(out.List) == 0 {
		return ""
	}
	text, err := xml.Marshal(struct {
		XMLName xml.Name `xml:"Sends"`
		sends
	}{sends: out})
	if err != nil {
		return ""
	}
	return string(text)
}

// called is the ID in the file of a track, also of one that is put into it.
func (x *righter) called(id string) string {
	if is := x.b.ids[template.ID(id)]; is != "" {
		return is
	}
	return id
}

// nested are the tracks that are missing, those within others that are missing in these.
func (x *righter) nested() (out []session.Missing) {
	tracks := map[template.ID]*session.Track{}
	for _, m := range x.missing {
		t := *m.Track
		t.Children = nil
		tracks[t.ID] = &t
	}
	for _, m := range x.missing {
		m.Track = tracks[m.Track.ID]
		if in := tracks[m.Folder]; in != nil && m.Folder != "" {
			in.Children = append(in.Children, m.Track)
			continue
		}
		out = append(out, m)
	}
	return out
}

// insert puts the tracks that are missing in their places.
func (x *righter) insert() {
	at := map[int][]string{}
	var places []int
	for _, m := range x.nested() {
		to, ok := x.ends[string(m.After)], m.After != ""
		if m.After != "" {
			_, ok = x.ends[string(m.After)]
		}
		if !ok {
			to, ok = x.inside[string(m.Folder)]
		}
		if !ok {
			x.left["tracks without a place"]++
			continue
		}
		text, err := xml.MarshalIndent(struct {
			XMLName xml.Name `xml:"Track"`
			track
		}{track: x.b.list([]*session.Track{m.Track})[0]}, "", " ")
		if err != nil {
			continue
		}
		if at[to] == nil {
			places = append(places, to)
		}
		at[to] = append(at[to], "\n"+string(text))
	}
	for _, to := range places {
		x.splices = append(x.splices, splice{to, to, strings.Join(at[to], "") + "\n"})
	}
}

// result is the text with all that becomes another.
func (x *righter) result() []byte {
	slices.SortStableFunc(x.splices, func(a, b splice) int { return cmp.Or(a.from-b.from, a.to-b.to) })
	var b bytes.Buffer
	at := 0
	for _, s := range x.splices {
		if s.from < at {
			continue // within what was written already
		}
		b.Write(x.text[at:s.from])
		b.WriteString(s.by)
		at = s.to
	}
	b.Write(x.text[at:])
	return b.Bytes()
}

func (x *righter) told() (out []string) {
	for id := range x.fixes {
		if !x.met[strings.TrimSuffix(id, ".bus")] && !x.met[id] {
			x.left["tracks without an ID of their own"]++
		}
	}
	for what, n := range x.left {
		if n == 0 {
			continue
		}
		out = append(out, fmt.Sprintf("%s (%d)", what, n))
	}
	slices.Sort(out)
	return out
}
