// Package guide holds the pages of the guide: one for each leaf, and one for all marks.
package guide

import "embed"

// Pages are the pages, as Markdown: start.md, marks.md, and NAME.md of each leaf.
//
//go:embed *.md
var Pages embed.FS
