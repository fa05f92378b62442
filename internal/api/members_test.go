package api_test

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
	"fanfold/internal/core/people"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

type member struct{ ID, Name, Email, Role string }

type memberList struct {
	Members     []member
	Invitations []struct {
		ID, Email, Role string
		Again           bool
	}
	Roles []struct {
		Role string
		Can  []string
	}
}

type invited struct{ ID, Secret string }

const wanderers = "harbour lamps wander seven"

// comes invites somebody, who accepts.
func (s *server) comes(t *testing.T, owner *client, name string, role people.Role) *client {
	link := as[invited](t, owner.do("POST", "/api/invitations", map[string]any{"email": name + "@studio.example", "role": role, "days": 3}))
	c := s.client(t)
	answer := c.do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": name, "password": wanderers})
	require.Equal(t, 200, answer.status, string(answer.body))
	return c
}

// Every operation of the contract with every role, and signed out: who may, may, and who may not is told
// so. docs/roles.md, which people can read, says the same.
func TestEveryOperationWithEveryRole(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	who := map[people.Role]*client{people.Owner: ada}
	for _, r := range people.Roles[1:] {
		who[r] = s.comes(t, ada, string(r), r)
	}
	id := ada.newTemplate("Mine")[len("/api/templates/"):]
	doc := theContract(t)
	var table []string
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			doing := api.DoingOf(o.OperationID, method)
			row := fmt.Sprintf("| %s | `%s %s` |", o.OperationID, method, strings.TrimPrefix(path, "/api"))
			for _, r := range people.Roles {
				may := "–"
				if r.May(doing) {
					may = "yes"
				}
				row += " " + may + " |"
			}
			table = append(table, row)
			if strings.HasPrefix(path, "/api/session") && path != "/api/session/password" && path != "/api/session/all" {
				continue // of oneself, and open to all
			}
			asked := strings.NewReplacer("{id}", id, "palette/{format}", "palette/json", "handbook/{format}", "handbook/pdf", "report/{format}", "report/pdf", "follow/{format}", "follow/midi", "{format}", "smf", "{revision}", "1", "{number}", "0", "{pair}", "1",
				"{scan}", id, "{session}", id, "{version}", id, "{before}", id, "{credential}", id).Replace(path)
			asked = strings.NewReplacer("{", "", "}", "").Replace(asked)
			require.Equal(t, 401, s.client(t).do(method, asked, maker{}.body(o)).status, "%s %s signed out", method, path)
			for _, r := range people.Roles {
				if r == people.Owner || r.May(doing) && (method != "GET" || path == "/api/session/all") {
					continue // it would be done
				}
				answer := who[r].do(method, asked, maker{}.body(o))
				if r.May(doing) {
					require.NotEqual(t, 403, answer.status, "%s as %s", o.OperationID, r)
					continue
				}
				require.Equal(t, 403, answer.status, "%s as %s: %s", o.OperationID, r, answer.body)
				require.Equal(t, "not-allowed", answer.field(t, "code"))
			}
		}
	}
	slices.Sort(table)
	text, err := os.ReadFile("../../docs/roles.md")
	require.NoError(t, err)
	const line = "| --- | --- |\n"
	head, rows, _ := strings.Cut(string(text), line)
	if want := strings.Join(table, "\n") + "\n"; os.Getenv("FANFOLD_RENEW") != "" {
		require.NoError(t, os.WriteFile("../../docs/roles.md", []byte(head+line+want), 0o644))
	} else {
		require.Equal(t, want, rows, "renew docs/roles.md with FANFOLD_RENEW=1 go test ./internal/api -run TestEveryOperationWithEveryRole, and read what became another")
	}
}

// A reader looks and takes out; what they may look at cannot be made to change anything.
func TestAReader(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	path := ada.newTemplate("Salt")
	require.Equal(t, 200, ada.do("POST", path+"/import?take=true", []byte(list)).status)
	other := ada.newTemplate("Other")
	reader := s.comes(t, ada, "rita", people.Reader)
	require.Equal(t, 200, reader.do("GET", path+"/export/smf", nil).status)
	require.Equal(t, "reader", as[member](t, reader.do("GET", "/api/session", nil)).Role)
	d := reader.do("POST", other+"/compare", map[string]any{"with": path[len("/api/templates/"):]})
	require.Equal(t, 200, d.status, string(d.body))
	first := d.field(t, "differences").([]any)[0].(map[string]any)
	taken := reader.do("POST", other+"/compare", map[string]any{"with": path[len("/api/templates/"):], "take": []any{map[string]any{"noun": first["noun"], "id": first["id"]}}})
	require.Equal(t, 403, taken.status, string(taken.body))
	require.Contains(t, string(taken.body), "a reader of this studio cannot change anything")
}

