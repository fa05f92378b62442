package api

import (
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"net/http"

	"github.com/labstack/echo/v5"

	"fanfold/internal/api/gen"
	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/people"
	"fanfold/internal/core/template"
	"fanfold/internal/document"
	"fanfold/internal/format/musicxml"
	"fanfold/internal/format/rows"
	"fanfold/internal/format/smf"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store"
)

var (
	errSignedOut     = errors.New("sign in first")
	errWrongLogin    = errors.New("the email or the password is wrong")
	errWrongPassword = errors.New("the current password is wrong")
	errTooMany       = errors.New("too many attempts; wait a minute and try again")
	errNoDemo        = errors.New("this server has no demo account")

	errDemoElsewhere = errors.New("one click signs in on the demo's own machine only; sign in with the email and password it shows")
)

// problemOf is the one place that turns errors into what browsers see. The
// code is stable; the detail is for people.
func problemOf(err error) gen.Problem {
	var (
		forbidden *people.Refused
		clash     *app.ClashError
		old       *app.TooOldError
		room      *app.NoRoomError
		seat      *app.NoSeatError
		busy      *app.BusyError
		locked    *app.LockedError
		depends   *app.DependsError
		refused   *change.Refused
		cues      *cue.Refused
		invalid   *template.Invalid
		list      *rows.Unreadable
		file      *templatefile.Bad
		score     *musicxml.Bad
		midi      *smf.Bad
		outside   *outsideError
		http      *echo.HTTPError
		tooLarge  interface{ StatusCode() int }
	)
	switch {
	case errors.As(err, &forbidden):
		return problem(403, "not-allowed", "Your role does not allow this", err)
	case errors.As(err, &clash):
		p := problem(409, "clash", "Somebody else changed this meanwhile", err)
		p.Theirs, p.Yours = &clash.Theirs, &clash.Yours
		return p
	case errors.As(err, &old):
		return problem(409, "too-old", "The change is based on an old revision", err)
	case errors.Is(err, document.ErrUnfit):
		return problem(422, "refused", "The change cannot be made", document.ErrUnfit)
	case errors.Is(err, document.ErrStale):
		return problem(409, "stale", "The template was changed elsewhere; try again", err)
	case errors.As(err, &room):
		return problem(409, "no-room", "The call does not fit", err)
	case errors.As(err, &seat):
		return problem(409, "no-seat", "An instrument has no seat", err)
	case errors.As(err, &busy):
		return problem(409, "busy", "This would rest what is in use", err)
	case errors.As(err, &locked):
		return problem(409, "locked", "The template is locked", err)
	case errors.As(err, &depends):
		return problem(409, "depends", "Later changes depend on it", err)
	case errors.Is(err, app.ErrNothing):
		return problem(409, "nothing", "Nothing to undo", err)
	case errors.As(err, &refused):
		p := problem(422, "refused", "The change cannot be made", err)
		subject := string(refused.Subject)
		p.Subject = &subject
		return p
	case errors.As(err, &cues):
		p := problem(422, "refused", "The change cannot be made", err)
		subject := string(cues.Subject)
		p.Subject = &subject
		return p
	case errors.As(err, &invalid):
		p := problem(422, "invalid", "The change would make the template invalid", errors.New(invalid.Reason))
		p.Path = &invalid.Path
		return p
	case errors.As(err, &outside):
		p := problem(422, "outside", "The request does not follow the contract", err)
		p.Path = &outside.where
		return p
	case errors.As(err, &list):
		return problem(422, "bad-list", "The row list cannot be read", err)
	case errors.Is(err, rows.ErrTooLarge):
		return problem(413, "too-large", "The file is too large", err)
	case errors.As(err, &midi):
		return problem(422, "bad-file", "The MIDI file cannot be read", err)
	case errors.As(err, &score):
		return problem(422, "bad-file", "The score cannot be read", err)
	case errors.As(err, &file):
		p := problem(422, "bad-file", "The template file cannot be read", err)
		p.Path = &file.Path
		return p
	case errors.Is(err, store.ErrNotFound):
		return problem(404, "not-found", "There is no such thing here", err)
	case errors.Is(err, errSignedOut):
		return problem(401, "signed-out", "Sign in first", err)
	case errors.Is(err, errWrongPassword):
		return problem(403, "wrong-password", "The password is not changed", err)
	case errors.Is(err, errWrongLogin):
		return problem(401, "wrong-login", "Sign-in failed", err)
	case errors.Is(err, app.ErrCodeNeeded):
		return problem(401, "code-needed", "A code is needed", err)
	case errors.Is(err, app.ErrCodeWrong):
		return problem(403, "wrong-code", "The code is not accepted", err)
	case errors.Is(err, app.ErrPasskey):
		return problem(401, "wrong-login", "Sign-in failed", err)
	case errors.Is(err, errTooMany):
		return problem(429, "too-many", "Too many attempts", err)
	case errors.Is(err, errDemoElsewhere):
		return problem(403, "elsewhere", "Not from here", err)
	case errors.Is(err, errNoDemo):
		return problem(404, "no-demo", "No demo account", err)
	case errors.As(err, &http):
		if http.Message == "" {
			return problem(http.Code, "request", "The request cannot be read", err)
		}
		return problem(http.Code, "request", "The request cannot be read", errors.New(http.Message))
	case errors.As(err, &tooLarge) && tooLarge.StatusCode() == 413:
		return problem(413, "too-large", "The request is too large", errors.New("what was sent is larger than what this takes"))
	case errors.As(err, &tooLarge):
		return problem(tooLarge.StatusCode(), "request", "The request cannot be read", err)
	}
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return problem(400, "request", "The request did not come whole", errors.New("what was sent did not come whole; send it again"))
	}
	if errors.Is(err, store.ErrBusy) {
		return problem(503, "busy-server", "The server has too much to do", errors.New("too many requests at once; try again in a moment"))
	}
	return problem(503, "unavailable", "The server could not do this just now", errors.New("what you see is what was saved; try again in a moment"))
}

func problem(status int, code, title string, err error) gen.Problem {
	return gen.Problem{Type: "about:blank", Title: title, Status: status, Code: code, Detail: err.Error()}
}

// fail answers with the problem of an error; one that nobody foresaw is noted.
func fail(w http.ResponseWriter, err error) {
	p := problemOf(err)
	if p.Code == "unavailable" {
		slog.Error("request failed", "error", err)
	}
	writeProblem(w, p)
}

func writeProblem(w http.ResponseWriter, p gen.Problem) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p) // the browser is gone if this fails
}
