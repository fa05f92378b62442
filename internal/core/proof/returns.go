package proof

import (
	"fmt"

	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
)

// sharedReturns finds returns that carry the sound of several stems: those
// stems cannot be delivered apart.
func sharedReturns(s *subject) []Mark {
	if s.fold == nil {
		return nil
	}
	var out []Mark
	for _, x := range deliver.SharedReturns(s.t, s.fan, s.fold.ID) {
		var names []string
		for _, stem := range x.Stems {
			names = append(names, stem.Name)
		}
		out = append(out, Mark{
			Subject: x.Return.ID, Name: x.Return.Name,
			Message: fmt.Sprintf("%s is shared by %s", x.Return.Name, list(names)),
			Remedies: []Remedy{{Label: "Split it, one return for each stem", Build: func() (change.Change, error) {
				return deliver.Split(s.t, s.fan, s.fold.ID, x), nil
			}}},
		})
	}
	return out
}
