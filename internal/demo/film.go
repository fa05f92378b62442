package demo

import (
	"fmt"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Dome is the frame rate of the demo's film.
var Dome = timecode.Rate{Num: 25, Den: 1}

// at is a frame of the film: an hour, minutes, seconds and frames.
func at(hour, minute, second, frame int64) int64 {
	return ((hour*60+minute)*60+second)*25 + frame
}

// spots are the cues of the film: what they are called, where they stand, their tempo, how far
// they have come, and who writes them.
var spots = []struct {
	number, title string
	start, end    int64
	bpm           float64
	status        int // in cue.UsualStatuses
	who           string
}{
	{"1M01", "Salt horizon", at(1, 0, 8, 0), at(1, 1, 52, 10), 66, 4, "Composer"},
	{"1M02", "The lamp is lit", at(1, 3, 20, 5), at(1, 4, 32, 0), 84, 3, "Composer"},
	{"1M03", "The causeway", at(1, 5, 41, 12), at(1, 7, 58, 0), 92, 3, "Composer"},
	{"1M04", "The keeper's ledger", at(1, 9, 15, 0), at(1, 10, 49, 20), 72, 2, "Assistant"},
	{"1M05", "Lamp room", at(1, 12, 2, 8), at(1, 14, 30, 0), 108, 2, "Composer"},
	{"1M06", "Gulls at noon", at(1, 16, 40, 0), at(1, 17, 51, 4), 132, 1, "Assistant"},
	{"1M07", "The dry tide", at(1, 19, 12, 15), at(1, 22, 33, 0), 60, 1, "Composer"},
	{"2M08", "Letters in the wall", at(2, 1, 4, 0), at(2, 2, 41, 9), 76, 1, "Composer"},
	{"2M09", "The far lamp", at(2, 4, 20, 11), at(2, 6, 2, 0), 96, 0, "Composer"},
	{"2M10", "First wind", at(2, 7, 33, 0), at(2, 8, 57, 20), 120, 0, "Assistant"},
	{"2M11", "Storm over salt", at(2, 9, 40, 3), at(2, 13, 21, 0), 144, 0, "Composer"},
	{"2M12", "The lens breaks", at(2, 13, 58, 0), at(2, 14, 44, 18), 80, 0, "Composer"},
	{"2M13", "Ebb", at(2, 16, 10, 0), at(2, 17, 55, 0), 63, 0, "Assistant"},
	{"2M14", "Salt lantern", at(2, 18, 22, 7), at(2, 21, 40, 0), 88, 0, "Composer"},
}

// scenes are what is seen, in turn; a shot is called by its scene and its number.
var scenes = []string{"Salt flat", "Lantern", "Causeway", "Keeper", "Ledger", "Lamp room", "Gulls", "Tide line", "Wall", "Far lamp", "Wind", "Storm", "Lens", "Ebb", "Sky"}

// reelOf lays the shots of a reel, one after another, over so many frames.
func reelOf(reel int, start, length int64) []cut.Event {
	var out []cut.Event
	at := start
	for n := 0; at < start+length; n++ {
		long := int64(150 + (n*n*37+n*211+reel*97)%640) // 6 to 31 s
		if at+long > start+length-120 {
			long = start + length - at
		}
		scene := scenes[(n/3+reel*7)%len(scenes)]
		out = append(out, cut.Event{
			Number: fmt.Sprintf("%03d", n+1), Source: fmt.Sprintf("D%d%02d", reel, n/4+1), Clip: fmt.Sprintf("%s %d", scene, n%3+1),
			In: int64(n%4)*4_000 + 250, Start: at, End: at + long,
		})
		at += long
	}
	return out
}

// recut makes another cut of a reel: trim takes frames from the end of shots, without leaves shots
// out, and before puts a new shot in before one, all by the place of the shot.
func recut(events []cut.Event, trim map[int]int64, without map[int]bool, before map[int]int64) []cut.Event {
	var out []cut.Event
	at := events[0].Start
	add := func(e cut.Event, long int64) {
		e.Number, e.Start, e.End = fmt.Sprintf("%03d", len(out)+1), at, at+long
		at += long
		out = append(out, e)
	}
	for n, e := range events {
		if long := before[n]; long > 0 {
			add(cut.Event{Source: fmt.Sprintf("N%02d", n), Clip: "New shot", In: 500}, long)
		}
		if !without[n] {
			add(e, e.Length()-trim[n])
		}
	}
	return out
}

// Film is the production of the demo: two reels, 14 cues, and two cuts, of which the cues stand in
// the first.
func Film() (*cue.Production, error) {
	p := cue.New("production-salt-lantern", "The Salt Lantern", Dome)
	p.Begin = "2026-11-30"
	r1, r2 := cue.Reel{ID: "reel-1", Name: "1", Start: at(1, 0, 0, 0)}, cue.Reel{ID: "reel-2", Name: "2", Start: at(2, 0, 0, 0)}
	first, second := reelOf(1, r1.Start, at(0, 24, 10, 0)), reelOf(2, r2.Start, at(0, 21, 50, 0))
	p.Reels = append(p.Reels, &r1, &r2)
	p.Cuts = append(p.Cuts,
		&cue.Cut{ID: "cut-1", Name: "Cut 1", On: "2026-10-12", Reels: []cue.CutReel{{Reel: r1.ID, Events: first}, {Reel: r2.ID, Events: second}}},
		&cue.Cut{ID: "cut-2", Name: "Cut 2", On: "2026-11-20", Reels: []cue.CutReel{
			{Reel: r1.ID, Events: recut(first, map[int]int64{10: 36, 17: 25, 33: 60}, map[int]bool{44: true}, map[int]int64{26: 125})},
			{Reel: r2.ID, Events: recut(second, map[int]int64{9: 50, 30: 12}, map[int]bool{33: true}, map[int]int64{0: 75})},
		}},
	)
	p.Cut = "cut-1"
	for n, s := range spots {
		reel := r1.ID
		if s.number[0] == '2' {
			reel = r2.ID
		}
		c := p.NewCue(cue.ID(fmt.Sprintf("cue-%d", n+1)), reel, s.start, s.end)
		c.Number, c.Title, c.Status, c.Who = s.number, s.title, cue.UsualStatuses[s.status], s.who
		c.Tempi = []tempo.Point{{MilliBPM: int64(s.bpm * 1000)}}
		p.Cues = append(p.Cues, c)
	}
	lamp := p.Cue("cue-2")
	lamp.Anchor = &cue.Anchor{Frame: at(1, 3, 48, 0), Text: "the lamp turns"}
	lamp.Hits = []cue.Hit{
		{Name: "the match", Frame: at(1, 3, 37, 9), Weight: 2, Tolerance: 2}, {Name: "the lamp turns", Frame: at(1, 3, 48, 0), Weight: 3, Tolerance: 1},
		{Name: "first beam", Frame: at(1, 4, 5, 3), Weight: 2, Tolerance: 2}, {Name: "the sea answers", Frame: at(1, 4, 22, 14), Weight: 1, Tolerance: 3},
	}
	room := p.Cue("cue-5")
	room.Metres = []cue.Metre{{Bar: 1, Beats: 4, Unit: 4}, {Bar: 21, Beats: 3, Unit: 4}}
	room.Tempi = append(room.Tempi, tempo.Point{Tick: 64 * cue.Ticks, MilliBPM: 108_000, Ramp: true}, tempo.Point{Tick: 80 * cue.Ticks, MilliBPM: 120_000})
	room.Hits = []cue.Hit{{Name: "the door", Frame: at(1, 12, 40, 0), Weight: 2, Tolerance: 2}, {Name: "the lens", Frame: at(1, 13, 31, 12), Weight: 1, Tolerance: 2}}
	return p, p.Validate()
}
