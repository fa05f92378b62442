// Package remote listens to music programs: Open Sound Control over UDP on the
// loopback, a port for each template that asks for one, none by default.
// Datagrams come in; the app obeys them; an answer goes back to the sender.
package remote

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/app"
	"fanfold/internal/format/osc"
)

// lookEvery is how often it is looked which templates listen.
const lookEvery = 500 * time.Millisecond

// Done and Failed are the addresses of answers; each holds one text.
const (
	Done   = app.Root + "done"
	Failed = app.Root + "failed"
)

// Serve listens until the context ends.
func Serve(ctx context.Context, a *app.App) {
	s := &server{app: a, open: map[uuid.UUID]*listener{}, failed: map[uuid.UUID]int{}}
	defer s.closeAll()
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		s.follow(ctx)
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

type server struct {
	app    *app.App
	open   map[uuid.UUID]*listener
	failed map[uuid.UUID]int // ports that could not be opened: reported once
	done   sync.WaitGroup
}

type listener struct {
	port int
	conn *net.UDPConn
}

// follow opens and closes ports as the templates ask.
func (s *server) follow(ctx context.Context) {
	ports := s.app.RemotePorts()
	for id, l := range s.open {
		if ports[id] != l.port {
			_ = l.conn.Close() // nobody hears it any longer
			delete(s.open, id)
		}
	}
	for id, port := range ports {
		if s.open[id] != nil {
			continue
		}
		conn, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1), Port: port})
		if err != nil {
			if s.failed[id] != port {
				slog.Warn("a template cannot listen for Open Sound Control", "template", id, "port", port, "error", err)
				s.failed[id] = port
				s.app.RemoteFailed(id, port)
			}
			continue
		}
		delete(s.failed, id)
		l := &listener{port: port, conn: conn}
		s.open[id] = l
		r := s.app.RemoteOf(ctx, id)
		s.done.Go(func() { l.listen(ctx, r) })
	}
}

func (s *server) closeAll() {
	for _, l := range s.open {
		_ = l.conn.Close() // nobody hears it any longer
	}
	s.done.Wait()
}

// listen obeys datagrams, one after another, until the port is closed.
func (l *listener) listen(ctx context.Context, r *app.Remote) {
	data := make([]byte, osc.MaxBytes)
	for {
		n, from, err := l.conn.ReadFromUDP(data)
		if errors.Is(err, net.ErrClosed) {
			return
		}
		if err != nil || r == nil {
			continue // a lost datagram
		}
		messages, err := osc.Read(data[:n])
		if err != nil {
			l.answer(from, Failed, err.Error())
			continue
		}
		for _, m := range messages {
			said, err := r.Obey(ctx, m)
			switch {
			case err != nil:
				l.answer(from, Failed, fmt.Sprintf("%s: %s", m.Address, err))
			case said != "":
				l.answer(from, Done, said)
			}
		}
	}
}

func (l *listener) answer(to *net.UDPAddr, address, text string) {
	_, _ = l.conn.WriteToUDP(osc.Write(osc.Message{Address: address, Args: []any{text}}), to) // who asked may be gone
}
