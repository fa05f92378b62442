package app

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store"
)

// The kinds of document that hold a template.
const (
	templateKind  = "template"
	catalogueKind = "catalogue" // the studio's one
	versionKind   = "version"   // a template as it was
)

// Computed is what is computed from a template at one revision.
type Computed struct {
	Proof proof.Proof
	Facts []Fact // of the rows, in list order
}

type (
	sheetDoc  = document.Document[*template.Template, change.Change, Computed]
	sheetView = document.View[*template.Template, change.Change, Computed]
	entry     = document.Entry[change.Change]
)

// sheets are the templates of all studios, as they are kept.
func sheets(s *store.Store) *store.Documents[*template.Template, change.Change] {
	return store.DocumentsOf(s, store.Codec[*template.Template, change.Change]{
		WriteState:  templatefile.Pack,
		ReadState:   templatefile.Unpack,
		WriteChange: change.Marshal,
		ReadChange:  change.Unmarshal,
		Apply: func(t *template.Template, c change.Change) (*template.Template, error) {
			after, _, err := change.Apply(t, c)
			return after, err
		},
		About: func(t *template.Template) any { return aboutOf(t) },
		Name:  func(t *template.Template) string { return t.Name },
		Holds: func(kind string) bool { return kind != productionKind },
	})
}

// about is what is told of a template without opening it.
type about struct {
	Sits       []template.ID `json:"sits"`                 // the machines it sits on; nil when written by an earlier version
	RemotePort int           `json:"remotePort,omitempty"` // for music programs; 0 listens to nothing
	Audio      []string      `json:"audio"`                // the recordings it plays, by their SHA-256, in order; nil when written by an earlier version
	Says       string        `json:"says,omitempty"`       // what the template is for
	Rows       int           `json:"rows,omitempty"`       // that play
}

func aboutOf(t *template.Template) about {
	a := about{Sits: []template.ID{}, RemotePort: t.Settings.RemotePort, Audio: t.Audio(), Says: t.Settings.About}
	for _, m := range t.Machines {
		a.Sits = append(a.Sits, m.ID)
	}
	for _, i := range t.Instruments {
		if i.Played() {
			a.Rows++
		}
	}
	return a
}

func (a about) equal(b about) bool {
	return a.RemotePort == b.RemotePort && a.Says == b.Says && a.Rows == b.Rows && slices.Equal(a.Sits, b.Sits) && slices.Equal(a.Audio, b.Audio)
}

func aboutFrom(data []byte) (a about) {
	_ = json.NewDecoder(bytes.NewReader(data)).Decode(&a) // one of an earlier version tells nothing
	return a
}

// Said is what a template is for, and how many rows of it play, from what is told of it without opening
// it.
func Said(data []byte) (says string, rows int) {
	a := aboutFrom(data)
	return a.Says, a.Rows
}

// sheetKind is what templates and catalogues do as documents.
type sheetKind struct{}

func (sheetKind) Apply(t *template.Template, c change.Change) (after *template.Template, inverse change.Change, err error) {
	return change.Apply(t, c)
}

func (sheetKind) Name(t *template.Template) string { return t.Name }

func (sheetKind) Label(before, after *template.Template, c change.Change) string {
	return change.DescribeIn(before, after, c)
}

func (sheetKind) Clashes(now *template.Template, c change.Change) func(change.Change) error {
	meets := change.Meets(change.KeysOn(now, c))
	return func(other change.Change) error {
		if key, clash := meets(change.KeysOn(now, other)); clash {
			return clashError(now, key, c)
		}
		return nil
	}
}

func (sheetKind) TakenBack(label string, inverse change.Change) change.Change {
	return change.Batch{Label: "Take back: " + label, Changes: []change.Change{inverse}}
}

func (sheetKind) Facts(after *template.Template, earlier *sheetView) Computed {
	if earlier == nil {
		p := proof.Check(after, "")
		return Computed{p, facts(after, p, nil, nil)}
	}
	p := proof.Recheck(earlier.Facts.Proof, after, "")
	return Computed{p, facts(after, p, earlier.State, earlier.Facts.Facts)}
}

func (sheetKind) Delta(e entry, before, after *sheetView) ([]byte, error) {
	data, err := json.Marshal(delta(e, before, after))
	if err != nil {
		return nil, fmt.Errorf("tell revision %d: %w", e.Revision, err)
	}
	return data, nil
}

// sizeOf estimates the memory that an open template takes with what is computed
// from it, bytes. The figures were measured on templates of 430 to 10,000 rows.
func sizeOf(t *template.Template) int64 {
	return 64<<10 + 6<<10*int64(len(t.Instruments)) + 2<<10*int64(len(t.Patches)) + 2<<10*int64(len(t.Buses))
}
