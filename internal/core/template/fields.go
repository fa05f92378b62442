package template

import (
	"reflect"
	"slices"
)

// Fields are new values of one instrument; nil leaves a field as it is. Those that
// an instrument may have or not are taken away by a value that says nothing.
type Fields struct {
	ID            ID            `json:"id,omitempty"`
	Name          *string       `json:"name,omitempty"`
	NameByHand    *bool         `json:"nameByHand,omitempty"`
	Short         *string       `json:"short,omitempty"`
	ShortByHand   *bool         `json:"shortByHand,omitempty"`
	Kind          *Kind         `json:"kind,omitempty"`
	Articulations *[]string     `json:"articulations,omitempty"`
	Patches       *[]ID         `json:"patches,omitempty"`
	Colour        *string       `json:"colour,omitempty"`
	Emblem        *Emblem       `json:"emblem,omitempty"` // one that says nothing takes the row's own away
	Notes         *string       `json:"notes,omitempty"`
	GainDB        *float64      `json:"gainDb,omitempty"`
	LevelTrimDB   *float64      `json:"levelTrimDb,omitempty"`
	Pan           *float64      `json:"pan,omitempty"`
	LayerTrims    *[]LayerTrim  `json:"layerTrims,omitempty"`
	Upbeat        *[]Controller `json:"upbeat,omitempty"`
	Heard         *Heard        `json:"heard,omitempty"` // one without a way of measuring takes it away
	Style         *SeatStyle    `json:"style,omitempty"`
	Mics          *[]string     `json:"mics,omitempty"`
	Map           *[]Mapping    `json:"map,omitempty"`
	Layout        *Layout       `json:"layout,omitempty"`
	Spread        *ID           `json:"spread,omitempty"`
	StemByHand    *bool         `json:"stemByHand,omitempty"`
	SeatByHand    *bool         `json:"seatByHand,omitempty"`
	Pinned        *bool         `json:"pinned,omitempty"`
	Keep          *bool         `json:"keep,omitempty"`
	Aside         *bool         `json:"aside,omitempty"`
	With          *ID           `json:"with,omitempty"`    // of a row that plays the same sound already; empty gives it its own
	Printed       *Printed      `json:"printed,omitempty"` // one without a file lets the instrument play again
	Trim          *Trim         `json:"trim,omitempty"`    // one without a call loads the instrument whole again
}

// Field is one field of an instrument, described once: what follows from it is in
// the code that walks RowFields.
type Field struct {
	Key   string // in JSON, in lists of changes and on the wire
	Words string // what people call it
	Reads Aspect // which parts of the proof look at it
	Own   Whose  // the row's, or its sound's
	Told  Told   // how browsers hear of it
	access
}

// Whose says to what a field belongs, where several rows sit on one seat.
type Whose bool

// A field is the row's own, or the sound's: one for all rows of a seat.
const (
	OfRow   Whose = false
	OfSound Whose = true
)

// Told says how browsers are told of a field.
type Told bool

// A field is told with the whole row, or by itself where only such fields differ.
const (
	WithRow  Told = false
	ByItself Told = true
)

