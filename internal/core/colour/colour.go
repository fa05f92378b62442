// Package colour computes with colours as the eye sees them: OKLCH to sRGB and
// back, differences, contrast, and what people with another colour vision see.
// Colours go in; figures, and colours that fit a screen, come out.
package colour

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// LCH is a colour in OKLCH: lightness 0..1, chroma 0 and up, hue in degrees.
type LCH struct{ L, C, H float64 }

// Lab is a colour in OKLab.
type Lab struct{ L, A, B float64 }

// RGB is a colour in linear sRGB; one that fits a screen has 0..1 in each.
type RGB [3]float64

// Lab is the colour in OKLab.
func (c LCH) Lab() Lab {
	h := c.H * math.Pi / 180
	return Lab{c.L, c.C * math.Cos(h), c.C * math.Sin(h)}
}

// LCH is the colour in OKLCH.
func (c Lab) LCH() LCH {
	h := math.Atan2(c.B, c.A) * 180 / math.Pi
	if h < 0 {
		h += 360
	}
	return LCH{c.L, math.Hypot(c.A, c.B), h}
}

// RGB is the colour in linear sRGB, which may lie outside a screen's. The
// matrices are those of OKLab (B. Ottosson, "A perceptual color space for image
// processing", 2020; from memory, checked against an independent library).
func (c Lab) RGB() RGB {
	l := c.L + 0.3963377774*c.A + 0.2158037573*c.B
	m := c.L - 0.1055613458*c.A - 0.0638541728*c.B
	s := c.L - 0.0894841775*c.A - 1.2914855480*c.B
	l, m, s = l*l*l, m*m*m, s*s*s
	return RGB{
		4.0767416621*l - 3.3077115913*m + 0.2309699292*s,
		-1.2684380046*l + 2.6097574011*m - 0.3413193965*s,
		-0.0041960863*l - 0.7034186147*m + 1.7076147010*s,
	}
}

// Lab is the colour in OKLab.
func (c RGB) Lab() Lab {
	l := math.Cbrt(0.4122214708*c[0] + 0.5363325363*c[1] + 0.0514459929*c[2])
	m := math.Cbrt(0.2119034982*c[0] + 0.6806995451*c[1] + 0.1073969566*c[2])
	s := math.Cbrt(0.0883024619*c[0] + 0.2817188376*c[1] + 0.6299787005*c[2])
	return Lab{
		0.2104542553*l + 0.7936177850*m - 0.0040720468*s,
		1.9779984951*l - 2.4285922050*m + 0.4505937099*s,
		0.0259040371*l + 0.7827717662*m - 0.8086757660*s,
	}
}

// Fits tells whether a screen can show the colour.
func (c RGB) Fits() bool {
	for _, x := range c {
		if x < -1e-4 || x > 1+1e-4 {
			return false
		}
	}
	return true
}

// Screen is the colour with as much of its chroma as a screen can show.
func (c LCH) Screen() RGB {
	c.L = min(1, max(0, c.L))
	low, high := 0.0, c.C
	if c.Lab().RGB().Fits() {
		low = c.C
	}
	for range 24 {
		if low == c.C {
			break
		}
		if middle := (low + high) / 2; (LCH{c.L, middle, c.H}).Lab().RGB().Fits() {
			low = middle
		} else {
			high = middle
		}
	}
	rgb := LCH{c.L, low, c.H}.Lab().RGB()
	for n, x := range rgb {
		rgb[n] = min(1, max(0, x))
	}
	return rgb
}

// Difference is Delta E OK: the distance of two colours in OKLab. About 0.02 is
// just seen beside each other.
func Difference(a, b Lab) float64 {
	return math.Sqrt((a.L-b.L)*(a.L-b.L) + (a.A-b.A)*(a.A-b.A) + (a.B-b.B)*(a.B-b.B))
}

// Contrast is the contrast ratio of WCAG 2.2 between two colours, 1..21.
func Contrast(a, b RGB) float64 {
	light := func(c RGB) float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] + 0.05 }
	x, y := light(a), light(b)
	return max(x, y) / min(x, y)
}

// Vision is a way to see colours.
type Vision string

// The visions.
const (
	Usual  Vision = "usual"
	Protan Vision = "protan"
	Deutan Vision = "deutan"
	Tritan Vision = "tritan"
)

// Visions lists every vision.
var Visions = []Vision{Usual, Protan, Deutan, Tritan}

// seen are what becomes of linear sRGB at full severity (G. M. Machado, M. M.
// Oliveira, L. A. F. Fernandes, "A Physiologically-based Model for Simulation of
// Color Vision Deficiency", 2009; from memory, checked against an independent
// library).
var seen = map[Vision][3][3]float64{
	Protan: {{0.152286, 1.052583, -0.204868}, {0.114503, 0.786281, 0.099216}, {-0.003882, -0.048116, 1.051998}},
	Deutan: {{0.367322, 0.860646, -0.227968}, {0.280085, 0.672501, 0.047413}, {-0.011820, 0.042940, 0.968881}},
	Tritan: {{1.255528, -0.076749, -0.178779}, {-0.078411, 0.930809, 0.147602}, {0.004733, 0.691367, 0.303900}},
}

// As is what somebody with a vision sees of a colour.
func (c RGB) As(v Vision) RGB {
	m, other := seen[v]
	if !other {
		return c
	}
	var out RGB
	for n := range out {
		out[n] = min(1, max(0, m[n][0]*c[0]+m[n][1]*c[1]+m[n][2]*c[2]))
	}
	return out
}

// Hex writes a colour as #rrggbb.
func (c RGB) Hex() string {
	s := "#"
	for _, b := range c.Bytes() {
		s += fmt.Sprintf("%02x", b)
	}
	return s
}

// Bytes are red, green and blue as a screen takes them, 0..255 (the transfer
// function of IEC 61966-2-1).
func (c RGB) Bytes() [3]int {
	var out [3]int
	for n, x := range c {
		if x <= 0.0031308 {
			x *= 12.92
		} else {
			x = 1.055*math.Pow(x, 1/2.4) - 0.055
		}
		out[n] = int(math.Round(255 * min(1, max(0, x))))
	}
	return out
}

// FromBytes is the colour of red, green and blue, 0..255.
func FromBytes(rgb [3]int) RGB {
	var out RGB
	for n, b := range rgb {
		x := float64(b) / 255
		if x <= 0.04045 {
			out[n] = x / 12.92
		} else {
			out[n] = math.Pow((x+0.055)/1.055, 2.4)
		}
	}
	return out
}

// FromHex reads #rrggbb.
func FromHex(s string) (RGB, error) {
	n, err := strconv.ParseUint(strings.TrimPrefix(s, "#"), 16, 32)
	if err != nil || len(strings.TrimPrefix(s, "#")) != 6 {
		return RGB{}, fmt.Errorf("%q is not a colour; write it as #rrggbb", s)
	}
	return FromBytes([3]int{int(n >> 16), int(n >> 8 & 255), int(n & 255)}), nil
}
