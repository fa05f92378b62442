package scan

import "io/fs"

// Stamp tells one state of a file from another.
type Stamp struct {
	File  string
	Bytes int64
	Nanos int64 // when it was last written, since 1970
}

// stamp is the present state of a file; that of one that is not there has no
// size.
func (s *scanner) stamp(name string) Stamp {
	known, ok := s.stats[name]
	if !ok {
		known = Stamp{File: name, Bytes: -1}
		if info, err := fs.Stat(s.folder, name); err == nil {
			known.Bytes, known.Nanos = info.Size(), info.ModTime().UnixNano()
		}
		s.stats[name] = known
	}
	return known
}

// from notes a file that the present patch file is measured from.
func (s *scanner) from(name string) {
	if !s.noted[name] {
		s.noted[name] = true
		s.behind = append(s.behind, s.stamp(name))
	}
}

// unchanged tells whether files are as they were.
func (s *scanner) unchanged(stamps []Stamp) bool {
	for _, was := range stamps {
		if s.stamp(was.File) != was {
			return false
		}
	}
	return len(stamps) > 0
}