// RowFields lists every field of an instrument but its ID, in the order of the
// struct. A new field has one line here, one in Instrument, and one in Fields.
var RowFields = []Field{
	{"section", "section", OfRows | OfGone, OfRow, WithRow, placed(func(i *Instrument) *ID { return &i.Section })},
	{"name", "name", OfNames, OfRow, ByItself, plain(func(i *Instrument) *string { return &i.Name }, func(f *Fields) **string { return &f.Name })},
	{"nameByHand", "name by hand", Nothing, OfRow, ByItself, plain(func(i *Instrument) *bool { return &i.NameByHand }, func(f *Fields) **bool { return &f.NameByHand })},
	{"short", "short name", Nothing, OfRow, ByItself, plain(func(i *Instrument) *string { return &i.Short }, func(f *Fields) **string { return &f.Short })},
	{"shortByHand", "short name by hand", Nothing, OfRow, ByItself, plain(func(i *Instrument) *bool { return &i.ShortByHand }, func(f *Fields) **bool { return &f.ShortByHand })},
	{"kind", "kind", OfRows | OfGone, OfRow, ByItself, plain(func(i *Instrument) *Kind { return &i.Kind }, func(f *Fields) **Kind { return &f.Kind })},
	{"articulations", "articulations", OfPatches, OfRow, WithRow, listed(func(i *Instrument) *[]string { return &i.Articulations }, func(f *Fields) **[]string { return &f.Articulations })},
	{"patches", "patches", OfPatches, OfSound, WithRow, listed(func(i *Instrument) *[]ID { return &i.Patches }, func(f *Fields) **[]ID { return &f.Patches })},
	{"mics", "microphones", OfPatches, OfSound, WithRow, listed(func(i *Instrument) *[]string { return &i.Mics }, func(f *Fields) **[]string { return &f.Mics })},
	{"map", "articulation map", OfPatches, OfSound, WithRow, mapped(func(i *Instrument) *[]Mapping { return &i.Map }, func(f *Fields) **[]Mapping { return &f.Map })},
	{"layout", "layout", Nothing, OfSound, WithRow, plain(func(i *Instrument) *Layout { return &i.Layout }, func(f *Fields) **Layout { return &f.Layout })},
	{"spread", "spread", OfPatches | OfSeats, OfSound, WithRow, plain(func(i *Instrument) *ID { return &i.Spread }, func(f *Fields) **ID { return &f.Spread })},
	{"colour", "colour", OfSections, OfRow, ByItself, plain(func(i *Instrument) *string { return &i.Colour }, func(f *Fields) **string { return &f.Colour })},
	{"emblem", "emblem", Nothing, OfRow, ByItself, had(func(i *Instrument) **Emblem { return &i.Emblem }, func(f *Fields) **Emblem { return &f.Emblem }, func(e *Emblem) bool { return e.Letters != "" || e.Icon != "" || len(e.Picture) > 0 }, func(a, b *Emblem) bool { return a == b || a != nil && b != nil && reflect.DeepEqual(a, b) }, clonePointed[Emblem])},
	{"notes", "notes", Nothing, OfRow, ByItself, plain(func(i *Instrument) *string { return &i.Notes }, func(f *Fields) **string { return &f.Notes })},
	{"levelTrimDb", "level trim", OfLevels, OfSound, ByItself, plain(func(i *Instrument) *float64 { return &i.LevelTrimDB }, func(f *Fields) **float64 { return &f.LevelTrimDB })},
	{"heard", "measured sound", OfLevels, OfSound, WithRow, had(func(i *Instrument) **Heard { return &i.Heard }, func(f *Fields) **Heard { return &f.Heard }, func(h *Heard) bool { return h.By != "" }, func(a, b *Heard) bool { return a == b || a != nil && b != nil && reflect.DeepEqual(a, b) }, cloneHeard)},
	{"layerTrims", "trims of layers", OfLevels, OfSound, WithRow, listed(func(i *Instrument) *[]LayerTrim { return &i.LayerTrims }, func(f *Fields) **[]LayerTrim { return &f.LayerTrims })},
	{"upbeat", "upbeat", Nothing, OfSound, WithRow, listed(func(i *Instrument) *[]Controller { return &i.Upbeat }, func(f *Fields) **[]Controller { return &f.Upbeat })},
	{"gainDb", "level", OfRoutes, OfSound, ByItself, plain(func(i *Instrument) *float64 { return &i.GainDB }, func(f *Fields) **float64 { return &f.GainDB })},
	{"pan", "pan", Nothing, OfSound, ByItself, plain(func(i *Instrument) *float64 { return &i.Pan }, func(f *Fields) **float64 { return &f.Pan })},
	{"routes", "routes", OfRoutes, OfSound, WithRow, placedList(func(i *Instrument) *[]Route { return &i.Routes })},
	{"stemByHand", "exception", Nothing, OfSound, ByItself, plain(func(i *Instrument) *bool { return &i.StemByHand }, func(f *Fields) **bool { return &f.StemByHand })},
	{"style", "seat style", OfSeats, OfSound, WithRow, plain(func(i *Instrument) *SeatStyle { return &i.Style }, func(f *Fields) **SeatStyle { return &f.Style })},
	{"seatByHand", "seat by hand", Nothing, OfSound, ByItself, plain(func(i *Instrument) *bool { return &i.SeatByHand }, func(f *Fields) **bool { return &f.SeatByHand })},
	{"seat", "seat", OfSeats, OfSound, WithRow, placedOptional(func(i *Instrument) **Seat { return &i.Seat })},
	{"with", "row it sits with", OfSeats, OfRow, WithRow, plain(func(i *Instrument) *ID { return &i.With }, func(f *Fields) **ID { return &f.With })},
	{"pinned", "pin", Nothing, OfRow, ByItself, plain(func(i *Instrument) *bool { return &i.Pinned }, func(f *Fields) **bool { return &f.Pinned })},
	{"keep", "keep mark", OfCalls, OfSound, ByItself, plain(func(i *Instrument) *bool { return &i.Keep }, func(f *Fields) **bool { return &f.Keep })},
	{"aside", "set aside", OfSeats | OfCalls, OfRow, WithRow, plain(func(i *Instrument) *bool { return &i.Aside }, func(f *Fields) **bool { return &f.Aside })},
	{"printed", "recording", OfSeats, OfSound, WithRow, optional(func(i *Instrument) **Printed { return &i.Printed }, func(f *Fields) **Printed { return &f.Printed }, func(p *Printed) bool { return p.File != "" })},
	{"trim", "trim", OfPatches, OfSound, WithRow, trimmed(func(i *Instrument) **Trim { return &i.Trim }, func(f *Fields) **Trim { return &f.Trim }, func(x *Trim) bool { return x.Call != "" })},
}

