package balance

import (
	"fmt"
	"math"

	"fanfold/internal/core/template"
)

// The steps from which on a change since the last time is told (common practice, no source):
// a level that a listener notices beside another, and what a player notices in time and tune.
const (
	StepDB    = 1.0
	StepMs    = 15.0
	StepCents = 10.0
	StepNoise = 6.0 // dB
	audible   = -90.0
)

// Since tells what is other about a row than when it was measured before, in words; nothing
// when it is as it was, or was never heard.
func Since(before, now *template.Heard) []string {
	switch {
	case before == nil || now == nil || before.Fault != "":
		return nil
	case now.Fault != "":
		return []string{"could not be measured: " + now.Fault}
	case before.Silent && now.Silent:
		return nil
	case now.Silent:
		return []string{"is silent now"}
	case before.Silent:
		return []string{"sounds again"}
	}
	var out []string
	say := func(text string, args ...any) { out = append(out, fmt.Sprintf(text, args...)) }
	if d := now.Levels[1] - before.Levels[1]; math.Abs(d) >= StepDB {
		say("%.1f dB %s", math.Abs(d), map[bool]string{true: "louder", false: "softer"}[d > 0])
	}
	if d := now.StartMs - before.StartMs; math.Abs(d) >= StepMs {
		say("%.0f ms %s", math.Abs(d), map[bool]string{true: "later", false: "sooner"}[d > 0])
	}
	if now.Cents != nil && before.Cents != nil {
		if d := *now.Cents - *before.Cents; math.Abs(d) >= StepCents {
			say("%.0f cents %s", math.Abs(d), map[bool]string{true: "higher", false: "lower"}[d > 0])
		}
	}
	if d := max(now.Noise, audible) - max(before.Noise, audible); d >= StepNoise {
		say("%.0f dB noisier", d)
	}
	if now.Clipped && !before.Clipped {
		say("clips now")
	}
	if now.Clicks > 0 && before.Clicks == 0 { // strokes of a roll were there before
		say("clicks now, %d times in a note", now.Clicks)
	}
	for _, pair := range now.Alike {
		if !hasPair(before.Alike, pair) {
			say("%s and %s sound the same now", pair[0], pair[1])
		}
	}
	return out
}

func hasPair(list [][2]string, pair [2]string) bool {
	for _, p := range list {
		if p == pair {
			return true
		}
	}
	return false
}
