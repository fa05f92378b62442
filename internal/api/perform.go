package api

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"sync"

	"github.com/coder/websocket"
	"github.com/labstack/echo/v5"

	"fanfold/internal/app"
	"fanfold/internal/core/template"
	"fanfold/internal/render"
	"fanfold/internal/rig"
)

// performed is one message of a browser that plays music. One of its fields says what it is;
// a binary message is the music: a MIDI or MusicXML file.
type performed struct {
	Cast  *castAsk    `json:"cast,omitempty"` // tell again who plays
	Play  *performAsk `json:"play,omitempty"`
	Stop  *struct{}   `json:"stop,omitempty"`
	Heard *[2]int     `json:"heard,omitempty"` // the number of a play, and how many blocks of it were heard
}

type castAsk struct {
	Hand map[string][]template.ID `json:"hand"`
}

type performAsk struct {
	Number int                      `json:"number"` // of this play, that its sound is marked with
	Bar    int                      `json:"bar"`
	From   *float64                 `json:"from"` // the second to begin with, in place of a bar
	Hand   map[string][]template.ID `json:"hand"`
	Bus    template.ID              `json:"bus"`
	Rows   []template.ID            `json:"rows"`
	Dry    bool                     `json:"dry"`
	Rate   int                      `json:"rate"` // of the sound, Hz; 0 is 48,000
}

// aheadS is how much may be under way that was not heard yet, s.
const aheadS = 1.0

// perform plays music through a template and streams what is heard, over a WebSocket. Binary
// messages of the server are sound: four bytes for the number of the play, four for that of
// the first block, and blocks of 32-bit floating point, left and right in turn.
func (s *server) perform(c *echo.Context) error {
	return s.line(c, app.MostMusicBytes, func(ctx context.Context, conn *websocket.Conn, h *app.Hot, p app.Person) string {
		x := &performer{ctx: ctx, conn: conn, h: h, who: p}
		defer x.stop()
		return x.follow()
	})
}

// performer plays music for one browser, one play at a time.
type performer struct {
	ctx   context.Context
	conn  *websocket.Conn
	h     *app.Hot
	who   app.Person
	piece app.Piece
	score *app.Scored // as it was cast last

	end  context.CancelFunc // of what plays
	done sync.WaitGroup

	mu     sync.Mutex
	number int
	heard  int
	ahead  int           // blocks that may be under way
	more   chan struct{} // closed when more was heard
}

// follow does what the browser says until it goes; why is what was wrong with it.
func (x *performer) follow() (why string) {
	for {
		kind, data, err := x.conn.Read(x.ctx)
		if err != nil {
			return ""
		}
		if kind == websocket.MessageBinary {
			x.take(data)
			continue
		}
		var m performed
		if err := json.Unmarshal(data, &m); err != nil {
			return "a message cannot be read"
		}
		switch {
		case m.Cast != nil:
			x.cast(m.Cast.Hand)
		case m.Play != nil:
			x.play(*m.Play)
		case m.Stop != nil:
			x.stop()
		case m.Heard != nil:
			x.listened(m.Heard[0], m.Heard[1])
		default:
			return "a message says nothing"
		}
	}
}

// take reads a file of music, and tells who plays it.
func (x *performer) take(data []byte) {
	x.stop()
	x.score = nil
	words, err := x.h.Vocabulary(x.ctx, x.who)
	if err == nil {
		x.piece, err = app.ReadPiece(x.ctx, bytes.NewReader(data), words)
	}
	if err != nil {
		x.piece = app.Piece{}
		x.refuse(err)
		return
	}
	x.cast(nil)
}

func (x *performer) cast(hand map[string][]template.ID) {
	score, err := x.h.Score(x.ctx, x.who, x.piece, hand, x.score)
	if err != nil {
		x.refuse(err)
		return
	}
	x.score = score
	cast := score.Tell()
	x.tell(app.PerformTold{Piece: &cast})
}

func (x *performer) refuse(err error) {
	x.tell(app.PerformTold{Refused: problemOf(err).Detail})
}

func (x *performer) tell(t app.PerformTold) {
	if data, err := json.Marshal(t); err == nil {
		_ = x.conn.Write(x.ctx, websocket.MessageText, data) // a browser that is gone hears nothing
	}
}

// stop ends what plays.
func (x *performer) stop() {
	if x.end != nil {
		x.end()
		x.end = nil
	}
	x.done.Wait()
}

func (x *performer) play(ask performAsk) {
	x.stop()
	ctx, end := context.WithCancel(x.ctx)
	x.end = end
	x.mu.Lock()
	x.number, x.heard, x.more = ask.Number, 0, make(chan struct{})
	x.ahead = int(aheadS * float64(cmp.Or(ask.Rate, rig.SoundRateHz)) / render.Frames)
	x.mu.Unlock()
	tell := func(t app.PerformTold) {
		t.Play = ask.Number
		x.tell(t)
	}
	score, err := x.h.Score(ctx, x.who, x.piece, ask.Hand, x.score)
	if err != nil {
		tell(app.PerformTold{Refused: problemOf(err).Detail})
		return
	}
	x.score = score
	x.done.Go(func() {
		err := x.h.Perform(ctx, x.who, score, app.PerformAsk{Bar: ask.Bar, From: ask.From, Bus: ask.Bus, Rows: ask.Rows, Dry: ask.Dry, Rate: ask.Rate},
			func(number int, blocks []render.Block) bool { return x.send(ctx, ask.Number, number, blocks) }, tell)
		if err != nil && !errors.Is(err, context.Canceled) {
			tell(app.PerformTold{Refused: problemOf(err).Detail})
		}
	})
}

// listened notes how many blocks of a play were heard.
func (x *performer) listened(number, heard int) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.more != nil && number == x.number && heard > x.heard {
		x.heard = heard
		close(x.more)
		x.more = make(chan struct{})
	}
}

// blocksAtOnce is how many blocks go in one message.
const blocksAtOnce = 16

// send waits until there is room, and sends blocks of a play.
func (x *performer) send(ctx context.Context, play, number int, blocks []render.Block) bool {
	for len(blocks) > 0 {
		n := min(blocksAtOnce, len(blocks))
		x.mu.Lock()
		room, more := number+n <= x.heard+x.ahead, x.more
		x.mu.Unlock()
		if !room {
			select {
			case <-more:
			case <-ctx.Done():
				return false
			}
			continue
		}
		data := binary.LittleEndian.AppendUint32(nil, uint32(play))
		data = binary.LittleEndian.AppendUint32(data, uint32(number))
		for k := range blocks[:n] {
			data = render.AppendStereo(data, &blocks[k])
		}
		if x.conn.Write(x.ctx, websocket.MessageBinary, data) != nil { // one that ends in the middle would end the line
			return false
		}
		number, blocks = number+n, blocks[n:]
	}
	return true
}
