package api

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	"fanfold/internal/app"
	"fanfold/internal/core/template"
	"fanfold/internal/render"
	"fanfold/internal/store"
)

// played is one message of a browser that plays rows. One of its fields says what it is.
type played struct {
	Arm     *armed    `json:"arm,omitempty"`
	On      *[2]int   `json:"on,omitempty"` // key, velocity
	Off     *int      `json:"off,omitempty"`
	Control *[2]int   `json:"control,omitempty"` // number, value
	Bend    *int      `json:"bend,omitempty"`    // -8192..8191
	Press   *int      `json:"press,omitempty"`   // 0..127
	How     *string   `json:"how,omitempty"`     // the articulation; empty as the patch stands
	Stop    *struct{} `json:"stop,omitempty"`
}

type armed struct {
	Rows []template.ID `json:"rows"`
	As   app.HeardAs   `json:"as"`
	Bus  template.ID   `json:"bus,omitempty"` // at which they are heard; the mix when missing
}

// Bounds of what a browser says: bytes of one message, messages a second, and how many at
// once. A person with two hands, wheels and pedals stays far below.
const (
	mostPlayedBytes = 64 << 10
	mostPlayed      = 1000
	playedAtOnce    = 2000
)

// soundQueue is how many blocks wait for a browser, a third of a second. What is older than
// that is dropped: it would be late.
const soundQueue = 64

// line opens a WebSocket of a signed-in browser to a template, and keeps it until run ends, the
// browser goes, or its session does; run says what was wrong with what the browser said.
func (s *server) line(c *echo.Context, mostBytes int64, run func(ctx context.Context, conn *websocket.Conn, h *app.Hot, p app.Person) (why string)) error {
	r := c.Request()
	session, err := s.sessionOf(r)
	if err != nil {
		return err
	}
	p, err := s.personOf(session)
	if err != nil {
		return err
	}
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		return store.ErrNotFound
	}
	h, err := s.app.Open(r.Context(), p, id)
	if err != nil {
		return err
	}
	ctx, end := s.streams.begin(r.Context(), s.sessions.Token(session))
	defer end()
	conn, err := websocket.Accept(c.Response(), r, nil)
	if err != nil {
		return nil //nolint:nilerr // it has answered
	}
	defer func() { _ = conn.CloseNow() }() // it may be closed already
	conn.SetReadLimit(mostBytes)
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		for tick := time.NewTicker(keepAlive); ; {
			select {
			case <-ctx.Done():
				tick.Stop()
				return
			case <-tick.C:
				if s.signedOut(r) {
					stop()
				}
			}
		}
	}()
	if why := run(ctx, conn, h, p); ctx.Err() == nil && why != "" {
		_ = conn.Close(websocket.StatusPolicyViolation, why)
	}
	return nil
}

// listen plays rows of a template and streams what they sound, over a WebSocket. Text
// messages of the browser are played; text messages of the server are app.Told. Binary ones
// are sound: a byte for the machine, in the order they were first heard, one that is 1 when
// nothing follows, two for the voices, four for the number of the block, and frames of
// 32-bit floating point, left and right in turn.
func (s *server) listen(c *echo.Context) error {
	return s.line(c, mostPlayedBytes, func(ctx context.Context, conn *websocket.Conn, h *app.Hot, p app.Person) string {
		ctx, stop := context.WithCancel(ctx)
		defer stop()
		w := &soundWriter{out: make(chan []byte, soundQueue), told: make(chan app.Told, soundQueue), machines: map[string]byte{}}
		listening, err := h.Listen(ctx, p, w.sound, w.tell)
		if err != nil {
			return "what the rows play cannot be found out"
		}
		defer listening.End()
		go func() {
			defer stop()
			w.write(ctx, conn)
		}()
		return hearPlayed(ctx, conn, listening, w.tell)
	})
}

// hearPlayed plays what a browser says until it goes away; why is what was wrong with it.
func hearPlayed(ctx context.Context, conn *websocket.Conn, l *app.Listening, tell func(app.Told)) (why string) {
	limit := rate.NewLimiter(mostPlayed, playedAtOnce)
	warned := false
	for {
		_, data, err := conn.Read(ctx)
		if err != nil {
			return ""
		}
		if !limit.Allow() {
			if !warned {
				tell(app.Told{Refused: fmt.Sprintf("more than %d messages a second; some are dropped", mostPlayed)})
			}
			warned = true
			continue
		}
		var m played
		if err := json.Unmarshal(data, &m); err != nil {
			return "a message cannot be read"
		}
		if err := m.play(l); err != nil {
			return err.Error()
		}
	}
}

var errOutside = errors.New("a key, a controller or a value lies outside of what MIDI has")

func within(low, high int, list ...int) bool {
	for _, x := range list {
		if x < low || x > high {
			return false
		}
	}
	return true
}

func (m played) play(l *app.Listening) error {
	switch {
	case m.Arm != nil:
		if m.Arm.As != app.HeardDry && m.Arm.As != app.HeardAtBus {
			return errors.New("rows are heard dry or at a bus")
		}
		l.Arm(m.Arm.Rows, m.Arm.As, m.Arm.Bus)
	case m.On != nil && within(0, 127, m.On[0]) && within(1, 127, m.On[1]):
		l.NoteOn(m.On[0], m.On[1])
	case m.Off != nil && within(0, 127, *m.Off):
		l.NoteOff(*m.Off)
	case m.Control != nil && within(0, 127, m.Control[:]...):
		l.Control(m.Control[0], m.Control[1])
	case m.Bend != nil && within(-8192, 8191, *m.Bend):
		l.Bend(*m.Bend)
	case m.Press != nil && within(0, 127, *m.Press):
		l.Press(*m.Press)
	case m.How != nil:
		l.Articulate(*m.How)
	case m.Stop != nil:
		l.Stop()
	default:
		return errOutside
	}
	return nil
}

// soundWriter takes sound to a browser. What it cannot take is dropped, the oldest first.
type soundWriter struct {
	out  chan []byte
	told chan app.Told

	mu       sync.Mutex
	machines map[string]byte
}

// sound queues a block.
func (w *soundWriter) sound(machine string, x app.Sound) {
	w.mu.Lock()
	number, known := w.machines[machine]
	if !known {
		number = byte(len(w.machines)) // a studio has fewer machines than a byte counts
		w.machines[machine] = number
	}
	w.mu.Unlock()
	data := make([]byte, 8, 8+render.StereoBytes)
	data[0] = number
	if x.Idle {
		data[1] = 1
	}
	binary.LittleEndian.PutUint16(data[2:], uint16(min(x.Voices, math.MaxUint16)))
	binary.LittleEndian.PutUint32(data[4:], uint32(x.Number))
	data = render.AppendStereo(data, &x.Block)
	for {
		select {
		case w.out <- data:
			return
		default:
		}
		select {
		case <-w.out: // the oldest
		default:
		}
	}
}

// tell queues what there is to tell; with too much of it, the rest is left out.
func (w *soundWriter) tell(t app.Told) {
	select {
	case w.told <- t:
	default:
	}
}

// write writes until the browser is gone.
func (w *soundWriter) write(ctx context.Context, conn *websocket.Conn) {
	for {
		var err error
		select {
		case <-ctx.Done():
			return
		case data := <-w.out:
			err = conn.Write(ctx, websocket.MessageBinary, data)
		case t := <-w.told:
			var data []byte
			if data, err = json.Marshal(t); err == nil {
				err = conn.Write(ctx, websocket.MessageText, data)
			}
		}
		if err != nil {
			return
		}
	}
}
