// Package roots finds the patches of libraries in the folders of this machine. The name of a
// library and the file of a patch go in; the patch, ready to play, comes out.
package roots

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"fanfold/internal/core/template"
	"fanfold/internal/sampler"
	"fanfold/internal/scan"
)

// Roots are the folders of this machine in which libraries lie, and what holds their samples.
type Roots struct {
	Folders []string
	Store   *sampler.Store
}

// Patch is what is asked for.
type Patch struct {
	Name    string // for people
	Library string
	Source  template.Source
	Mics    []string // microphone positions that are heard, by name; empty for all
}

// Of is a patch as a row plays it; its file is empty where nobody knows it.
func Of(t *template.Template, i *template.Instrument, p *template.Patch) Patch {
	out := Patch{Name: p.Name}
	if lib := t.Index().Libraries[p.Library]; lib != nil && p.Source != nil {
		out.Library, out.Source = lib.Name, *p.Source
		for _, m := range i.MicsOf(p) {
			out.Mics = append(out.Mics, m.Name)
		}
	}
	return out
}

// Open opens a patch where it lies: in the folder of its library, in one that may be scanned,
// or in that itself.
func (r Roots) Open(p Patch) (*sampler.Patch, error) {
	if p.Source.File == "" {
		return nil, fmt.Errorf("nobody said which file %s is; scan its folder", p.Name)
	}
	err := fmt.Errorf("%s of %s is in none of the folders of this machine", p.Source.File, p.Library)
	for _, root := range r.Folders {
		for _, folder := range []string{filepath.Join(root, filepath.Base(filepath.Clean("/"+p.Library))), root} {
			dir, failed := scan.OpenWithin(r.Folders, folder)
			if failed != nil {
				continue
			}
			files := scan.Folding(dir.FS())
			if _, failed := fs.Stat(files, p.Source.File); errors.Is(failed, os.ErrNotExist) {
				_ = dir.Close() // only read
				continue
			}
			// The folder stays open for as long as the patch reads its samples; the
			// collector closes it.
			return sampler.Open(r.Store, sampler.File{Place: folder, Folder: files, Source: p.Source, Mics: p.Mics})
		}
	}
	return nil, err
}
