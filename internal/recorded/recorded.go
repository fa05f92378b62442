// Package recorded reads a folder of sound that somebody recorded, so that it can be matched to
// what a template delivers, and proved. A folder goes in; what lies in it, and its sound one
// file beside the other, come out.
package recorded

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/printing"
	"fanfold/internal/format/soundfile"
)

// Unread is a file that cannot be read, and why.
type Unread struct {
	Path   string `json:"path"`
	Reason string `json:"reason"`
}

// Folder is a folder of sound.
type Folder struct {
	Files  []printing.Found
	Unread []Unread
	dir    fs.FS
}

// MostFiles bounds the sound files of a folder.
const MostFiles = 1000

// Look reads what lies in a folder and in those within it.
func Look(dir fs.FS) (*Folder, error) {
	f := &Folder{dir: dir}
	err := fs.WalkDir(dir, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			if d == nil {
				return err
			}
			f.Unread = append(f.Unread, Unread{name, err.Error()})
			return nil
		}
		if strings.HasPrefix(path.Base(name), ".") && name != "." {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if d.IsDir() || !slices.Contains(soundfile.Endings, strings.ToLower(path.Ext(name))) {
			return nil
		}
		if len(f.Files) == MostFiles {
			return fmt.Errorf("more than %d sound files lie in it; choose the folder of one cue", MostFiles)
		}
		s, file, err := f.open(name)
		if err != nil {
			f.Unread = append(f.Unread, Unread{name, err.Error()})
			return nil //nolint:nilerr // it is told with the others
		}
		f.Files = append(f.Files, printing.Found{Path: name, Channels: s.Channels})
		return file.Close()
	})
	return f, err
}

func (f *Folder) open(name string) (*soundfile.Sound, fs.File, error) {
	file, err := f.dir.Open(name)
	if err != nil {
		return nil, nil, err
	}
	info, err := file.Stat()
	src, ok := file.(io.ReaderAt)
	if err == nil && !ok {
		err = errors.New("it can only be read from its beginning")
	}
	if err == nil {
		var s *soundfile.Sound
		if s, err = soundfile.Open(src, info.Size()); err == nil {
			return s, file, nil
		}
	}
	return nil, nil, errors.Join(err, file.Close())
}

// Ask makes what is proved: the files as they were matched, beside each other. The function
// returned closes them.
func (f *Folder) Ask(plan printing.Plan, matches []printing.Match) (ask audit.Ask, done func(), err error) {
	var open []fs.File
	done = func() {
		for _, x := range open {
			_ = x.Close() // only read
		}
	}
	ask = audit.Ask{Begin: audit.NotSaid, Folds: plan.Folds, LimitedGain: plan.LimitedGain}
	for _, m := range matches {
		s, file, err := f.open(m.Path)
		if err != nil {
			done()
			return ask, nil, fmt.Errorf("%s: %w", m.Path, err)
		}
		open = append(open, file)
		if m.Right != "" {
			right, file, err := f.open(m.Right)
			if err == nil {
				open = append(open, file)
				s, err = soundfile.Join(s, right)
			}
			if err != nil {
				done()
				return ask, nil, fmt.Errorf("%s: %w", m.Right, err)
			}
		}
		var wanted *printing.Wanted
		if m.Wanted >= 0 {
			wanted = &plan.Files[m.Wanted]
		}
		ask.Files = append(ask.Files, File(m.Path, m.Role, s, wanted))
	}
	return ask, done, nil
}

// File is a sound as the proof takes it; wanted is the stem or mix that it is, nil for none.
func File(name string, role audit.Role, s *soundfile.Sound, wanted *printing.Wanted) audit.File {
	x := audit.File{
		Name: name, Role: role, Channels: s.Channels, RateHz: s.RateHz, Bits: s.Bits, Floating: s.Floating,
		Frames: s.Frames, Begin: s.Begin(), Lost: s.Lost, Read: s.Read, Gain: 1,
	}
	if wanted != nil {
		x.Stem, x.Folds, x.Carries, x.Gain, x.Mono = wanted.Name, wanted.Folds, wanted.Carries, wanted.Gain, wanted.Mono
	}
	return x
}

// Alone is the plan where there is no template: every file that is neither a mix nor a guide is a
// stem, and all of them add up to the mix. Hand says by the Key of a file what it is.
func (f *Folder) Alone(hand map[string]string) (printing.Plan, []printing.Match) {
	fold := audit.Fold{ID: "all", Name: "The stems"}
	plan := printing.Plan{LimitedGain: 1, Files: []printing.Wanted{{Name: "mix", Role: audit.Mix, Gain: 1}}}
	matches := plan.Recorded(f.Files, hand)
	for n := range matches {
		m := &matches[n]
		if m.Role != audit.Other || m.How == printing.ByHand {
			continue
		}
		name := strings.TrimSuffix(m.Path, path.Ext(m.Path))
		m.Role, m.Wanted, m.How = audit.Stem, len(plan.Files), printing.ByName
		plan.Files = append(plan.Files, printing.Wanted{Name: name, File: name, Role: audit.Stem, Gain: 1, Number: len(plan.Files), Folds: []string{fold.ID}})
		fold.Stems = append(fold.Stems, name)
	}
	plan.Folds = []audit.Fold{fold}
	return plan, matches
}
