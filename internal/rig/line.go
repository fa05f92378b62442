package rig

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats.go"
)

// Line is how a host reaches its server.
type Line struct {
	Address string // such as tls://studio.example:7071, or nats:// for plain text
	Token   string // the credential
	// Authority signed the server's certificate. Nil for those that the system trusts.
	Authority *x509.CertPool
	// Keep keeps a token that replaces the one before. Nil where none can be kept; the host says then
	// when its own ends.
	Keep func(token string) error
}

// Plain tells whether an address is reached in plain text from another machine.
func Plain(address string) bool {
	for _, one := range strings.Split(address, ",") {
		u, err := url.Parse(strings.TrimSpace(one))
		if err != nil || u.Scheme != "tls" && u.Scheme != "wss" && !Loopback(u.Hostname()) {
			return true
		}
	}
	return false
}

// Loopback tells whether a name or an address is this machine's own, which no other reaches.
func Loopback(host string) bool {
	ip, err := netip.ParseAddr(host)
	return strings.EqualFold(host, "localhost") || err == nil && ip.Unmap().IsLoopback()
}

// options are how a line is dialled.
func (l *Line) options(token func() string) []nats.Option {
	out := []nats.Option{nats.TokenHandler(token)}
	if strings.HasPrefix(l.Address, "tls://") {
		out = append(out, nats.TLSHandshakeFirst(), nats.Secure(&tls.Config{MinVersion: tls.VersionTLS12, RootCAs: l.Authority}))
	}
	return out
}

// dialError says why there is no line.
func (l *Line) dialError(err error) error {
	var unknown x509.UnknownAuthorityError
	var name x509.HostnameError
	switch {
	case errors.Is(err, nats.ErrAuthorization):
		return ErrTurnedAway
	case errors.As(err, &unknown):
		return fmt.Errorf("dial in to %s: nobody that this machine trusts has signed its certificate; give the authority's file with --ca: %w", l.Address, err)
	case errors.As(err, &name):
		return fmt.Errorf("dial in to %s: its certificate is for another name; dial a name that it is for: %w", l.Address, err)
	}
	return fmt.Errorf("dial in to %s: %w", l.Address, err)
}

// Renewal is what a host is told of its credential.
type Renewal struct {
	Token string    `json:"token,omitempty"` // another one, once it is time; empty before
	Ends  time.Time `json:"ends,omitzero"`   // of the credential that it has; zero for never
}

type renewAsk struct {
	Holds string `json:"holds"` // the secret's hash, in hexadecimal
	Keeps bool   `json:"keeps"` // another token can be kept
}

// How often a host asks about its credential, how long that takes at most, and how long before its end
// it says so.
const (
	renewEvery  = 6 * time.Hour
	renewWithin = 10 * time.Second
	endsSoon    = 30 * 24 * time.Hour
)

func renewSubject(credential string) string   { return "rig." + credential + ".renew" }
func renewedSubject(credential string) string { return "rig." + credential + ".renewed" }

// holder holds the token of a host.
type holder struct {
	line *Line
	id   string

	mu    sync.Mutex
	token string
}

func (h *holder) now() string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.token
}

// ask tells the server which secret the host has, and asks whether it is time for another.
func (h *holder) ask(conn *nats.Conn) {
	_, secret, err := SplitToken(h.now())
	if err != nil {
		return
	}
	data, err := json.Marshal(renewAsk{fmt.Sprintf("%x", Hash(secret)), h.line.Keep != nil})
	if err == nil {
		_ = conn.Publish(renewSubject(h.id), data) // or the next time
	}
}

// told takes what the server answers; it tells whether the host has another token now.
func (h *holder) told(data []byte, log *slog.Logger) bool {
	var r Renewal
	if err := json.Unmarshal(data, &r); err != nil {
		log.Error("what the server says of the credential cannot be read", "error", err)
		return false
	}
	id, _, err := SplitToken(r.Token)
	switch {
	case r.Token == "" && !r.Ends.IsZero() && time.Until(r.Ends) < endsSoon:
		log.Warn("the credential ends soon; make another in Seating, or keep it with --credential-file, where it is renewed by itself", "ends", r.Ends)
		return false
	case err != nil || id != h.id || h.line.Keep == nil:
		return false
	}
	if err := h.line.Keep(r.Token); err != nil {
		log.Error("could not keep the new credential; the old one is good until it ends", "error", err)
		return false
	}
	h.mu.Lock()
	h.token = r.Token
	h.mu.Unlock()
	log.Info("the credential was renewed")
	return true
}

// renewing keeps a host's credential good until the context ends.
func (h *holder) renewing(ctx context.Context, conn *nats.Conn, log *slog.Logger) error {
	_, err := conn.Subscribe(renewedSubject(h.id), func(m *nats.Msg) {
		if h.told(m.Data, log) {
			h.ask(conn) // which shows that the new one is here
		}
	})
	if err != nil {
		return fmt.Errorf("listen for what becomes of the credential: %w", err)
	}
	go func() {
		ticks := time.NewTicker(renewEvery)
		defer ticks.Stop()
		for {
			h.ask(conn)
			select {
			case <-ctx.Done():
				return
			case <-ticks.C:
			}
		}
	}()
	return nil
}

// renew answers hosts that ask about their credential.
func (d *Desk) renew(m *nats.Msg) {
	var ask renewAsk
	id := strings.TrimSuffix(strings.TrimPrefix(m.Subject, "rig."), ".renew")
	if err := json.Unmarshal(m.Data, &ask); err != nil {
		return
	}
	d.done.Go(func() {
		ctx, stop := context.WithTimeout(context.Background(), renewWithin)
		defer stop()
		r, err := d.config.Renew(ctx, id, ask.Holds, ask.Keeps)
		if err != nil {
			slog.Warn("could not renew a host's credential", "credential", id, "error", err)
			return
		}
		if data, err := json.Marshal(r); err == nil {
			_ = d.conn.Publish(renewedSubject(id), data) // it asks again
		}
	})
}
