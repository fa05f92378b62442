// Package sfz reads SFZ files: text that names samples and says when they
// sound. A folder and a file's name in it go in; the regions, with everything
// they inherit, come out. Includes are followed within the folder only. A file
// costs memory and time in proportion to its length, within bounds that are named below.
package sfz

import (
	"fmt"
	"io"
	"io/fs"
	"path"
	"regexp"
	"strings"

	"fanfold/internal/format/plaintext"
)

// The bounds of one file with all it includes and defines.
const (
	MostBytes     = 16 << 20
	MostDepth     = 16
	MostIncludes  = 10_000
	MostRegions   = 100_000
	MostDefines   = 10_000
	MostPath      = 4096     // bytes of a sample's path
	MostPathBytes = 16 << 20 // of the paths of all samples
)

// Region is one region, with what it inherits from its group, master and the
// global header.
type Region struct {
	Sample            string // path within the folder; "*sine" and the like are made, not read
	KeyLow, KeyHigh   int    // MIDI notes; -1 and -1 when it is sounded by other means
	VelLow, VelHigh   int
	Switch            int    // the key switch that selects it, -1 for none
	Label             string // what the file calls that switch
	Sequence, Sounded int    // it is the Sounded-th of Sequence round robins
	LoopMode          string // empty when the sample decides
}

// File is what was read.
type File struct {
	Regions  []Region
	Included []string // paths of the files included, in the order they were first met
}

// Read reads the file name in a folder. The error names the file and line.
func Read(folder fs.FS, name string) (*File, error) {
	p := &parser{
		folder: folder, root: path.Dir(name), defines: map[string]string{}, file: &File{},
		included: map[string]bool{}, paths: map[[2]string]string{},
	}
	p.scopes = [4]map[string]string{{}, {}, {}, {}}
	if err := p.read(name, 0); err != nil {
		return nil, err
	}
	return p.file, p.endRegion()
}

// The headers that hold what others inherit, outermost first.
const (
	control = iota
	global
	master
	group
)

type parser struct {
	folder   fs.FS
	root     string // includes and samples are named from here
	bytes    int64
	includes int
	defines  map[string]string
	longest  int // letters of a defined name
	scopes   [4]map[string]string
	region   map[string]string // nil outside a region
	into     map[string]string // what opcodes are added to; nil under a header that is passed over
	file     *File
	included map[string]bool
	sounds   *Instrument          // what is read for playing; nil when only zones are
	paths    map[[2]string]string // of samples, by folder and name
	pathsAre int                  // bytes of them
	where    string               // "file:line" of what is being read
}

func (p *parser) fail(reason string, args ...any) error {
	return fmt.Errorf("%s: %s", p.where, fmt.Sprintf(reason, args...))
}