// Somebody is invited, comes, becomes more, leaves and comes again; what an invitation is for is told
// before it is taken, and it is good once.
func TestMembersComeAndGo(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	link := as[invited](t, ada.do("POST", "/api/invitations", map[string]any{"email": "Bo@Studio.example", "role": "assistant", "days": 3}))
	require.Len(t, as[memberList](t, ada.do("GET", "/api/members", nil)).Invitations, 1)
	bo := s.client(t)
	told := bo.do("GET", "/api/session/invitation/"+link.Secret, nil)
	require.Equal(t, 200, told.status)
	require.Equal(t, "ada's studio", told.field(t, "studio"))
	require.Equal(t, "assistant", told.field(t, "role"))
	for password, says := range map[string]string{"short": "at least 10 characters", "password1234": "easy to guess", "bo@studio.example": "easy to guess"} {
		require.Contains(t, string(bo.do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": "Bo", "password": password}).body), says)
	}
	require.Contains(t, string(bo.do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": " ", "password": wanderers}).body), "the name is empty")
	require.Equal(t, 200, bo.do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": "Bo", "password": wanderers}).status)
	require.Equal(t, 404, s.client(t).do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"name": "Eve", "password": wanderers}).status, "it is good once")
	all := as[memberList](t, bo.do("GET", "/api/members", nil))
	require.Len(t, all.Members, 2)
	require.Empty(t, all.Invitations)
	require.Equal(t, "Bo", all.Members[1].Name)
	require.Len(t, all.Roles, len(people.Roles))

	// More, and at once.
	require.Equal(t, 403, bo.do("POST", "/api/invitations", map[string]any{"email": "x@studio.example", "role": "reader", "days": 3}).status)
	require.Equal(t, 204, ada.do("PUT", "/api/members/"+all.Members[1].ID, map[string]any{"role": "owner"}).status)
	mine := as[invited](t, bo.do("POST", "/api/invitations", map[string]any{"email": "x@studio.example", "role": "reader", "days": 3}))
	require.Equal(t, 204, bo.do("DELETE", "/api/invitations/"+mine.ID, nil).status)
	require.Equal(t, 404, s.client(t).do("GET", "/api/session/invitation/"+mine.Secret, nil).status, "it was ended")

	// Two owners: one goes; the last one stays.
	require.Equal(t, 204, ada.do("DELETE", "/api/members/"+all.Members[1].ID, nil).status)
	require.Equal(t, 401, bo.do("GET", "/api/templates", nil).status, "signed out at once")
	require.Equal(t, 401, bo.do("POST", "/api/session", map[string]string{"email": "bo@studio.example", "password": wanderers}).status)
	for _, ask := range [][2]string{{"DELETE", ""}, {"PUT", "reader"}} {
		answer := ada.do(ask[0], "/api/members/"+all.Members[0].ID, map[string]any{"role": ask[1]})
		require.Equal(t, 422, answer.status)
		require.Contains(t, string(answer.body), "at least one owner")
	}
	again := s.comes(t, ada, "bo", people.Reader)
	require.Equal(t, all.Members[1].ID, as[member](t, again.do("GET", "/api/session", nil)).ID, "the same person, who did what they did")

	// Somebody of another studio, and no address.
	require.Contains(t, string(ada.do("POST", "/api/invitations", map[string]any{"email": "eve@studio.example", "role": "reader", "days": 3}).body), "another studio")
	require.Contains(t, string(ada.do("POST", "/api/invitations", map[string]any{"email": "bo@studio.example", "role": "reader", "days": 3}).body), "in the studio already")
	require.Contains(t, string(ada.do("POST", "/api/invitations", map[string]any{"email": "nobody", "role": "reader", "days": 3}).body), "not an email address")
}

// The secret of a link is told once and kept nowhere: not with the answers that are kept for requests
// that come again, either.
func TestSecretsAreNotKept(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	key := uuid.NewString()
	answer, err := ada.http.Do(keyed(s.URL, "/api/invitations", key, map[string]any{"email": "bo@studio.example", "role": "reader", "days": 3}))
	require.NoError(t, err)
	require.Equal(t, 201, answer.StatusCode)
	require.NoError(t, answer.Body.Close())
	id := as[member](t, ada.do("GET", "/api/session", nil)).ID
	_, err = s.store.Queries().AnswerGet(context.Background(), db.AnswerGetParams{Key: uuid.MustParse(key), PersonID: uuid.MustParse(id)})
	require.ErrorIs(t, store.NotFound(err), store.ErrNotFound)
}

// A password is changed, which signs out elsewhere; one that is forgotten is set again by an owner's
// link; and one signs out everywhere.
func TestPasswordsAndSessions(t *testing.T) {
	s := serve(t)
	ada, elsewhere := s.signedIn(t, "ada"), s.signedIn(t, "ada")
	list := as[[]struct{ Here bool }](t, ada.do("GET", "/api/session/all", nil))
	require.Len(t, list, 2)
	require.Equal(t, 403, ada.do("PUT", "/api/session/password", map[string]any{"was": "wrong", "becomes": wanderers}).status)
	require.Equal(t, 422, ada.do("PUT", "/api/session/password", map[string]any{"was": password, "becomes": "qwertyuiop"}).status)
	require.Equal(t, 404, s.client(t).do("GET", "/api/session/invitation/x", nil).status)
	require.Equal(t, 200, elsewhere.do("GET", "/api/templates", nil).status)
	require.Equal(t, 204, ada.do("PUT", "/api/session/password", map[string]any{"was": password, "becomes": wanderers}).status)
	require.Equal(t, 401, elsewhere.do("GET", "/api/templates", nil).status)
	require.Equal(t, 200, ada.do("GET", "/api/templates", nil).status)

	bo := s.comes(t, ada, "bo", people.Arranger)
	id := as[member](t, bo.do("GET", "/api/session", nil)).ID
	link := as[invited](t, ada.do("POST", "/api/members/"+id+"/password", nil))
	require.Equal(t, "bo", s.client(t).do("GET", "/api/session/invitation/"+link.Secret, nil).field(t, "name"))
	other := s.client(t)
	require.Equal(t, 200, other.do("POST", "/api/session/invitation/"+link.Secret, map[string]any{"password": wanderers + " again"}).status)
	require.Equal(t, 401, bo.do("GET", "/api/templates", nil).status)
	require.Equal(t, "arranger", as[member](t, other.do("GET", "/api/session", nil)).Role)

	third := s.client(t)
	require.Equal(t, 200, third.do("POST", "/api/session", map[string]string{"email": "bo@studio.example", "password": wanderers + " again"}).status)
	require.Equal(t, 204, third.do("DELETE", "/api/session/all", nil).status)
	require.Equal(t, 401, other.do("GET", "/api/templates", nil).status)
	require.Equal(t, 200, third.do("GET", "/api/templates", nil).status)
}

// What lets people in, is handed out or deleted for good, and who is in the studio, is noted: by whom,
// from where, of whom; for owners alone, and as CSV.
func TestWhatIsNoted(t *testing.T) {
	doc := theContract(t)
	for _, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			switch api.DoingOf(o.OperationID, method) {
			case people.Delete, people.Credentials, people.Members:
				require.True(t, method == "GET" || api.Noted(o.OperationID), o.OperationID)
			}
		}
	}
	s := serve(t)
	ada := s.signedIn(t, "ada")
	bo := s.comes(t, ada, "bo", people.Arranger)
	require.Equal(t, 401, s.client(t).do("POST", "/api/session", map[string]string{"email": "bo@studio.example", "password": "not this one"}).status)
	id := as[member](t, bo.do("GET", "/api/session", nil)).ID
	require.Equal(t, 204, ada.do("PUT", "/api/members/"+id, map[string]any{"role": "assistant"}).status)
	require.Equal(t, 404, ada.do("DELETE", "/api/invitations/"+id, nil).status, "what was not done is not noted")
	require.Equal(t, 204, ada.do("DELETE", "/api/members/"+id, nil).status)
	type note struct {
		ID                     int
		Who, What, About, From string
	}
	var said []string
	list := as[[]note](t, ada.do("GET", "/api/notes", nil))
	for _, n := range slices.Backward(list) {
		require.Equal(t, "127.0.0.1", n.From)
		said = append(said, strings.TrimSpace(n.Who+" "+n.What+" "+n.About))
	}
	require.Equal(t, []string{
		"ada signed in", "ada invited bo@studio.example as arranger", "bo joined the studio as bo@studio.example", "bo signed in",
		"bo gave a wrong password", "ada changed the role of bo to assistant", "ada removed bo",
	}, said)
	require.Len(t, as[[]note](t, ada.do("GET", fmt.Sprintf("/api/notes?before=%d", list[1].ID), nil)), len(list)-2)
	sheet := ada.do("GET", "/api/notes/sheet", nil)
	require.Equal(t, 200, sheet.status)
	require.Len(t, strings.Split(strings.TrimSpace(string(sheet.body)), "\r\n"), len(list)+1)
	require.Contains(t, string(sheet.body), `,ada,changed the role of,bo to assistant,127.0.0.1`)
	require.Empty(t, as[[]note](t, s.signedIn(t, "eve").do("GET", "/api/notes?before=1", nil)), "of one's own studio")
}

// BenchmarkMay is what a role is asked for each request.
func BenchmarkMay(b *testing.B) {
	for b.Loop() {
		if !people.Arranger.May(api.DoingOf("DeletePrint", "DELETE")) {
			b.Fatal()
		}
	}
}
