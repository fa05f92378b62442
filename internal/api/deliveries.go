package api

import (
	"context"
	"mime"
	"net/http"

	"github.com/google/uuid"

	"fanfold/internal/api/gen"
	"fanfold/internal/core/handover"
	"fanfold/internal/format/bagit"
	"fanfold/internal/parcel"
)

// Deliveries implements the contract.
func (s *server) Deliveries(ctx context.Context, r gen.DeliveriesRequestObject) (gen.DeliveriesResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	list, err := h.Deliveries(ctx, p)
	return gen.Deliveries200JSONResponse{Deliveries: list}, err
}

// Deliver implements the contract.
func (s *server) Deliver(ctx context.Context, r gen.DeliverRequestObject) (gen.DeliverResponseObject, error) {
	p := person(ctx)
	h, err := s.app.Open(ctx, p, r.Id)
	if err != nil {
		return nil, err
	}
	id, secret, err := h.Deliver(ctx, p, *r.Body)
	return gen.Deliver201JSONResponse{Id: id, Secret: secret}, err
}

// NewLink implements the contract.
func (s *server) NewLink(ctx context.Context, r gen.NewLinkRequestObject) (gen.NewLinkResponseObject, error) {
	secret, err := s.app.NewLink(ctx, person(ctx), r.Id, r.Body.Days)
	return gen.NewLink201JSONResponse{Id: r.Id, Secret: secret}, err
}

// EndLink implements the contract.
func (s *server) EndLink(ctx context.Context, r gen.EndLinkRequestObject) (gen.EndLinkResponseObject, error) {
	return gen.EndLink204Response{}, s.app.EndLink(ctx, person(ctx), r.Id)
}

// PackagePrint implements the contract.
func (s *server) PackagePrint(ctx context.Context, r gen.PackagePrintRequestObject) (gen.PackagePrintResponseObject, error) {
	x, err := s.app.Parcel(ctx, person(ctx), []uuid.UUID{r.Id}, handover.Folders(or(r.Params.Folders, gen.PackagePrintParamsFolders(handover.OneFolder))))
	return packaged{ctx, x, nil}, err
}

// PackageDelivery implements the contract.
func (s *server) PackageDelivery(ctx context.Context, r gen.PackageDeliveryRequestObject) (gen.PackageDeliveryResponseObject, error) {
	x, err := s.app.DeliveryParcel(ctx, person(ctx), r.Id)
	return packaged{ctx, x, nil}, err
}

// packaged answers with a package, as it is written.
type packaged struct {
	ctx context.Context
	parcel.Parcel
	whole func() // it was written to its end; may be nil
}

func (x packaged) visit(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": x.Name + ".zip"}))
	if err := x.Write(x.ctx, bagit.NewWriter(w, x.Name, x.Made)); err != nil {
		panic(http.ErrAbortHandler) // who receives it must not take it for whole
	}
	if x.whole != nil {
		x.whole()
	}
	return nil
}

// VisitPackagePrintResponse implements the generated response.
func (x packaged) VisitPackagePrintResponse(w http.ResponseWriter) error { return x.visit(w) }

// VisitPackageDeliveryResponse implements the generated response.
func (x packaged) VisitPackageDeliveryResponse(w http.ResponseWriter) error { return x.visit(w) }
