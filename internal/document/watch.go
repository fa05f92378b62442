package document

import "sync"

// Event is one message to browsers. Revision is 0 for those that need no
// resuming.
type Event struct {
	Revision int64
	Name     string
	Data     []byte
}

// Reset is the name of the event that says: load the document again.
const Reset = "reset"

// keptDeltas is how many revisions back a browser can resume from.
const keptDeltas = 512

// largestKept is the largest delta that is kept for resuming, bytes.
const largestKept = 1 << 20

// room is how many events a watcher may lag behind.
const room = keptDeltas + 64

// Watcher receives a document's events.
type Watcher struct {
	Events chan Event // closed when the watcher is too slow; it must resume
}

// Watchers tell browsers what becomes of one document. Nothing here waits.
type Watchers struct {
	mu       sync.Mutex
	revision int64 // that was told last
	deltas   []Event
	list     map[*Watcher]bool
}

// NewWatchers returns the watchers of a document at a revision; it has none yet.
func NewWatchers(revision int64) *Watchers {
	return &Watchers{revision: revision, list: map[*Watcher]bool{}}
}

// Add starts watching after a revision. What happened since comes first; a Reset
// says that the document must be loaded again. first is told next.
func (w *Watchers) Add(after int64, first ...Event) *Watcher {
	w.mu.Lock()
	defer w.mu.Unlock()
	x := &Watcher{Events: make(chan Event, room)}
	switch {
	case after == w.revision:
	case after < w.revision && len(w.deltas) > 0 && w.deltas[0].Revision <= after+1:
		for _, d := range w.deltas {
			if d.Revision > after {
				x.Events <- d
			}
		}
	default:
		x.Events <- Event{Name: Reset}
	}
	for _, e := range first {
		x.Events <- e
	}
	w.list[x] = true
	return x
}

// Remove ends watching.
func (w *Watchers) Remove(x *Watcher) {
	w.mu.Lock()
	defer w.mu.Unlock()
	delete(w.list, x)
}

// Count is how many watch.
func (w *Watchers) Count() int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.list)
}

// Tell tells everybody something that needs no resuming.
func (w *Watchers) Tell(e Event) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.tell(e)
}

// told tells everybody of a new revision, and lets show make it the present at
// the same moment.
func (w *Watchers) told(e Event, show func()) {
	w.mu.Lock()
	defer w.mu.Unlock()
	show()
	w.revision = e.Revision
	if w.deltas = append(w.deltas, e); len(e.Data) > largestKept || e.Name == Reset {
		w.deltas = nil // who missed it loads the document again, which takes no longer
	}
	if len(w.deltas) > keptDeltas {
		w.deltas = append([]Event{}, w.deltas[len(w.deltas)-keptDeltas:]...)
	}
	w.tell(e)
}

// tell lets go of who is too slow. The caller holds the lock.
func (w *Watchers) tell(e Event) {
	for x := range w.list {
		select {
		case x.Events <- e:
		default:
			delete(w.list, x)
			close(x.Events)
		}
	}
}
