// Package scan finds sample patches in a folder: SFZ files with the WAV and
// FLAC files behind them, and SoundFonts. A folder goes in; measured patches come out,
// and each broken file by name and reason, without stopping at one.
package scan

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/format/flac"
	"fanfold/internal/format/sf2"
	"fanfold/internal/format/sfz"
	"fanfold/internal/format/wav"
)

// MostFiles bounds the patch files of one scan.
const MostFiles = 200_000

// Version is raised when files are measured differently: what an older version measured
// is measured again.
const Version = 2

// Found is one patch.
type Found struct {
	File      string        `json:"file"` // path within the folder
	Name      string        `json:"name"`
	Bank      int           `json:"bank,omitempty"`      // of its preset, in a SoundFont
	Programme int           `json:"programme,omitempty"` // likewise, 0..127
	Measure   patch.Measure `json:"measure"`
}

// Source is where the patch is from.
func (f Found) Source() template.Source {
	return template.Source{File: f.File, Bank: f.Bank, Programme: f.Programme}
}

// Of tells whether it is what a patch of the catalogue was measured from. One
// measured before sources were kept is known by its name.
func (f Found) Of(p *template.Patch) bool {
	if p.Source == nil {
		return f.Name == p.Name
	}
	return f.Source() == *p.Source
}

// Broken is a file that could not be read, or not wholly.
type Broken struct {
	File   string `json:"file"`
	Reason string `json:"reason"`
}

// Kept is what was measured of one patch file, and the state then of all the
// files it was measured from.
type Kept struct {
	Stamps []Stamp
	Found  []Found
}

// Result is what a scan found, in the order of paths.
type Result struct {
	Patches   []Found
	Broken    []Broken
	Measured  map[string]Kept // patch files read whole in this scan
	Unchanged int             // patch files that are as an earlier scan knew them
	Gone      []string        // patch files an earlier scan knew and that are no longer there
}

// Progress is told after each patch file.
type Progress func(done, of int)

// Options of a scan.
type Options struct {
	Policy patch.Policy
	Known  map[string]Kept // what earlier scans under this policy measured; nil for none
	Tell   Progress        // nil for nobody
}

// Folder scans a folder. It ends early, with what it has, when the context
// does.
func Folder(ctx context.Context, folder fs.FS, o Options) (Result, error) {
	s := &scanner{
		folder: newFolding(folder), policy: o.Policy, sizes: map[string]sized{}, stats: map[string]Stamp{},
		result: Result{Measured: map[string]Kept{}}, parts: map[string]bool{}, told: map[string]bool{},
	}
	files, err := s.list(ctx)
	if err != nil {
		return s.result, err
	}
	there := make(map[string]bool, len(files))
	for n, name := range files {
		if err := ctx.Err(); err != nil {
			return s.result, fmt.Errorf("stopped after %d of %d files: %w", n, len(files), err)
		}
		there[name] = true
		if kept, ok := o.Known[name]; ok && s.unchanged(kept.Stamps) {
			s.result.Patches = append(s.result.Patches, kept.Found...)
			s.result.Unchanged++
			for _, b := range kept.Stamps {
				s.parts[b.File] = s.parts[b.File] || b.File != name
			}
		} else {
			s.measure(name)
		}
		if o.Tell != nil {
			o.Tell(n+1, len(files))
		}
	}
	s.tellSilent()
	for name := range o.Known {
		if !there[name] {
			s.result.Gone = append(s.result.Gone, name)
		}
	}
	slices.Sort(s.result.Gone)
	return s.result, nil
}

type scanner struct {
	folder *folding
	policy patch.Policy
	sizes  map[string]sized // of samples, since patches share them
	stats  map[string]Stamp
	behind []Stamp                          // the files the present patch file is measured from
	noted  map[string]bool                  // those of behind
	parts  map[string]bool                  // files that others include
	silent []silent                         // files that sound nothing, reported unless others include them
	told   map[string]bool                  // samples
	zones  map[template.Source][]patch.Zone // nil when nobody asks
	result Result
}

type sized struct {
	bytes  int64
	looped bool
	err    error
}

