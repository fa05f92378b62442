package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"text/tabwriter"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/nats-io/nats.go"
	"github.com/spf13/cobra"

	"fanfold/internal/audiostore"
	"fanfold/internal/certs"
	"fanfold/internal/rig"
	"fanfold/internal/store"
)

// What a look at a part of a set-up comes to.
type state string

const (
	good state = "good"
	look state = "look" // it works, and might not for long
	fix  state = "fix"  // it does not work
)

// finding is one part of a set-up, how it is, and what to do about it.
type finding struct {
	Part  string `json:"part"`
	State state  `json:"state"`
	Says  string `json:"says"`
	Do    string `json:"do,omitempty"`
}

// doctor looks at a set-up and changes nothing of it.
type doctor struct {
	c        serveConfig
	findings []finding
}

func (d *doctor) say(part string, s state, says, do string) {
	d.findings = append(d.findings, finding{part, s, says, do})
}

// lookWithin bounds looking at one part.
const lookWithin = 10 * time.Second

func doctorCommand() *cobra.Command {
	var asJSON bool
	c := fromEnvironment()
	cmd := &cobra.Command{
		Use: "doctor", Short: "Check a server's setup, and say what to fix",
		Long: "Check a server's setup, and say what to fix. Give the flags and the environment that 'fanfold serve' is\nstarted with. Nothing is changed, and the server may be running. The exit code is 1 when something needs\nfixing.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			d := &doctor{c: c}
			d.all(cmd.Context())
			if err := d.tell(cmd.OutOrStdout(), asJSON); err != nil {
				return err
			}
			for _, f := range d.findings {
				if f.State == fix {
					return errFindings
				}
			}
			return nil
		},
	}
	c.flags(cmd)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return cmd
}

func (d *doctor) tell(w io.Writer, asJSON bool) error {
	if asJSON {
		return printJSON(w, map[string]any{"findings": d.findings})
	}
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, f := range d.findings {
		fmt.Fprintf(t, "%s\t%s\t%s\n", f.State, f.Part, f.Says)
		if f.Do != "" {
			fmt.Fprintf(t, "\t\t→ %s\n", f.Do)
		}
	}
	return t.Flush()
}

func (d *doctor) all(ctx context.Context) {
	for _, part := range []func(context.Context){d.database, d.addresses, d.plainText, d.certificates, d.audio, d.folders, d.nats, d.machine} {
		within, stop := context.WithTimeout(ctx, lookWithin)
		part(within)
		stop()
	}
}

// The oldest PostgreSQL that works, as the server counts versions.
const oldestPostgres = 150_000

func (d *doctor) database(ctx context.Context) {
	const part = "database"
	if d.c.DatabaseURL == "" {
		d.say(part, fix, "DATABASE_URL is not set", "set it, such as postgres://fanfold@127.0.0.1/fanfold")
		return
	}
	x, err := store.Examine(ctx, d.c.DatabaseURL)
	var refused *pgconn.PgError
	switch {
	case errors.As(err, &refused):
		d.say(part, fix, refused.Message, "see that the database, the user and the password of DATABASE_URL are right")
		return
	case err != nil:
		first, _, _ := strings.Cut(err.Error(), "\n")
		d.say(part, fix, first, "see that PostgreSQL runs at the address of DATABASE_URL and lets this machine in")
		return
	}
	d.say(part, good, fmt.Sprintf("PostgreSQL %d.%d answers", x.Version/10_000, x.Version%10_000), "")
	if x.Version < oldestPostgres {
		d.say(part, fix, "this PostgreSQL is too old", fmt.Sprintf("use version %d or later", oldestPostgres/10_000))
	}
	if x.Encoding != "UTF8" {
		d.say(part, fix, "its text is in "+x.Encoding, "make the database again with 'createdb -E UTF8 -T template0'")
	}
	if !x.MayCreate {
		d.say(part, fix, "this user may not make tables in it", "make the user its owner")
	}
	switch {
	case x.Tables > x.Newest:
		d.say(part, fix, fmt.Sprintf("its tables are of a newer Fanfold (%d; this program knows %d)", x.Tables, x.Newest), "use the newer program, or restore a backup of this one's")
	case x.Tables == 0:
		d.say(part, good, "it has no tables yet; the server makes them", "")
	case x.Tables < x.Newest:
		d.say(part, look, fmt.Sprintf("its tables are brought from %d to %d at the next start", x.Tables, x.Newest), "back up first: fanfold backup -o FILE")
	default:
		d.say(part, good, "its tables are up to date", "")
	}
	const listening = 2
	if d.c.Connections+listening > x.Connections {
		d.say(part, fix, fmt.Sprintf("it takes %d connections, and the server opens up to %d", x.Connections, d.c.Connections+listening), "give a smaller --db-connections, or PostgreSQL a larger max_connections")
	}
	if x.Ahead.Abs() > 2*time.Second {
		d.say(part, look, fmt.Sprintf("its clock is %s off this machine's", x.Ahead.Abs()), "set both by the same time server: codes at sign-in go by the clock")
	}
	if config, err := pgconn.ParseConfig(d.c.DatabaseURL); err == nil && !x.Encrypted && !strings.HasPrefix(config.Host, "/") && !rig.Loopback(config.Host) {
		d.say(part, look, "the line to it is in plain text", "add sslmode=verify-full to DATABASE_URL")
	}
	if x.EndSoon > 0 {
		d.say("machines", look, fmt.Sprintf("%d credentials of hosts end within 30 days", x.EndSoon), "hosts that keep theirs in a file renew it; make others in Seating")
	}
	if x.WithoutOwner > 0 {
		d.say("members", fix, fmt.Sprintf("%d studios have no owner", x.WithoutOwner), "restore a backup from before the last one left")
	}
	if _, err := postgresTool("pg_dump"); err != nil {
		d.say("backup", look, "pg_dump is not installed, so 'fanfold backup' does not work here", "install PostgreSQL's client, or back up from another machine")
	}
}

