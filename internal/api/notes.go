package api

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/template"
	"fanfold/internal/format/sheet"
)

// aboutOf says whom or what a request is about.
type aboutOf func(ctx context.Context, a *app.App, p app.Person, request any) string

// about is an aboutOf of requests of one type.
func about[R any](say func(ctx context.Context, a *app.App, p app.Person, r R) string) aboutOf {
	return func(ctx context.Context, a *app.App, p app.Person, request any) string {
		r, ok := request.(R)
		if !ok {
			return ""
		}
		return say(ctx, a, p, r)
	}
}

// byID is an aboutOf of requests that are about one thing, by its ID.
func byID[R, ID any](id func(R) ID, name func(*app.App, context.Context, app.Person, ID) string) aboutOf {
	return about(func(ctx context.Context, a *app.App, p app.Person, r R) string { return name(a, ctx, p, id(r)) })
}

// noted are the operations that are noted, with what was done in words, and to whom or what. Coming in
// is noted where it happens. A test asks that all are here by which somebody is let in, something is
// deleted for good, or who is in the studio is changed.
var noted = map[string]struct {
	words string
	about aboutOf
}{
	"ChangePassword": {"changed their password", nil},
	"EndSessions":    {"signed out everywhere else", nil},
	"UseCodes":       {"turned on codes at sign-in", nil},
	"EndCodes":       {"turned off codes at sign-in", nil},
	"KeepPasskey": {"added the passkey", about(func(_ context.Context, _ *app.App, _ app.Person, r gen.KeepPasskeyRequestObject) string {
		return r.Body.Name
	})},
	"RemovePasskey": {"removed the passkey", byID(func(r gen.RemovePasskeyRequestObject) uuid.UUID { return r.Id }, (*app.App).PasskeyName)},
	"Invite": {"invited", about(func(_ context.Context, _ *app.App, _ app.Person, r gen.InviteRequestObject) string {
		return r.Body.Email + " as " + string(r.Body.Role)
	})},
	"EndInvitation": {"ended the invitation of", byID(func(r gen.EndInvitationRequestObject) uuid.UUID { return r.Id }, (*app.App).InvitationName)},
	"SetRole": {"changed the role of", about(func(ctx context.Context, a *app.App, p app.Person, r gen.SetRoleRequestObject) string {
		return a.MemberName(ctx, p, r.Id) + " to " + string(r.Body.Role)
	})},
	"RemoveMember":     {"removed", byID(func(r gen.RemoveMemberRequestObject) uuid.UUID { return r.Id }, (*app.App).MemberName)},
	"LetBackIn":        {"made a password link for", byID(func(r gen.LetBackInRequestObject) uuid.UUID { return r.Id }, (*app.App).MemberName)},
	"MakeCredential":   {"made a credential for the machine", byID(func(r gen.MakeCredentialRequestObject) template.ID { return r.Body.Machine }, (*app.App).MachineName)},
	"RevokeCredential": {"revoked a credential of the machine", byID(func(r gen.RevokeCredentialRequestObject) uuid.UUID { return r.Credential }, (*app.App).CredentialName)},
	"Deliver": {"delivered to", about(func(ctx context.Context, a *app.App, p app.Person, r gen.DeliverRequestObject) string {
		text := r.Body.To + ": "
		for n, id := range r.Body.Prints {
			if n == mostNamed {
				return text + fmt.Sprintf("; and %d more", len(r.Body.Prints)-n)
			}
			if n > 0 {
				text += "; "
			}
			text += a.PrintName(ctx, p, id)
		}
		return text
	})},
	"NewLink":       {"made a link to the delivery", byID(func(r gen.NewLinkRequestObject) uuid.UUID { return r.Id }, (*app.App).DeliveryName)},
	"EndLink":       {"ended the link to the delivery", byID(func(r gen.EndLinkRequestObject) uuid.UUID { return r.Id }, (*app.App).DeliveryName)},
	"ArchiveStudio": {"took out the whole studio", nil},
	"EndStudio":     {"deleted the studio", nil},
	"KeepStudio":    {"kept the studio", nil},
	"ShareTemplate": {"shared by a link", about(func(ctx context.Context, a *app.App, p app.Person, r gen.ShareTemplateRequestObject) string {
		return a.TemplateName(ctx, p, r.Id, app.ShareKind(r.Body.Kind)) + ", to " + r.Body.To
	})},
	"EndShare":     {"ended the link to", byID(func(r gen.EndShareRequestObject) uuid.UUID { return r.Id }, (*app.App).ShareName)},
	"EndTemplate":  {"deleted the template", byID(func(r gen.EndTemplateRequestObject) uuid.UUID { return r.Id }, nameOfTemplate)},
	"KeepTemplate": {"brought back the template", byID(func(r gen.KeepTemplateRequestObject) uuid.UUID { return r.Id }, nameOfTemplate)},
	"DeletePrint":  {"deleted the print", byID(func(r gen.DeletePrintRequestObject) uuid.UUID { return r.Id }, (*app.App).PrintName)},
}

// mostNamed is how many prints of a delivery are noted by name.
const mostNamed = 10

// mostAbout bounds what is noted of whom or what, bytes.
const mostAbout = 500

// noting notes an operation once it is done. What it is about is asked for before, while it is there.
func (s *server) noting(ctx context.Context, operation string, p app.Person, request any) (done func()) {
	n, ok := noted[operation]
	if !ok {
		return func() {}
	}
	whom := ""
	if n.about != nil {
		whom = n.about(ctx, s.app, p, request)
	}
	return func() { s.note(ctx, p, n.words, whom) }
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
	return download{name: "Activity.csv", mediaType: "text/csv; charset=utf-8", data: b.Bytes()}, err
}

// VisitNotesSheetResponse implements the generated response.
func (d download) VisitNotesSheetResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}

func nameOfTemplate(a *app.App, ctx context.Context, p app.Person, id uuid.UUID) string {
	return a.TemplateName(ctx, p, id, app.ShareTemplate)
}
