package template

import "bytes"

// HoldsNUL tells whether JSON holds the character NUL, written as an escape: no text
// may, since no database keeps it.
func HoldsNUL(json []byte) bool {
	for {
		at := bytes.Index(json, []byte(`u0000`))
		if at < 0 {
			return false
		}
		slashes := 0
		for at-slashes > 0 && json[at-slashes-1] == '\\' {
			slashes++
		}
		if slashes%2 == 1 { // else the backslash is a sign itself
			return true
		}
		json = json[at+1:]
	}
}
