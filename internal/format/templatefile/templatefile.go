// Package templatefile reads and writes a template as a file of its own: JSON
// that follows the published schema (docs/schema), with the name and version
// of the format inside. Bytes go in, a valid template comes out, and the same
// bytes again.
package templatefile

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"

	"fanfold/internal/core/template"
)

// Format and Version stand at the head of every file.
const (
	Format  = "fanfold-template"
	Version = 9
)

// MaxBytes bounds a file.
const MaxBytes = 64 << 20

// Extension is the usual ending of a file's name.
const Extension = ".fanfold.json"

// Bad is the error of a file that cannot be taken: where, and why.
type Bad struct {
	Path   string // a JSON path; empty for the file as a whole
	Reason string
}

func (e *Bad) Error() string {
	if e.Path == "" {
		return "template file: " + e.Reason
	}
	return fmt.Sprintf("template file, %s: %s", e.Path, e.Reason)
}

type envelope struct {
	Format   string             `json:"format"`
	Version  int                `json:"version"`
	Template *template.Template `json:"template"`
}

// Write writes a template. Equal templates give equal bytes.
func Write(w io.Writer, t *template.Template) error {
	out := json.NewEncoder(w)
	out.SetIndent("", " ")
	out.SetEscapeHTML(false)
	if err := out.Encode(envelope{Format, Version, t}); err != nil {
		return fmt.Errorf("write template file: %w", err)
	}
	return nil
}

// Read reads a template and checks it against the schema and against every
// invariant. The error is a *Bad, or one of r.
func Read(r io.Reader) (*template.Template, error) { return ReadWithin(context.Background(), r) }

// ReadWithin is Read that ends with a context.
func ReadWithin(ctx context.Context, r io.Reader) (*template.Template, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("read template file: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, &Bad{Reason: fmt.Sprintf("it is larger than %d MiB", MaxBytes>>20)}
	}
	version, err := checkHead(data)
	if err != nil {
		return nil, err
	}
	c, err := checkers[version]()
	if err != nil {
		return nil, fmt.Errorf("template schema: %w", err)
	}
	if err := c.file(ctx, data); err != nil {
		return nil, err
	}
	return decode(data)
}

func decode(data []byte) (*template.Template, error) {
	var file envelope
	if err := json.Unmarshal(data, &file); err != nil {
		return nil, &Bad{Reason: err.Error()}
	}
	return checked(file.Template)
}

// checked puts a template that was read in order, and checks every invariant.
func checked(t *template.Template) (*template.Template, error) {
	if t == nil {
		return nil, &Bad{Path: "template", Reason: "it is missing"}
	}
	t.Normalise()
	if err := t.Validate(); err != nil {
		var invalid *template.Invalid
		if errors.As(err, &invalid) {
			return nil, &Bad{Path: "template." + invalid.Path, Reason: invalid.Reason}
		}
		return nil, &Bad{Reason: err.Error()}
	}
	return t, nil
}

// checkHead returns the version of the file.
func checkHead(data []byte) (int, error) {
	var head struct {
		Format  string  `json:"format"`
		Version float64 `json:"version"`
	}
	var syntax *json.SyntaxError
	if err := json.Unmarshal(data, &head); errors.As(err, &syntax) {
		line := 1 + bytes.Count(data[:min(int(syntax.Offset), len(data))], []byte("\n"))
		return 0, &Bad{Reason: fmt.Sprintf("line %d is not JSON: %s", line, syntax)}
	} else if err != nil {
		return 0, &Bad{Reason: "it is not a template file: " + err.Error()}
	}
	switch {
	case head.Format != Format:
		return 0, &Bad{Path: "format", Reason: fmt.Sprintf("it says %q, not %q; this is not a template file", head.Format, Format)}
	case head.Version > Version:
		return 0, &Bad{Path: "version", Reason: fmt.Sprintf("the file is version %g, this program reads up to version %d; use a newer Fanfold", head.Version, Version)}
	case head.Version < 1 || head.Version != math.Trunc(head.Version):
		return 0, &Bad{Path: "version", Reason: fmt.Sprintf("there is no version %g", head.Version)}
	}
	return int(head.Version), nil
}
