package rig

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/bits"
	"time"

	"github.com/nats-io/nats.go"

	"fanfold/internal/render"
	"fanfold/internal/sampler"
)

// SoundRateHz is the rate of the sound that hosts send, Hz, and SoundFrames how many frames
// of it one block holds: 5.3 ms.
const (
	SoundRateHz = 48_000
	SoundFrames = render.Frames
)

// MostLanes is how many lanes one listener may hear of a host.
const MostLanes = 64

// PlayOrder is what a listener wants of a host. A host that hears nothing of a listener for
// a while falls silent.
type PlayOrder struct {
	Listener string        `json:"listener"`
	Rows     []PlayRow     `json:"rows"`               // all that the listener hears from the host
	Lanes    int           `json:"lanes"`              // into which they play, 1..MostLanes
	TailS    float64       `json:"tailS,omitempty"`    // how long what the lanes go through rings on, s: so long blocks still come
	Messages []PlayMessage `json:"messages,omitempty"` // heard at once, in their order
	Stop     bool          `json:"stop,omitempty"`     // everything stops sounding, before the messages
	Close    bool          `json:"close,omitempty"`    // the listener goes
}

// PlayRow is a row that a listener hears.
type PlayRow struct {
	Load string       `json:"load"` // its Load's ID
	Ways []render.Way `json:"ways"` // into lanes
}

// PlayMessage is a MIDI message for a row.
type PlayMessage struct {
	Load  string       `json:"load"`
	Kind  sampler.Kind `json:"kind"`
	Key   int          `json:"key"` // or the controller
	Value int          `json:"value"`
}

// SoundBlock is a block of what a listener hears.
type SoundBlock struct {
	Number int             // blocks of a listener are numbered one by one
	Count  render.Count    // stolen and dry since the listener came
	Idle   bool            // nothing sounds: no more blocks come until something does
	Lanes  []*render.Block // nil where a lane is silent
}

// soundHead is the size of what stands before the frames of a block, bytes: its number, how
// many voices sound, whether it is the last, how many lanes there are, what was stolen and
// dry, and which lanes follow. A lane is 32-bit floating point, the lowest byte first, left
// and right in turn.
const soundHead = 24

func (b SoundBlock) bytes() []byte {
	out := make([]byte, soundHead, soundHead+render.StereoBytes*len(b.Lanes))
	le := binary.LittleEndian
	le.PutUint32(out, uint32(b.Number))
	le.PutUint16(out[4:], uint16(min(b.Count.Voices, math.MaxUint16)))
	if b.Idle {
		out[6] = 1
	}
	out[7] = byte(len(b.Lanes))
	le.PutUint32(out[8:], uint32(b.Count.Stolen))
	le.PutUint32(out[12:], uint32(b.Count.Dry))
	there := uint64(0)
	for n, lane := range b.Lanes {
		if lane != nil {
			there |= 1 << n
			out = render.AppendStereo(out, lane)
		}
	}
	le.PutUint64(out[16:], there)
	return out
}

// readBlock reads a block; false for one that is none.
func readBlock(data []byte) (SoundBlock, bool) {
	if len(data) < soundHead || data[7] > MostLanes {
		return SoundBlock{}, false
	}
	le := binary.LittleEndian
	there := le.Uint64(data[16:])
	b := SoundBlock{
		Number: int(le.Uint32(data)), Idle: data[6] == 1, Lanes: make([]*render.Block, data[7]),
		Count: render.Count{Voices: int(le.Uint16(data[4:])), Stolen: int(le.Uint32(data[8:])), Dry: int(le.Uint32(data[12:]))},
	}
	if len(data) != soundHead+render.StereoBytes*bits.OnesCount64(there) || bits.Len64(there) > len(b.Lanes) {
		return SoundBlock{}, false
	}
	at := soundHead
	for n := range b.Lanes {
		if there>>n&1 == 1 {
			b.Lanes[n] = render.ReadStereo(data[at:])
			at += render.StereoBytes
		}
	}
	return b, true
}

func playSubject(credential string) string { return "rig." + credential + ".play" }

func soundSubject(credential, listener string) string {
	return "rig." + credential + ".sound." + listener
}

// credentialOf is the credential of the host of a machine that is here.
func (d *Desk) credentialOf(studio, machine string) (string, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	for credential, s := range d.hosts {
		if s.host.Studio == studio && s.host.Machine == machine && !s.away {
			return credential, nil
		}
	}
	return "", errAway
}

// lookEvery is how often it is looked whether a host that is asked something is still there.
const lookEvery = 500 * time.Millisecond

// request asks the host of a machine and waits for its answer, for as long as it is there.
func (d *Desk) request(ctx context.Context, studio, machine, subject string, data []byte, within time.Duration) ([]byte, error) {
	ctx, stop := context.WithTimeout(ctx, within)
	defer stop()
	ctx, away := context.WithCancelCause(ctx)
	defer away(nil)
	go func() {
		tick := time.NewTicker(lookEvery)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				if _, err := d.credentialOf(studio, machine); err != nil {
					away(err)
				}
			}
		}
	}()
	m, err := d.conn.RequestWithContext(ctx, subject, data)
	switch {
	case err == nil:
		return m.Data, nil
	case errors.Is(err, nats.ErrNoResponders), errors.Is(context.Cause(ctx), errAway):
		return nil, errAway
	case errors.Is(err, context.DeadlineExceeded):
		return nil, fmt.Errorf("its host did not answer within %s", within)
	}
	return nil, err
}

// Play sends an order to the host of a machine.
func (d *Desk) Play(studio, machine string, o PlayOrder) error {
	credential, err := d.credentialOf(studio, machine)
	if err != nil {
		return err
	}
	data, err := json.Marshal(o)
	if err != nil {
		return fmt.Errorf("play: %w", err)
	}
	if err := d.conn.Publish(playSubject(credential), data); err != nil {
		return fmt.Errorf("play: %w", err)
	}
	return nil
}

// HearSound is told the blocks of a listener from every host, until stop is called. heard is
// called one at a time for each host's machine, and must not wait.
func (d *Desk) HearSound(studio, listener string, heard func(machine string, b SoundBlock)) (stop func(), err error) {
	if listener == "" {
		return nil, errors.New("a listener needs a name")
	}
	subscription, err := d.conn.Subscribe(soundSubject("*", listener), func(m *nats.Msg) {
		credential := m.Subject[len("rig.") : len(m.Subject)-len(".sound.")-len(listener)]
		d.mu.Lock()
		s := d.hosts[credential]
		known := s != nil && s.host.Studio == studio
		machine := ""
		if known {
			machine = s.host.Machine
		}
		d.mu.Unlock()
		if b, ok := readBlock(m.Data); ok && known {
			heard(machine, b)
		}
	})
	if err != nil {
		return nil, fmt.Errorf("listen to sound: %w", err)
	}
	_ = subscription.SetPendingLimits(1024, 8<<20) // what is later than that is dropped
	return func() { _ = subscription.Unsubscribe() }, nil
}

// listenerGone is how long a host sounds for a listener that says nothing.
const listenerGone = 3 * time.Second
