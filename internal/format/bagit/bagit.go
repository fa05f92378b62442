// Package bagit writes and checks bags (RFC 8493) as zip archives or folders: files with a
// manifest of their SHA-256, so that whoever receives them can see that all arrived, undamaged.
// Files go in, one after the other; an archive comes out, of zip64 where it grows beyond 4 GiB, or
// a folder.
package bagit

import (
	"archive/zip"
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Label is a line of what a bag says of itself (bag-info.txt).
type Label struct{ Name, Value string }

// Writer writes a bag. It is one only once it is closed.
type Writer struct {
	to    place
	at    time.Time
	lines []string // of the manifest
	known map[string]bool
	bytes int64
	tags  []string // of the manifest of tag files
}

// NewWriter begins a bag in a folder of that name; at is its date.
func NewWriter(w io.Writer, root string, at time.Time) *Writer {
	return &Writer{to: &archive{zip.NewWriter(w), root, at}, at: at, known: map[string]bool{}}
}

// NewFolder begins a bag in a folder that does not exist yet: it is there only once the bag is
// closed. Abandon takes away what was written when it comes to nothing.
func NewFolder(dir string, at time.Time) (*Writer, error) {
	if _, err := os.Lstat(dir); err == nil {
		return nil, fmt.Errorf("%s exists already; name another folder, or move it away", dir)
	}
	f := &folder{dir: dir, part: dir + ".part"}
	if err := os.Mkdir(f.part, 0o755); err != nil {
		return nil, fmt.Errorf("begin a bag: %w", err)
	}
	return &Writer{to: f, at: at, known: map[string]bool{}}, nil
}

// Abandon takes away what was written of a bag in a folder that is not closed.
func (b *Writer) Abandon() {
	if f, is := b.to.(*folder); is {
		_ = os.RemoveAll(f.part) // what is left is named as a part
	}
}

// place is what a bag is written to: one file after the other.
type place interface {
	create(name string, method uint16) (io.WriteCloser, error)
	close() error
}

type archive struct {
	zip  *zip.Writer
	root string
	at   time.Time
}

func (a *archive) create(name string, method uint16) (io.WriteCloser, error) {
	w, err := a.zip.CreateHeader(&zip.FileHeader{Name: path.Join(a.root, name), Method: method, Modified: a.at})
	return open{w}, err
}

func (a *archive) close() error { return a.zip.Close() }

// open is what the archive itself closes.
type open struct{ io.Writer }

func (open) Close() error { return nil }

type folder struct{ dir, part string }

func (f *folder) create(name string, _ uint16) (io.WriteCloser, error) {
	at := filepath.Join(f.part, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
		return nil, err
	}
	return os.OpenFile(at, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
}

func (f *folder) close() error { return os.Rename(f.part, f.dir) }

// The names of tag files.
const (
	declaration = "bagit.txt"
	infoFile    = "bag-info.txt"
	manifest    = "manifest-sha256.txt"
	tagManifest = "tagmanifest-sha256.txt"
	payload     = "data/"
)

// Add puts a file in, under a path with slashes within the bag. WAV and FLAC
// files hardly get smaller and are stored as they are; others are compressed.
func (b *Writer) Add(name string, from io.Reader) error {
	if clean := path.Clean("/" + name)[1:]; clean != name || name == "" || strings.ContainsAny(name, "\\\r\n") {
		return fmt.Errorf("write a bag: %q cannot be a path in it", name)
	}
	key := strings.ToLower(name)
	if b.known[key] {
		return fmt.Errorf("write a bag: %s is in it already", name)
	}
	b.known[key] = true
	method := zip.Store
	if !slices.Contains([]string{".wav", ".flac"}, strings.ToLower(path.Ext(name))) {
		method = zip.Deflate
	}
	sum, size, err := b.put(payload+name, from, method)
	if err != nil {
		return err
	}
	b.bytes += size
	b.lines = append(b.lines, sum+"  "+encoded(payload+name))
	return nil
}

// encoded writes a path as manifests do: a percent sign as %25.
func encoded(name string) string { return strings.ReplaceAll(name, "%", "%25") }

func decoded(name string) string {
	return strings.NewReplacer("%0A", "\n", "%0a", "\n", "%0D", "\r", "%0d", "\r", "%25", "%").Replace(name)
}

func (b *Writer) put(name string, from io.Reader, method uint16) (sum string, size int64, err error) {
	w, err := b.to.create(name, method)
	if err != nil {
		return "", 0, fmt.Errorf("write a bag: %w", err)
	}
	hash := sha256.New()
	size, err = io.Copy(io.MultiWriter(w, hash), from)
	if err = errors.Join(err, w.Close()); err != nil {
		return "", 0, fmt.Errorf("write %s into a bag: %w", name, err)
	}
	return hex.EncodeToString(hash.Sum(nil)), size, nil
}

func (b *Writer) tag(name, text string) error {
	sum, _, err := b.put(name, strings.NewReader(text), zip.Deflate)
	b.tags = append(b.tags, sum+"  "+name)
	return err
}

// Close makes the bag whole. What it is written to is not closed.
func (b *Writer) Close(says []Label) error {
	var info strings.Builder
	for _, l := range append(slices.Clone(says),
		Label{"Bagging-Date", b.at.Format(time.DateOnly)}, Label{"Payload-Oxum", fmt.Sprintf("%d.%d", b.bytes, len(b.lines))}) {
		if l.Value != "" {
			fmt.Fprintf(&info, "%s: %s\n", l.Name, strings.Join(strings.Fields(l.Value), " "))
		}
	}
	if err := b.tag(declaration, "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"); err != nil {
		return err
	}
	if err := b.tag(infoFile, info.String()); err != nil {
		return err
	}
	if err := b.tag(manifest, lines(b.lines)); err != nil {
		return err
	}
	if _, _, err := b.put(tagManifest, strings.NewReader(lines(b.tags)), zip.Deflate); err != nil {
		return err
	}
	if err := b.to.close(); err != nil {
		return fmt.Errorf("write a bag: %w", err)
	}
	return nil
}

func lines(list []string) string { return strings.Join(list, "\n") + "\n" }

// Bounds of what is checked.
const (
	mostTagBytes = 64 << 20
	mostFiles    = 100_000
)

// Check tells what is wrong with a bag; nil for one that is complete and valid.
func Check(r *zip.Reader) error {
	if len(r.File) > mostFiles {
		return fmt.Errorf("the bag has more than %d files", mostFiles)
	}
	root, files := "", map[string]*zip.File{}
	for _, f := range r.File {
		if path.Base(f.Name) == declaration && (root == "" || len(path.Dir(f.Name)) < len(root)) {
			root = path.Dir(f.Name)
		}
	}
	for _, f := range r.File {
		if name, ok := strings.CutPrefix(f.Name, strings.TrimPrefix(root+"/", "./")); ok && !strings.HasSuffix(name, "/") {
			files[name] = f
		}
	}
	if files[declaration] == nil {
		return errors.New("it is not a bag: bagit.txt is missing")
	}
	var wrong []error
	told := map[string]bool{}
	for _, list := range []string{tagManifest, manifest} {
		f := files[list]
		if f == nil {
			if list == manifest {
				return errors.New("the bag has no manifest-sha256.txt")
			}
			continue
		}
		text, err := read(f)
		if err != nil {
			return fmt.Errorf("%s: %w", list, err)
		}
		scan := bufio.NewScanner(bytes.NewReader(text))
		for scan.Scan() {
			sum, name, ok := strings.Cut(strings.TrimSpace(scan.Text()), " ")
			name = decoded(strings.TrimLeft(name, " *"))
			switch f := files[name]; {
			case !ok:
				wrong = append(wrong, fmt.Errorf("%s: a line is not a checksum with a name", list))
			case f == nil:
				wrong = append(wrong, fmt.Errorf("%s is missing", name))
			default:
				told[name] = true
				if got, err := sumOf(f); err != nil || got != strings.ToLower(sum) {
					wrong = append(wrong, fmt.Errorf("%s is not as it was", name))
				}
			}
		}
	}
	for name := range files {
		if strings.HasPrefix(name, payload) && !told[name] {
			wrong = append(wrong, fmt.Errorf("%s is not in the manifest", name))
		}
	}
	return errors.Join(wrong...)
}

func read(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(io.LimitReader(r, mostTagBytes))
}

func sumOf(f *zip.File) (string, error) {
	r, err := f.Open()
	if err != nil {
		return "", err
	}
	defer r.Close()
	hash := sha256.New()
	if _, err := io.Copy(hash, r); err != nil { //nolint:gosec // nothing is kept of it
		return "", err
	}
	return hex.EncodeToString(hash.Sum(nil)), nil
}
