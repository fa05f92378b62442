package rig

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
)

// Host is one machine of one studio, by its credential.
type Host struct {
	Credential string
	Studio     string
	Machine    string // its ID
}

// Listener is told what hosts report. Away is true when the host is silent.
type Listener func(host Host, report Report, away bool)

// DeskConfig configures a Desk.
type DeskConfig struct {
	// Lookup finds the host of a credential and secret; ok is false for an
	// unknown one. Required.
	Lookup func(ctx context.Context, id, secret string) (host Host, ok bool)
	// Renew is asked about the credential of a host that shows which secret it holds, as the hash of it
	// in hexadecimal, and whether it can keep another one. Nil where none is renewed.
	Renew func(ctx context.Context, id, holds string, keeps bool) (Renewal, error)
	// Listen is told every report. Required.
	Listen Listener
	// Host and Port are where hosts dial in. They default to 127.0.0.1 and to
	// a free port.
	Host string
	Port int
	// TLS is how the embedded server speaks TLS, from the first byte on. Nil for plain text.
	TLS *tls.Config
	// Name is the name by which hosts reach the embedded server, where Host stands for every address
	// of the machine.
	Name string
	// External is the address of a NATS cluster to use instead of the
	// embedded server, with Credential checking left to that cluster.
	External string
	// Shared says that other servers use the External cluster, too: a machine is
	// ordered only while Drive says so.
	Shared bool
	// Heartbeat defaults to Heartbeat.
	Heartbeat time.Duration
	// StallAfter defaults to StallAfter.
	StallAfter time.Duration
	// Now defaults to time.Now.
	Now func() time.Time
}

// Desk is the server's side of the rig: it compares what is wanted with what
// is reported, and sends orders until they agree.
type Desk struct {
	config DeskConfig
	server *server.Server
	conn   *nats.Conn

	mu     sync.Mutex
	hosts  map[string]*hostState // by credential
	wanted map[wantKey][]Load    // what each template wants of a machine
	scans  map[string]*hostScan  // those that run, by their ID
	driven map[machineOf]bool    // of a shared cluster: those that are this desk's to order
	stop   chan struct{}
	done   sync.WaitGroup
}

type wantKey struct{ studio, owner, machine string }

type machineOf struct{ studio, machine string }

type hostState struct {
	host       Host
	generation int64 // of the last orders sent
	sent       []Load
	sentAt     time.Time
	report     Report
	seen       time.Time
	away       bool
	stalls     stalls
}

// Open starts the embedded server, or joins the external one.
func Open(config DeskConfig) (*Desk, error) {
	if config.Heartbeat == 0 {
		config.Heartbeat = Heartbeat
	}
	if config.StallAfter == 0 {
		config.StallAfter = StallAfter
	}
	if config.Now == nil {
		config.Now = time.Now
	}
	if config.Host == "" {
		config.Host = "127.0.0.1"
	}
	d := &Desk{config: config, hosts: map[string]*hostState{}, wanted: map[wantKey][]Load{}, scans: map[string]*hostScan{}, driven: map[machineOf]bool{}, stop: make(chan struct{})}
	if err := d.connect(); err != nil {
		d.Close()
		return nil, err
	}
	heard := map[string]nats.MsgHandler{"rig.*.report": d.receive, "rig.*.scanned": d.scanned}
	if config.Renew != nil {
		heard[renewSubject("*")] = d.renew
	}
	for subject, hear := range heard {
		if _, err := d.conn.Subscribe(subject, hear); err != nil {
			d.Close()
			return nil, fmt.Errorf("listen to hosts: %w", err)
		}
	}
	if err := d.conn.Flush(); err != nil { // from here on no report is missed
		d.Close()
		return nil, fmt.Errorf("listen to hosts: %w", err)
	}
	d.done.Go(d.watch)
	return d, nil
}

