// Package movie reads what MP4 and MOV files tell of themselves (ISO/IEC 14496-12 and the QuickTime
// file format): frame rate, length, start timecode, sound. A file of any size goes in, of which
// only its header is read; what the header tells comes out, with a rate that is an exact ratio.
package movie

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/bounded"
)

// Names are the ends of the names of files that Read can read.
var Names = []string{".mp4", ".mov", ".m4v"}

// The bounds of a header.
const (
	mostTracks = 64
	mostRuns   = 1 << 20 // of frames with one length
	mostDepth  = 8
)

// track is a stream of a movie.
type track struct {
	kind      string // of its handler: vide, soun, tmcd
	scale     int64  // units in a second
	shown     int64  // by its header, units of the movie
	units     int64  // by its header, units of its own
	runs      []run
	codec     string
	w, h      int
	first     int64 // where its first sample lies; 0 is not known
	counted   int64 // frames in a second of its timecode
	drop      bool
	timecoded bool
}

// run is a number of frames that are equally long.
type run struct{ count, units int64 }

type reader struct {
	src    io.ReaderAt
	size   int64
	scale  int64 // of the movie, units in a second
	tracks []*track
	parts  bool // its frames are listed in parts, beyond the header
	short  bool // the file ends before its media do
}

// Read reads the header of a movie of the given size in bytes. The error says what is wrong with
// it, and what to do.
func Read(src io.ReaderAt, size int64) (cue.Footage, error) {
	r := &reader{src: src, size: size}
	if err := r.file(); err != nil {
		return cue.Footage{}, fmt.Errorf("read movie: %w", err)
	}
	return r.footage()
}

// box is one part of a file.
type box struct {
	kind     string
	from, to int64 // of what is in it
}

// box reads the head of a box at a place; ok is false where none begins.
func (r *reader) box(at, end int64) (b box, ok bool) {
	var head [16]byte
	if end-at < 8 {
		return b, false
	}
	if _, err := r.src.ReadAt(head[:8], at); err != nil {
		return b, false
	}
	b.kind = string(head[4:8])
	b.from = at + 8
	switch size := int64(binary.BigEndian.Uint32(head[:4])); size {
	case 0:
		b.to = end
	case 1:
		if _, err := r.src.ReadAt(head[8:], at+8); err != nil {
			return b, false
		}
		wide := binary.BigEndian.Uint64(head[8:])
		if wide < 16 || wide > math.MaxInt64-uint64(at) {
			return b, false
		}
		b.from, b.to = at+16, at+int64(wide)
	default:
		if size < 8 {
			return b, false
		}
		b.to = at + size
	}
	return b, true
}

// file goes through the boxes of the whole file.
func (r *reader) file() error {
	index := false
	for at := int64(0); at < r.size; {
		b, ok := r.box(at, r.size)
		if at == 0 && (!ok || !slices.Contains([]string{"ftyp", "moov", "mdat", "wide", "free", "skip", "pnot"}, b.kind)) {
			return fmt.Errorf("this is neither an MP4 nor a MOV file")
		}
		if !ok {
			r.short = r.short || r.size-at >= 8
			break
		}
		if b.to > r.size {
			r.short = true
		}
		if b.kind == "moov" {
			index = true
			if b.to > r.size {
				break // it cannot be read whole
			}
			if err := r.within(b, 0, nil); err != nil {
				return err
			}
		}
		at = b.to
	}
	for _, t := range r.tracks {
		r.short = r.short || t.first >= r.size // cut off between two boxes, before its media
	}
	switch {
	case !index && r.short:
		return fmt.Errorf("the file is cut off, and its index (“moov”) is in what is missing; copy it again")
	case !index:
		return fmt.Errorf("the file has no index (“moov”): it was not closed when it was written; write it again")
	case len(r.tracks) == 0 && r.short:
		return fmt.Errorf("the file is cut off within its index; copy it again")
	}
	return nil
}

