package dawproject

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"slices"

	"fanfold/internal/core/session"
)

// piece is a track where it stands in the text, or the structure of the project.
type piece struct {
	id       string
	from, to int // with its tags
	end      int // where its end tag begins; to where it has none
	kids     []*piece
	now      []*piece // what it holds once it is arranged
	arranged bool
}

// arrange puts tracks of a project into other folders and another order. Each moves as it is, byte for
// byte; what stands between tracks stays. left is how many of them have no ID of their own.
func arrange(text []byte, places []session.Place, called func(id string) string) (out []byte, left int, err error) {
	if len(places) == 0 {
		return text, 0, nil
	}
	root, all, err := piecesOf(text)
	if err != nil {
		return nil, 0, err
	}
	if root == nil {
		return text, 0, nil
	}
	above := map[*piece]*piece{}
	for _, p := range append([]*piece{root}, each(root)...) {
		for _, k := range p.kids {
			above[k] = p
		}
	}
	placed := map[*piece]*piece{} // what a place names, by where it puts it
	for _, x := range places {
		to := root
		if x.Folder != "" {
			to = all[called(string(x.Folder))]
		}
		if to == nil || to.end == to.to {
			left += len(x.Tracks)
			continue
		}
		to.arranged = true
		for _, id := range x.Tracks {
			if p := all[called(string(id))]; p != nil && placed[p] == nil && p != to {
				to.now, placed[p] = append(to.now, p), to
			}
		}
	}
	for p, to := range placed {
		if above[p] != to {
			above[p].arranged = true
		}
	}
	for _, p := range append([]*piece{root}, each(root)...) {
		if p.arranged {
			p.settle(placed)
		}
	}
	if n := root.count(len(all) + 1); n != len(each(root)) {
		return text, left + len(placed), nil // something would lie within itself
	}
	var b bytes.Buffer
	b.Grow(len(text))
	b.Write(text[:root.from])
	root.write(&b, text)
	b.Write(text[root.to:])
	return b.Bytes(), left, nil
}

// settle puts what nobody has placed behind what it stood behind.
func (p *piece) settle(placed map[*piece]*piece) {
	for n, k := range p.kids {
		if placed[k] != nil {
			continue
		}
		at := 0
		for _, before := range slices.Backward(p.kids[:n]) {
			if i := slices.Index(p.now, before); i >= 0 {
				at = i + 1
				break
			}
		}
		p.now = slices.Insert(p.now, at, k)
	}
}

// each are all pieces within one.
func each(p *piece) (out []*piece) {
	for _, k := range p.kids {
		out = append(append(out, k), each(k)...)
	}
	return out
}

// count is how many pieces lie within one as it is arranged, down to a depth.
func (p *piece) count(deep int) (n int) {
	list := p.kids
	if p.arranged {
		list = p.now
	}
	for _, k := range list {
		if n++; deep > 0 {
			n += k.count(deep - 1)
		}
	}
	return n
}

// write writes a piece with what it holds now.
func (p *piece) write(b *bytes.Buffer, text []byte) {
	list := p.kids
	if p.arranged {
		list = p.now
	}
	at := p.from
	for n, k := range p.kids {
		b.Write(text[at:k.from])
		if n < len(list) {
			list[n].write(b, text)
		}
		at = k.to
	}
	if len(list) > len(p.kids) {
		if len(p.kids) == 0 {
			b.Write(text[at:p.end])
			at = p.end
		}
		for _, k := range list[len(p.kids):] {
			b.WriteByte('\n')
			k.write(b, text)
		}
	}
	b.Write(text[at:p.to])
}

// piecesOf finds the tracks of a project; of several with one ID the first has it.
func piecesOf(text []byte) (root *piece, all map[string]*piece, err error) {
	d := xml.NewDecoder(bytes.NewReader(text))
	all = map[string]*piece{}
	var open []*piece // nil for what is none
	for {
		at := int(d.InputOffset())
		token, err := d.Token()
		if err != nil {
			return nil, nil, fmt.Errorf("project.xml: %w", err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			var p, above *piece
			if len(open) > 0 {
				above = open[len(open)-1]
			}
			switch {
			case t.Name.Local == "Structure" && root == nil && len(open) == 1:
				p = &piece{from: at}
				root = p
			case t.Name.Local == "Track" && above != nil:
				p = &piece{from: at}
				above.kids = append(above.kids, p)
			}
			if p != nil {
				for _, a := range t.Attr {
					if a.Name.Local == "id" && p != root {
						p.id = a.Value
					}
				}
				if p.id != "" && all[p.id] == nil {
					all[p.id] = p
				}
			}
			open = append(open, p)
		case xml.EndElement:
			p := open[len(open)-1]
			open = open[:len(open)-1]
			if p != nil {
				p.end, p.to = at, int(d.InputOffset())
			}
			if len(open) == 0 {
				return root, all, nil
			}
		}
	}
}
