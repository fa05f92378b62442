package api

import (
	"mime"
	"net/http"
)

// download is a file to be saved by the browser.
type download struct {
	data            []byte
	name, mediaType string
}

// VisitExportResponse implements the generated response.
func (d download) VisitExportResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", d.mediaType)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": d.name}))
	_, err := w.Write(d.data)
	return err
}

// VisitCalibrationTestResponse implements the generated response.
func (d download) VisitCalibrationTestResponse(w http.ResponseWriter) error {
	return d.VisitExportResponse(w)
}
