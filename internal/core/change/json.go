package change

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// kinds makes an empty change of each kind, ready to be read into.
var kinds = map[string]func() Change{
	"add":            func() Change { return &Add{} },
	"delete":         func() Change { return &Delete{} },
	"move":           func() Change { return &Move{} },
	"arrange":        func() Change { return &Arrange{} },
	"edit":           func() Change { return &Edit{} },
	"configure":      func() Change { return &Configure{} },
	"connect":        func() Change { return &Connect{} },
	"assign-stem":    func() Change { return &AssignStem{} },
	"seat":           func() Change { return &Seat{} },
	"put":            func() Change { return &Put{} },
	"drop":           func() Change { return &Drop{} },
	"remove-bus":     func() Change { return &RemoveBus{} },
	"remove-machine": func() Change { return &RemoveMachine{} },
	"rename-machine": func() Change { return &RenameMachine{} },
	"set-rules":      func() Change { return &SetRules{} },
	"set-sightlines": func() Change { return &SetSightlines{} },
	"become":         func() Change { return &Become{} },
	"set-sections":   func() Change { return &SetSections{} },
	"set-returns":    func() Change { return &SetReturns{} },
	"set-position":   func() Change { return &SetPosition{} },
	"batch":          func() Change { return &Batch{} },
}

// Kinds lists the kinds of change in alphabetical order.
func Kinds() []string {
	var names []string
	for name := range kinds {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// maxDepth bounds batches within batches.
const maxDepth = 8

// Marshal writes a change as a JSON object with its kind:
// {"kind":"delete","ids":["i-1"]}.
func Marshal(c Change) ([]byte, error) {
	body, err := json.Marshal(c)
	if err != nil {
		return nil, fmt.Errorf("write %s change: %w", c.Kind(), err)
	}
	head := fmt.Appendf(nil, `{"kind":%q`, c.Kind())
	if bytes.Equal(body, []byte("{}")) {
		return append(head, '}'), nil
	}
	return append(append(head, ','), body[1:]...), nil
}

// Unmarshal reads what Marshal wrote. Unknown kinds and fields are errors.
func Unmarshal(data []byte) (Change, error) { return unmarshal(data, 0) }

func unmarshal(data []byte, depth int) (Change, error) {
	if depth > maxDepth {
		return nil, fmt.Errorf("changes are nested deeper than %d", maxDepth)
	}
	var head struct {
		Kind string `json:"kind"`
	}
	if err := json.Unmarshal(data, &head); err != nil {
		return nil, fmt.Errorf("read change: %w", err)
	}
	make, ok := kinds[head.Kind]
	if !ok {
		return nil, fmt.Errorf("%q is not a kind of change; kinds are %s", head.Kind, strings.Join(Kinds(), ", "))
	}
	if head.Kind == "batch" {
		return unmarshalBatch(data, depth)
	}
	c := make()
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(data, &fields); err != nil {
		return nil, fmt.Errorf("read %s change: %w", head.Kind, err)
	}
	delete(fields, "kind")
	if err := strictly(object(fields), c); err != nil {
		return nil, fmt.Errorf("read %s change: %w", head.Kind, err)
	}
	return c, nil
}

// object writes fields as they came.
func object(fields map[string]json.RawMessage) []byte {
	out := []byte{'{'}
	for name, value := range fields {
		if len(out) > 1 {
			out = append(out, ',')
		}
		key, _ := json.Marshal(name) // a text can always be written
		out = append(append(append(out, key...), ':'), value...)
	}
	return append(out, '}')
}

// strictly reads JSON in which nothing is unknown.
func strictly(data []byte, into any) error {
	decoder := json.NewDecoder(bytes.NewReader(data))
	decoder.DisallowUnknownFields()
	return decoder.Decode(into)
}

// MarshalJSON writes the batch's label and its changes with their kinds.
func (b Batch) MarshalJSON() ([]byte, error) {
	raw := make([]json.RawMessage, len(b.Changes))
	for i, c := range b.Changes {
		data, err := Marshal(c)
		if err != nil {
			return nil, err
		}
		raw[i] = data
	}
	return json.Marshal(struct {
		Label   string            `json:"label,omitempty"`
		Changes []json.RawMessage `json:"changes"`
	}{b.Label, raw})
}

func unmarshalBatch(data []byte, depth int) (Change, error) {
	var body struct {
		Label   string            `json:"label"`
		Changes []json.RawMessage `json:"changes"`
	}
	if err := json.Unmarshal(data, &body); err != nil {
		return nil, fmt.Errorf("read batch: %w", err)
	}
	b := &Batch{Label: body.Label}
	for i, raw := range body.Changes {
		c, err := unmarshal(raw, depth+1)
		if err != nil {
			return nil, fmt.Errorf("changes[%d]: %w", i, err)
		}
		b.Changes = append(b.Changes, c)
	}
	return b, nil
}