// within goes through the boxes in a box, of a track or of none.
func (r *reader) within(outer box, depth int, t *track) error {
	if depth > mostDepth {
		return fmt.Errorf("at byte %d: its boxes are nested too deeply", outer.from)
	}
	for at := outer.from; at < outer.to; {
		b, ok := r.box(at, outer.to)
		if !ok || b.to > outer.to {
			if outer.to-at < 8 {
				return nil // some writers end a box with four bytes of nothing
			}
			return fmt.Errorf("at byte %d: a box %q is larger than the %q it lies in", at, b.kind, outer.kind)
		}
		inner := t
		switch b.kind {
		case "mvex":
			r.parts = true
		case "trak":
			if len(r.tracks) >= mostTracks {
				return fmt.Errorf("it has more than %d tracks", mostTracks)
			}
			inner = &track{}
			r.tracks = append(r.tracks, inner)
			fallthrough
		case "mdia", "minf", "stbl":
			if inner != nil {
				if err := r.within(b, depth+1, inner); err != nil {
					return err
				}
			}
		default:
			body := bounded.New(io.NewSectionReader(r.src, b.from, b.to-b.from), b.to-b.from)
			if r.leaf(b.kind, body, t); body.Err() != nil {
				return fmt.Errorf("in the box %q at byte %d: %w", b.kind, b.from, body.Err())
			}
		}
		at = b.to
	}
	return nil
}

// leaf reads a box that holds no others.
func (r *reader) leaf(kind string, b *bounded.Reader, t *track) {
	if kind == "mvhd" {
		r.scale, _ = times(b, false)
		return
	}
	if t == nil {
		return
	}
	switch kind {
	case "tkhd":
		_, t.shown = times(b, true)
	case "mdhd":
		t.scale, t.units = times(b, false)
	case "hdlr":
		b.Skip(4)
		manner := b.Tag()
		if name := b.Tag(); manner != "dhlr" && t.kind == "" {
			t.kind = name
		}
	case "stts":
		b.Skip(4)
		count := int64(b.U32be())
		if count > mostRuns || count*8 > b.Left() {
			b.Fail("%d runs of frames are announced", count)
			return
		}
		for range count {
			t.runs = append(t.runs, run{int64(b.U32be()), int64(b.U32be())})
		}
	case "stsd":
		t.describe(b)
	case "stco", "co64":
		b.Skip(4)
		if count := b.U32be(); count == 0 {
			return
		}
		if t.first = int64(b.U32be()); kind == "co64" {
			t.first = t.first<<32 | int64(b.U32be())
		}
	}
}

// times reads the time scale and the length of a header box. That of a track has its number in the
// place of the scale.
func times(b *bounded.Reader, ofTrack bool) (scale, length int64) {
	head := b.Bytes(4)
	wide := head != nil && head[0] == 1
	if b.Skip(8); wide {
		b.Skip(8)
	}
	scale = int64(b.U32be())
	if ofTrack {
		b.Skip(4)
	}
	if !wide {
		length = int64(b.U32be())
		if length == math.MaxUint32 {
			length = 0 // not known
		}
		return scale, length
	}
	if u := b.U64be(); u < math.MaxInt64 {
		length = int64(u)
	}
	return scale, length
}

// describe reads the first description of a track's samples.
func (t *track) describe(b *bounded.Reader) {
	b.Skip(4)
	if b.U32be() == 0 {
		return
	}
	b.Skip(4)
	t.codec = string(bytes.TrimRight(b.Bytes(4), " \x00"))
	b.Skip(8) // reserved, data reference
	switch t.kind {
	case "vide":
		b.Skip(16)
		size := b.U32be()
		t.w, t.h = int(size>>16), int(size&0xffff)
	case "tmcd":
		b.Skip(4)
		flags := b.U32be()
		b.Skip(8) // scale and length of a frame
		if n := b.Bytes(1); n != nil {
			t.counted, t.drop, t.timecoded = int64(n[0]), flags&1 != 0, true
		}
	}
}

// ofKind finds the first track of a kind; nil when there is none.
func (r *reader) ofKind(kind string) *track {
	for _, t := range r.tracks {
		if t.kind == kind {
			return t
		}
	}
	return nil
}

