package templatefile

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"fanfold/docs/schema"
	"fanfold/internal/core/template"
)

// The bounds of what is checked at once: a schema tells everything that is wrong with
// it, at a kilobyte each, however many that are.
const (
	mostOfOne  = 8 << 20 // bytes of one instrument, one call
	mostOfList = 200_000 // things in one list of a template
	atOnce     = 64      // things of a list within
)

// checker checks a file against a published schema, thing by thing, up to the first
// that is wrong: in time and memory in proportion to the file.
type checker struct {
	mu       sync.Mutex
	compiler *jsonschema.Compiler
	name     string
	doc      map[string]any
	compiled map[string]*jsonschema.Schema // by pointer
}

// checkers are those of versions 1 to Version, made at their first use.
var checkers = func() (out [Version + 1]func() (*checker, error)) {
	for v := 1; v <= Version; v++ {
		out[v] = sync.OnceValues(func() (*checker, error) { return newChecker(fmt.Sprintf("template-%d.schema.json", v)) })
	}
	return out
}()

func newChecker(name string) (*checker, error) {
	data, err := schema.Templates.ReadFile(name)
	if err != nil {
		return nil, err
	}
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	c := &checker{compiler: jsonschema.NewCompiler(), name: name, doc: doc.(map[string]any), compiled: map[string]*jsonschema.Schema{}}
	return c, c.compiler.AddResource(name, doc)
}

// at is the schema at a pointer of the file, compiled at its first use.
func (c *checker) at(pointer string) (*jsonschema.Schema, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if s := c.compiled[pointer]; s != nil {
		return s, nil
	}
	s, err := c.compiler.Compile(c.name + "#" + pointer)
	if err == nil {
		c.compiled[pointer] = s
	}
	return s, err
}

// follow resolves a pointer to the place it refers to, and what is there.
func (c *checker) follow(pointer string) (string, map[string]any) {
	for {
		var at any = c.doc
		for part := range strings.SplitSeq(strings.TrimPrefix(pointer, "/"), "/") {
			m, ok := at.(map[string]any)
			if !ok {
				return pointer, nil
			}
			if part != "" {
				at = m[part]
			}
		}
		there, _ := at.(map[string]any)
		ref, ok := there["$ref"].(string)
		if !ok {
			return pointer, there
		}
		pointer = strings.TrimPrefix(ref, "#")
	}
}

// file checks a whole file.
func (c *checker) file(ctx context.Context, data []byte) error {
	d := json.NewDecoder(bytes.NewReader(data))
	outer := map[string]any{}
	err := c.object(d, "the file", func(key string) error {
		if key != "template" {
			return c.keep(d, outer, key, key)
		}
		inner := map[string]any{}
		outer[key] = inner
		err := c.object(d, key, func(key string) error {
			pointer, is := c.follow("/properties/template/properties/" + key)
			if is == nil || is["type"] != "array" {
				return c.keep(d, inner, key, "template."+key)
			}
			first, err := c.list(ctx, d, pointer, is, "template."+key)
			inner[key] = first
			return err
		})
		if errors.Is(err, errNoObject) {
			return &Bad{Path: key, Reason: "it is not an object"}
		}
		return err
	})
	if err != nil {
		return err
	}
	return c.whole("", outer, "")
}

var errNoObject = errors.New("no object")

// object calls f for each key; f reads the value.
func (c *checker) object(d *json.Decoder, where string, f func(key string) error) error {
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return errNoObject
	}
	seen := map[string]bool{}
	for d.More() {
		t, err := d.Token()
		if err != nil {
			return &Bad{Reason: err.Error()}
		}
		key, _ := t.(string)
		if seen[key] {
			return &Bad{Path: key, Reason: fmt.Sprintf("%s says it twice", where)}
		}
		seen[key] = true
		if err := f(key); err != nil {
			return err
		}
	}
	_, err := d.Token()
	return err
}

// one reads one value, of so many bytes at most.
func one(d *json.Decoder, path string) (any, error) {
	var raw json.RawMessage
	if err := d.Decode(&raw); err != nil {
		return nil, &Bad{Path: path, Reason: err.Error()}
	}
	if len(raw) > mostOfOne {
		return nil, &Bad{Path: path, Reason: fmt.Sprintf("it is larger than %d MiB", mostOfOne>>20)}
	}
	if template.HoldsNUL(raw) {
		return nil, &Bad{Path: path, Reason: "a text in it holds a NUL character"}
	}
	return jsonschema.UnmarshalJSON(bytes.NewReader(raw))
}

