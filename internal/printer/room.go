package printer

import (
	"fmt"
	"syscall"
)

// RoomFor tells before anything is written that a folder has too little room for so many bytes.
func RoomFor(dir string, bytes int64) error {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		return nil //nolint:nilerr // nobody knows; writing will tell
	}
	if free := int64(s.Bavail) * s.Bsize; free < bytes {
		return fmt.Errorf("%s has room for %d MiB, and the files take up to %d MiB; make room, or choose fewer folds", dir, free>>20, bytes>>20)
	}
	return nil
}
