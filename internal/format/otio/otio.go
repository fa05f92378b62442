// Package otio reads and writes OpenTimelineIO files: JSON in which every object says its
// schema. A file goes in; the picture events of its first video track come out, with what was
// left out; and back. The layout is from memory of the published one.
package otio

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
)

// MaxBytes bounds a file, and mostDeep how deep its objects lie in each other.
const (
	MaxBytes = 32 << 20
	mostDeep = 16
)

// ErrNone is returned for a file that holds no timeline.
var ErrNone = errors.New("it is not an OpenTimelineIO file with a timeline: no object says that it is one")

// List is what was read: picture events in the order of their time.
type List struct {
	cut.List
	Notes []string
}

// object is any object of a file: what its schema does not have is empty.
type object struct {
	Schema     string                     `json:"OTIO_SCHEMA"`
	Name       string                     `json:"name"`
	Kind       string                     `json:"kind"`
	Enabled    *bool                      `json:"enabled"`
	Start      *rational                  `json:"global_start_time"`
	Tracks     *object                    `json:"tracks"`
	Children   []object                   `json:"children"`
	Range      *timeRange                 `json:"source_range"`
	Media      *object                    `json:"media_reference"`
	MediaBy    map[string]*object         `json:"media_references"`
	Active     string                     `json:"active_media_reference_key"`
	URL        string                     `json:"target_url"`
	Available  *timeRange                 `json:"available_range"`
	Effects    []object                   `json:"effects"`
	TimeScalar *float64                   `json:"time_scalar"`
	InOffset   *rational                  `json:"in_offset"`
	OutOffset  *rational                  `json:"out_offset"`
	Metadata   map[string]json.RawMessage `json:"metadata"`
}

type rational struct {
	Value float64 `json:"value"`
	Rate  float64 `json:"rate"`
}

type timeRange struct {
	Start    rational `json:"start_time"`
	Duration rational `json:"duration"`
}

// schema is the name of an object's schema without its version: "Clip".
func (o *object) schema() string {
	name, _, _ := strings.Cut(o.Schema, ".")
	return name
}

type reader struct {
	rate    timecode.Rate
	list    List
	at      int64 // where the next event begins, frames
	fade    int64 // that the next event comes in over
	unknown map[string]int
	others  int // other rates
}

// Read reads the first video track of a file at a film's frame rate; start is where it begins
// when the file does not say so, frames. The error says what is wrong with it, or is one of r.
func Read(r io.Reader, rate timecode.Rate, start int64) (List, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return List{}, fmt.Errorf("read OpenTimelineIO file: %w", err)
	}
	if len(data) > MaxBytes {
		return List{}, fmt.Errorf("the OpenTimelineIO file is larger than %d MiB", MaxBytes>>20)
	}
	var file object
	if err := json.Unmarshal(data, &file); err != nil {
		return List{}, fmt.Errorf("read OpenTimelineIO file: %w", err)
	}
	timeline := find(&file, "Timeline", 0)
	if timeline == nil || timeline.Tracks == nil {
		return List{}, ErrNone
	}
	x := &reader{rate: rate, unknown: map[string]int{}}
	x.list.Rate, x.list.Title = rate, limited(timeline.Name)
	if x.at = start; timeline.Start != nil {
		if x.at, err = x.frames(*timeline.Start); err != nil {
			return List{}, err
		}
	}
	if err := x.tracks(timeline.Tracks); err != nil {
		return List{}, fmt.Errorf("OpenTimelineIO file: %w", err)
	}
	if x.list.Events, err = cut.Checked(rate, x.list.Events); err != nil {
		return List{}, fmt.Errorf("OpenTimelineIO file: %w", err)
	}
	if len(x.list.Events) == 0 {
		return List{}, errors.New("the OpenTimelineIO file has no picture on its first video track")
	}
	return x.told(), nil
}

// find is the first object of a schema, the outer ones first.
func find(o *object, schema string, deep int) *object {
	if o.schema() == schema {
		return o
	}
	if deep == mostDeep {
		return nil
	}
	for n := range o.Children {
		if x := find(&o.Children[n], schema, deep+1); x != nil {
			return x
		}
	}
	return nil
}

func limited(s string) string {
	if len(s) > 200 {
		return strings.ToValidUTF8(s[:200], "")
	}
	return s
}

// told is the list with the notes on it.
func (x *reader) told() List {
	schemas := make([]string, 0, len(x.unknown))
	for name := range x.unknown {
		schemas = append(schemas, name)
	}
	slices.Sort(schemas)
	for _, name := range schemas {
		x.list.Notes = append(x.list.Notes, fmt.Sprintf("left out: %d × %s, which is not known", x.unknown[name], name))
	}
	if x.others > 0 {
		x.list.Notes = append(x.list.Notes, fmt.Sprintf("%d times are given at another rate than %s; they are taken to the nearest frame", x.others, x.rate))
	}
	return x.list
}

