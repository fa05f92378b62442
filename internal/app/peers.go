package app

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// Peers are the other servers, where there are several.
type Peers interface {
	// Say tells the others something under a topic; they hear it or not.
	Say(topic string, data []byte)
	// Hear is told what others say under a topic.
	Hear(topic string, heard func(data []byte)) error
}

// hereTopic is under which servers tell each other who looks at templates.
const hereTopic = "here"

// hereSaid is what one server says of one template.
type hereSaid struct {
	Server   uuid.UUID `json:"server"`
	Document uuid.UUID `json:"document"`
	Pages    []Here    `json:"pages"`
}

// hereAgain is how often it is said again; what was not said for three times as
// long no longer counts.
const hereAgain = 5 * time.Second

// sayHere tells the other servers who looks at a template here.
func (a *App) sayHere(document uuid.UUID, pages []Here) {
	if a.peers == nil {
		return
	}
	data, err := json.Marshal(hereSaid{a.id, document, pages})
	if err == nil { // names and IDs always can be written
		a.peers.Say(hereTopic, data)
	}
}

// heardHere takes in who looks at a template elsewhere.
func (a *App) heardHere(data []byte) {
	var said hereSaid
	if json.Unmarshal(data, &said) != nil || said.Server == a.id {
		return // of a server of another version, or one's own
	}
	if h, open := a.open.Look(said.Document); open {
		h.here.elsewhere(h.doc.Watchers, said.Server, said.Pages, time.Now())
	}
}

// sayAllHere says again who is here, and forgets who was not said for long.
func (a *App) sayAllHere() {
	for _, h := range a.open.All() {
		if pages := h.here.own(); len(pages) > 0 {
			a.sayHere(h.ID(), pages)
		}
		h.here.forget(h.doc.Watchers, time.Now().Add(-3*hereAgain))
	}
}