// measure reads a patch file. What is not read whole is not kept, so that the
// next scan reports it again.
func (s *scanner) measure(name string) {
	found, broken := len(s.result.Patches), len(s.result.Broken)
	s.behind, s.noted = nil, map[string]bool{}
	s.from(name)
	s.file(name)
	if len(s.result.Broken) == broken && !s.lacks() {
		s.result.Measured[name] = Kept{Stamps: s.behind, Found: slices.Clone(s.result.Patches[found:])}
	}
}

// tellSilent reports files that sound nothing and that no other includes.
func (s *scanner) tellSilent() {
	for _, x := range s.silent {
		if !s.parts[x.file] {
			delete(s.result.Measured, x.file)
			s.broken(x.file, fmt.Errorf("%s, and no other file includes it", x.reason))
			s.tellSamples(x.samples)
		}
	}
}

// silent is a file that sounds nothing, why, and the samples it lacks.
type silent struct {
	file, reason string
	samples      []string
}

// tellSamples reports samples that cannot be read, each once.
func (s *scanner) tellSamples(names []string) {
	for _, name := range names {
		if !s.told[name] {
			s.told[name] = true
			s.broken(name, s.sizes[name].err)
		}
	}
}

// lacks tells whether a sample of the present patch file was reported as broken
// for an earlier one.
func (s *scanner) lacks() bool {
	return slices.ContainsFunc(s.behind, func(b Stamp) bool { return s.sizes[b.File].err != nil })
}

func (s *scanner) list(ctx context.Context) ([]string, error) {
	var files []string
	err := fs.WalkDir(s.folder, ".", func(name string, entry fs.DirEntry, err error) error {
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil:
			s.broken(name, err)
			return nil
		case entry.Type().IsRegular() && kindOf(name) != "":
			files = append(files, name)
		}
		if len(files) > MostFiles {
			return fmt.Errorf("more than %d patch files; scan a part of the folder", MostFiles)
		}
		return nil
	})
	slices.Sort(files)
	return files, err
}

func kindOf(name string) string {
	switch ext := strings.ToLower(path.Ext(name)); ext {
	case ".sfz", ".sf2":
		return ext
	}
	return ""
}

func (s *scanner) broken(name string, err error) {
	s.result.Broken = append(s.result.Broken, Broken{name, reasonOf(err)})
}

// reasonOf says why a file cannot be read; the caller has named it.
func reasonOf(err error) string {
	var at *fs.PathError
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "it does not exist"
	case errors.As(err, &at):
		return at.Err.Error()
	}
	return err.Error()
}

func (s *scanner) file(name string) {
	var err error
	if kindOf(name) == ".sfz" {
		err = s.sfz(name)
	} else {
		err = s.soundFont(name)
	}
	if err != nil {
		s.broken(name, err)
	}
}

// sfz measures one SFZ file. Samples that cannot be read are reported once each;
// the patch is measured without them.
func (s *scanner) sfz(name string) error {
	file, err := sfz.Read(s.folder, name)
	if err != nil {
		return err
	}
	for _, part := range file.Included {
		if there, ok := s.folder.find(part); ok {
			part = there
		}
		s.from(part)
		s.parts[part] = true
	}
	if len(file.Regions) == 0 {
		s.silent = append(s.silent, silent{file: name, reason: "it has no <region>"})
		return nil
	}
	var lacking []string
	zones := make([]patch.Zone, 0, len(file.Regions))
	for _, r := range file.Regions {
		if r.Sample == "" {
			continue
		}
		z := patch.Zone{
			Sample: r.Sample, KeyLow: r.KeyLow, KeyHigh: r.KeyHigh, VelLow: r.VelLow, VelHigh: r.VelHigh,
			Switch: r.Switch, Label: r.Label, Sequence: r.Sequence, Sounded: r.Sounded,
		}
		if z.KeyLow < 0 || z.KeyHigh < 0 {
			z.KeyLow, z.KeyHigh = 1, 0 // sounded by a controller, by no key
		}
		if !strings.HasPrefix(r.Sample, "*") {
			if there, ok := s.folder.find(r.Sample); ok {
				r.Sample, z.Sample = there, there
			}
			s.from(r.Sample)
			sample := s.sample(r.Sample)
			if sample.err != nil {
				lacking = append(lacking, r.Sample)
				continue
			}
			z.Bytes, z.Looped = sample.bytes, sample.looped
		}
		switch r.LoopMode {
		case "loop_continuous", "loop_sustain":
			z.Looped = true
		case "no_loop", "one_shot":
			z.Looped = false
		}
		zones = append(zones, z)
	}
	if len(zones) == 0 {
		reason := "no <region> of it names a sample"
		if len(lacking) > 0 {
			reason = fmt.Sprintf("none of its samples can be read (%s: %s)", lacking[0], reasonOf(s.sizes[lacking[0]].err))
		}
		s.silent = append(s.silent, silent{name, reason, lacking})
		return nil
	}
	s.tellSamples(lacking)
	base := path.Base(name)
	s.found(Found{File: name, Name: strings.TrimSuffix(base, path.Ext(base))}, zones)
	return nil
}

