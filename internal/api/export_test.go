package api

import "time"

// Attempts lets tests count sign-in attempts without hashing passwords.
type Attempts struct{ a *attempts }

// NewAttempts counts by a clock that tests set.
func NewAttempts(now func() time.Time) Attempts { return Attempts{newAttempts(now)} }

// Allow tells whether an attempt may go on.
func (a Attempts) Allow(address, email string) bool { return a.a.allow(address, email) }
