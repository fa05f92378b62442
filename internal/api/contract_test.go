package api_test

import (
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"fanfold/internal/core/compare"
	"fanfold/internal/core/template"
)

type contract struct {
	Components struct {
		Schemas map[string]struct {
			Properties map[string]struct{ Enum []string }
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
