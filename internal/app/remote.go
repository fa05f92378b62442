package app

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format/osc"
)

// Remote obeys the Open Sound Control messages of one music program. It keeps
// what the program set before: the bank that chooses a call.
//
//	/fanfold/call NAME...   brings instruments to ready
//	/fanfold/rest NAME...   rests them; without a name, everything
//	/fanfold/call/CALL      goes to a named call
//	/fanfold/midi           a MIDI message (type m): as in the file of a call
type Remote struct {
	h    *Hot
	bank int // of the call, as controllers 0 and 32 chose it
}

// NewRemote returns a Remote of a template.
func (h *Hot) NewRemote() *Remote { return &Remote{h: h} }

// Root is how every address begins.
const Root = "/fanfold/"

// Obey does what a message asks and says what was done; empty for nothing. What
// is in use is not rested: that is the error, then.
func (r *Remote) Obey(ctx context.Context, m osc.Message) (string, error) {
	verb, ok := strings.CutPrefix(m.Address, Root)
	if !ok {
		return "", fmt.Errorf("addresses begin with %s", Root)
	}
	t := r.h.View().Template
	verb, name, named := strings.Cut(verb, "/")
	switch {
	case verb == "call" && named:
		return r.callNamed(ctx, t, name)
	case verb == "call":
		return r.each(ctx, t, m.Args, CallThem)
	case verb == "rest" && len(m.Args) == 0:
		return "rested everything", r.h.Call(ctx, r.h.Wanted(), RestThem, false)
	case verb == "rest":
		return r.each(ctx, t, m.Args, RestThem)
	case verb == "midi":
		return r.midi(ctx, t, m.Args)
	}
	return "", fmt.Errorf("there is no such address; there are %[1]scall, %[1]srest, %[1]scall/NAME and %[1]smidi", Root)
}

func (r *Remote) callNamed(ctx context.Context, t *template.Template, name string) (string, error) {
	c := find(t.Calls, func(c *template.Call) bool { return handover.Slug(c.Name) == handover.Slug(name) })
	if c == nil {
		return "", fmt.Errorf("there is no call %q", name)
	}
	if err := r.h.Call(ctx, c.Instruments, OnlyThem, false); err != nil {
		return "", err
	}
	r.h.CallUsed(ctx, c.ID)
	return "called " + c.Name, nil
}

func (r *Remote) each(ctx context.Context, t *template.Template, args []any, how How) (string, error) {
	var ids []template.ID
	var names []string
	for _, a := range args {
		name, ok := a.(string)
		if !ok {
			return "", fmt.Errorf("instruments are named by texts (type s)")
		}
		i := find(t.Instruments, func(i *template.Instrument) bool {
			return i.Kind == template.Sampled && (strings.EqualFold(i.Name, name) || handover.Slug(i.Name) == handover.Slug(name))
		})
		if i == nil {
			return "", fmt.Errorf("there is no instrument %q", name)
		}
		ids, names = append(ids, i.ID), append(names, i.Name)
	}
	if len(ids) == 0 {
		return "", fmt.Errorf("name the instrument")
	}
	done := map[How]string{CallThem: "called ", RestThem: "rested "}[how]
	return done + strings.Join(names, ", "), r.h.Call(ctx, ids, how, false)
}

// midi plays a message of a call's file.
func (r *Remote) midi(ctx context.Context, t *template.Template, args []any) (string, error) {
	if len(args) != 1 {
		return "", fmt.Errorf("one MIDI message (type m) is expected")
	}
	m, ok := args[0].(osc.MIDI)
	if !ok {
		return "", fmt.Errorf("one MIDI message (type m) is expected")
	}
	kind, channel, d1, d2 := int(m[1]&0xf0), int(m[1]&0x0f)+1, int(m[2]&0x7f), int(m[3]&0x7f)
	switch {
	case kind == articulation.Controller && d1 == 0:
		r.bank = d2<<7 | r.bank&0x7f
	case kind == articulation.Controller && d1 == 32:
		r.bank = r.bank&^0x7f | d2
	case kind == articulation.NoteOn && d2 > 0:
		if r.bank >= len(t.Calls) {
			return "", fmt.Errorf("bank %d stands for no call; there are %d", r.bank, len(t.Calls))
		}
		i := t.Instrument(handover.Woken(t.Calls[r.bank], channel, d1))
		if i == nil {
			return "", fmt.Errorf("note %d on channel %d stands for no instrument of %s", d1, channel, t.Calls[r.bank].Name)
		}
		return "called " + i.Name, r.h.Call(ctx, []template.ID{i.ID}, CallThem, false)
	}
	return "", nil
}

// RemotePorts lists the templates that listen to a music program, with their
// UDP ports.
func (a *App) RemotePorts() map[uuid.UUID]int {
	out := map[uuid.UUID]int{}
	a.abouts.all(func(id uuid.UUID, x aboutRow) {
		if x.RemotePort > 0 {
			out[id] = x.RemotePort
		}
	})
	return out
}

// RemoteFailed tells everybody who looks at a template that it cannot listen.
func (a *App) RemoteFailed(id uuid.UUID, port int) {
	h, open := a.open.Look(id)
	if !open {
		return
	}
	text := fmt.Sprintf("UDP port %d is taken, so no music program is heard; choose another in the settings", port)
	data, err := json.Marshal(map[string]string{"text": text})
	if err != nil {
		return
	}
	h.doc.Watchers.Tell(Event{Name: "said", Data: data})
}

// RemoteOf returns a Remote of a template that listens; nil when it is gone.
func (a *App) RemoteOf(ctx context.Context, id uuid.UUID) *Remote {
	h, err := a.load(ctx, Person{Studio: a.abouts.studioOf(id)}, id)
	if err != nil {
		return nil
	}
	return h.NewRemote()
}
