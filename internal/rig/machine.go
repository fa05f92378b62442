package rig

import (
	"context"
	"time"

	"fanfold/internal/core/template"
)

// Machine is a sample machine as the host agent drives it. The stand-in is one; what drives
// a real sampler would be another.
type Machine interface {
	// Follow takes the whole set that is wanted, in loading order: what is new is loaded, what
	// is trimmed otherwise is loaded or freed in part, and what is not named is rested.
	Follow(o Orders)
	// Report tells what it holds, and how it is.
	Report() Report
	// Changed is told when a report is worth sending at once.
	Changed() <-chan struct{}
	// Step lets time pass; busy tells that what it reports has changed.
	Step(d time.Duration) (busy bool)
	// Roots are the folders whose patches it tells of: scanned, and zone by zone.
	Roots() []string
	// Sound makes what sounds of it; tell is called with each block that a listener hears, and
	// does not wait.
	Sound(tell func(listener string, b SoundBlock)) Sounding
}

// Sounding is what sounds of a machine: notes in, sound out.
type Sounding interface {
	// Run sounds in real time until the context ends.
	Run(ctx context.Context)
	// Play takes what a listener plays now.
	Play(o PlayOrder)
	// Perform makes the next piece of music ahead of being heard, in so many lanes.
	Perform(ask PerformAsk) (done Performed, lanes int, err error)
	// Measure plays the test of a row and measures it.
	Measure(ask MeasureAsk) (*template.Heard, error)
}

var (
	_ Machine  = (*StandIn)(nil)
	_ Sounding = (*stage)(nil)
)
