package template

import (
	"bytes"
	"image/png"
	"slices"
	"unicode"
	"unicode/utf8"
)

// Emblem is the small sign of a library, a player or a row: one or two letters, an icon
// of the shipped set, or a picture. Exactly one of them is said.
type Emblem struct {
	Letters string `json:"letters,omitempty"` // one or two
	Icon    string `json:"icon,omitempty"`    // one of Icons
	Picture []byte `json:"picture,omitempty"` // a PNG of at most MaxEmblemPixels a side and MaxEmblemBytes
}

// The limits of a picture. It is drawn at 16 pixels; four times that is enough
// for any screen.
const (
	MaxEmblemPixels = 64
	MaxEmblemBytes  = 24 << 10
)

// Icons is the shipped set.
var Icons = []string{
	"anchor", "bell", "bird", "church", "droplet", "drum", "feather", "flame", "gem", "guitar", "lamp",
	"leaf", "moon", "mountain", "piano", "shell", "snowflake", "star", "sun", "waves", "wheat", "wind",
}

// EmblemOf is the emblem of an instrument, or else of the library that its first patch is of, or else of
// its player; nil when none of them has one.
func (t *Template) EmblemOf(i *Instrument) *Emblem {
	if i.Emblem != nil {
		return i.Emblem
	}
	if l := t.LibraryOf(i); l != nil && l.Emblem != nil {
		return l.Emblem
	}
	if p := t.PlayerOf(i); p != nil {
		return p.Emblem
	}
	return nil
}

func (v *validator) emblem(list string, n int, e *Emblem) {
	if e == nil {
		return
	}
	where := at(list, n, "emblem")
	said := 0
	for _, is := range []bool{e.Letters != "", e.Icon != "", len(e.Picture) > 0} {
		if is {
			said++
		}
	}
	switch {
	case said != 1:
		v.fail(where, "an emblem is one or two letters, an icon or a picture: one of the three")
	case e.Letters != "" && !areLetters(e.Letters):
		v.fail(where+".letters", "%q is not one or two letters or digits", e.Letters)
	case e.Icon != "" && !slices.Contains(Icons, e.Icon):
		v.fail(where+".icon", "there is no icon %q", e.Icon)
	case len(e.Picture) > MaxEmblemBytes:
		v.fail(where+".picture", "the picture has %d bytes; %d at most", len(e.Picture), MaxEmblemBytes)
	case len(e.Picture) > 0:
		v.picture(where+".picture", e.Picture)
	}
}

func areLetters(s string) bool {
	if n := utf8.RuneCountInString(s); !utf8.ValidString(s) || n > 2 {
		return false
	}
	for _, r := range s {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return false
		}
	}
	return true
}

// picture looks at the size before it unpacks anything.
func (v *validator) picture(where string, data []byte) {
	head, err := png.DecodeConfig(bytes.NewReader(data))
	if err == nil && (head.Width > MaxEmblemPixels || head.Height > MaxEmblemPixels) {
		v.fail(where, "the picture has %d by %d pixels; %d by %d at most", head.Width, head.Height, MaxEmblemPixels, MaxEmblemPixels)
		return
	}
	if err == nil {
		_, err = png.Decode(bytes.NewReader(data))
	}
	if err != nil {
		v.fail(where, "the picture is not a valid PNG: %s", err)
	}
}
