package app

// Figures are what a server tells of itself to those who watch it.
type Figures struct {
	Open      int   // templates
	Bytes     int64 // what they are estimated to take
	Watchers  int   // streams that follow a template
	HostsHere int
	HostsAway int
	Revisions int64 // that were shown since the start
}

// Figures counts what is open and who is here.
func (a *App) Figures() Figures {
	f := Figures{Revisions: a.revisions.Load()}
	for _, h := range a.open.All() {
		f.Open++
		f.Bytes += sizeOf(h.View().Template)
		f.Watchers += h.doc.Watchers.Count()
	}
	f.HostsHere, f.HostsAway = a.hosts.count()
	return f
}

// Listening tells whether what other servers write is heard.
func (a *App) Listening() bool { return a.listening.Load() }

// count is how many machines are heard, and how many were.
func (b *hostBook) count() (here, away int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, p := range b.known {
		if p.online {
			here++
		} else {
			away++
		}
	}
	return here, away
}