// addresses looks whether the server can listen, or does.
func (d *doctor) addresses(ctx context.Context) {
	listens := map[string]string{"browsers (--listen)": d.c.Listen, "watching (--ops-listen)": d.c.OpsListen}
	if d.c.RigExternal == "" {
		listens["hosts (--rig-listen)"] = d.c.RigListen
	}
	running := d.ready(ctx)
	for _, part := range []string{"browsers (--listen)", "hosts (--rig-listen)", "watching (--ops-listen)"} {
		address := listens[part]
		if address == "" {
			continue
		}
		l, err := net.Listen("tcp", address)
		switch {
		case err == nil:
			_ = l.Close()
			d.say(part, good, address+" is free", "")
		case errors.Is(err, syscall.EADDRINUSE) && running != "":
			d.say(part, good, address+" is taken by a server that "+running, "")
		case errors.Is(err, syscall.EADDRINUSE):
			d.say(part, fix, address+" is taken by another program", "stop that, or give another address")
		default:
			d.say(part, fix, err.Error(), "give an address of this machine and a free port")
		}
	}
}

// ready is what a server says that runs already; empty for none.
func (d *doctor) ready(ctx context.Context) string {
	if d.c.OpsListen == "" {
		return ""
	}
	ask, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+d.c.OpsListen+"/readyz", nil)
	if err != nil {
		return ""
	}
	answer, err := http.DefaultClient.Do(ask)
	if err != nil {
		return ""
	}
	defer answer.Body.Close()
	const most = 500
	text, err := io.ReadAll(io.LimitReader(answer.Body, most))
	if err != nil {
		return ""
	}
	return "says: " + strings.ReplaceAll(strings.TrimSpace(string(text)), "\n", "; ")
}

func (d *doctor) plainText(context.Context) {
	const part = "plain text"
	strict := d.c
	strict.PlainText = false
	err := strict.plainOutside()
	switch {
	case err == nil:
		d.say(part, good, "nothing is open to other machines without TLS", "")
	case d.c.PlainText:
		d.say(part, look, "other machines come without TLS, as --plain-text allows", "see that a proxy speaks TLS before it")
	default:
		d.say(part, fix, err.Error(), "")
	}
}

// How long before its end a certificate is told.
const certificateSoon = 21 * 24 * time.Hour

func (d *doctor) certificates(context.Context) {
	const part = "certificates"
	if !d.c.Certs.Given() {
		return
	}
	k, err := certs.Open(d.c.Certs)
	if err != nil {
		d.say(part, fix, err.Error(), "")
		return
	}
	named := map[string]bool{}
	for _, leaf := range k.Leaves() {
		of := leaf.Subject.CommonName
		if len(leaf.DNSNames) > 0 {
			of = strings.Join(leaf.DNSNames, ", ")
		}
		for _, name := range d.c.Names {
			named[name] = named[name] || leaf.VerifyHostname(name) == nil
		}
		ends := leaf.NotAfter.Format("2 January 2006")
		switch left := time.Until(leaf.NotAfter); {
		case left < 0:
			d.say(part, fix, of+" ended on "+ends, "renew it; the server reads it again by itself")
		case time.Now().Before(leaf.NotBefore):
			d.say(part, fix, of+" begins on "+leaf.NotBefore.Format("2 January 2006"), "set this machine's clock, or wait")
		case left < certificateSoon:
			d.say(part, look, of+" ends on "+ends, "renew it; the server reads it again by itself")
		default:
			d.say(part, good, of+" is good until "+ends, "")
		}
	}
	for _, name := range d.c.Names {
		if !named[name] {
			d.say(part, fix, "none is for "+name, "get one for every --name")
		}
	}
}

