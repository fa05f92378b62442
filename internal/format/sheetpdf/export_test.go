package sheetpdf

import "codeberg.org/go-pdf/fpdf"

// Alphabets are words of the writings that names come in.
var Alphabets = alphabets

// Missing are the signs of texts that no font has, and what the sheet tells of them.
func Missing(texts ...string) (missing []rune, told string) {
	set := newTypesetter(fpdf.New("L", "mm", "A4", ""))
	for _, text := range texts {
		for _, p := range set.pieces(text) {
			for _, r := range p.text {
				if faceOf(r) < 0 {
					missing = append(missing, r)
				}
			}
		}
	}
	return missing, set.told()
}
