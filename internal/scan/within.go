package scan

import (
	"fmt"
	"os"
	"path/filepath"
)

// OpenWithin opens a folder that is one of the roots or lies within one. No
// name and no link in it leads out of it. The error says, for people, what may
// be opened.
func OpenWithin(roots []string, folder string) (*os.Root, error) {
	clean := filepath.Clean(folder)
	for _, root := range roots {
		rel, err := filepath.Rel(root, clean)
		if err != nil || !filepath.IsLocal(rel) {
			continue
		}
		outer, err := os.OpenRoot(root)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be opened", root)
		}
		defer func() { _ = outer.Close() }() // the inner one stays open by itself
		inner, err := outer.OpenRoot(rel)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be opened; is it a folder?", folder)
		}
		return inner, nil
	}
	if len(roots) == 0 {
		return nil, fmt.Errorf("no folder there may be scanned; start it with --scan-root FOLDER")
	}
	return nil, fmt.Errorf("%s may not be scanned; only %v may, and what is in them", folder, roots)
}
