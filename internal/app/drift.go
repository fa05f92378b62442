package app

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/base32"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/google/uuid"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
	"fanfold/internal/format/dawproject"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// MaxSessionBytes bounds a session file: recordings may lie in it.
const MaxSessionBytes = 4 << 30

// parsing lets so many sessions be read at a time, once they are here: each may take hundreds of MiB.
var parsing = make(chan struct{}, 2)

// parsed waits for a turn to read a session.
func parsed[T any](ctx context.Context, read func() (T, error)) (T, error) {
	select {
	case parsing <- struct{}{}:
		defer func() { <-parsing }()
		return read()
	case <-ctx.Done():
		var none T
		return none, ctx.Err()
	}
}

// mostSessionFiles is how many session files of a template are remembered.
const mostSessionFiles = 20

// Drift is how a session differs from the template, as it is now.
type Drift struct {
	session.Drift
	Ask      []session.Question
	Left     []string
	Found    map[session.How]int
	Revision int64 // of the template
}

// BringSession reads a session that a sequencer saved, and remembers it for the template.
func (h *Hot) BringSession(ctx context.Context, p Person, name string, r io.Reader) (uuid.UUID, error) {
	spool, size, err := spooled(io.LimitReader(r, MaxSessionBytes+1))
	if err != nil {
		return uuid.Nil, err
	}
	defer func() { _ = spool.Close() }() // no longer needed
	if size > MaxSessionBytes {
		return uuid.Nil, refused("", "the file is larger than %d GiB; save the session without its recordings", MaxSessionBytes>>30)
	}
	s, err := parsed(ctx, func() (session.Session, error) {
		return format.ReadSession(strings.TrimSuffix(path.Base(name), path.Ext(name)), spool, size)
	})
	if err != nil {
		return uuid.Nil, refused("", "%s cannot be read: %s", path.Base(name), err)
	}
	if _, err := session.Read(h.View().Template, &s, session.Options{Mint: sessionIDs(uuid.Nil)}); err != nil {
		return uuid.Nil, refused("", "%s cannot be read: %s", path.Base(name), err)
	}
	packed, err := packSession(&s)
	if err != nil {
		return uuid.Nil, err
	}
	q, id := h.app.store.Queries(), uuid.New()
	err = q.SessionFileInsert(ctx, db.SessionFileInsertParams{ID: id, StudioID: p.Studio, Template: h.ID(), Name: path.Base(name), Session: packed, AuthorID: pgUUID(p.ID)})
	if err == nil {
		err = q.SessionFileKeep(ctx, db.SessionFileKeepParams{Template: h.ID(), Most: mostSessionFiles})
	}
	if err != nil {
		return uuid.Nil, fmt.Errorf("keep a session file: %w", err)
	}
	return id, nil
}

// SessionFiles lists those that are remembered, the newest first.
func (h *Hot) SessionFiles(ctx context.Context, p Person) ([]db.SessionFileListRow, error) {
	return h.app.store.Queries().SessionFileList(ctx, db.SessionFileListParams{Template: h.ID(), StudioID: p.Studio})
}

// ForgetSession forgets a session file.
func (h *Hot) ForgetSession(ctx context.Context, p Person, id uuid.UUID) error {
	n, err := h.app.store.Queries().SessionFileForget(ctx, db.SessionFileForgetParams{ID: id, Template: h.ID(), StudioID: p.Studio})
	switch {
	case err != nil:
		return fmt.Errorf("forget a session file: %w", err)
	case n == 0:
		return store.ErrNotFound
	}
	return nil
}

// DriftOf says how a session differs from the template. Answers to what is unsure are remembered.
func (h *Hot) DriftOf(ctx context.Context, p Person, id uuid.UUID, answers map[template.ID]string) (Drift, error) {
	v := h.View()
	r, err := h.readSession(ctx, p, v.Template, id, answers)
	if err != nil {
		return Drift{}, err
	}
	return Drift{session.Against(v.Template, r.There), r.Ask, r.Left, r.Found, v.Revision}, nil
}

// TakeDrift takes differences of a session into the template, and its order of rows and sections.
func (h *Hot) TakeDrift(ctx context.Context, p Person, id uuid.UUID, picks []compare.Pick, order bool) (int64, error) {
	row, s, answers, err := h.sessionFile(ctx, p, id)
	if err != nil {
		return 0, err
	}
	return h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
		r, err := session.Read(t, s, session.Options{Mint: sessionIDs(id), Answers: answers})
		if err != nil {
			return nil, refused("", "%s cannot be taken: %s", row.Name, err)
		}
		r.There.Name = row.Name // which the change is called by; it is not taken
		return session.Take(t, r.There, picks, order, NewID)
	})
}

