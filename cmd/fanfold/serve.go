package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"runtime/debug"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"fanfold/internal/api"
	"fanfold/internal/app"
	"fanfold/internal/audiostore"
	"fanfold/internal/certs"
	"fanfold/internal/ops"
	"fanfold/internal/remote"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/web"
)

// serveConfig configures the server.
type serveConfig struct {
	Listen      string       // the address that browsers connect to; defaults to 127.0.0.1:7070
	RigListen   string       // the address that hosts connect to; defaults to 127.0.0.1:7071
	OpsListen   string       // where those who watch the server come; defaults to nowhere
	Certs       certs.Source // of TLS, for browsers with HTTP/2, and for hosts; defaults to none
	PlainText   bool         // other machines may come without TLS
	RigExternal string       // an external NATS cluster instead; defaults to none
	DatabaseURL string       // required
	Connections int          // to the database, at most; defaults to store.Options'
	KeepMiB     int64        // of open templates that nobody uses; defaults to app.Config's
	ScanRoots   []string     // folders people may scan; defaults to none
	Names       []string     // browsers may reach the server under; defaults to its addresses and the machine's names
	Recordings  int64        // GiB that the recordings of a studio may take; defaults to app.Config's
	Audio       string       // where prints are kept: a folder or a URL; required
	AudioAsked  bool         // it was asked for, so that nothing goes without
	NoPrints    bool         // others print: fanfold work
	AudioGiB    int64        // that the prints of a studio may take; defaults to app.Config's
	DemoEmail   string       // the account with one-click sign-in; defaults to none
}

// running is a started server.
type running struct {
	store *store.Store
	app   *app.App
	desk  *rig.Desk
	audio *audiostore.Store
	certs *certs.Keeper // nil without TLS
	stop  func()        // ends long work
	deaf  func()        // ends listening to music programs
	quiet func()        // ends hearing what other servers write

	member *store.Membership // the place among the servers on the database
}

// gcPercent makes the collector run earlier than by default: what lives is
// small, and what a request makes for a moment is not.
const gcPercent = 50

// startRunning connects everything but the browsers' address.
func startRunning(ctx context.Context, c serveConfig) (*running, error) {
	debug.SetGCPercent(gcPercent)
	r := &running{}
	if c.Certs.Given() {
		var err error
		if r.certs, err = certs.Open(c.Certs); err != nil {
			return nil, wrongUse{err}
		}
	}
	s, err := store.Open(ctx, store.Options{URL: c.DatabaseURL, Connections: c.Connections})
	if err != nil {
		return nil, err
	}
	r.store = s
	own := store.Server{ID: uuid.New(), Name: serverName(), NATS: rig.WithoutPassword(c.RigExternal)}
	if r.member, err = join(ctx, s, own); err != nil {
		s.Close()
		return nil, err
	}
	host, port, err := net.SplitHostPort(c.RigListen)
	if err != nil {
		r.close()
		return nil, wrongUse{fmt.Errorf("--rig-listen: %w", err)}
	}
	number, err := net.LookupPort("tcp", port)
	if err != nil {
		r.close()
		return nil, wrongUse{fmt.Errorf("--rig-listen: %w", err)}
	}
	var secure *tls.Config
	if r.certs != nil {
		secure = r.certs.Config()
	}
	var told atomic.Pointer[app.App] // hosts may report before there is one
	r.desk, err = rig.Open(rig.DeskConfig{
		Lookup: s.HostLookup, Renew: s.HostRenew, Host: host, Port: number, TLS: secure, Name: nameForHosts(c.Names), External: c.RigExternal, Shared: c.RigExternal != "",
		Listen: func(h rig.Host, report rig.Report, away bool) {
			if a := told.Load(); a != nil {
				a.Reported(h, report, away)
			}
		},
	})
	if err != nil {
		r.close()
		return nil, err
	}
	if r.audio, err = audiostore.Open(ctx, c.Audio); err != nil && c.AudioAsked {
		r.close()
		return nil, err
	} else if err != nil {
		slog.Warn("nothing is printed: give --audio a folder that can be written to", "error", err)
	}
	config := app.Config{Store: s, Rig: r.desk, KeepMiB: c.KeepMiB, ID: own.ID, RecordingsBytes: c.Recordings << 30, Audio: r.audio, AudioBytes: c.AudioGiB << 30}
	if c.RigExternal != "" {
		config.Peers = r.desk
	}
	r.app = app.New(config)
	told.Store(r.app)
	if err = r.app.AllowScans(c.ScanRoots...); err == nil {
		r.stop, err = r.app.StartWork(ctx, app.Work{Scans: true, Prints: !c.NoPrints})
	}
	if err != nil {
		r.close()
		return nil, err
	}
	listening, deaf := context.WithCancel(ctx)
	gone := make(chan struct{})
	go func() {
		defer close(gone)
		remote.Serve(listening, r.app)
	}()
	r.deaf = func() { deaf(); <-gone }
	return r, nil
}

