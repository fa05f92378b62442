// Package schema holds the published JSON Schemas of Fanfold's files.
package schema

import _ "embed"

// Template1 is the schema of the template file, version 1, which is still read.
//
//go:embed template-1.schema.json
var Template1 []byte

// Template2 is that of version 2, which is still read.
//
//go:embed template-2.schema.json
var Template2 []byte

// Template3 is that of version 3, which is still read.
//
//go:embed template-3.schema.json
var Template3 []byte

// Template4 is that of version 4, which is still read.
//
//go:embed template-4.schema.json
var Template4 []byte

// Template5 is the schema of the template file, version 5.
//
//go:embed template-5.schema.json
var Template5 []byte