// access is how a field is read and set.
type access struct {
	// Same tells whether two rows have the same in it.
	Same func(a, b *Instrument) bool
	// Copy gives one row what another has; they share nothing afterwards.
	Copy func(to, from *Instrument)
	// Set sets it where the new values say something, and keeps the old value. It
	// is nil for a field that changes of its own set.
	Set func(i *Instrument, f, old *Fields)
	// Says tells whether new values say something of it.
	Says func(f *Fields) bool
	// Alike tells whether two sets of new values say the same of it.
	Alike func(a, b *Fields) bool
	// Tell says the value of a row.
	Tell func(f *Fields, i *Instrument)
}

// of builds the access to a field: where it lies in a row and in new values, how
// two are compared, and how one is copied.
func of[T any](at func(*Instrument) *T, in func(*Fields) **T, same func(a, b T) bool, copied func(T) T) access {
	a := access{
		Same: func(x, y *Instrument) bool { return same(*at(x), *at(y)) },
		Copy: func(to, from *Instrument) { *at(to) = copied(*at(from)) },
	}
	if in == nil {
		return a
	}
	a.Set = func(i *Instrument, f, old *Fields) {
		if value := *in(f); value != nil {
			was := *at(i)
			*in(old), *at(i) = &was, copied(*value)
		}
	}
	a.Says = func(f *Fields) bool { return *in(f) != nil }
	a.Alike = func(x, y *Fields) bool {
		p, q := *in(x), *in(y)
		return p == q || p != nil && q != nil && same(*p, *q)
	}
	a.Tell = func(f *Fields, i *Instrument) {
		value := copied(*at(i))
		*in(f) = &value
	}
	return a
}

func itself[T any](x T) T { return x }

func equal[T comparable](a, b T) bool { return a == b }

// plain is a value that stands by itself.
func plain[T comparable](at func(*Instrument) *T, in func(*Fields) **T) access {
	return of(at, in, equal[T], itself[T])
}

// placed is plain, of a field that changes of its own set.
func placed[T comparable](at func(*Instrument) *T) access { return of(at, nil, equal[T], itself[T]) }

// listed is a list of values; none is as good as an empty one.
func listed[T comparable](at func(*Instrument) *[]T, in func(*Fields) **[]T) access {
	return of(at, in, slices.Equal[[]T], slices.Clone[[]T])
}

