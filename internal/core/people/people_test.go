package people_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/people"
)

// Who may do what: every role with every doing.
func TestWhoMayDoWhat(t *testing.T) {
	want := map[people.Role][]people.Doing{
		people.Reader:    {people.Look},
		people.Assistant: {people.Look, people.Change},
		people.Arranger:  {people.Look, people.Change, people.Delete, people.Credentials},
		people.Owner:     {people.Look, people.Change, people.Delete, people.Credentials, people.Members},
		"":               nil,
		"admin":          nil,
	}
	for role, doings := range want {
		var may []people.Doing
		for _, x := range people.Doings {
			if role.May(x.Doing) {
				may = append(may, x.Doing)
			}
		}
		require.Equal(t, doings, may, role)
		require.False(t, role.May("anything else"), role)
	}
	require.EqualError(t, &people.Refused{Role: people.Reader, Doing: people.Members}, "a reader of this studio cannot manage members, or the studio as a whole; ask an owner")
	require.Len(t, people.Arranger.Can(), 4)
}