// start brings back what ran before.
func (r *running) start(ctx context.Context) (err error) {
	r.quiet, err = r.app.Start(ctx)
	return err
}

func (r *running) close() {
	if r.quiet != nil {
		r.quiet()
	}
	if r.deaf != nil {
		r.deaf()
	}
	if r.stop != nil {
		r.stop()
	}
	if r.desk != nil {
		r.desk.Close()
	}
	if r.audio != nil {
		if err := r.audio.Close(); err != nil {
			slog.Warn("close the audio store", "error", err)
		}
	}
	leaving, stop := context.WithTimeout(context.Background(), leaveWithin)
	defer stop()
	if err := r.member.Leave(leaving); err != nil {
		slog.Warn("the place among the servers is not given back; it ends with the connection", "error", err)
	}
	r.store.Close()
}

// leaveWithin bounds giving back the place among the servers.
const leaveWithin = 5 * time.Second

// joinWithin is how long a server that crashed a moment ago may still seem to run.
const joinWithin = 5 * time.Second

// join takes the place among the servers.
func join(ctx context.Context, s *store.Store, own store.Server) (*store.Membership, error) {
	began := time.Now()
	for {
		m, err := s.Join(ctx, own)
		var two *store.TwoServersError
		if !errors.As(err, &two) || time.Since(began) > joinWithin {
			return m, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// serverName tells people which server it is.
func serverName() string {
	host, err := os.Hostname()
	if err != nil {
		host = "a server"
	}
	return fmt.Sprintf("%s, process %d", host, os.Getpid())
}

// serveHTTP serves browsers until the context ends.
func (r *running) serveHTTP(ctx context.Context, c serveConfig, ready func(address string)) error {
	l, err := net.Listen("tcp", c.Listen)
	if err != nil {
		return fmt.Errorf("listen for browsers: %w; does another Fanfold run? --listen takes another address", err)
	}
	base, cancel := context.WithCancel(context.Background())
	defer cancel()
	watch := ops.New(r.app, r.store, r.desk.Hears)
	if err := r.serveOps(base, c.OpsListen, watch); err != nil {
		return err
	}
	srv := &http.Server{
		Handler:           api.New(api.Config{App: r.app, Store: r.store, Web: web.Files(), DemoEmail: c.DemoEmail, Names: c.Names, Secure: r.certs != nil, Context: base, Observe: watch.Observe}),
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute, // bodies have their own time
		BaseContext:       func(net.Listener) context.Context { return base },
	}
	failed := make(chan error, 1)
	scheme := "http"
	if r.certs != nil {
		scheme = "https"
		srv.TLSConfig = r.certs.Config()
		go r.certs.Watch(base)
		go func() { failed <- srv.ServeTLS(l, "", "") }() // which speaks HTTP/2, too
	} else {
		go func() { failed <- srv.Serve(l) }()
	}
	ready(scheme + "://" + l.Addr().String())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	cancel() // ends the event streams
	stop, done := context.WithTimeout(context.Background(), 10*time.Second)
	defer done()
	if err := srv.Shutdown(stop); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("stop serving: %w", err)
	}
	return nil
}

// serveOps answers those who watch the server until the context ends.
func (r *running) serveOps(ctx context.Context, listen string, watch *ops.Watch) error {
	if listen == "" {
		return nil
	}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("listen for those who watch: %w; --ops-listen takes another address, or none", err)
	}
	srv := &http.Server{Handler: watch.Handler(), ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = srv.Serve(l) }() // it ends when it is closed
	context.AfterFunc(ctx, func() { _ = srv.Close() })
	slog.Info("watched", "at", l.Addr().String())
	return nil
}

func serveCommand() *cobra.Command {
	var logFormat string
	c := fromEnvironment()
	var email, password, studio string
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve browsers and drive the machines",
		Long: "Serve browsers and drive the machines. DATABASE_URL names the PostgreSQL database; FANFOLD_NATS_URL\nan external NATS server, without which one is embedded.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c.AudioAsked = cmd.Flags().Changed("audio")
			if c.DatabaseURL == "" {
				return wrongUse{fmt.Errorf("set DATABASE_URL, or use 'fanfold demo', which brings its own database")}
			}
			switch {
			case logFormat == "json":
				slog.SetDefault(slog.New(slog.NewJSONHandler(os.Stderr, nil)))
			case logFormat != "text":
				return wrongUse{fmt.Errorf("--log-format is text or json, not %q", logFormat)}
			}
			if err := c.plainOutside(); err != nil {
				return wrongUse{err}
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), syscall.SIGINT, syscall.SIGTERM)
			defer stop()
			r, err := startRunning(ctx, c)
			if err != nil {
				return err
			}
			defer r.close()
			if email != "" {
				if err := makeAccount(ctx, r.store, studio, email, password); err != nil {
					return err
				}
			}
			if err := r.start(ctx); err != nil {
				return err
			}
			return r.serveHTTP(ctx, c, func(address string) {
				slog.Info("serving", "browsers", address, "hosts", r.desk.Address())
			})
		},
	}
	c.flags(cmd)
	cmd.Flags().StringVar(&logFormat, "log-format", "text", "how the log is written: text, or json")
	cmd.Flags().StringVar(&email, "new-account", "", "make an account with this email at startup, unless it exists")
	cmd.Flags().StringVar(&password, "password", os.Getenv("FANFOLD_PASSWORD"), "the new account's password; FANFOLD_PASSWORD")
	cmd.Flags().StringVar(&studio, "studio", "Studio", "the new account's studio")
	return cmd
}

