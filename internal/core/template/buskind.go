package template

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
	Sends  bool // it is fed by sends: ways beside the dry one, taken before the fader
	Stem   bool // it belongs to a fold, is delivered, and holds what people send there
	Beyond bool // it lies beyond the stems: heard at its input, and fed by no row but a guide
	Last   bool // nothing comes after it
	Only   bool // a template has exactly one
	Sight  bool // a sightline can show it
}

// BusTypes lists every kind of bus, in the order sound meets them. A new kind has
// one entry here; what only it does stands where that is done.
var BusTypes = []BusType{
	{Kind: Group, Words: "group", Many: "groups", Column: ColumnBuses, Sight: true},
	{Kind: Return, Words: "return, fed by sends", Many: "returns", Column: ColumnBuses, Chain: ChainAlways, Sends: true, Sight: true},
	{Kind: Stem, Words: "stem", Many: "stems", Column: ColumnStems, Stem: true, Sight: true},
	{Kind: Mix, Words: "mix", Many: "mixes", Column: ColumnMix, Chain: ChainNever, Beyond: true, Only: true},
	{Kind: Print, Words: "print", Many: "prints", Column: ColumnMix, Chain: ChainNever, Beyond: true},
	{Kind: Speakers, Words: "speakers", Many: "speakers", Column: ColumnSpeakers, Chain: ChainNever, Beyond: true, Last: true},
}

var noType = &BusType{}

// Is is what a kind of bus is; a kind that there is not is nothing. It is asked for
// every row and every bus on its way, so it does not look through the list; a test
// holds both together.
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
	return noType
}

// BusKinds lists every kind of bus.
var BusKinds = kindsOf(func(*BusType) bool { return true })

// SightBuses lists the kinds of bus that a sightline can show.
var SightBuses = kindsOf(func(b *BusType) bool { return b.Sight })

func kindsOf(which func(*BusType) bool) []BusKind {
	var out []BusKind
	for n := range BusTypes {
		if which(&BusTypes[n]) {
			out = append(out, BusTypes[n].Kind)
		}
	}
	return out
}
