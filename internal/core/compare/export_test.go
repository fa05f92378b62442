package compare

import (
	"reflect"
	"strings"
)

// Called is what a field is called in words.
var Called = called

// KeyOf is the JSON key of a field.
func KeyOf(tag reflect.StructTag) string {
	key, _, _ := strings.Cut(tag.Get("json"), ",")
	return key
}
