package handover

import "fanfold/internal/core/filename"

// FileName makes a name safe as a file's on every system.
func FileName(name string) string { return filename.Safe(name, "template") }
