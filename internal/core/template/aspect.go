package template

// Aspect is a part of a template that rules of the proof look at. A rule that
// found nothing, and reads no aspect that a change touches, need not run again.
type Aspect uint

// The aspects.
const (
	OfRows     Aspect = 1 << iota // instruments added, or of another kind or section
	OfGone                        // instruments taken away
	OfNames                       // what instruments are called
	OfRoutes                      // instruments' faders and routes
	OfBuses                       // buses, folds and what is heard
	OfSeats                       // seats and seat styles
	OfPatches                     // patches instruments play, players, libraries
	OfMachines                    // machines and settings
	OfSections                    // the section tree
	OfCalls                       // the named calls
	OfLevels                      // how instruments sound, and their level trims

	// Nothing is what no rule of the proof reads.
	Nothing Aspect = 0
	// Everything is all of them.
	Everything = OfRows | OfGone | OfNames | OfRoutes | OfBuses | OfSeats | OfPatches | OfMachines | OfSections | OfCalls | OfLevels
)
