package api

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/people"
	"fanfold/internal/store/db"
)

// Members implements the contract.
func (s *server) Members(ctx context.Context, _ gen.MembersRequestObject) (gen.MembersResponseObject, error) {
	p := person(ctx)
	list, err := s.app.Members(ctx, p)
	if err != nil {
		return nil, err
	}
	open, err := s.app.Invitations(ctx, p)
	if err != nil {
		return nil, err
	}
	out := gen.Members200JSONResponse{Members: []gen.Member{}, Invitations: []gen.OpenInvitation{}}
	for _, m := range list {
		x := gen.Member{Id: m.ID, Name: m.Name, Email: m.Email, Role: gen.Role(m.Role)}
		if m.SeenAt.Unix() > 0 {
			x.SeenAt = &m.SeenAt
		}
		out.Members = append(out.Members, x)
	}
	for _, i := range open {
		out.Invitations = append(out.Invitations, gen.OpenInvitation{Id: i.ID, Email: i.Email, Role: gen.Role(i.Role), Again: i.PersonID.Valid, Ends: i.EndsAt})
	}
	for _, r := range people.Roles {
		out.Roles = append(out.Roles, gen.RoleCan{Role: gen.Role(r), Can: r.Can()})
	}
	return out, nil
}

// SetRole implements the contract.
func (s *server) SetRole(ctx context.Context, r gen.SetRoleRequestObject) (gen.SetRoleResponseObject, error) {
	err := s.app.SetRole(ctx, person(ctx), r.Id, people.Role(r.Body.Role))
	s.known.forgetWho()
	return gen.SetRole204Response{}, err
}

// RemoveMember implements the contract.
func (s *server) RemoveMember(ctx context.Context, r gen.RemoveMemberRequestObject) (gen.RemoveMemberResponseObject, error) {
	ended, err := s.app.RemoveMember(ctx, person(ctx), r.Id)
	s.endAll(ended)
	return gen.RemoveMember204Response{}, err
}

// Invite implements the contract.
func (s *server) Invite(ctx context.Context, r gen.InviteRequestObject) (gen.InviteResponseObject, error) {
	id, secret, err := s.app.Invite(ctx, person(ctx), r.Body.Email, people.Role(r.Body.Role), r.Body.Days)
	return gen.Invite201JSONResponse{Id: id, Secret: secret}, err
}

// LetBackIn implements the contract.
func (s *server) LetBackIn(ctx context.Context, r gen.LetBackInRequestObject) (gen.LetBackInResponseObject, error) {
	id, secret, err := s.app.LetBackIn(ctx, person(ctx), r.Id)
	return gen.LetBackIn201JSONResponse{Id: id, Secret: secret}, err
}

// EndInvitation implements the contract.
func (s *server) EndInvitation(ctx context.Context, r gen.EndInvitationRequestObject) (gen.EndInvitationResponseObject, error) {
	return gen.EndInvitation204Response{}, s.app.EndInvitation(ctx, person(ctx), r.Id)
}

// InvitationBy implements the contract.
func (s *server) InvitationBy(ctx context.Context, r gen.InvitationByRequestObject) (gen.InvitationByResponseObject, error) {
	x, err := s.app.InvitationBy(ctx, r.Secret)
	out := gen.InvitationBy200JSONResponse{Studio: x.Studio, Email: x.Email, Role: gen.Role(x.Role), Ends: x.Ends}
	if x.Name != "" {
		out.Name = &x.Name
	}
	return out, err
}

// TakeInvitation implements the contract.
func (s *server) TakeInvitation(ctx context.Context, r gen.TakeInvitationRequestObject) (gen.TakeInvitationResponseObject, error) {
	who, err := s.takeInvitation(ctx, r.Secret, or(r.Body.Name, ""), app.WayIn{Password: r.Body.Password})
	return gen.TakeInvitation200JSONResponse(who), err
}

func (s *server) takeInvitation(ctx context.Context, secret, name string, by app.WayIn) (who gen.Person, err error) {
	if err := s.allowed(ctx); err != nil {
		return who, err
	}
	invitation, err := s.app.InvitationBy(ctx, secret)
	if err != nil {
		return who, err
	}
	row, ended, err := s.app.TakeInvitation(ctx, secret, name, by)
	if err != nil {
		return who, err
	}
	s.endAll(ended)
	what := "joined the studio"
	if invitation.Name != "" {
		what = "was let back in by a link"
	}
	s.note(ctx, app.Person{ID: row.ID, Studio: row.StudioID, Name: row.Name}, what, "as "+row.Email)
	return s.enter(ctx, row, "")
}

// ChangePassword implements the contract.
func (s *server) ChangePassword(ctx context.Context, r gen.ChangePasswordRequestObject) (gen.ChangePasswordResponseObject, error) {
	p := person(ctx)
	row, err := s.store.Queries().PersonWhole(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	address, _ := ctx.Value(addressKey{}).(string)
	if !s.attempts.allow(address, row.Email) {
		return nil, errTooMany
	}
	if row.PasswordHash != "" { // who came by a passkey has none yet
		if right, err := s.attempts.check(ctx, row.PasswordHash, or(r.Body.Was, "")); err != nil {
			return nil, err
		} else if !right {
			return nil, errWrongPassword
		}
	}
	ended, err := s.app.SetPassword(ctx, p, row.Email, r.Body.Becomes, s.sessions.Token(ctx))
	s.endAll(ended)
	return gen.ChangePassword204Response{}, err
}

// Sessions implements the contract.
func (s *server) Sessions(ctx context.Context, _ gen.SessionsRequestObject) (gen.SessionsResponseObject, error) {
	list, err := s.store.Queries().SessionsOf(ctx, optional(person(ctx).ID))
	out := gen.Sessions200JSONResponse{}
	for _, x := range list {
		out = append(out, gen.SignedIn{Agent: x.Agent, Address: x.Address, Since: x.BeganAt, Until: x.Expiry, Here: x.Token == s.sessions.Token(ctx)})
	}
	return out, err
}

// EndSessions implements the contract.
func (s *server) EndSessions(ctx context.Context, _ gen.EndSessionsRequestObject) (gen.EndSessionsResponseObject, error) {
	ended, err := s.store.Queries().SessionsEndOf(ctx, db.SessionsEndOfParams{PersonID: optional(person(ctx).ID), But: s.sessions.Token(ctx)})
	s.endAll(ended)
	return gen.EndSessions204Response{}, err
}

// endAll takes in at once that sessions were ended; other servers are told of them.
func (s *server) endAll(tokens []string) {
	for _, token := range tokens {
		s.known.forget(token)
		s.streams.end(token)
	}
}

func optional(id uuid.UUID) pgtype.UUID { return pgtype.UUID{Bytes: id, Valid: true} }
