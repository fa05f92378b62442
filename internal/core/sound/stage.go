package sound

import "strings"

// Place is where somebody sits, m: to the right of the middle as the microphones see it, and
// behind them.
type Place struct{ X, Y float64 }

// places are where desks sit on an orchestra's stage, seen from microphones behind and above
// the conductor, by section, or by the two innermost: common practice, no source. The second
// violins sit beside the first.
var places = map[string]Place{
	"violins 1": {-4.5, 4.5}, "violins 2": {-2, 6}, "violins": {-4, 5}, "violas": {2, 6}, "cellos": {4.5, 5}, "basses": {6.6, 7}, "strings": {0, 6},
	"flutes": {-1.4, 8.5}, "oboes": {1.4, 8.5}, "clarinets": {-1.4, 10.1}, "bassoons": {1.4, 10.1}, "low clarinets": {-4.1, 10.2}, "saxophones": {4.1, 10.1}, "whistles": {-4.1, 8.7}, "winds": {0, 9.2},
	"horns": {-5.4, 12}, "trumpets": {0.4, 12}, "trombones": {3.1, 12}, "tubas": {5.8, 12}, "brass": {1.5, 12},
	"timpani": {-2, 13.8}, "drums": {3.4, 13.8}, "high": {-4.7, 13.8}, "metals": {6.1, 13.8}, "tuned": {-7.4, 13.2}, "percussion": {0.7, 13.8},
	"harps": {-7, 7}, "keys": {-8.6, 8.8}, "plucked": {-6, 7.8}, "keys and harp": {-7, 8},
	"women": {-3, 16}, "men": {3, 16}, "voices": {0, 16}, "strings / soloists": {-1.5, 3}, "voices / soloists": {1.5, 3}, "soloists": {0, 3},
}

// PlaceOf is where a section sits by its name and those above it, "Strings / Violas"; false
// for one that has no place on a stage.
func PlaceOf(path string) (Place, bool) {
	parts := strings.Split(fold(path), " / ")
	for n := len(parts) - 1; n >= 0; n-- {
		if n > 0 {
			if p, ok := places[parts[n-1]+" / "+parts[n]]; ok {
				return p, true
			}
		}
		if p, ok := places[parts[n]]; ok {
			return p, true
		}
	}
	return Place{}, false
}