func (c *checker) keep(d *json.Decoder, into map[string]any, key, path string) error {
	v, err := one(d, path)
	into[key] = v
	return err
}

// list checks each thing of a list and returns the first of them, for the whole to be
// checked with.
func (c *checker) list(ctx context.Context, d *json.Decoder, pointer string, is map[string]any, path string) ([]any, error) {
	if t, err := d.Token(); err != nil || t != json.Delim('[') {
		return nil, &Bad{Path: path, Reason: "it is not a list"}
	}
	most := mostOfList
	if n, err := strconv.Atoi(fmt.Sprint(is["maxItems"])); err == nil {
		most = n
	}
	var first []any
	for n := 0; d.More(); n++ {
		at := fmt.Sprintf("%s.%d", path, n)
		if n == most {
			return nil, &Bad{Path: path, Reason: fmt.Sprintf("it holds more than %d", most)}
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		v, err := one(d, at)
		if err != nil {
			return nil, err
		}
		if err := c.thing(pointer+"/items", v, at); err != nil {
			return nil, err
		}
		if n < 1 {
			first = append(first, v)
		}
	}
	_, err := d.Token()
	if first == nil {
		first = []any{}
	}
	return first, err
}

// thing checks a value: long lists in it part by part first, then itself with what is
// left of them.
func (c *checker) thing(pointer string, v any, path string) error {
	short, err := c.shorten(pointer, v, path)
	if err != nil {
		return err
	}
	return c.whole(pointer, short, path)
}

// shorten checks the lists in a value that are longer than what is checked at once, and
// returns the value with their beginnings.
func (c *checker) shorten(pointer string, v any, path string) (any, error) {
	at, is := c.follow(pointer)
	switch v := v.(type) {
	case map[string]any:
		if len(v) > 4*atOnce {
			return nil, &Bad{Path: path, Reason: fmt.Sprintf("it holds %d fields", len(v))}
		}
		keys := make([]string, 0, len(v))
		for key := range v {
			keys = append(keys, key)
		}
		slices.Sort(keys)
		out := make(map[string]any, len(v))
		for _, key := range keys {
			inner := at + "/properties/" + key
			if properties, _ := is["properties"].(map[string]any); properties[key] == nil {
				inner = at + "/additionalProperties"
			}
			short, err := c.shorten(inner, v[key], path+"."+key)
			if err != nil {
				return nil, err
			}
			out[key] = short
		}
		return out, nil
	case []any:
		if most, err := strconv.Atoi(fmt.Sprint(is["maxItems"])); err == nil && len(v) > most {
			return nil, &Bad{Path: path, Reason: fmt.Sprintf("it holds %d, more than %d", len(v), most)}
		}
		if len(v) <= atOnce {
			out := make([]any, len(v))
			for n := range v {
				short, err := c.shorten(at+"/items", v[n], fmt.Sprintf("%s.%d", path, n))
				if err != nil {
					return nil, err
				}
				out[n] = short
			}
			return out, nil
		}
		if is["items"] == nil {
			return nil, &Bad{Path: path, Reason: "it is a long list where none is known"}
		}
		first := make([]any, 0, atOnce)
		for n := range v {
			short, err := c.shorten(at+"/items", v[n], fmt.Sprintf("%s.%d", path, n))
			if err == nil {
				err = c.whole(at+"/items", short, fmt.Sprintf("%s.%d", path, n))
			}
			if err != nil {
				return nil, err
			}
			if n < atOnce {
				first = append(first, short)
			}
		}
		return first, nil
	}
	return v, nil
}

// whole checks a value, and says the first thing that is wrong with it.
func (c *checker) whole(pointer string, v any, path string) error {
	s, err := c.at(pointer)
	if err != nil {
		return fmt.Errorf("template schema: %w", err)
	}
	err = s.Validate(v)
	var wrong *jsonschema.ValidationError
	if !errors.As(err, &wrong) {
		return err
	}
	for len(wrong.Causes) > 0 {
		wrong = wrong.Causes[0]
	}
	if at := strings.Join(wrong.InstanceLocation, "."); at != "" && path != "" {
		path += "." + at
	} else if at != "" {
		path = at
	}
	return &Bad{Path: path, Reason: wrong.ErrorKind.LocalizedString(message.NewPrinter(language.English))}
}
