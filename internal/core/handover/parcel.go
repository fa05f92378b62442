package handover

import (
	"cmp"
	"fmt"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/filename"
)

// Folders is how the files of a package lie.
type Folders string

// Ways in which the files of a package lie.
const (
	OneFolder Folders = "one"
	ByFold    Folders = "fold"
	ByCue     Folders = "cue"
	ByReel    Folders = "reel"
)

// AllFolders lists the ways.
var AllFolders = []Folders{OneFolder, ByFold, ByCue, ByReel}

// Delivered is one print of a package, as it is told of.
type Delivered struct {
	Number, Title string // of the cue; the number may be empty
	Reel          string // its name; empty for none
	Version       int
	Start, End    string // timecode; empty where no cue is known
	Length        string // h:mm:ss:ff
	Composer      string
	Files         []DeliveredFile
	Report        *audit.Report
	OnMix         []string                   // what runs on the mix alone
	Timecode      func(samples int64) string // of samples since midnight
}

// DeliveredFile is a file of audio: how it is called, and the fold that it belongs to; none for a
// mix.
type DeliveredFile struct {
	Name, Fold string
	Role       audit.Role
}

// Heard is which file is listened to: the mix as it is heard, or the one before what runs on it; -1
// for none.
func (d *Delivered) Heard() int {
	for _, role := range []audit.Role{audit.Limited, audit.Mix} {
		if n := slices.IndexFunc(d.Files, func(f DeliveredFile) bool { return f.Role == role }); n >= 0 {
			return n
		}
	}
	return -1
}

// Whole is the number of the cue with its title.
func (d *Delivered) Whole() string {
	if d.Number == "" || strings.HasPrefix(d.Title, d.Number) {
		return d.Title
	}
	return d.Number + " " + d.Title
}

// Called is how a print is called where others are beside it.
func (d *Delivered) Called() string {
	return filename.Safe(fmt.Sprintf("%s v%d", d.Whole(), d.Version), "print")
}

// Paths are those of the files of each print, with slashes: safe, and no two the same, even where
// two cues have one name.
func (f Folders) Paths(list []Delivered) [][]string {
	out := make([][]string, len(list))
	folders, taken := map[string]bool{}, map[string]map[string]bool{}
	for n := range list {
		d := &list[n]
		home := ""
		if f == ByCue || f == ByReel {
			home = filename.Unique(d.Called(), "", folders)
		}
		if f == ByReel && d.Reel != "" {
			home = path.Join(filename.Safe("Reel "+d.Reel, "Reel"), home)
		}
		for _, x := range d.Files {
			dir := home
			if f == ByFold && x.Fold != "" {
				dir = filename.Safe(x.Fold, "Fold")
			} else if f == ByFold {
				dir = "Mix"
			}
			key := strings.ToLower(dir)
			if taken[key] == nil {
				taken[key] = map[string]bool{}
			}
			base := path.Base(x.Name)
			ending := path.Ext(base)
			name := filename.Unique(filename.Safe(strings.TrimSuffix(base, ending), "file"), ending, taken[key])
			out[n] = append(out[n], path.Join(dir, name))
		}
	}
	return out
}

// CueSheet is what rights societies and music editors ask of every cue.
func CueSheet(list []Delivered) Table {
	t := Table{Headings: []string{"cue", "title", "version", "reel", "start", "end", "length", "composer"}}
	for _, d := range list {
		t.Rows = append(t.Rows, []string{d.Number, d.Title, strconv.Itoa(d.Version), d.Reel, d.Start, d.End, d.Length, d.Composer})
	}
	return t
}

// MarkerList is every marker, hit and change of metre of a cue: on its timecode, in its bar, and in
// seconds after the files begin (begin: samples since midnight, at rateHz).
func MarkerList(p *cue.Production, c *cue.Cue, begin int64, rateHz int) Table {
	t := Table{Headings: []string{"timecode", "seconds", "bar", "beat", "kind", "name"}}
	rate, time := p.FrameRate(), c.MustTime()
	type row struct {
		frame float64
		cells []string
	}
	var rows []row
	add := func(frame float64, tick int64, kind, name string) {
		whole := int64(math.Round(frame))
		at := frame*float64(rate.Den)/float64(rate.Num) - float64(begin)/float64(rateHz)
		place := time.PlaceOf(max(0, tick))
		rows = append(rows, row{frame, []string{rate.Format(max(0, whole)), fmt.Sprintf("%.3f", at), strconv.FormatInt(place.Bar, 10), strconv.FormatFloat(math.Round(place.Beat*100)/100, 'f', -1, 64), kind, name}})
	}
	add(float64(c.Start), time.Start, "start", c.Called())
	for _, m := range c.Markers {
		if m.Tick != nil {
			add(c.FrameOf(time, rate, *m.Tick), *m.Tick, "marker", m.Name)
		} else if m.Frame != nil {
			add(float64(*m.Frame), c.TickOf(time, rate, float64(*m.Frame)), "marker", m.Name)
		}
	}
	for _, h := range c.Hits {
		add(float64(h.Frame), c.TickOf(time, rate, float64(h.Frame)), "hit", h.Name)
	}
	for n, m := range c.Metres {
		if n > 0 {
			tick := time.Bars.Start(m.Bar)
			add(c.FrameOf(time, rate, tick), tick, "metre", fmt.Sprintf("%d/%d", m.Beats, m.Unit))
		}
	}
	add(float64(c.End), c.TickOf(time, rate, float64(c.End)), "end", c.Called())
	slices.SortStableFunc(rows, func(a, b row) int { return cmp.Compare(a.frame, b.frame) })
	for _, r := range rows {
		t.Rows = append(t.Rows, r.cells)
	}
	return t
}
