package store

// Crash ends a server's connection as a crash does: it gives nothing back.
func (m *Membership) Crash() {
	m.stop()
	m.done.Wait()
}
