package api_test

import (
	"encoding/json"
	"fmt"
	"os"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"fanfold/docs/schema"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
)

type contract struct {
	Components struct {
		Schemas map[string]struct {
			Properties map[string]struct {
				Enum  []string
				Items struct{ Enum []string }
			}
		}
	}
}

// The contract knows every field, noun and list of the core: one that is forgotten
// there would not reach browsers.
func TestTheContractKnowsEveryField(t *testing.T) {
	data, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	var c contract
	require.NoError(t, yaml.Unmarshal(data, &c))
	keys := func(x reflect.Type) (out []string) {
		for n := range x.NumField() {
			if key, _, _ := strings.Cut(x.Field(n).Tag.Get("json"), ","); key != "" {
				out = append(out, key)
			}
		}
		return out
	}
	for name, noun := range map[string]reflect.Type{
		"Instrument": reflect.TypeFor[template.Instrument](), "RowsSet": reflect.TypeFor[template.Fields](), "Bus": reflect.TypeFor[template.Bus](),
		"Section": reflect.TypeFor[template.Section](), "Patch": reflect.TypeFor[template.Patch](), "Machine": reflect.TypeFor[template.Machine](),
		"Call": reflect.TypeFor[template.Call](), "Library": reflect.TypeFor[template.Library](), "Player": reflect.TypeFor[template.Player](),
		"Template": reflect.TypeFor[template.Template](), "Sightline": reflect.TypeFor[template.Sightline](), "Settings": reflect.TypeFor[template.Settings](),
	} {
		require.NotEmpty(t, c.Components.Schemas[name].Properties, name)
		for _, key := range keys(noun) {
			if told := template.FieldOf(key); name == "RowsSet" && told != nil && told.Told == template.WithRow {
				continue // which deltas tell with the whole row
			}
			if name == "Template" && key == "castings" {
				continue // which the catalogue tells
			}
			require.Contains(t, c.Components.Schemas[name].Properties, key, name)
		}
	}
	var nouns []string
	for _, n := range compare.Nouns {
		nouns = append(nouns, string(n))
	}
	require.Equal(t, nouns, c.Components.Schemas["Difference"].Properties["noun"].Enum)
}

// The contract and the browser know every kind of bus as the core does.
func TestKindsOfBusAreSaidAlike(t *testing.T) {
	data, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	var c contract
	require.NoError(t, yaml.Unmarshal(data, &c))
	browser, err := os.ReadFile("../../web/src/model/buskinds.ts")
	require.NoError(t, err)
	words, err := os.ReadFile("../../web/src/model/words.ts")
	require.NoError(t, err)
	one, many := entries(t, words, "one"), entries(t, words, "many")
	var all, seen []string
	for _, is := range template.BusTypes {
		all = append(all, string(is.Kind))
		if is.Sight {
			seen = append(seen, string(is.Kind))
		}
		line := regexp.MustCompile(`(?m)^  ` + string(is.Kind) + `: \{.*$`).FindString(string(browser))
		require.NotEmpty(t, line, "web/src/model/buskinds.ts says nothing of %s", is.Kind)
		for flag, holds := range map[string]bool{"sends": is.Sends, "stem": is.Stem, "sums": is.Sums, "beyond": is.Beyond, "only": is.Only, "last": is.Last, "sight": is.Sight} {
			require.Equal(t, holds, strings.Contains(line, flag+": true"), "%s of %s", flag, is.Kind)
		}
		require.Equal(t, is.Words, one[string(is.Kind)])
		require.Equal(t, is.Many, many[string(is.Kind)])
	}
	require.Equal(t, all, c.Components.Schemas["Bus"].Properties["kind"].Enum)
	require.Equal(t, all, kindsInFiles(t, "bus"), "the file's schema")
	require.Equal(t, seen, c.Components.Schemas["Sightline"].Properties["buses"].Items.Enum)
}

// kindsInFiles are the kinds of a noun that the file's schema knows.
func kindsInFiles(t *testing.T, noun string) []string {
	t.Helper()
	var file struct {
		Defs map[string]struct {
			Properties struct{ Kind struct{ Enum []string } }
		} `json:"$defs"`
	}
	data, err := schema.Templates.ReadFile(fmt.Sprintf("template-%d.schema.json", templatefile.Version))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &file))
	return file.Defs[noun].Properties.Kind.Enum
}

// entries reads a list of words of the browser's catalogue.
func entries(t *testing.T, catalogue []byte, name string) map[string]string {
	t.Helper()
	list := regexp.MustCompile(`(?s)\b` + name + `: \{(.*?)\}`).FindSubmatch(catalogue)
	require.NotNil(t, list, name)
	out := map[string]string{}
	for _, m := range regexp.MustCompile(`(\w+): "([^"]*)"`).FindAllSubmatch(list[1], -1) {
		out[string(m[1])] = string(m[2])
	}
	return out
}

// The kinds of row are the same in the core, the contract, the file's schema and the browser.
func TestKindsOfRowAreSaidAlike(t *testing.T) {
	var all []string
	for _, k := range template.Kinds {
		all = append(all, string(k))
	}
	data, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	var c contract
	require.NoError(t, yaml.Unmarshal(data, &c))
	for _, list := range [][]string{
		c.Components.Schemas["Instrument"].Properties["kind"].Enum,
		c.Components.Schemas["RowsSet"].Properties["kind"].Enum,
	} {
		require.Equal(t, all, list)
	}
	require.Equal(t, all, kindsInFiles(t, "instrument"), "the file's schema")
	words, err := os.ReadFile("../../web/src/model/words.ts")
	require.NoError(t, err)
	said := entries(t, words, "kinds")
	require.Len(t, said, len(all))
	for _, k := range all {
		require.NotEmpty(t, said[k], "web/src/model/words.ts names no rows that are %s", k)
	}
}