// found notes a patch of a file.
func (s *scanner) found(f Found, zones []patch.Zone) {
	if s.zones != nil {
		s.zones[f.Source()] = zones
	}
	f.Measure = patch.Take(zones, s.policy)
	s.result.Patches = append(s.result.Patches, f)
}

// Zones reads the zones of one patch again.
func Zones(folder fs.FS, from template.Source) ([]patch.Zone, error) {
	s := &scanner{
		folder: newFolding(folder), policy: patch.DefaultPolicy(), sizes: map[string]sized{}, stats: map[string]Stamp{},
		zones: map[template.Source][]patch.Zone{}, noted: map[string]bool{}, parts: map[string]bool{}, told: map[string]bool{},
	}
	s.file(from.File)
	for _, b := range s.result.Broken {
		if b.File == from.File {
			return nil, fmt.Errorf("%s: %s", from.File, b.Reason)
		}
	}
	zones, ok := s.zones[from]
	if !ok {
		return nil, fmt.Errorf("%s no longer holds the patch that was scanned; scan it again", from.File)
	}
	return zones, nil
}

// sample reads the header of a sample, once.
func (s *scanner) sample(name string) sized {
	known, ok := s.sizes[name]
	if !ok {
		known = s.look(name)
		s.sizes[name] = known
	}
	return known
}

func (s *scanner) look(name string) sized {
	src, size, done, err := s.open(name)
	if err != nil {
		return sized{err: err}
	}
	defer done()
	switch strings.ToLower(path.Ext(name)) {
	case ".wav":
		h, err := wav.Read(src, size)
		return sized{bytes: h.Bytes, looped: len(h.Loops) > 0, err: err}
	case ".flac":
		h, err := flac.Read(src, size)
		return sized{bytes: h.Bytes, err: err}
	}
	return sized{bytes: size} // another format: its size on the disk
}

// open opens a file to be read at any place.
func (s *scanner) open(name string) (src io.ReaderAt, size int64, done func(), err error) {
	f, err := s.folder.Open(name)
	if err != nil {
		return nil, 0, nil, err
	}
	done = func() { _ = f.Close() } // only read
	info, err := f.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = errors.New("it is not a file")
	}
	if err != nil {
		done()
		return nil, 0, nil, err
	}
	if at, ok := f.(io.ReaderAt); ok {
		return at, info.Size(), done, nil
	}
	const most = 64 << 20 // a file system that only reads on: as of an archive
	data, err := io.ReadAll(io.LimitReader(f, most))
	if err != nil {
		done()
		return nil, 0, nil, err
	}
	return bytes.NewReader(data), int64(len(data)), done, nil
}

func (s *scanner) soundFont(name string) error {
	src, size, done, err := s.open(name)
	if err != nil {
		return err
	}
	defer done()
	file, err := sf2.Read(src, size)
	if err != nil {
		return err
	}
	for _, note := range file.Notes {
		s.broken(name, errors.New(note))
	}
	for _, p := range file.Presets {
		zones := make([]patch.Zone, 0, len(p.Zones))
		for _, z := range p.Zones {
			sample := file.Samples[z.Sample]
			zones = append(zones, patch.Zone{
				Sample: fmt.Sprint(z.Sample), Bytes: sample.Bytes(), KeyLow: z.KeyLow, KeyHigh: z.KeyHigh,
				VelLow: z.VelLow, VelHigh: z.VelHigh, Looped: z.Looped, Switch: -1, Sequence: 1, Sounded: 1,
			})
		}
		s.found(Found{File: name, Name: p.Name, Bank: p.Bank, Programme: p.Program}, zones)
	}
	return nil
}
