package demo

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
)

// orchestration is who plays in a cue of the film, by the names that parts have.
var orchestration = map[cue.ID][]string{
	"cue-1": {"Violins I", "Violins II", "Violas", "Cellos", "Double basses", "Harp"},
	"cue-2": {"Flute 1", "Oboe 1", "Clarinet 1", "Bassoon 1", "Horns 1-4", "Timpani", "Harp", "Violins I", "Violins II", "Violas", "Cellos", "Double basses"},
	"cue-3": {"Flute 1", "Oboe 1", "Clarinet 1", "Bassoon 1", "Violins I", "Violins II", "Violas", "Cellos", "Double basses"},
	"cue-4": {"Clarinet 1", "Bassoon 1", "Harp", "Violas", "Cellos"},
	"cue-5": {"Horns 1-4", "Trumpet 1", "Tuba", "Timpani", "Violins I", "Violins II", "Violas", "Cellos", "Double basses"},
	"cue-6": {"Flute 1", "Oboe 1", "Clarinet 1", "Bassoon 1", "Harp"},
	"cue-7": {"Tuba", "Timpani", "Cellos", "Double basses"},
	"cue-8": {"Oboe 1", "Harp", "Violins I", "Violins II", "Violas", "Cellos", "Double basses"},
}

// rampSteps is how long a step of a ramp is in the film's music, ticks.
const rampSteps = cue.Ticks / 2

// FilmMusic is the music of a cue of the film as a MIDI file, in the cue's own time: it begins with
// the bar on the cue's start. It is nil for one that is not sketched yet.
func FilmMusic(p *cue.Production, c *cue.Cue) ([]byte, error) {
	who := orchestration[c.ID]
	if who == nil {
		return nil, nil
	}
	t, rate := c.MustTime(), p.FrameRate()
	time, err := tempo.NewTime(cue.Ticks, t.Curve.Steps(rampSteps), t.Bars.Metres())
	if err != nil {
		return nil, err
	}
	var played []smf.Played
	for k, name := range who {
		x := smf.Played{Name: name, Port: -1}
		for bar := c.Bar; ; bar++ {
			from, to := t.Bars.Start(bar), t.Bars.Start(bar+1)
			if c.FrameOf(t, rate, to) > float64(c.End) {
				break
			}
			h := lamp[int(bar-c.Bar)/2%len(lamp)]
			key := voiceOf(name, h, k)
			velocity := 56 + int(bar*7+int64(k)*5)%40
			x.Messages = append(x.Messages,
				articulation.Message{Tick: from, Status: articulation.NoteOn, Channel: 1, Data1: key, Data2: velocity},
				articulation.Message{Tick: to - cue.Ticks/8, Status: articulation.NoteOff, Channel: 1, Data1: key, Data2: 64})
		}
		played = append(played, x)
	}
	var b bytes.Buffer
	if err := smf.WritePlayed(&b, time, played); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// voiceOf is the key that a part plays of a chord: basses its bass, tenors the lower ones, trebles
// the upper.
func voiceOf(name string, h chord, k int) int {
	switch {
	case slices.Contains([]string{"Double basses", "Tuba", "Timpani"}, name):
		return max(38, h.bass)
	case slices.Contains([]string{"Cellos", "Bassoon 1", "Horns 1-4"}, name):
		return h.above[0]
	case slices.Contains([]string{"Violas", "Clarinet 1", "Trumpet 1", "Harp"}, name):
		return h.above[1+k%2]
	}
	return h.above[2+k%2] + 12
}

// keepMusic keeps the music of the film's cues in the studio.
func keepMusic(ctx context.Context, a *app.App, p app.Person, film *cue.Production) error {
	for _, c := range film.Cues {
		data, err := FilmMusic(film, c)
		if err != nil {
			return err
		}
		if data == nil {
			continue
		}
		music, err := a.KeepPiece(ctx, p, c.Called()+".mid", bytes.NewReader(data))
		if err != nil {
			return fmt.Errorf("the music of %s: %w", c.Called(), err)
		}
		music.On, music.Cut = film.CutOf(film.Cut).On, film.Cut
		c.Music = &music
	}
	return nil
}
