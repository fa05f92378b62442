package scan

import (
	"errors"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
)

// folding is a folder in which a name that is not there finds the one that
// differs in case only, as on the systems libraries are mostly made on. Of
// several the first in order is found.
type folding struct {
	fs.FS
	mu    sync.Mutex
	names map[string]map[string]string // of folders: their entries by name, and by lower-case name
}

// Folding is a folder in which names are found whatever their case.
func Folding(folder fs.FS) fs.FS { return newFolding(folder) }

func newFolding(folder fs.FS) *folding {
	return &folding{FS: folder, names: map[string]map[string]string{}}
}

// Open implements fs.FS.
func (f *folding) Open(name string) (fs.File, error) {
	file, err := f.FS.Open(name)
	if !errors.Is(err, fs.ErrNotExist) {
		return file, err
	}
	there, ok := f.find(name)
	if !ok {
		return nil, err
	}
	return f.FS.Open(there)
}

// find is the name under which something is there.
func (f *folding) find(name string) (string, bool) {
	at := "."
	for part := range strings.SplitSeq(path.Clean(name), "/") {
		entries := f.entries(at)
		entry, ok := entries[part]
		if !ok {
			entry, ok = entries[strings.ToLower(part)]
		}
		if !ok {
			return "", false
		}
		at = path.Join(at, entry)
	}
	return at, true
}

func (f *folding) entries(folder string) map[string]string {
	f.mu.Lock()
	defer f.mu.Unlock()
	known, ok := f.names[folder]
	if !ok {
		known = map[string]string{}
		list, _ := fs.ReadDir(f.FS, folder) // what cannot be read holds nothing
		for _, e := range slices.Backward(list) {
			known[strings.ToLower(e.Name())] = e.Name()
		}
		for _, e := range list {
			known[e.Name()] = e.Name()
		}
		f.names[folder] = known
	}
	return known
}
