package handover

import "fanfold/internal/core/printing"

// FileName makes a name safe as a file's on every system.
func FileName(name string) string { return printing.SafeName(name, "template") }