// within joins a path of the file to the root; it must stay in the folder.
func (p *parser) within(name string) (string, error) {
	if len(name) > MostPath {
		return "", p.fail("a path is longer than %d bytes", MostPath)
	}
	clean := path.Clean(path.Join(p.root, strings.ReplaceAll(name, `\`, "/")))
	if strings.HasPrefix(strings.ReplaceAll(name, `\`, "/"), "/") || !fs.ValidPath(clean) {
		return "", p.fail("%q leaves the folder", name)
	}
	return clean, nil
}

func (p *parser) read(name string, depth int) error {
	if depth > MostDepth {
		return p.fail("includes are nested deeper than %d; does a file include itself?", MostDepth)
	}
	f, err := p.folder.Open(name)
	if err != nil {
		return p.wrap(err)
	}
	defer func() { _ = f.Close() }() // only read
	data, err := io.ReadAll(io.LimitReader(f, MostBytes-p.bytes+1))
	if err != nil {
		return p.wrap(err)
	}
	if err := p.takes(name, len(data)); err != nil {
		return err
	}
	text := stripComments(plaintext.Decode(data))
	for n := 1; text != ""; n++ {
		var line string
		line, text, _ = strings.Cut(text, "\n")
		p.where = fmt.Sprintf("%s:%d", name, n)
		if err := p.line(line, depth); err != nil {
			return err
		}
	}
	return nil
}

// takes counts text that was read, or that a defined name stands for.
func (p *parser) takes(where string, bytes int) error {
	if p.bytes += int64(bytes); p.bytes > MostBytes {
		return fmt.Errorf("%s: it and what it includes and defines are larger than %d MiB", where, MostBytes>>20)
	}
	return nil
}

func (p *parser) wrap(err error) error {
	if p.where == "" {
		return err
	}
	return fmt.Errorf("%s: %w", p.where, err)
}

var (
	directive = regexp.MustCompile(`(?:^|[\s>])#(include|define)[ \t]+`)
	header    = regexp.MustCompile(`<([A-Za-z]+)>`)
	value     = regexp.MustCompile(`\s+(?:<|#(?:include|define)[ \t]|[A-Za-z0-9_]+=)`) // ends a defined value
)

// stripComments takes comments out and keeps the lines where they are.
func stripComments(text string) string {
	var out strings.Builder
	out.Grow(len(text))
	for text != "" {
		at := strings.IndexByte(text, '/')
		if at < 0 || at+1 == len(text) {
			break
		}
		out.WriteString(text[:at])
		switch rest := text[at+2:]; text[at+1] {
		case '/':
			end := strings.IndexByte(rest, '\n')
			if end < 0 {
				return out.String()
			}
			text = rest[end:]
		case '*':
			end := strings.Index(rest, "*/")
			if end < 0 {
				return out.String() // it is never closed
			}
			out.WriteString(strings.Repeat("\n", strings.Count(rest[:end], "\n")))
			text = rest[end+2:]
		default:
			out.WriteByte('/')
			text = text[at+1:]
		}
	}
	out.WriteString(text)
	return out.String()
}

// line reads a line: directives, headers and opcodes, in whatever order.
func (p *parser) line(line string, depth int) error {
	for line != "" {
		if !strings.Contains(line, "#") {
			return p.plain(line)
		}
		at := directive.FindStringSubmatchIndex(line)
		if at == nil {
			return p.plain(line)
		}
		if err := p.plain(line[:at[2]-1]); err != nil {
			return err
		}
		what, rest := line[at[2]:at[3]], line[at[1]:]
		var err error
		if what == "include" {
			line, err = p.include(rest, depth)
		} else {
			line, err = p.define(rest)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// plain reads headers and opcodes.
func (p *parser) plain(line string) error {
	line, err := p.expand(line)
	if err != nil {
		return err
	}
	for line != "" {
		if !strings.Contains(line, "<") {
			return p.opcodes(line)
		}
		at := header.FindStringSubmatchIndex(line)
		if at == nil {
			return p.opcodes(line)
		}
		if err := p.opcodes(line[:at[0]]); err != nil {
			return err
		}
		if err := p.header(strings.ToLower(line[at[2]:at[3]])); err != nil {
			return err
		}
		line = line[at[1]:]
	}
	return nil
}

// include reads the file a directive names, and returns what follows it on its line.
func (p *parser) include(rest string, depth int) (string, error) {
	name, after := strings.TrimSpace(rest), ""
	if strings.HasPrefix(name, `"`) {
		name, after, _ = strings.Cut(name[1:], `"`)
	}
	name, err := p.expand(name)
	if err != nil {
		return "", err
	}
	clean, err := p.within(name)
	if err != nil {
		return "", err
	}
	if p.includes++; p.includes > MostIncludes {
		return "", p.fail("files are included more than %d times", MostIncludes)
	}
	if !p.included[clean] {
		p.included[clean] = true
		p.file.Included = append(p.file.Included, clean)
	}
	where := p.where
	if err := p.read(clean, depth+1); err != nil {
		return "", err
	}
	p.where = where
	return after, nil
}

// define notes what a name stands for, and returns what follows on its line.
func (p *parser) define(rest string) (string, error) {
	rest = strings.TrimSpace(rest)
	after := ""
	if at := value.FindStringIndex(rest); at != nil {
		rest, after = rest[:at[0]], rest[at[0]:]
	}
	name, says := rest, ""
	if at := strings.IndexAny(rest, " \t"); at >= 0 {
		name, says = rest[:at], rest[at:]
	}
	if !strings.HasPrefix(name, "$") || len(name) < 2 {
		return "", p.fail("#define needs a name that begins with $")
	}
	if len(name) > mostName {
		return "", p.fail("a defined name is longer than %d characters", mostName)
	}
	if _, known := p.defines[name]; !known && len(p.defines) == MostDefines {
		return "", p.fail("more than %d names are defined", MostDefines)
	}
	says, err := p.expand(strings.TrimSpace(says))
	if err != nil {
		return "", err
	}
	if len(says) > 4096 {
		return "", p.fail("%s stands for more than 4096 characters", name)
	}
	p.defines[name] = says
	p.longest = max(p.longest, len(name))
	return after, nil
}

// mostName bounds a defined name, in bytes.
const mostName = 256

// expand puts in what defined names stand for, at each place the longest name
// that stands there.
func (p *parser) expand(line string) (string, error) {
	if len(p.defines) == 0 || !strings.Contains(line, "$") {
		return line, nil
	}
	var out strings.Builder
	for {
		at := strings.IndexByte(line, '$')
		if at < 0 {
			break
		}
		out.WriteString(line[:at])
		line = line[at:]
		name, says := "$", "$"
		for length := min(p.longest, len(line)); length > 1; length-- {
			if s, ok := p.defines[line[:length]]; ok {
				name, says = line[:length], s
				break
			}
		}
		if err := p.takes(p.where, len(says)); err != nil {
			return "", err
		}
		out.WriteString(says)
		line = line[len(name):]
	}
	out.WriteString(line)
	return out.String(), nil
}

func (p *parser) header(name string) error {
	if err := p.endRegion(); err != nil {
		return err
	}
	clearFrom := func(level int) {
		for n := level; n < len(p.scopes); n++ {
			clear(p.scopes[n])
		}
		p.into = p.scopes[level]
	}
	switch name {
	case "control":
		p.into = p.scopes[control]
	case "global":
		clearFrom(global)
	case "master":
		clearFrom(master)
	case "group":
		clearFrom(group)
	case "region":
		p.region = map[string]string{}
		p.into = p.region
	default: // curve, effect and others say nothing of zones
		p.into = nil
	}
	return nil
}

// opcodes reads name=value pairs; a value runs to the next name, so that it
// can hold spaces. Names that say nothing of zones are passed over.
func (p *parser) opcodes(text string) error {
	if p.into == nil || !strings.Contains(text, "=") {
		return nil
	}
	begin, equals := nextOpcode(text, 0)
	for equals > 0 {
		name := strings.ToLower(text[begin:equals])
		next, after := nextOpcode(text, equals+1)
		end := len(text)
		if after > 0 {
			end = next
		}
		if known[name] || p.sounds != nil {
			says := strings.TrimSpace(text[equals+1 : end])
			p.into[name] = says
			if name == "key" { // stands for two, which later ones may set apart
				p.into["lokey"], p.into["hikey"] = says, says
			}
		}
		begin, equals = next, after
	}
	return nil
}

// nextOpcode finds the next name of letters, digits and underscores between the
// line's begin, or white space, and an equals sign; equals is 0 for none.
func nextOpcode(text string, from int) (begin, equals int) {
	for at := from; ; {
		n := strings.IndexByte(text[at:], '=')
		if n < 0 {
			return 0, 0
		}
		equals, begin = at+n, at+n
		for begin > from && named(text[begin-1]) {
			begin--
		}
		spaced := begin == 0 || begin > from && (text[begin-1] == ' ' || text[begin-1] == '\t')
		if begin < equals && spaced {
			return begin, equals
		}
		at = equals + 1
	}
}

func named(c byte) bool {
	return c == '_' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}

// endRegion keeps the region that has just been read.
func (p *parser) endRegion() error {
	if p.region == nil {
		return nil
	}
	if len(p.file.Regions) == MostRegions {
		return p.fail("more than %d regions", MostRegions)
	}
	region, err := p.resolve(p.inherited)
	switch {
	case err != nil:
	case p.sounds != nil:
		err = p.sound(region)
	default:
		p.file.Regions = append(p.file.Regions, region)
	}
	p.region = nil
	return err
}
