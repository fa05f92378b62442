// Package schema holds the published JSON Schemas of Fanfold's files.
package schema

import "embed"

// Templates holds the schemas of the template file, one for each version that
// is read: template-1.schema.json and so on.
//
//go:embed template-*.schema.json
var Templates embed.FS
