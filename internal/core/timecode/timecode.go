// Package timecode counts the frames of a picture as SMPTE ST 12-1 does. Frame rates are exact
// ratios, and time is whole frames or whole samples, so that nothing drifts; timecodes are
// read and written, drop-frame ones as well.
package timecode

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Rate is how many frames there are in a second: Num/Den. With Drop, timecode leaves out
// numbers, so that it keeps up with the clock.
type Rate struct {
	Num, Den int64
	Drop     bool
}

// Rates lists every rate, by the name it goes by.
var Rates = []struct {
	Name string
	Rate Rate
}{
	{"23.976", Rate{24_000, 1001, false}}, {"24", Rate{24, 1, false}}, {"25", Rate{25, 1, false}},
	{"29.97", Rate{30_000, 1001, false}}, {"29.97 drop", Rate{30_000, 1001, true}}, {"30", Rate{30, 1, false}},
	{"48", Rate{48, 1, false}}, {"50", Rate{50, 1, false}},
	{"59.94", Rate{60_000, 1001, false}}, {"59.94 drop", Rate{60_000, 1001, true}}, {"60", Rate{60, 1, false}},
}

// String is the name of the rate: "29.97 drop".
func (r Rate) String() string {
	for _, x := range Rates {
		if x.Rate == r {
			return x.Name
		}
	}
	return fmt.Sprintf("%d/%d", r.Num, r.Den)
}

// Named finds a rate by its name, as people write it: "23.98", "29.97df", "30 fps".
func Named(text string) (Rate, error) {
	t := strings.ToLower(strings.TrimSpace(text))
	for _, end := range []string{"fps", "frames"} {
		t = strings.TrimSpace(strings.TrimSuffix(t, end))
	}
	plain := t
	drop := false
	for _, end := range []string{"non-drop", "ndf", "nd", "drop-frame", "drop", "df", "d"} {
		if s, cut := strings.CutSuffix(t, end); cut {
			drop, plain = !strings.HasPrefix(end, "n"), strings.TrimSpace(s)
			break
		}
	}
	if s, ok := map[string]string{"23.98": "23.976", "23.97": "23.976", "29.970": "29.97", "59.940": "59.94"}[plain]; ok {
		plain = s
	}
	if drop {
		plain += " drop"
	}
	for _, x := range Rates {
		if x.Name == plain {
			return x.Rate, nil
		}
	}
	return Rate{}, fmt.Errorf("%q is not a frame rate; there are %s", text, names())
}

func names() string {
	list := make([]string, len(Rates))
	for n, x := range Rates {
		list[n] = x.Name
	}
	return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}

// Counted is how many frames a second of timecode counts: 24, 25, 30, 48, 50 or 60.
func (r Rate) Counted() int64 { return (r.Num + r.Den - 1) / r.Den }

// dropped is how many numbers are left out in each minute but every tenth: 2 of 30, 4 of 60.
func (r Rate) dropped() int64 {
	if !r.Drop {
		return 0
	}
	return r.Counted() / 15
}

// Day is how many frames timecode counts until it begins again.
func (r Rate) Day() int64 { return 86_400*r.Counted() - r.dropped()*(24*60-24*6) }

// Code is a timecode.
type Code struct{ Hours, Minutes, Seconds, Frames int64 }

// Code is the timecode of a frame. It begins again after a day; frames before 0 are those of
// the day before.
func (r Rate) Code(frame int64) Code {
	day := r.Day()
	frame = ((frame % day) + day) % day
	if d := r.dropped(); d > 0 {
		// Ten minutes drop nine times.
		minute, ten := 60*r.Counted()-d, 600*r.Counted()-9*d
		tens, rest := frame/ten, frame%ten
		frame += 9 * d * tens
		if rest >= d {
			frame += d * ((rest - d) / minute)
		}
	}
	counted := r.Counted()
	return Code{frame / (3600 * counted), frame / (60 * counted) % 60, frame / counted % 60, frame % counted}
}

// Frame is the frame of a timecode. The error says why there is none.
func (r Rate) Frame(c Code) (int64, error) {
	counted := r.Counted()
	switch {
	case c.Hours < 0 || c.Hours > 23 || c.Minutes < 0 || c.Minutes > 59 || c.Seconds < 0 || c.Seconds > 59:
		return 0, fmt.Errorf("%s is not a timecode: it goes from 00:00:00:00 to 23:59:59:%02d", r.text(c), counted-1)
	case c.Frames < 0 || c.Frames >= counted:
		return 0, fmt.Errorf("%s is not a timecode at %s: its seconds have the frames 00 to %02d", r.text(c), r, counted-1)
	case c.Seconds == 0 && c.Minutes%10 != 0 && c.Frames < r.dropped():
		return 0, fmt.Errorf("%s is not a timecode at %s: this minute begins with frame %02d", r.text(c), r, r.dropped())
	}
	minutes := 60*c.Hours + c.Minutes
	return ((minutes*60)+c.Seconds)*counted + c.Frames - r.dropped()*(minutes-minutes/10), nil
}

func (r Rate) text(c Code) string {
	mark := ":"
	if r.Drop {
		mark = ";"
	}
	return fmt.Sprintf("%02d:%02d:%02d%s%02d", c.Hours, c.Minutes, c.Seconds, mark, c.Frames)
}

// Format writes the timecode of a frame: "01:00:00:00", at drop-frame rates "01:00:00;00".
func (r Rate) Format(frame int64) string { return r.text(r.Code(frame)) }

var written = regexp.MustCompile(`^\s*(\d{1,2})[:.;](\d{1,2})[:.;](\d{1,2})([:.;,])(\d{1,2})\s*$`)

// Parse reads a timecode and is its frame. Whether its last mark is a semicolon does not
// matter: the rate says whether numbers are left out.
func (r Rate) Parse(text string) (int64, error) {
	m := written.FindStringSubmatch(text)
	if m == nil {
		return 0, fmt.Errorf("%q is not a timecode; it is written as 01:02:03:04", text)
	}
	var n [4]int64
	for k, part := range []string{m[1], m[2], m[3], m[5]} {
		n[k], _ = strconv.ParseInt(part, 10, 64) // two digits
	}
	return r.Frame(Code{n[0], n[1], n[2], n[3]})
}

// Sample is where a frame begins, samples at a rate in Hz, to the nearest.
func (r Rate) Sample(frame, rateHz int64) int64 { return floorDiv(2*frame*r.Den*rateHz+r.Num, 2*r.Num) }

// FrameAt is the frame that a sample lies in: the last that begins at it or before.
func (r Rate) FrameAt(sample, rateHz int64) int64 {
	frame := floorDiv(sample*r.Num, r.Den*rateHz)
	for r.Sample(frame+1, rateHz) <= sample {
		frame++
	}
	for r.Sample(frame, rateHz) > sample {
		frame--
	}
	return frame
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b != 0 && a < 0 {
		q--
	}
	return q
}
