// Package screenshots holds pictures of the main views, made from the demo by make screenshots.
package screenshots

import "embed"

// Pictures are the pictures, as PNG.
//
//go:embed *.png
var Pictures embed.FS