// placedList is listed, of a field that changes of its own set.
func placedList[T comparable](at func(*Instrument) *[]T) access {
	return of(at, nil, slices.Equal[[]T], slices.Clone[[]T])
}

// mapped is an articulation map.
func mapped(at func(*Instrument) *[]Mapping, in func(*Fields) **[]Mapping) access {
	return of(at, in, sameMap, func(m []Mapping) []Mapping {
		m = CloneMap(m)
		NormaliseMap(m)
		return m
	})
}

func sameMap(a, b []Mapping) bool { return len(a)+len(b) == 0 || reflect.DeepEqual(a, b) }

// optional is what an instrument has or not; new values that say nothing take it
// away.
func optional[T comparable](at func(*Instrument) **T, in func(*Fields) **T, says func(*T) bool) access {
	return had(at, in, says, samePointed[T], clonePointed[T])
}

// placedOptional is optional, of a field that changes of its own set.
func placedOptional[T comparable](at func(*Instrument) **T) access {
	return of(at, nil, samePointed[T], clonePointed[T])
}

// trimmed is what an instrument is trimmed to.
func trimmed(at func(*Instrument) **Trim, in func(*Fields) **Trim, says func(*Trim) bool) access {
	same := func(a, b *Trim) bool { return a == b || a != nil && b != nil && reflect.DeepEqual(a, b) }
	return had(at, in, says, same, func(x *Trim) *Trim {
		if x = clonePointed(x); x != nil {
			x.Patches = slices.Clone(x.Patches)
		}
		return x
	})
}

func had[T any](at func(*Instrument) **T, in func(*Fields) **T, says func(*T) bool, same func(a, b *T) bool, copied func(*T) *T) access {
	a := of(at, nil, same, copied)
	a.Set = func(i *Instrument, f, old *Fields) {
		value := *in(f)
		if value == nil {
			return
		}
		*in(old) = new(T) // says nothing
		if *at(i) != nil {
			*in(old) = *at(i)
		}
		*at(i) = nil
		if says(value) {
			*at(i) = copied(value)
		}
	}
	a.Says = func(f *Fields) bool { return *in(f) != nil }
	a.Alike = func(x, y *Fields) bool {
		p, q := *in(x), *in(y)
		return p == q || p != nil && q != nil && same(p, q)
	}
	a.Tell = func(f *Fields, i *Instrument) {
		if *in(f) = copied(*at(i)); *in(f) == nil {
			*in(f) = new(T)
		}
	}
	return a
}

func samePointed[T comparable](a, b *T) bool { return a == b || a != nil && b != nil && *a == *b }

func clonePointed[T any](x *T) *T {
	if x == nil {
		return nil
	}
	c := *x
	return &c
}

// Says lists the fields that the new values say something of.
func (f *Fields) Says() []*Field {
	var out []*Field
	for n := range RowFields {
		if x := &RowFields[n]; x.Says != nil && x.Says(f) {
			out = append(out, x)
		}
	}
	return out
}

// Alike tells whether both set the same, whichever row they are of.
func (f *Fields) Alike(o *Fields) bool {
	for n := range RowFields {
		if x := &RowFields[n]; x.Alike != nil && !x.Alike(f, o) {
			return false
		}
	}
	return true
}

// FieldOf is the field of a key; nil when there is none.
func FieldOf(key string) *Field {
	for n := range RowFields {
		if RowFields[n].Key == key {
			return &RowFields[n]
		}
	}
	return nil
}

// Like tells whether two rows have the same in every field: a list that is empty and one that is
// missing are the same.
func (i *Instrument) Like(other *Instrument) bool {
	if i == nil || other == nil || i.ID != other.ID {
		return i == other
	}
	for n := range RowFields {
		if !RowFields[n].Same(i, other) {
			return false
		}
	}
	return true
}

// Touches tells which aspects differ between two versions of a row.
func (i *Instrument) Touches(was *Instrument) Aspect {
	var a Aspect
	for n := range RowFields {
		if x := &RowFields[n]; a&x.Reads != x.Reads && !x.Same(was, i) {
			a |= x.Reads
		}
	}
	return a
}
