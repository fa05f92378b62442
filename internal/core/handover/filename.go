package handover

import "strings"

// FileName makes a name safe as a file's on every system.
func FileName(name string) string {
	safe := strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, name)
	safe = strings.Trim(safe, " .")
	if safe == "" {
		return "template"
	}
	return safe
}
