// Package share has work done on all cores. Things that do not touch each other go in.
package share

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// Out does so many things, by their numbers from 0, on all cores, and waits for them.
func Out(things int, do func(n int)) {
	var next atomic.Int64
	var all sync.WaitGroup
	for range min(things, runtime.GOMAXPROCS(0)) {
		all.Go(func() {
			for n := int(next.Add(1)) - 1; n < things; n = int(next.Add(1)) - 1 {
				do(n)
			}
		})
	}
	all.Wait()
}
