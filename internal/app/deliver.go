package app

import (
	"context"
	"io"

	"github.com/google/uuid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/template"
	"fanfold/internal/core/transfer"
)

// Settle makes a change of stems, return sets or sections together with what
// follows for groups, returns and sends.
func Settle(c change.Change) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.Settle(t, c, NewID) }
}

// Wire brings the whole wiring in line.
func Wire(t *template.Template) (change.Change, error) { return deliver.Wire(t, NewID) }

// AddWet makes the wet stem that a stem delivered dry lacks.
func AddWet(stem template.ID) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.AddWet(t, stem, NewID) }
}

// ApplyRules sends every instrument to the stem its rules name.
func ApplyRules(t *template.Template) (change.Change, error) { return deliver.ApplyRules(t, NewID) }

// Renumber numbers the buses.
func Renumber(first, gap int) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.Renumber(t, first, gap) }
}

// Obey lets exceptions follow the rules again.
func Obey(ids []template.ID, sends bool) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.Obey(t, ids, sends, NewID) }
}

// Nest makes stems belong to a stem of the next fold.
func Nest(stems []template.ID, parent template.ID) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.Nest(t, stems, parent, NewID) }
}

// AddFold makes a fold, RemoveFold takes one away.
func AddFold(name string, at int) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.AddFold(t, name, at, NewID) }
}

// RemoveFold takes a fold away.
func RemoveFold(fold template.ID) Maker {
	return func(t *template.Template) (change.Change, error) { return deliver.RemoveFold(t, fold, NewID) }
}

// DuplicateSection copies a section with everything below it.
func DuplicateSection(id template.ID) Maker {
	return func(t *template.Template) (change.Change, error) { return transfer.DuplicateSection(t, id, NewID) }
}

// born lets what a maker adds follow the stem rules. With anew, also what it
// gave a stem already, as a neighbour's.
func born(make Maker, anew bool) Maker {
	return func(t *template.Template) (change.Change, error) {
		c, err := make(t)
		if err != nil {
			return nil, err
		}
		return deliver.Born(t, c, anew, NewID)
	}
}

// StemAsk asks for the stems of a list.
type StemAsk struct {
	List     io.Reader // read unless Start or Sections is given
	Start    string    // the name of a starting point
	Sections bool      // from the sections of the template
	TakeAway bool      // stems that are not on it go, if nothing feeds them
	Rules    bool      // and the rules are applied
	Take     bool      // do it; otherwise only tell
}

// Establish makes the stems of a list, or tells what it would make.
func (h *Hot) Establish(ctx context.Context, p Person, ask StemAsk) (deliver.Report, int64, error) {
	var report deliver.Report
	var list []*deliver.Wanted
	if ask.Start == "" && !ask.Sections {
		var err error
		if list, err = deliver.ReadList(ask.List); err != nil {
			return report, 0, refused("", "the stem list cannot be taken: %s", err)
		}
	}
	make := func(t *template.Template) (change.Change, error) {
		if err := wanted(t, ask, &list); err != nil {
			return nil, err
		}
		var c change.Change
		var err error
		if c, report, err = deliver.Establish(t, list, ask.TakeAway, NewID); err != nil || !ask.Rules {
			return c, err
		}
		after, _, err := change.Apply(t, c)
		if err != nil {
			return nil, err
		}
		then, err := deliver.ApplyRules(after, NewID)
		return change.Batch{Label: change.Describe(c), Changes: []change.Change{c, then}}, err
	}
	if !ask.Take {
		_, err := make(h.View().Template)
		return report, 0, err
	}
	revision, err := h.Apply(ctx, p, make)
	return report, revision, err
}

// wanted finds the stems of a starting point or of the sections.
func wanted(t *template.Template, ask StemAsk, list *[]*deliver.Wanted) error {
	switch {
	case ask.Sections:
		*list = deliver.FromSections(t)
		if len(*list) == 0 {
			return refused("", "no section holds an instrument yet; bring some in first")
		}
	case ask.Start != "":
		starts := deliver.Starts()
		for _, s := range starts {
			if s.Name == ask.Start {
				*list = s.Stems
				return nil
			}
		}
		return refused("", "there is no starting point %q", ask.Start)
	}
	return nil
}

// Paste brings rows of another template of the studio into this one, or asks
// about the buses that have no counterpart here.
func (h *Hot) Paste(ctx context.Context, p Person, from uuid.UUID, ids []template.ID, answers map[template.ID]transfer.Answer) ([]transfer.Question, int64, error) {
	other, err := h.app.Open(ctx, p, from)
	if err != nil {
		return nil, 0, err
	}
	source := other.View().Template
	_, questions, err := transfer.Paste(h.View().Template, source, ids, answers, NewID)
	if err != nil || len(questions) > 0 {
		return questions, 0, err
	}
	revision, err := h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		c, questions, err := transfer.Paste(t, source, ids, answers, NewID)
		if err == nil && len(questions) > 0 {
			err = refused(questions[0].Bus.ID, "%s is no longer in the template; paste again", questions[0].Bus.Name)
		}
		return c, err
	})
	return nil, revision, err
}
