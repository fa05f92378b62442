package main

import "fmt"

// counted is a number of things in words: "1 row", "2 rows". What does not end in an s when there are
// several of it gives that word, too: "3 libraries".
func counted(n int, one string, many ...string) string {
	switch {
	case n == 1:
		return "1 " + one
	case len(many) > 0:
		return fmt.Sprintf("%d %s", n, many[0])
	}
	return fmt.Sprintf("%d %ss", n, one)
}
