// Package sfz reads SFZ files: text that names samples and says when they
// sound. A folder and a file's name in it go in; the regions, with everything
// they inherit, come out. Includes are followed within the folder only.
package sfz

import (
	"fmt"
	"io"
	"io/fs"
	"path"
	"regexp"
	"sort"
	"strings"
)

// The bounds of one file with all it includes.
const (
	MostBytes   = 16 << 20
	MostDepth   = 16
	MostRegions = 500_000
	MostDefines = 10_000
)

// Region is one region, with what it inherits from its group, master and the
// global header.
type Region struct {
	Sample            string // path within the folder; "*sine" and the like are made, not read
	KeyLow, KeyHigh   int    // MIDI notes; -1 and -1 when it is sounded by other means
	VelLow, VelHigh   int
	Centre            int    // the key as recorded
	Switch            int    // the key switch that selects it, -1 for none
	Label             string // what the file calls that switch
	SwitchLow         int    // the keys that switch, -1 for none
	SwitchHigh        int
	SwitchDefault     int
	Sequence, Sounded int    // it is the Sounded-th of Sequence round robins
	Trigger           string // attack unless said otherwise
	LoopMode          string // empty when the sample decides
	Controllers       map[int][2]int
}

// File is what was read.
type File struct {
	Regions  []Region
	Included []string // paths of the files included, in the order they were met
}

// Read reads the file name in a folder. The error names the file and line.
func Read(folder fs.FS, name string) (*File, error) {
	p := &parser{folder: folder, root: path.Dir(name), defines: map[string]string{}, file: &File{}}
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
	folder  fs.FS
	root    string // includes and samples are named from here
	bytes   int64
	defines map[string]string
	names   []string // of defines, longest first
	scopes  [4]map[string]string
	region  map[string]string // nil outside a region
	into    map[string]string // what opcodes are added to; nil under a header that is passed over
	file    *File
	where   string // "file:line" of what is being read
}

func (p *parser) fail(reason string, args ...any) error {
	return fmt.Errorf("%s: %s", p.where, fmt.Sprintf(reason, args...))
}

// within joins a path of the file to the root; it must stay in the folder.
func (p *parser) within(name string) (string, error) {
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
	text, err := io.ReadAll(io.LimitReader(f, MostBytes-p.bytes+1))
	if err != nil {
		return p.wrap(err)
	}
	if p.bytes += int64(len(text)); p.bytes > MostBytes {
		return fmt.Errorf("%s: it and what it includes are larger than %d MiB", name, MostBytes>>20)
	}
	for n, line := range strings.Split(stripComments(string(text)), "\n") {
		p.where = fmt.Sprintf("%s:%d", name, n+1)
		if err := p.line(line, depth); err != nil {
			return err
		}
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
	comment   = regexp.MustCompile(`(?s)/\*.*?\*/`)
	directive = regexp.MustCompile(`^\s*#(include|define)\s+(.*)$`)
	header    = regexp.MustCompile(`<([a-z]+)>`)
	opcode    = regexp.MustCompile(`(?:^|\s)([A-Za-z0-9_]+)=`)
)

// stripComments takes comments out and keeps the lines where they are.
func stripComments(text string) string {
	text = strings.ReplaceAll(text, "\r", "")
	text = comment.ReplaceAllStringFunc(text, func(c string) string { return strings.Repeat("\n", strings.Count(c, "\n")) })
	lines := strings.Split(text, "\n")
	for n, line := range lines {
		if at := strings.Index(line, "//"); at >= 0 {
			lines[n] = line[:at]
		}
	}
	return strings.Join(lines, "\n")
}

func (p *parser) line(line string, depth int) error {
	if m := directive.FindStringSubmatch(line); m != nil {
		if m[1] == "include" {
			return p.include(m[2], depth)
		}
		return p.define(m[2])
	}
	line = p.expand(line)
	for line != "" {
		at := header.FindStringSubmatchIndex(line)
		if at == nil {
			return p.opcodes(line)
		}
		if err := p.opcodes(line[:at[0]]); err != nil {
			return err
		}
		if err := p.header(line[at[2]:at[3]]); err != nil {
			return err
		}
		line = line[at[1]:]
	}
	return nil
}

func (p *parser) include(rest string, depth int) error {
	name := strings.Trim(p.expand(strings.TrimSpace(rest)), `"`)
	clean, err := p.within(name)
	if err != nil {
		return err
	}
	p.file.Included = append(p.file.Included, clean)
	return p.read(clean, depth+1)
}

func (p *parser) define(rest string) error {
	name, value, _ := strings.Cut(strings.TrimSpace(rest), " ")
	if !strings.HasPrefix(name, "$") || len(name) < 2 {
		return p.fail("#define needs a name that begins with $")
	}
	if _, known := p.defines[name]; !known {
		if len(p.names) == MostDefines {
			return p.fail("more than %d names are defined", MostDefines)
		}
		at := sort.Search(len(p.names), func(i int) bool { return len(p.names[i]) <= len(name) })
		p.names = append(p.names[:at], append([]string{name}, p.names[at:]...)...)
	}
	p.defines[name] = p.expand(strings.TrimSpace(value))
	if len(p.defines[name]) > 4096 {
		return p.fail("%s stands for more than 4096 characters", name)
	}
	return nil
}

// expand puts in what defined names stand for, the longest name first.
func (p *parser) expand(line string) string {
	if !strings.Contains(line, "$") {
		return line
	}
	for _, name := range p.names {
		line = strings.ReplaceAll(line, name, p.defines[name])
		if len(line) > 1<<20 {
			return line[:1<<20]
		}
	}
	return line
}

func (p *parser) header(name string) error {
	if err := p.endRegion(); err != nil {
		return err
	}
	clearFrom := func(level int) {
		for n := level; n < len(p.scopes); n++ {
			p.scopes[n] = map[string]string{}
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
// can hold spaces.
func (p *parser) opcodes(text string) error {
	if !strings.Contains(text, "=") {
		return nil
	}
	places := opcode.FindAllStringSubmatchIndex(text, -1)
	for n, at := range places {
		end := len(text)
		if n+1 < len(places) {
			end = places[n+1][0]
		}
		if p.into == nil {
			continue
		}
		name, value := text[at[2]:at[3]], strings.TrimSpace(text[at[1]:end])
		p.into[name] = value
		if name == "key" { // stands for three, which later ones may set apart
			p.into["lokey"], p.into["hikey"], p.into["pitch_keycenter"] = value, value, value
		}
	}
	return nil
}

// endRegion keeps the region that has just been read.
func (p *parser) endRegion() error {
	if p.region == nil {
		return nil
	}
	get := func(name string) (string, bool) {
		for _, m := range []map[string]string{p.region, p.scopes[group], p.scopes[master], p.scopes[global]} {
			if v, ok := m[name]; ok {
				return v, true
			}
		}
		return "", false
	}
	if len(p.file.Regions) == MostRegions {
		return p.fail("more than %d regions", MostRegions)
	}
	region, err := p.resolve(get)
	if err == nil {
		p.file.Regions = append(p.file.Regions, region)
	}
	p.region = nil
	return err
}