// frames is a time in frames of the film.
func (x *reader) frames(r rational) (int64, error) {
	if !(r.Rate > 0) || r.Rate > 1e6 || math.IsNaN(r.Value) || math.Abs(r.Value) > 1e12 {
		return 0, fmt.Errorf("OpenTimelineIO file: a time of %g at a rate of %g is not possible", r.Value, r.Rate)
	}
	fps := float64(x.rate.Num) / float64(x.rate.Den)
	if math.Abs(r.Rate-fps) < .01 || math.Abs(r.Rate-float64(x.rate.Counted())) < 1e-6 {
		return int64(math.Round(r.Value)), nil
	}
	x.others++
	at := r.Value / r.Rate * fps
	if math.Abs(at) > 1e12 {
		return 0, fmt.Errorf("OpenTimelineIO file: a time of %g at a rate of %g is not possible", r.Value, r.Rate)
	}
	return int64(math.Round(at)), nil
}

// tracks reads the first track with pictures of a stack.
func (x *reader) tracks(stack *object) error {
	left := 0
	var first *object
	for n := range stack.Children {
		t := &stack.Children[n]
		if t.schema() != "Track" || !strings.EqualFold(t.Kind, "Video") && t.Kind != "" {
			continue
		}
		if first == nil && len(t.Children) > 0 {
			first = t
			continue
		}
		left++
	}
	if first == nil {
		return errors.New("it has no video track")
	}
	if left > 0 {
		x.list.Notes = append(x.list.Notes, fmt.Sprintf("left out: %d video tracks above the first", left))
	}
	return x.track(first, 0)
}

func (x *reader) track(t *object, deep int) error {
	for n := range t.Children {
		o := &t.Children[n]
		var err error
		switch o.schema() {
		case "Clip":
			err = x.clip(o)
		case "Gap":
			err = x.gap(o)
		case "Transition":
			err = x.transition(o)
		case "Stack", "Track":
			err = x.nested(o, deep)
		default:
			x.unknown[limited(o.Schema)]++
		}
		if err != nil {
			return err
		}
		if len(x.list.Events) > cut.MostEvents {
			return fmt.Errorf("it has more than %d events", cut.MostEvents)
		}
	}
	return nil
}

// nested takes a sequence within a track: as one clip where it has a range of its own, else
// what is in it.
func (x *reader) nested(o *object, deep int) error {
	switch {
	case o.Range != nil:
		return x.clip(o)
	case deep == mostDeep:
		return fmt.Errorf("its sequences lie in each other more than %d deep", mostDeep)
	case o.schema() == "Stack":
		return x.tracks(o)
	}
	return x.track(o, deep+1)
}

func (x *reader) gap(o *object) error {
	if o.Range == nil {
		return nil
	}
	long, err := x.frames(o.Range.Duration)
	if err != nil || long < 0 {
		return errors.Join(err, negative(long))
	}
	x.at, x.fade = x.at+long, 0
	return nil
}

func negative(frames int64) error {
	if frames < 0 {
		return fmt.Errorf("something lasts %d frames", frames)
	}
	return nil
}

// transition makes the clip after it begin earlier, over the one before: by the frames before
// the cut.
func (x *reader) transition(o *object) error {
	var before, after int64
	var err error
	if o.InOffset != nil {
		if before, err = x.frames(*o.InOffset); err != nil {
			return err
		}
	}
	if o.OutOffset != nil {
		if after, err = x.frames(*o.OutOffset); err != nil {
			return err
		}
	}
	if before < 0 || after < 0 {
		return negative(min(before, after))
	}
	x.fade = before + after
	if last := len(x.list.Events) - 1; before > 0 && last >= 0 {
		x.list.Events[last].End -= min(before, x.list.Events[last].Length()-1)
	}
	return nil
}