// Free room under which it is told, GiB.
const littleRoom = 20

func (d *doctor) audio(ctx context.Context) {
	const part = "audio"
	if !strings.Contains(d.c.Audio, "://") {
		if _, err := os.Stat(d.c.Audio); errors.Is(err, fs.ErrNotExist) {
			parent := filepath.Dir(filepath.Clean(d.c.Audio))
			if err := syscall.Access(parent, 2); err != nil { // it may be written to
				d.say(part, fix, fmt.Sprintf("%s is not there and cannot be made in %s", d.c.Audio, parent), "give --audio a folder that can be written to")
				return
			}
			d.say(part, good, d.c.Audio+" is not there yet; the server makes it", "")
			d.room(part, parent)
			return
		}
	}
	s, err := audiostore.Open(ctx, d.c.Audio)
	if err == nil {
		err = errors.Join(s.Probe(ctx), s.Close())
	}
	if err != nil {
		d.say(part, fix, err.Error(), "give --audio a folder that can be written to, or storage that answers, with its key in the environment")
		return
	}
	d.say(part, good, "it can be written to", "")
	if folder := s.Folder(); folder != "" {
		d.room(part, folder)
	}
}

func (d *doctor) room(part, folder string) {
	var x syscall.Statfs_t
	if err := syscall.Statfs(folder, &x); err != nil {
		return
	}
	free := int64(x.Bavail) * int64(x.Bsize) >> 30 //nolint:unconvert // its type is another on other machines
	says := fmt.Sprintf("%d GiB are free where it lies", free)
	switch {
	case free < littleRoom:
		d.say(part, look, says, "make room: a cue of seven minutes with 32 stems takes 4 GiB")
	case free < d.c.AudioGiB:
		d.say(part, look, says+fmt.Sprintf(", and one studio may take %d", d.c.AudioGiB), "make room, or give a smaller --audio-gib")
	default:
		d.say(part, good, says, "")
	}
}

func (d *doctor) folders(context.Context) {
	for _, root := range d.c.ScanRoots {
		if _, err := os.ReadDir(root); err != nil {
			d.say("folder (--scan-root)", fix, err.Error(), "see that it is there and that this user may read it")
			continue
		}
		d.say("folder (--scan-root)", good, root+" can be read", "")
	}
}

func (d *doctor) nats(context.Context) {
	if d.c.RigExternal == "" {
		return
	}
	conn, err := nats.Connect(d.c.RigExternal, nats.Timeout(lookWithin/2))
	if err != nil {
		d.say("NATS", fix, fmt.Sprintf("%s: %v", rig.WithoutPassword(d.c.RigExternal), err), "see that it runs at the address of FANFOLD_NATS_URL")
		return
	}
	d.say("NATS", good, rig.WithoutPassword(d.c.RigExternal)+" answers", "")
	conn.Close()
}

// The least of what the machine should have.
const (
	leastFiles = 1024
	leastMiB   = 512
)

func (d *doctor) machine(context.Context) {
	const part = "machine"
	if os.Geteuid() == 0 {
		d.say(part, look, "this is run as root", "run the server as a user of its own, as the unit in deploy/ does")
	}
	var files syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &files); err == nil && files.Cur < leastFiles {
		d.say(part, look, fmt.Sprintf("%d files may be open at once", files.Cur), fmt.Sprintf("let it be %d or more (LimitNOFILE in the unit)", leastFiles))
	}
	if mib, ok := freeMiB(); ok {
		s, do := good, ""
		if mib < leastMiB+d.c.KeepMiB {
			s, do = look, "close other programs, or give a smaller --keep-mib"
		}
		d.say(part, s, fmt.Sprintf("%d MiB of memory are free", mib), do)
	}
}

// freeMiB is how much memory programs can still take, MiB.
func freeMiB() (int64, bool) {
	data, err := os.ReadFile("/proc/meminfo")
	if err != nil {
		return 0, false
	}
	for _, line := range strings.Split(string(data), "\n") {
		var kib int64
		if _, err := fmt.Sscanf(line, "MemAvailable: %d kB", &kib); err == nil {
			return kib >> 10, true
		}
	}
	return 0, false
}
