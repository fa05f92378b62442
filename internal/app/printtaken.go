package app

import (
	"context"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"fanfold/internal/core/audit"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
)

// TakeFile takes a recorded file into a print.
func (a *App) TakeFile(ctx context.Context, p Person, id uuid.UUID, name string, r io.Reader, bytes int64) error {
	x, err := a.Print(ctx, p, id)
	switch {
	case err != nil:
		return err
	case a.audio == nil:
		return errNoAudio
	case !x.Recorded || x.State != printTaking:
		return refused("", "it takes no more files")
	case len(x.Files) >= audit.MostFiles:
		return refused("", "%d files are in it already; one cue has fewer", len(x.Files))
	}
	name = path.Clean("/" + strings.ReplaceAll(name, `\`, "/"))[1:]
	if name == "" || len(name) > 1000 {
		return refused("", "the file has no name")
	}
	room, err := a.roomForAudio(ctx, p, bytes)
	if err != nil {
		return err
	}
	spool, size, err := spooled(bounded(r, room, noAudioRoom(a.mostAudio)))
	if err != nil {
		return err
	}
	defer func() { _ = spool.Close() }() // no longer needed
	if _, err := soundfile.Open(spool, size); err != nil {
		return refused("", "%s: %s; choose a WAV or FLAC file", name, err)
	}
	kept, err := a.audio.Keep(ctx, p.Studio.String(), spool)
	if err != nil {
		return err
	}
	return a.store.Tx(ctx, func(tx pgx.Tx) error { // one by one, so that each has a number of its own
		q := a.store.Queries().WithTx(tx)
		switch state, err := q.PrintLock(ctx, id); {
		case err != nil:
			return store.NotFound(err)
		case state != printTaking:
			return refused("", "it takes no more files")
		}
		if err := q.PrintFileTake(ctx, db.PrintFileTakeParams{PrintID: id, Path: name, Sha256: kept.Digest, Bytes: kept.Bytes}); err != nil {
			return fmt.Errorf("note a file: %w", err)
		}
		return nil
	})
}

// roomForAudio is how many bytes of audio a studio may still keep.
func (a *App) roomForAudio(ctx context.Context, p Person, bytes int64) (int64, error) {
	taken, err := a.store.Queries().AudioTaken(ctx, p.Studio)
	if err != nil {
		return 0, fmt.Errorf("count the audio: %w", err)
	}
	if room := a.mostAudio - taken; room > 0 && bytes <= room {
		return room, nil
	}
	return 0, noAudioRoom(a.mostAudio)
}

func noAudioRoom(most int64) error {
	return refused("", "the studio's prints may take %d GiB, and this would take more; delete old prints, or have the server keep more", most>>30)
}