func (x *reader) clip(o *object) error {
	media := o.Media
	if m := o.MediaBy[o.Active]; media == nil && m != nil {
		media = m
	} else if m := o.MediaBy["DEFAULT_MEDIA"]; media == nil && m != nil {
		media = m
	}
	span := o.Range
	if span == nil && media != nil {
		span = media.Available
	}
	if span == nil {
		return fmt.Errorf("the clip %q does not say how long it is", limited(o.Name))
	}
	in, err := x.frames(span.Start)
	if err != nil {
		return err
	}
	long, err := x.frames(span.Duration)
	if err != nil {
		return err
	}
	if long <= 0 {
		if long == 0 {
			return nil
		}
		return fmt.Errorf("the clip %q lasts %d frames", limited(o.Name), long)
	}
	e := cut.Event{Number: fmt.Sprint(len(x.list.Events) + 1), Clip: limited(o.Name), In: in, Start: x.at, End: x.at + long}
	if media != nil {
		e.Source = limited(source(media))
	}
	if x.fade > 0 {
		early := e.Start
		if last := len(x.list.Events) - 1; last >= 0 {
			early = min(early, x.list.Events[last].End)
		}
		e.In, e.Start = max(0, e.In-(e.Start-early)), early
		e.Fade = min(x.fade, e.Length())
		x.fade = 0
	}
	if err := x.effects(o, &e); err != nil {
		return err
	}
	x.at += long
	x.list.Events = append(x.list.Events, e)
	return nil
}

// source is what a piece of media is called: the name of its file.
func source(media *object) string {
	if media.URL == "" {
		return media.Name
	}
	url := strings.ReplaceAll(media.URL, `\`, "/")
	if n := strings.LastIndexByte(url, '/'); n >= 0 {
		url = url[n+1:]
	}
	return url
}

func (x *reader) effects(o *object, e *cut.Event) error {
	for n := range o.Effects {
		f := &o.Effects[n]
		switch f.schema() {
		case "LinearTimeWarp":
			if f.TimeScalar == nil {
				continue
			}
			speed := *f.TimeScalar
			if math.IsNaN(speed) || math.Abs(speed) > cut.MostSpeed {
				return fmt.Errorf("the clip %q runs at %g times; %g is the most", limited(o.Name), speed, cut.MostSpeed)
			}
			e.Speed, e.Still = speed, speed == 0
			if speed == 1 {
				e.Speed = 0
			}
		case "FreezeFrame":
			e.Speed, e.Still = 0, true
		default:
			x.unknown[limited(f.Schema)]++
		}
	}
	return nil
}

// Write writes a timeline.
func Write(w io.Writer, l cut.Timeline) error {
	if l.Rate.Num == 0 {
		return errors.New("write OpenTimelineIO file: it has no frame rate")
	}
	fps := float64(l.Rate.Num) / float64(l.Rate.Den)
	at := func(frames int64) map[string]any {
		return map[string]any{"OTIO_SCHEMA": "RationalTime.1", "value": frames, "rate": fps}
	}
	span := func(start, long int64) map[string]any {
		return map[string]any{"OTIO_SCHEMA": "TimeRange.1", "start_time": at(start), "duration": at(long)}
	}
	start := l.Span().Start
	tracks := []any{}
	for _, t := range l.Tracks {
		kind := "Video"
		if t.Sound {
			kind = "Audio"
		}
		tracks = append(tracks, map[string]any{"OTIO_SCHEMA": "Track.1", "name": t.Name, "kind": kind, "children": childrenOf(t, start, at, span)})
	}
	out := json.NewEncoder(w)
	out.SetIndent("", " ")
	err := out.Encode(map[string]any{
		"OTIO_SCHEMA": "Timeline.1", "name": l.Title, "global_start_time": at(start),
		"tracks": map[string]any{"OTIO_SCHEMA": "Stack.1", "children": tracks},
	})
	if err != nil {
		return fmt.Errorf("write OpenTimelineIO file: %w", err)
	}
	return nil
}

// childrenOf is what is on a track from the start of the timeline on.
func childrenOf(t cut.Track, start int64, at func(int64) map[string]any, span func(start, long int64) map[string]any) []any {
	children := []any{}
	end := start
	for _, e := range t.Events {
		if e.Start > end {
			children = append(children, map[string]any{"OTIO_SCHEMA": "Gap.1", "source_range": span(0, e.Start-end)})
		}
		end = e.End
		effects := []any{}
		if e.Still {
			effects = append(effects, map[string]any{"OTIO_SCHEMA": "FreezeFrame.1", "time_scalar": 0})
		} else if e.Rate() != 1 {
			effects = append(effects, map[string]any{"OTIO_SCHEMA": "LinearTimeWarp.1", "time_scalar": e.Rate()})
		}
		if e.Fade > 0 {
			children = append(children, map[string]any{"OTIO_SCHEMA": "Transition.1", "transition_type": "SMPTE_Dissolve", "in_offset": at(0), "out_offset": at(e.Fade)})
		}
		children = append(children, map[string]any{
			"OTIO_SCHEMA": "Clip.1", "name": e.Clip, "source_range": span(e.In, e.Length()), "effects": effects,
			"media_reference": map[string]any{"OTIO_SCHEMA": "ExternalReference.1", "target_url": e.Source},
		})
	}
	return children
}