// flags are the flags of a server, and of who looks at its set-up.
func (c *serveConfig) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&c.Listen, "listen", "127.0.0.1:7070", "the address that browsers connect to")
	cmd.Flags().StringArrayVar(&c.Names, "name", nil, "a name browsers reach the server under, such as studio.example; may be repeated")
	cmd.Flags().StringVar(&c.RigListen, "rig-listen", "127.0.0.1:7071", "the address that hosts connect to")
	cmd.Flags().StringArrayVar(&c.ScanRoots, "scan-root", nil, "a folder that people may scan for samples, with what is in it; may be repeated")
	cmd.Flags().StringVar(&c.OpsListen, "ops-listen", "127.0.0.1:7072", "the address for monitoring: /healthz, /readyz, /metrics; empty for none")
	cmd.Flags().StringVar(&c.Certs.Cert, "tls-cert", "", "a certificate (PEM), to serve browsers and hosts over TLS; reloaded when it is renewed")
	cmd.Flags().StringVar(&c.Certs.Key, "tls-key", "", "the certificate's key")
	cmd.Flags().StringVar(&c.Certs.Folder, "tls", "", "a folder of certificates instead: pairs such as studio.crt and studio.key, or folders with fullchain.pem and privkey.pem")
	cmd.Flags().BoolVar(&c.PlainText, "plain-text", false, "allow other machines to connect without TLS: behind a proxy that has it, or in a network you trust")
	cmd.Flags().IntVar(&c.Connections, "db-connections", 16, "connections to the database, at most")
	cmd.Flags().Int64Var(&c.KeepMiB, "keep-mib", 192, "memory that open templates which nobody uses may take, MiB")
	cmd.Flags().Int64Var(&c.Recordings, "recordings-gib", 20, "what the recordings of one studio may take, GiB")
	cmd.Flags().StringVar(&c.Audio, "audio", "fanfold-audio", "where prints and recordings are kept: a folder, or a URL such as s3://bucket?region=eu-central-1&endpoint=https://storage.example")
	cmd.Flags().BoolVar(&c.NoPrints, "no-prints", false, "leave prints to other machines, which run 'fanfold work'")
	cmd.Flags().Int64Var(&c.AudioGiB, "audio-gib", 200, "what the prints of one studio may take, GiB")
}

// fromEnvironment is what a server is told by its environment.
func fromEnvironment() serveConfig {
	return serveConfig{DatabaseURL: os.Getenv("DATABASE_URL"), RigExternal: os.Getenv("FANFOLD_NATS_URL")}
}

// plainOutside tells what other machines would reach in plain text.
func (c serveConfig) plainOutside() error {
	if c.PlainText {
		return nil
	}
	outside := func(address string) bool {
		host, _, err := net.SplitHostPort(address)
		return err == nil && !rig.Loopback(host)
	}
	const instead = "; give a certificate with --tls-cert or --tls ('fanfold certificate' makes one), or say --plain-text"
	for flag, address := range map[string]string{"--listen": c.Listen, "--rig-listen": c.RigListen} {
		if outside(address) && !c.Certs.Given() {
			return fmt.Errorf("%s %s would be open to other machines in plain text, which others on the network can read%s", flag, address, instead)
		}
	}
	if c.OpsListen != "" && outside(c.OpsListen) {
		return fmt.Errorf("--ops-listen %s would be open to other machines, and it speaks plain text; keep it on the loopback, or say --plain-text", c.OpsListen)
	}
	if c.RigExternal != "" && rig.Plain(c.RigExternal) {
		return errors.New("FANFOLD_NATS_URL would be reached in plain text; give tls:// addresses, or say --plain-text")
	}
	return nil
}

// nameForHosts is under which name hosts are told to dial in, where the server listens everywhere.
func nameForHosts(names []string) string {
	if len(names) > 0 {
		return names[0]
	}
	name, err := os.Hostname()
	if err != nil {
		return ""
	}
	return name
}

func makeAccount(ctx context.Context, s *store.Store, studio, email, password string) error {
	if len(password) < 10 {
		return wrongUse{fmt.Errorf("the password of a new account needs at least 10 characters; set FANFOLD_PASSWORD")}
	}
	_, err := s.AccountEnsure(ctx, studio, email, email, password)
	return err
}
