package articulation

import "slices"

// Standing is what words written over a part leave in force: each names a way
// of playing until another of its either/or group.
type Standing struct {
	v      *Vocabulary
	names  map[string]string // by group
	groups []string          // in the order they came up
}

// NewStanding begins a part, on which nothing is written yet.
func NewStanding(v *Vocabulary) *Standing { return &Standing{v: v, names: map[string]string{}} }

// Read takes in words, such as "pizz., con sord.". Of loudness they say
// nothing: crescendo and diminuendo are passed over.
func (s *Standing) Read(text string) {
	for _, t := range Phrases(s.v, text) {
		switch {
		case t.Name == "crescendo" || t.Name == "diminuendo":
		case t.Natural || t.Name == "long":
			delete(s.names, t.Group)
		default:
			if !slices.Contains(s.groups, t.Group) {
				s.groups = append(s.groups, t.Group)
			}
			s.names[t.Group] = t.Name
		}
	}
}

// With joins what is written at a note with what is in force. Of one group,
// what stands at the note goes first.
func (s *Standing) With(at []string) []string {
	var out []string
	taken := map[string]bool{}
	add := func(name string) {
		group := ""
		if t := s.v.Find(name); t != nil {
			group = t.Group
		}
		if !taken[group] {
			taken[group] = true
			out = append(out, name)
		}
	}
	for _, name := range at {
		add(name)
	}
	for _, group := range s.groups {
		if name, ok := s.names[group]; ok {
			add(name)
		}
	}
	return out
}
