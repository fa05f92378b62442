package intake

import "fanfold/internal/core/template"

// Patches finds patches as people and scans name them.
type Patches struct {
	names   map[patchName]*template.Patch
	sources map[patchSource]*template.Patch
}

type (
	patchName struct {
		library template.ID
		name    string // folded
	}
	patchSource struct {
		library template.ID
		source  template.Source
	}
)

// NewPatches knows the patches of a list.
func NewPatches(list []*template.Patch) *Patches {
	b := &Patches{names: make(map[patchName]*template.Patch, len(list)), sources: map[patchSource]*template.Patch{}}
	for _, p := range list {
		b.Know(p)
	}
	return b
}

// Know notes a patch by its name, and by its source where it has one.
func (b *Patches) Know(p *template.Patch) {
	b.names[patchName{p.Library, template.FoldName(p.Name)}] = p
	if p.Source != nil {
		b.sources[patchSource{p.Library, *p.Source}] = p
	}
}

// Named is the patch of that name in a library; nil for none.
func (b *Patches) Named(library template.ID, name string) *template.Patch {
	return b.names[patchName{library, template.FoldName(name)}]
}

// Find is the patch of a library of that source, else the one of that name, unless that
// is out of another file; nil for none.
func (b *Patches) Find(library template.ID, name string, source *template.Source) *template.Patch {
	if source != nil {
		if p := b.sources[patchSource{library, *source}]; p != nil {
			return p
		}
	}
	p := b.Named(library, name)
	if p != nil && source != nil && p.Source != nil && !p.Source.Is(source) {
		return nil
	}
	return p
}

// Free is a name for a new patch of a library: the one it has, or one that tells it apart
// from the patch that is called so.
func (b *Patches) Free(library template.ID, name string, source *template.Source) string {
	return Apart(name, source, func(name string) bool { return b.Named(library, name) != nil })
}
