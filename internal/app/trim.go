package app

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/scan"
	"fanfold/internal/store/db"
)

// Trimming is what trimming one instrument to the music of a call would mean.
// Rows that feed one player share its patches, so they are trimmed as one, to
// the notes of all of them.
type Trimming struct {
	Instrument *template.Instrument
	Beside     []*template.Instrument // the other rows that feed its player
	FullMiB    float64                // on disk
	PreloadMiB float64                // loaded whole
	TrimmedMiB float64                // of what its notes touch
	Zones, Of  int                    // zones that stay, of how many
	Why        string                 // why it cannot be trimmed; empty when it can

	trims []change.Fields
}

// Stale tells whether it, or a row beside it, is trimmed to other notes than
// those of now.
func (x *Trimming) Stale(t *template.Template) bool {
	return slices.ContainsFunc(x.rows(t), t.TrimStale)
}

// rows are the rows that are still there.
func (x *Trimming) rows(t *template.Template) []*template.Instrument {
	var out []*template.Instrument
	for _, i := range append([]*template.Instrument{x.Instrument}, x.Beside...) {
		if now := t.Instrument(i.ID); now != nil {
			out = append(out, now)
		}
	}
	return out
}

// Trimmings tells, for every instrument that the music of a call uses, what
// must stay in memory for its notes: the zones of its scanned patches that they
// touch. A patch that was not scanned cannot be trimmed, nor one on a machine
// whose host is away.
func (h *Hot) Trimmings(ctx context.Context, call template.ID) ([]Trimming, error) {
	t := h.View().Template
	c := t.Index().Calls[call]
	if c == nil {
		return nil, refused(call, "the call is no longer there")
	}
	if len(c.Uses) == 0 {
		return nil, refused(call, "nothing is known of the music of %s; bring it in with From music", c.Name)
	}
	files := &patchFiles{app: h.app, zones: map[template.ID]scanned{}}
	out := make([]Trimming, 0, len(c.Uses))
	done := map[template.ID]bool{} // players that rows feed, and rows that others sit with
	for _, u := range c.Uses {
		i := t.Instrument(u.Instrument)
		home := t.Home(i).ID
		if done[i.Spread] || done[home] {
			continue
		}
		done[home], done[i.Spread] = true, i.Spread != ""
		x, err := h.trimming(ctx, t, c, i, files)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

func (h *Hot) trimming(ctx context.Context, t *template.Template, c *template.Call, i *template.Instrument, files *patchFiles) (Trimming, error) {
	x := Trimming{Instrument: i}
	for _, other := range t.Instruments {
		if other != i && t.OnePlayer(other, i) {
			x.Beside = append(x.Beside, other)
		}
	}
	var played patch.Played
	switches, known := map[int]bool{}, true
	for _, u := range t.UsesOf(c, i) {
		used := switchesOf(articulation.MapOf(t, t.Instrument(u.Instrument)), u.Articulations)
		known = known && used != nil
		maps.Copy(switches, used)
		for _, k := range u.Keys {
			played.Band(k.Key, k.Low, k.High)
		}
	}
	if !known {
		switches = nil
	}
	patches := []template.TrimmedPatch{}
	for _, p := range t.PatchesOf(i) {
		x.FullMiB += p.FullMiB
		x.PreloadMiB += p.PreloadMiB
		read, err := files.of(ctx, h, t, p)
		if err != nil {
			if ctx.Err() != nil {
				return x, ctx.Err()
			}
			x.TrimmedMiB += p.PreloadMiB
			x.Why = err.Error()
			continue
		}
		left := patch.Trim(read.zones, &played, switches)
		mib := min(p.PreloadMiB, patch.Take(left, read.policy).PreloadMiB)
		x.Zones, x.Of, x.TrimmedMiB = x.Zones+len(left), x.Of+len(read.zones), x.TrimmedMiB+mib
		patches = append(patches, template.TrimmedPatch{Patch: p.ID, MiB: mib})
	}
	for _, row := range x.rows(t) {
		trim := &template.Trim{Call: c.ID, Patches: patches}
		if u := c.UseOf(row.ID); u != nil {
			trim.Music = u.Music
		}
		if len(patches) > 0 {
			x.trims = append(x.trims, change.Fields{ID: row.ID, Trim: trim})
		}
	}
	return x, nil
}

// switchesOf are the key switches of the articulations in use; nil, for all of
// them, when that is not known.
func switchesOf(m []template.Mapping, articulations []string) map[int]bool {
	used := map[int]bool{}
	for _, x := range m {
		for _, a := range articulations {
			if x.Articulation != a {
				continue
			}
			for _, s := range x.Switches {
				if s.Kind == template.ByKey {
					used[s.Number] = true
				}
			}
		}
	}
	if len(used) == 0 {
		return nil
	}
	return used
}

// TrimTo makes the change that trims what can be.
func TrimTo(list []Trimming) Maker {
	return func(t *template.Template) (change.Change, error) {
		var edit change.Edit
		for _, x := range list {
			for _, e := range x.trims {
				if t.Instrument(e.ID) != nil {
					edit.Edits = append(edit.Edits, e)
				}
			}
		}
		if len(edit.Edits) == 0 {
			return nil, refused("", "nothing can be trimmed: scan the folders of these patches first, in the Library")
		}
		return change.Batch{Label: fmt.Sprintf("Trim %d rows", len(edit.Edits)), Changes: []change.Change{edit}}, nil
	}
}

// LoadWhole makes the change that loads them whole again.
func LoadWhole(list []Trimming) Maker {
	return func(t *template.Template) (change.Change, error) {
		var edit change.Edit
		for _, x := range list {
			for _, i := range x.rows(t) {
				if i.Trim != nil {
					edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Trim: &template.Trim{}})
				}
			}
		}
		if len(edit.Edits) == 0 {
			return nil, refused("", "none of them is trimmed")
		}
		return change.Batch{Label: fmt.Sprintf("Load %d rows whole", len(edit.Edits)), Changes: []change.Change{edit}}, nil
	}
}

