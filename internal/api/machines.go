package api

import (
	"context"
	"fmt"
	"strings"
	"time"

	"fanfold/internal/api/gen"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

// MakeCredential implements the contract.
func (s *server) MakeCredential(ctx context.Context, r gen.MakeCredentialRequestObject) (gen.MakeCredentialResponseObject, error) {
	h, p, err := s.open(ctx, r.Body.Template)
	if err != nil {
		return nil, err
	}
	m := h.View().Template.Index().Machines[r.Body.Machine]
	if m == nil {
		return nil, store.ErrNotFound
	}
	token, err := s.app.MakeCredential(ctx, p, m.ID, or(r.Body.Days, 0))
	if err != nil {
		return nil, err
	}
	// In the environment, it is not seen in the machine's list of processes.
	command := fmt.Sprintf("FANFOLD_CREDENTIAL=%s fanfold host --server %s --name %s --memory %g --cores %d --disk-rate %g", token, s.app.RigAddress(), shellQuote(m.Name), m.LimitMiB(), m.Cores, m.DiskMiBs)
	command += " --credential-file " + shellQuote(handover.FileName(m.Name)+".credential") // it is renewed there
	for _, l := range h.View().Template.Libraries {
		if l.InstalledOn(m.Name) {
			command += " --library " + shellQuote(l.Name)
		}
	}
	return gen.MakeCredential201JSONResponse{Command: command}, nil
}

// RevokeCredential implements the contract.
func (s *server) RevokeCredential(ctx context.Context, r gen.RevokeCredentialRequestObject) (gen.RevokeCredentialResponseObject, error) {
	if err := s.app.RevokeCredential(ctx, person(ctx), r.Credential); err != nil {
		return nil, err
	}
	return gen.RevokeCredential204Response{}, nil
}

// Host implements the contract.
func (s *server) Host(ctx context.Context, r gen.HostRequestObject) (gen.HostResponseObject, error) {
	h, p, err := s.open(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	m := h.View().Template.Index().Machines[template.ID(r.Machine)]
	if m == nil {
		return nil, store.ErrNotFound
	}
	v, err := s.app.Host(ctx, p, m.ID)
	if err != nil {
		return nil, err
	}
	out := gen.Host{
		Online: v.Online, Version: v.Report.Version, MemoryMib: v.Report.MemoryMiB, UsedMib: v.Report.UsedMiB, DiskMibs: v.Report.DiskMiBs,
		Cores: v.Report.Cores, Libraries: append([]string{}, v.Report.Libraries...), Ready: h.ReadyOn(m.ID), Voices: v.Report.Voices, Load: v.Report.Load,
		Factor: v.Pace.Factor(), Measured: v.Pace.Loads, History: []gen.HostSample{}, Credentials: []gen.HostCredential{},
	}
	if !v.Seen.IsZero() {
		out.Seen = &v.Seen
	}
	now := time.Now()
	for _, x := range v.History {
		out.History = append(out.History, gen.HostSample{Ago: now.Sub(x.At).Seconds(), UsedMib: x.UsedMiB, Voices: x.Voices})
	}
	for _, c := range v.Credentials {
		row := gen.HostCredential{Id: c.ID, Created: c.CreatedAt}
		if c.EndsAt.Valid {
			row.Ends = &c.EndsAt.Time
		}
		if c.SeenAt.Valid {
			row.Seen = &c.SeenAt.Time
		}
		out.Credentials = append(out.Credentials, row)
	}
	return gen.Host200JSONResponse(out), nil
}

// shellQuote quotes a text for a POSIX shell.
func shellQuote(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }
