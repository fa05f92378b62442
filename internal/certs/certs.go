// Package certs holds the certificates that a server shows over TLS. Files go in, single ones or a
// folder of them; the certificate for a name comes out, and those that were renewed replace what was
// read before while the server runs. It also makes certificates for studios that have none.
package certs

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"time"
)

// Source says where certificates lie: one with its key, or a folder of them.
type Source struct {
	Cert, Key string // files in PEM
	// Folder holds pairs such as studio.crt (or .pem) and studio.key, and folders with
	// fullchain.pem and privkey.pem, as programs that renew certificates write them.
	Folder string
}

// Given tells whether there is anything to read.
func (s Source) Given() bool { return s.Cert != "" || s.Key != "" || s.Folder != "" }

// pair is a certificate and its key, as files.
type pair struct{ cert, key string }

func (s Source) pairs() ([]pair, error) {
	switch {
	case s.Folder != "" && (s.Cert != "" || s.Key != ""):
		return nil, errors.New("give one certificate with its key, or a folder of them, not both")
	case (s.Cert == "") != (s.Key == ""):
		return nil, errors.New("a certificate and its key go together")
	case s.Folder == "":
		return []pair{{s.Cert, s.Key}}, nil
	}
	var out []pair
	keys, err := filepath.Glob(filepath.Join(s.Folder, "*.key"))
	if err != nil {
		return nil, fmt.Errorf("look for certificates: %w", err)
	}
	for _, key := range keys {
		base := strings.TrimSuffix(key, ".key")
		for _, end := range []string{".crt", ".pem"} {
			if _, err := os.Stat(base + end); err == nil {
				out = append(out, pair{base + end, key})
				break
			}
		}
	}
	chains, err := filepath.Glob(filepath.Join(s.Folder, "*", "fullchain.pem"))
	if err != nil {
		return nil, fmt.Errorf("look for certificates: %w", err)
	}
	for _, chain := range chains {
		out = append(out, pair{chain, filepath.Join(filepath.Dir(chain), "privkey.pem")})
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("there are no certificates in %s: it holds pairs such as studio.crt and studio.key, or folders with fullchain.pem and privkey.pem", s.Folder)
	}
	slices.SortFunc(out, func(a, b pair) int { return cmp.Compare(a.cert, b.cert) })
	return out, nil
}

// Keeper holds the certificates of a source.
type Keeper struct {
	source Source
	held   atomic.Pointer[held]
}

type held struct {
	certs []tls.Certificate
	state string // of the files
}

// Open reads the certificates of a source. The error names the file that cannot be used.
func Open(s Source) (*Keeper, error) {
	k := &Keeper{source: s}
	h, err := s.read()
	if err != nil {
		return nil, err
	}
	k.held.Store(h)
	return k, nil
}

func (s Source) read() (*held, error) {
	pairs, err := s.pairs()
	if err != nil {
		return nil, err
	}
	h := &held{state: stateOf(pairs)}
	for _, p := range pairs {
		c, err := tls.LoadX509KeyPair(p.cert, p.key)
		if err != nil {
			return nil, fmt.Errorf("the certificate %s with the key %s cannot be used: %w", p.cert, p.key, err)
		}
		h.certs = append(h.certs, c)
	}
	return h, nil
}

// stateOf is another text whenever the files are others.
func stateOf(pairs []pair) string {
	var b strings.Builder
	for _, p := range pairs {
		for _, path := range []string{p.cert, p.key} {
			fmt.Fprint(&b, path, " ")
			if info, err := os.Stat(path); err == nil {
				fmt.Fprint(&b, info.Size(), " ", info.ModTime().UnixNano(), "\n")
			}
		}
	}
	return b.String()
}

// Again reads the certificates again if their files are others. Where they cannot be used, those from
// before stay.
func (k *Keeper) Again() error {
	pairs, err := k.source.pairs()
	if err != nil {
		return err
	}
	if stateOf(pairs) == k.held.Load().state {
		return nil
	}
	h, err := k.source.read()
	if err != nil {
		return err
	}
	k.held.Store(h)
	slog.Info("certificates were read again", "certificates", len(h.certs))
	return nil
}

// lookEvery is how often certificates are checked for renewal.
const lookEvery = 30 * time.Second

// Watch reads certificates again as they are renewed, until the context ends.
func (k *Keeper) Watch(ctx context.Context) {
	ticks := time.NewTicker(lookEvery)
	defer ticks.Stop()
	said := ""
	for {
		select {
		case <-ctx.Done():
			return
		case <-ticks.C:
		}
		err := k.Again()
		if err != nil && err.Error() != said {
			slog.Warn("certificates that were renewed cannot be used; those from before stay", "error", err)
		}
		said = ""
		if err != nil {
			said = err.Error()
		}
	}
}

// Config is what a server says over TLS: version 1.2 at least, and the certificate of the name that it
// is asked for, or of the address where it is not, or else the first one.
func (k *Keeper) Config() *tls.Config {
	return &tls.Config{
		MinVersion: tls.VersionTLS12,
		GetCertificate: func(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
			all, name := k.held.Load().certs, hello.ServerName
			if name == "" { // who asks for an address does not say so
				name, _, _ = net.SplitHostPort(hello.Conn.LocalAddr().String())
			}
			for n := range all {
				if all[n].Leaf.VerifyHostname(name) == nil && hello.SupportsCertificate(&all[n]) == nil {
					return &all[n], nil
				}
			}
			return &all[0], nil
		},
	}
}

// Leaves are the certificates themselves, to be told about.
func (k *Keeper) Leaves() []*x509.Certificate {
	var out []*x509.Certificate
	for _, c := range k.held.Load().certs {
		out = append(out, c.Leaf)
	}
	return out
}