// footage puts together what was read.
func (r *reader) footage() (cue.Footage, error) {
	out := cue.Footage{Short: r.short}
	v := r.ofKind("vide")
	if v == nil {
		return out, fmt.Errorf("read movie: there is no picture in this file")
	}
	out.Codec, out.Width, out.Height = v.codec, v.w, v.h
	frames, units := int64(0), int64(0)
	for _, n := range v.runs {
		if n.count > math.MaxInt32 || n.count*n.units > math.MaxInt64>>16 || frames > math.MaxInt32 || units > math.MaxInt64>>16 {
			return out, fmt.Errorf("read movie: %d frames of %d units is not possible", n.count, n.units)
		}
		frames += n.count
		units += n.count * n.units
	}
	if frames == 0 && r.parts {
		return out, fmt.Errorf("read movie: its frames are listed in fragments and not in its header; save it again as a plain MP4 or MOV file")
	}
	if frames == 0 || units <= 0 || v.scale <= 0 {
		return out, fmt.Errorf("read movie: its header lists no frames")
	}
	out.Frames = frames
	out.Num, out.Den, out.Varies = rateOf(v, frames, units)
	for _, t := range r.tracks {
		if t.kind == "soun" {
			out.SoundMs = max(out.SoundMs, r.lasts(t))
		}
	}
	if t := r.ofKind("tmcd"); t != nil && t.timecoded {
		out.Start = r.start(t)
	}
	return out, nil
}

// lasts is how long a track is heard, ms: as it is shown, or as it is kept.
func (r *reader) lasts(t *track) int64 {
	seconds := 0.0
	if t.shown > 0 && r.scale > 0 {
		seconds = float64(t.shown) / float64(r.scale)
	} else if t.scale > 0 {
		seconds = float64(t.units) / float64(t.scale)
	}
	return int64(math.Round(math.Min(seconds, 1e9) * 1000))
}

// rateOf is the rate of a picture, frames a second, and whether it varies. Frames that differ by
// one unit are equal, and rounded to the units of the file; the last may be of any length.
func rateOf(v *track, frames, units int64) (num, den int64, varies bool) {
	runs := v.runs
	if last := runs[len(runs)-1]; frames > 1 {
		runs = slices.Clone(runs)
		if runs[len(runs)-1].count--; runs[len(runs)-1].count == 0 {
			runs = runs[:len(runs)-1]
		}
		frames--
		units -= last.units
	}
	least := slices.MinFunc(runs, func(a, b run) int { return cmp.Compare(a.units, b.units) }).units
	most := slices.MaxFunc(runs, func(a, b run) int { return cmp.Compare(a.units, b.units) }).units
	if units <= 0 {
		return 0, 1, true
	}
	num, den = reduced(frames*v.scale, units)
	if least == most {
		num, den = reduced(v.scale, least)
	}
	// Within the rounding of one unit over all of the film.
	near := 1/float64(units) + 1e-6
	for _, x := range timecode.Rates {
		if math.Abs(float64(num)*float64(x.Rate.Den)/(float64(den)*float64(x.Rate.Num))-1) <= near {
			return x.Rate.Num, x.Rate.Den, most-least > 1
		}
	}
	return num, den, most-least > 1
}

func reduced(a, b int64) (int64, int64) {
	x, y := a, b
	for y != 0 {
		x, y = y, x%y
	}
	if x == 0 {
		return a, b
	}
	return a / x, b / x
}

// start is the timecode of the first frame; empty where the file does not say.
func (r *reader) start(t *track) string {
	var data [4]byte
	if t.first <= 0 || t.first+4 > r.size {
		return ""
	}
	if _, err := r.src.ReadAt(data[:], t.first); err != nil {
		return ""
	}
	for _, x := range timecode.Rates {
		if x.Rate.Counted() == t.counted && x.Rate.Drop == t.drop {
			return x.Rate.Format(int64(binary.BigEndian.Uint32(data[:])))
		}
	}
	return ""
}
