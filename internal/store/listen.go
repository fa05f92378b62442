package store

import (
	"context"
	"fmt"
	"log/slog"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// News is what servers hear of each other's writing.
type News struct {
	Of       string // document, locked, running, scan, credential or pace
	ID       uuid.UUID
	Revision int64
}

// listenAgain is how long a lost connection waits before it is made again.
const listenAgain = time.Second

// Listen tells what is written, here and by other servers, until the context
// ends; on says whether it is heard just now. missed is called whenever
// it begins to be heard: anything may have been written before.
func (s *Store) Listen(ctx context.Context, hear func(News), on func(bool), missed func()) {
	for ctx.Err() == nil {
		err := s.listen(ctx, hear, func() {
			on(true)
			missed()
		})
		on(false)
		if ctx.Err() != nil {
			return
		}
		slog.Warn("lost the connection that listens to the database; trying again", "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(listenAgain):
		}
	}
}

func (s *Store) listen(ctx context.Context, hear func(News), back func()) error {
	conn, err := pgx.ConnectConfig(ctx, s.Pool.Config().ConnConfig.Copy())
	if err != nil {
		return fmt.Errorf("connect: %w", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen fanfold"); err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	back()
	for {
		said, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		if n, ok := newsOf(said.Payload); ok {
			hear(n)
		}
	}
}

// newsOf reads "document ID REVISION".
func newsOf(text string) (n News, ok bool) {
	parts := strings.Fields(text)
	if len(parts) != 3 {
		return n, false
	}
	id, err := uuid.Parse(parts[1])
	revision, err2 := strconv.ParseInt(parts[2], 10, 64)
	return News{parts[0], id, revision}, err == nil && err2 == nil
}