// scanned is what a scan found of a patch, or why it is not known.
type scanned struct {
	zones  []patch.Zone
	policy patch.Policy
	err    error
}

// patchFiles finds the zones of patches in the folders that were scanned.
type patchFiles struct {
	app   *App
	zones map[template.ID]scanned // of patches looked for before
	scans []db.Scan               // of the studio, newest first
}

func (f *patchFiles) of(ctx context.Context, h *Hot, t *template.Template, p *template.Patch) (scanned, error) {
	known, ok := f.zones[p.ID]
	if !ok {
		known.zones, known.policy, known.err = f.look(ctx, h, t, p)
		f.zones[p.ID] = known
	}
	return known, known.err
}

func (f *patchFiles) look(ctx context.Context, h *Hot, t *template.Template, p *template.Patch) ([]patch.Zone, patch.Policy, error) {
	if f.scans == nil {
		var err error
		if f.scans, err = f.app.store.Queries().ScanList(ctx, h.studio()); err != nil {
			return nil, patch.Policy{}, fmt.Errorf("list scans: %w", err)
		}
	}
	library := t.Index().Libraries[p.Library].Name
	var there error
	for _, row := range f.scans {
		switch {
		case row.Library != library:
		case row.Machine != "":
			zones, err := f.app.rig.Zones(ctx, h.studio().String(), row.Machine, row.Folder, p)
			if len(zones) > 0 {
				return zones, policyOf(row), nil
			}
			there = fmt.Errorf("the machine it was scanned on: %w", err)
		default:
			if zones, err := f.within(ctx, row, p); zones != nil || err != nil {
				return zones, policyOf(row), err
			}
		}
	}
	if there != nil {
		return nil, patch.Policy{}, there
	}
	return nil, patch.Policy{}, fmt.Errorf("%s was not scanned; its zones are not known", p.Name)
}

// within reads the zones of a patch in a scanned folder; nil when it is not
// there.
func (f *patchFiles) within(ctx context.Context, row db.Scan, p *template.Patch) ([]patch.Zone, error) {
	files, err := f.app.store.Queries().ScannedFiles(ctx, db.ScannedFilesParams{StudioID: row.StudioID, Folder: row.Folder})
	if err != nil {
		return nil, fmt.Errorf("read what was scanned: %w", err)
	}
	for _, file := range files {
		var found []scan.Found
		if json.Unmarshal(file.Found, &found) != nil {
			continue
		}
		for _, x := range found {
			if !x.Of(p) {
				continue
			}
			dir, err := f.app.scanFolder(row.Folder)
			if err != nil {
				return nil, err
			}
			defer func() { _ = dir.Close() }() // only read
			return scan.Zones(dir.FS(), x.Source())
		}
	}
	return nil, nil
}
