package api

import (
	"bytes"
	"context"
	"net/http"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/format/sheet"
)

// noted are the operations that are noted, with what was done in words, and to whom or what. Coming in
// is noted where it happens. A test asks that all are here by which somebody is let in, something is
// deleted for good, or who is in the studio is changed.
var noted = map[string]struct {
	words string
	about func(ctx context.Context, a *app.App, p app.Person, request any) string
}{
	"ChangePassword": {"changed their password", nil},
	"EndSessions":    {"signed out everywhere else", nil},
	"Invite": {"invited", func(_ context.Context, _ *app.App, _ app.Person, request any) string {
		r, _ := request.(gen.InviteRequestObject)
		return r.Body.Email + ", " + string(r.Body.Role)
	}},
	"EndInvitation": {"ended the invitation of", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.EndInvitationRequestObject)
		return a.InvitationName(ctx, p, r.Id)
	}},
	"SetRole": {"set the role of", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.SetRoleRequestObject)
		return a.MemberName(ctx, p, r.Id) + ", " + string(r.Body.Role)
	}},
	"RemoveMember": {"removed", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.RemoveMemberRequestObject)
		return a.MemberName(ctx, p, r.Id)
	}},
	"LetBackIn": {"made a link for another password of", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.LetBackInRequestObject)
		return a.MemberName(ctx, p, r.Id)
	}},
	"MakeCredential": {"made a credential for the machine", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.MakeCredentialRequestObject)
		return a.MachineName(ctx, p, r.Body.Machine)
	}},
	"RevokeCredential": {"revoked a credential of the machine", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.RevokeCredentialRequestObject)
		return a.CredentialName(ctx, p, r.Credential)
	}},
	"Deliver": {"delivered to", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.DeliverRequestObject)
		var names []string
		for _, id := range r.Body.Prints {
			names = append(names, a.PrintName(ctx, p, id))
		}
		return r.Body.To + ": " + strings.Join(names, "; ")
	}},
	"NewLink": {"made a link to the delivery", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.NewLinkRequestObject)
		return a.DeliveryName(ctx, p, r.Id)
	}},
	"EndLink": {"ended the link to the delivery", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.EndLinkRequestObject)
		return a.DeliveryName(ctx, p, r.Id)
	}},
	"DeletePrint": {"deleted the print", func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, _ := request.(gen.DeletePrintRequestObject)
		return a.PrintName(ctx, p, r.Id)
	}},
}

// mostAbout bounds what is noted of whom or what, bytes.
const mostAbout = 500

// noting notes an operation once it is done. What it is about is asked for before, while it is there.
func (s *server) noting(ctx context.Context, operation string, p app.Person, request any) (done func()) {
	n, ok := noted[operation]
	if !ok {
		return func() {}
	}
	about := ""
	if n.about != nil {
		about = n.about(ctx, s.app, p, request)
	}
	return func() { s.note(ctx, p, n.words, about) }
}

func (s *server) note(ctx context.Context, p app.Person, what, about string) {
	address, _ := ctx.Value(addressKey{}).(string)
	s.app.Note(ctx, p, what, strings.ToValidUTF8(about[:min(len(about), mostAbout)], ""), hostIn(address))
}

// Notes implements the contract.
func (s *server) Notes(ctx context.Context, r gen.NotesRequestObject) (gen.NotesResponseObject, error) {
	list, err := s.app.Notes(ctx, person(ctx), or(r.Params.Before, 0))
	out := gen.Notes200JSONResponse{}
	for _, n := range list {
		out = append(out, gen.Note{Id: n.ID, At: n.At, Who: n.Name, What: n.What, About: n.About, From: n.Address})
	}
	return out, err
}

// NotesSheet implements the contract.
func (s *server) NotesSheet(ctx context.Context, _ gen.NotesSheetRequestObject) (gen.NotesSheetResponseObject, error) {
	t, err := s.app.NotesSheet(ctx, person(ctx))
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = sheet.Write(&b, t)
	return download{name: "What was done.csv", mediaType: "text/csv; charset=utf-8", data: b.Bytes()}, err
}

// VisitNotesSheetResponse implements the generated response.
func (d download) VisitNotesSheetResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}