func (d *Desk) connect() (err error) {
	if d.config.External != "" {
		d.conn, err = nats.Connect(d.config.External, nats.MaxReconnects(-1))
		if err != nil {
			return fmt.Errorf("join the rig's server at %s: %w", WithoutPassword(d.config.External), err)
		}
		return nil
	}
	own := NewSecret()
	port := d.config.Port
	if port == 0 {
		port = server.RANDOM_PORT
	}
	d.server, err = server.NewServer(&server.Options{
		TLSConfig: d.config.TLS, TLS: d.config.TLS != nil, TLSHandshakeFirst: d.config.TLS != nil, TLSTimeout: tlsWithin.Seconds(),
		Host: d.config.Host, Port: port, NoSigs: true, NoLog: true, MaxPayload: 8 << 20,
		CustomClientAuthentication: &gate{own: own, lookup: d.config.Lookup},
	})
	if err != nil {
		return fmt.Errorf("start the rig's server: %w", err)
	}
	d.server.Start()
	if !d.server.ReadyForConnections(10 * time.Second) {
		return fmt.Errorf("the rig's server at %s:%d does not start; is the port taken?", d.config.Host, port)
	}
	d.conn, err = nats.Connect("", nats.InProcessServer(d.server), nats.Token(own))
	if err != nil {
		return fmt.Errorf("join the rig's own server: %w", err)
	}
	return nil
}

// tlsWithin bounds how long a host takes to agree on TLS.
const tlsWithin = 10 * time.Second

// Address is where hosts dial in, without a password that servers may have for it.
func (d *Desk) Address() string {
	if d.server == nil {
		return WithoutPassword(d.config.External)
	}
	address := d.server.ClientURL()
	u, err := url.Parse(address)
	if err != nil || d.config.Name == "" {
		return address
	}
	if ip, err := netip.ParseAddr(u.Hostname()); err != nil || !ip.IsUnspecified() {
		return address
	}
	u.Host = net.JoinHostPort(d.config.Name, u.Port())
	return u.String()
}

// WithoutPassword is an address, or several with commas, without what lets somebody in.
func WithoutPassword(addresses string) string {
	all := strings.Split(addresses, ",")
	for n, text := range all {
		if u, err := url.Parse(strings.TrimSpace(text)); err == nil && u.User != nil {
			u.User = nil
			all[n] = u.String()
		}
	}
	return strings.Join(all, ",")
}

// Close ends the desk. Hosts keep what they hold and dial again.
func (d *Desk) Close() {
	close(d.stop)
	d.done.Wait()
	if d.conn != nil {
		d.conn.Close()
	}
	if d.server != nil {
		d.server.Shutdown()
		d.server.WaitForShutdown()
	}
}

// gate lets in the desk itself, and hosts with a known credential, each to
// its own subjects only.
type gate struct {
	own    string
	lookup func(ctx context.Context, id, secret string) (Host, bool)
}

func (g *gate) Check(c server.ClientAuthentication) bool {
	token := c.GetOpts().Token
	if token == g.own {
		return true
	}
	id, secret, err := SplitToken(token)
	if err != nil {
		return false
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if _, ok := g.lookup(ctx, id, secret); !ok {
		return false
	}
	c.RegisterUser(&server.User{Username: id, Permissions: &server.Permissions{
		Publish:   &server.SubjectPermission{Allow: []string{reportSubject(id), newsSubject(id), soundSubject(id, "*"), renewSubject(id)}},
		Subscribe: &server.SubjectPermission{Allow: []string{ordersSubject(id), scanSubject(id), zonesSubject(id), playSubject(id), measureSubject(id), performSubject(id), renewedSubject(id)}},
		Response:  &server.ResponsePermission{MaxMsgs: 1, Expires: zonesWithin},
	}})
	return true
}

// Know makes a host known to the desk, so that reports of it are understood.
func (d *Desk) Know(h Host) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if s := d.hosts[h.Credential]; s != nil {
		s.host = h
	} else {
		d.hosts[h.Credential] = &hostState{host: h, away: true, stalls: stalls{after: d.config.StallAfter}}
	}
}

// Forget takes a host's credential back: it is no longer heard, and cut off if
// it is here.
func (d *Desk) Forget(credential string) {
	d.mu.Lock()
	s := d.hosts[credential]
	delete(d.hosts, credential)
	ended := d.scansOf(credential)
	d.mu.Unlock()
	for _, end := range ended {
		end()
	}
	if s != nil && !s.away {
		d.config.Listen(s.host, Report{}, true)
	}
	if d.server == nil {
		return // the external cluster checks credentials itself
	}
	conns, err := d.server.Connz(&server.ConnzOptions{Username: true, User: credential})
	if err != nil {
		return
	}
	for _, c := range conns.Conns {
		_ = d.server.DisconnectClientByID(c.Cid) // it may have gone by itself
	}
}

// Want sets what a machine should hold ready for one owner, a template, in
// loading order.
func (d *Desk) Want(studio, owner, machine string, loads []Load) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.wanted[wantKey{studio, owner, machine}] = loads
	for _, s := range d.hosts {
		if s.host.Studio == studio && s.host.Machine == machine && !s.away {
			d.reconcile(s)
		}
	}
}