// Righted is a session file that is put right. It is read once, and closed.
type Righted struct {
	audiostore.Spool
	Name string // of the file
	Size int64
	Left []string // what stays as the session has it
}

// PutSessionRight gives a session file back in which what is picked, and with order its order, or all
// without either, is as the template has it now. The file is the one that was read: only its project was kept.
func (h *Hot) PutSessionRight(ctx context.Context, p Person, id uuid.UUID, picks []compare.Pick, order bool, file io.Reader) (*Righted, error) {
	row, _, answers, err := h.sessionFile(ctx, p, id)
	if err != nil {
		return nil, err
	}
	in, size, err := spooled(io.LimitReader(file, MaxSessionBytes+1))
	if err != nil {
		return nil, err
	}
	defer func() { _ = in.Close() }() // no longer needed
	s, err := parsed(ctx, func() (session.Session, error) { return dawproject.Read(in, size) })
	if err != nil {
		return nil, refused("", "%s cannot be corrected: %s", row.Name, err)
	}
	fixes, err := session.Right(h.View().Template, &s, session.Options{Mint: sessionIDs(id), Answers: answers}, picks, order)
	if err != nil {
		return nil, refused("", "%s cannot be corrected: %s", row.Name, err)
	}
	out, err := audiostore.NewSpool()
	if err != nil {
		return nil, fmt.Errorf("write a session file: %w", err)
	}
	left, err := parsed(ctx, func() ([]string, error) { return dawproject.Right(out, in, size, fixes) })
	if err == nil {
		_, err = out.Seek(0, io.SeekStart)
	}
	about, statErr := out.Stat()
	if err = errors.Join(err, statErr); err != nil {
		return nil, errors.Join(err, out.Close())
	}
	ext := path.Ext(row.Name)
	return &Righted{Spool: out, Name: strings.TrimSuffix(row.Name, ext) + ", corrected" + dawproject.Extension, Size: about.Size(), Left: append(fixes.Left, left...)}, nil
}

func (h *Hot) sessionFile(ctx context.Context, p Person, id uuid.UUID) (row db.SessionFile, s *session.Session, answers map[template.ID]string, err error) {
	row, err = h.app.store.Queries().SessionFileGet(ctx, db.SessionFileGetParams{ID: id, Template: h.ID(), StudioID: p.Studio})
	if err != nil {
		return row, nil, nil, store.NotFound(err)
	}
	if s, err = unpackSession(row.Session); err == nil {
		err = json.Unmarshal(row.Answers, &answers)
	}
	if err != nil {
		return row, nil, nil, fmt.Errorf("read the session file %s: %w", id, err)
	}
	return row, s, answers, nil
}

func (h *Hot) readSession(ctx context.Context, p Person, t *template.Template, id uuid.UUID, more map[template.ID]string) (*session.Reading, error) {
	row, s, answers, err := h.sessionFile(ctx, p, id)
	if err != nil {
		return nil, err
	}
	if len(more) > 0 {
		for key, value := range more {
			answers[key] = value
		}
		data, err := json.Marshal(answers)
		if err == nil {
			err = h.app.store.Queries().SessionFileAnswer(ctx, db.SessionFileAnswerParams{ID: id, StudioID: p.Studio, Answers: data})
		}
		if err != nil {
			return nil, fmt.Errorf("keep the answers: %w", err)
		}
	}
	r, err := session.Read(t, s, session.Options{Mint: sessionIDs(id), Answers: answers})
	if err != nil {
		return nil, refused("", "%s cannot be read: %s", row.Name, err)
	}
	return r, nil
}

// sessionIDs gives what a track of a session file becomes the same ID each time.
func sessionIDs(file uuid.UUID) func(kind string, track template.ID) template.ID {
	return func(kind string, track template.ID) template.ID {
		sum := sha256.Sum256([]byte(file.String() + " " + kind + " " + string(track)))
		return template.ID(kind + "-" + strings.ToLower(base32.StdEncoding.EncodeToString(sum[:10])))
	}
}

// packSession is a session as it is kept; its notes, which belong to a cue, are counted and left out.
func packSession(s *session.Session) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	err := json.NewEncoder(z).Encode(s.WithoutNotes())
	if err == nil {
		err = z.Close()
	}
	return b.Bytes(), err
}

func unpackSession(data []byte) (*session.Session, error) {
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	s := &session.Session{}
	return s, json.NewDecoder(z).Decode(s)
}
