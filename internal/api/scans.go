package api

import (
	"context"
	"slices"
	"strings"

	"fanfold/internal/api/gen"
	"fanfold/internal/core/patch"
)

// Scans implements the contract.
func (s *server) Scans(ctx context.Context, _ gen.ScansRequestObject) (gen.ScansResponseObject, error) {
	list, err := s.app.Scans(ctx, person(ctx))
	if err != nil {
		return nil, err
	}
	machines, err := s.app.MachineRoots(ctx, person(ctx))
	out := gen.ScanList{Roots: s.app.ScanRoots(), Scans: list, Machines: []gen.ScanMachine{}}
	for name, roots := range machines {
		out.Machines = append(out.Machines, gen.ScanMachine{Name: name, Roots: roots})
	}
	slices.SortFunc(out.Machines, func(a, b gen.ScanMachine) int { return strings.Compare(a.Name, b.Name) })
	return gen.Scans200JSONResponse(out), err
}

// StartScan implements the contract.
func (s *server) StartScan(ctx context.Context, r gen.StartScanRequestObject) (gen.StartScanResponseObject, error) {
	policy := patch.DefaultPolicy()
	set(&policy.PreloadKiB, r.Body.PreloadKib)
	set(&policy.ZoneBytes, r.Body.ZoneBytes)
	started, err := s.app.StartScan(ctx, person(ctx), or(r.Body.Machine, ""), r.Body.Folder, r.Body.Library, policy)
	return gen.StartScan201JSONResponse(started), err
}

// Folders implements the contract.
func (s *server) Folders(_ context.Context, r gen.FoldersRequestObject) (gen.FoldersResponseObject, error) {
	list, err := s.app.Folders(r.Params.Folder)
	return gen.Folders200JSONResponse(list), err
}

// StopScan implements the contract.
func (s *server) StopScan(ctx context.Context, r gen.StopScanRequestObject) (gen.StopScanResponseObject, error) {
	return gen.StopScan204Response{}, s.app.StopScan(ctx, person(ctx), r.Scan)
}