// Drive says whether a machine is this desk's to order, where several share a
// cluster. One that becomes so is told everything again.
func (d *Desk) Drive(studio, machine string, on bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.driven[machineOf{studio, machine}] = on
	for _, s := range d.hosts {
		if on && s.host.Studio == studio && s.host.Machine == machine && !s.away {
			s.sent, s.sentAt = nil, time.Time{} // another may have ordered meanwhile
			d.reconcile(s)
		}
	}
}

// Hears tells whether hosts can be heard: there is a line to the rig's server.
func (d *Desk) Hears() bool { return d.conn.IsConnected() }

// Say tells other servers something under a topic; they hear it or not.
func (d *Desk) Say(topic string, data []byte) {
	_ = d.conn.Publish(peersSubject(topic), data) // it will be repeated
}

// Hear is told what other servers say under a topic.
func (d *Desk) Hear(topic string, heard func(data []byte)) error {
	_, err := d.conn.Subscribe(peersSubject(topic), func(m *nats.Msg) { heard(m.Data) })
	return err
}

func peersSubject(topic string) string { return "fanfold." + topic }

func (d *Desk) receive(m *nats.Msg) {
	credential := m.Subject[len("rig.") : len(m.Subject)-len(".report")]
	report, err := readReport(m.Data)
	if err != nil {
		return // a host of another version; it stays away
	}
	d.mu.Lock()
	s := d.hosts[credential]
	if s == nil {
		d.mu.Unlock()
		return
	}
	report = s.stalls.mark(report, d.config.Now())
	s.report, s.seen, s.away = report, d.config.Now(), false
	d.reconcile(s)
	host := s.host
	d.mu.Unlock()
	d.config.Listen(host, report, false)
}

// reconcile sends orders when a host follows older ones than it should. The
// caller holds the lock.
func (d *Desk) reconcile(s *hostState) {
	if d.config.Shared && !d.driven[machineOf{s.host.Studio, s.host.Machine}] {
		return
	}
	want := d.wants(s.host)
	same := slices.EqualFunc(want, s.sent, func(a, b Load) bool {
		return a.ID == b.ID && slices.Equal(a.Patches, b.Patches) && slices.Equal(a.Players, b.Players)
	})
	lost := s.report.Generation < s.generation && d.config.Now().Sub(s.sentAt) > 2*d.config.Heartbeat
	if same && s.generation > 0 && !lost && s.report.Generation > 0 {
		return
	}
	if same && s.generation > 0 && d.config.Now().Sub(s.sentAt) < d.config.Heartbeat/2 {
		return // the answer is on its way
	}
	s.generation = max(s.generation, s.report.Generation) + 1
	s.sent, s.sentAt = slices.Clone(want), d.config.Now()
	data, err := json.Marshal(Orders{Generation: s.generation, Loads: s.sent})
	if err == nil {
		err = d.conn.Publish(ordersSubject(s.host.Credential), data)
	}
	if err != nil {
		s.sent, s.sentAt = nil, time.Time{} // told again at the next report
	}
}

// wants joins what all owners want of a host, in the order of their names.
func (d *Desk) wants(h Host) []Load {
	var keys []wantKey
	for key := range d.wanted {
		if key.studio == h.Studio && key.machine == h.Machine {
			keys = append(keys, key)
		}
	}
	slices.SortFunc(keys, func(a, b wantKey) int { return strings.Compare(a.owner, b.owner) })
	var out []Load
	for _, key := range keys {
		out = append(out, d.wanted[key]...)
	}
	return out
}

// watch notices hosts that fall silent.
func (d *Desk) watch() {
	tick := time.NewTicker(d.config.Heartbeat)
	defer tick.Stop()
	for {
		select {
		case <-d.stop:
			return
		case <-tick.C:
		}
		d.mu.Lock()
		var gone []Host
		var ended []func()
		for credential, s := range d.hosts {
			if !s.away && d.config.Now().Sub(s.seen) > 3*d.config.Heartbeat {
				s.away, s.report, s.sent = true, Report{}, nil
				gone = append(gone, s.host)
				ended = append(ended, d.scansOf(credential)...)
			}
		}
		d.mu.Unlock()
		for _, end := range ended {
			end()
		}
		for _, h := range gone {
			d.config.Listen(h, Report{}, true)
		}
	}
}
