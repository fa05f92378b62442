package template

import "slices"

// Column is where buses of a kind stand as sound goes from left to right.
type Column int

// The columns, beside that of the instruments.
const (
	ColumnBuses Column = iota
	ColumnStems
	ColumnMix
	ColumnSpeakers
)

// Chaining says when sound that passes a bus starts a new chain of processing.
type Chaining int

// When it does.
const (
	ChainIfProcessed Chaining = iota
	ChainAlways               // what it does makes a sound of its own
	ChainNever                // what is done there lies outside the stems
)

// BusType is what a kind of bus is, said once.
type BusType struct {
	Kind   BusKind
	Words  string // in a menu
	Many   string // several of it
	Column Column
	Chain  Chaining
	Sums   bool // it stands on the dry way between rows and stems
	Sends  bool // it is fed by sends: ways beside the dry one, taken before the fader
	Stem   bool // it belongs to a fold, is delivered, and holds what people send there
	Beyond bool // it lies beyond the stems: heard at its input, and fed by no row but a guide
	Last   bool // nothing comes after it
	Only   bool // a template has exactly one
	Prints bool // it plays what was recorded: heard in the print position alone
	Sight  bool // a sightline can show it
}

// BusTypes lists every kind of bus, in the order sound meets them. A new kind has
// one entry here; what only it does stands where that is done.
var BusTypes = []BusType{
	{Kind: Group, Words: "group", Many: "groups", Column: ColumnBuses, Sums: true, Sight: true},
	{Kind: Return, Words: "return, fed by sends", Many: "returns", Column: ColumnBuses, Chain: ChainAlways, Sends: true, Sight: true},
	{Kind: Stem, Words: "stem", Many: "stems", Column: ColumnStems, Stem: true, Sight: true},
	{Kind: Mix, Words: "mix", Many: "mixes", Column: ColumnMix, Chain: ChainNever, Beyond: true, Only: true},
	{Kind: Print, Words: "print", Many: "prints", Column: ColumnMix, Chain: ChainNever, Beyond: true, Prints: true},
	{Kind: Speakers, Words: "speakers", Many: "speakers", Column: ColumnSpeakers, Chain: ChainNever, Beyond: true, Last: true},
}

// Wet tells whether buses of the kind give back a sound of their own, such as a hall.
func (b *BusType) Wet() bool { return b.Chain == ChainAlways }

// Delivered tells whether buses of the kind are printed to files.
func (b *BusType) Delivered() bool { return b.Stem || b.Only }

// HeardAt is the print position in which a bus of the kind is heard.
func (b *BusType) HeardAt() At {
	if b.Prints {
		return AtPrint
	}
	return AtListen
}

var noType = &BusType{}

// Is is what a kind of bus is; a kind that there is not is nothing. It is asked for
// every row and every bus on its way, so it looks through the list for a kind that
// is new here alone; a test holds both together.
func (k BusKind) Is() *BusType {
	switch k {
	case Group:
		return &BusTypes[0]
	case Return:
		return &BusTypes[1]
	case Stem:
		return &BusTypes[2]
	case Mix:
		return &BusTypes[3]
	case Print:
		return &BusTypes[4]
	case Speakers:
		return &BusTypes[5]
	}
	for n := range BusTypes {
		if BusTypes[n].Kind == k {
			return &BusTypes[n]
		}
	}
	return noType
}

// Place is where a kind of bus stands in the list of kinds; -1 for one that there is not.
func (k BusKind) Place() int {
	return slices.IndexFunc(BusTypes, func(b BusType) bool { return b.Kind == k })
}

// SightBuses lists the kinds of bus that a sightline can show.
var SightBuses = kindsOf(func(b *BusType) bool { return b.Sight })

// InnerBuses lists the kinds of bus that stand between rows and stems.
var InnerBuses = kindsOf(func(b *BusType) bool { return b.Column == ColumnBuses })

// FirstBus returns the first bus of some kinds; nil without one.
func (t *Template) FirstBus(which func(*BusType) bool) *Bus {
	for _, b := range t.Buses {
		if which(b.Kind.Is()) {
			return b
		}
	}
	return nil
}

// ThePrint is the bus that plays what was recorded; nil without one.
func (t *Template) ThePrint() *Bus {
	return t.FirstBus(func(is *BusType) bool { return is.Prints })
}

// TheSpeakers is the first bus nothing comes after; nil without one.
func (t *Template) TheSpeakers() *Bus {
	return t.FirstBus(func(is *BusType) bool { return is.Last })
}

func kindsOf(which func(*BusType) bool) []BusKind {
	var out []BusKind
	for n := range BusTypes {
		if which(&BusTypes[n]) {
			out = append(out, BusTypes[n].Kind)
		}
	}
	return out
}
