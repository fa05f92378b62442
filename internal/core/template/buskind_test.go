package template_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
)

func TestEveryKindOfBusIsFound(t *testing.T) {
	only := 0
	for n := range template.BusTypes {
		is := &template.BusTypes[n]
		require.Same(t, is, is.Kind.Is())
		require.NotEmpty(t, is.Words)
		require.NotEmpty(t, is.Many)
		require.Equal(t, is.Beyond, is.Chain == template.ChainNever, "what is done beyond the stems is not a chain of theirs")
		require.False(t, is.Stem && is.Beyond)
		if is.Only {
			only++
		}
	}
	require.Equal(t, 1, only)
	require.Equal(t, []template.BusKind{template.Group, template.Return, template.Stem}, template.SightBuses)
	require.False(t, template.BusKind("other").Is().Stem)
}
