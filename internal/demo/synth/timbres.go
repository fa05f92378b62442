package synth

// Timbres of the demo, by name: invented for it, by ear and by what books on acoustics say
// of partials and formants (common practice, no source).
var Timbres = map[string]Timbre{
	"flute":     {Low: 48, High: 98, Step: 8, Sustained: true, Soft: 2.6, Strong: 1.9, Noise: .05},
	"reed":      {Low: 34, High: 93, Step: 8, Sustained: true, Soft: 1.5, Strong: .9, Formants: []Formant{{1100, 500, 1}, {3000, 700, .4}}, Noise: .02},
	"clarinet":  {Low: 26, High: 94, Step: 8, Sustained: true, Soft: 1.9, Strong: 1.2, Odd: true, Noise: .02},
	"horn":      {Low: 30, High: 80, Step: 8, Sustained: true, Soft: 2.4, Strong: 1.4, Formants: []Formant{{450, 350, 1}}, Noise: .01},
	"trumpet":   {Low: 50, High: 91, Step: 8, Sustained: true, Soft: 1.8, Strong: .8, Formants: []Formant{{1400, 700, 1}}, Noise: .01},
	"trombone":  {Low: 22, High: 76, Step: 8, Sustained: true, Soft: 2, Strong: 1, Formants: []Formant{{650, 450, 1}}, Noise: .01},
	"voice ah":  {Low: 34, High: 88, Step: 8, Sustained: true, Soft: 1.7, Strong: 1.1, Formants: []Formant{{750, 160, 1}, {1150, 200, .8}, {2800, 400, .3}}, Noise: .04, Players: 4},
	"voice oo":  {Low: 34, High: 88, Step: 8, Sustained: true, Soft: 2.2, Strong: 1.7, Formants: []Formant{{350, 150, 1}, {800, 200, .3}}, Noise: .04, Players: 4},
	"strings":   {Low: 22, High: 102, Step: 8, Sustained: true, Soft: 1.5, Strong: .95, Formants: []Formant{{500, 400, 1}, {1500, 900, .5}, {3500, 1500, .3}}, Noise: .06, Players: 5},
	"solo bow":  {Low: 26, High: 102, Step: 8, Sustained: true, Soft: 1.4, Strong: .9, Formants: []Formant{{500, 400, 1}, {1800, 900, .5}}, Noise: .04},
	"pad":       {Low: 22, High: 98, Step: 12, Sustained: true, Soft: 2, Strong: 1.4, Noise: .15, Players: 3},
	"organ":     {Low: 20, High: 108, Step: 12, Sustained: true, Soft: 1.2, Strong: 1, Noise: .01},
	"air":       {Low: 60, High: 60, Step: 12, Sustained: true, Soft: 3, Strong: 3, Noise: 40},
	"piano":     {Low: 20, High: 108, Step: 8, Seconds: 1.8, Decay: .9, Soft: 1.9, Strong: 1.1, Noise: .03},
	"pluck":     {Low: 22, High: 104, Step: 8, Seconds: 1.4, Decay: .5, Soft: 1.6, Strong: 1, Noise: .05},
	"pizzicato": {Low: 22, High: 102, Step: 8, Seconds: .6, Decay: .14, Soft: 1.5, Strong: 1, Noise: .08},
	"bar":       {Low: 36, High: 98, Step: 8, Seconds: 1.2, Decay: .5, Soft: 2, Strong: 1.2, Ratios: []float64{1, 3.93, 9.2}, Noise: .04},
	"bell":      {Low: 36, High: 98, Step: 8, Seconds: 1.8, Decay: 1.2, Soft: 1.1, Strong: .7, Ratios: []float64{.5, 1, 1.19, 1.5, 2, 2.74, 3}, Noise: .02},
	"timpani":   {Low: 36, High: 60, Step: 6, Seconds: 1.4, Decay: .5, Soft: 1.4, Strong: 1, Ratios: []float64{1, 1.5, 1.99, 2.44, 2.89}, Noise: .06},
	"drum":      {Low: 36, High: 72, Step: 12, Seconds: .9, Decay: .18, Soft: 1.3, Strong: .9, Ratios: []float64{1, 1.59, 2.14, 2.3, 2.65, 2.92}, Noise: .25},
	"click":     {Low: 60, High: 84, Step: 12, Seconds: .25, Decay: .03, Soft: .8, Strong: .6, Ratios: []float64{1, 2.6, 4.1}, Noise: .5},
	"stick":     {Low: 24, High: 100, Step: 8, Seconds: .3, Decay: .05, Soft: 1, Strong: .8, Noise: .4},
	"metal":     {Low: 60, High: 84, Step: 12, Seconds: 2, Decay: 1.2, Soft: .3, Strong: .1, Ratios: []float64{1, 1.34, 1.71, 2.11, 2.57, 3.01, 3.49, 4.2, 5.43}, Noise: .2},
	"impact":    {Low: 36, High: 60, Step: 12, Seconds: 1.6, Decay: .6, Soft: .8, Strong: .5, Ratios: []float64{.5, 1, 1.37, 2.2, 3.1}, Noise: .6},
}

func init() {
	for name, t := range Timbres {
		t.Name = name
		Timbres[name] = t
	}
}
