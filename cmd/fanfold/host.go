package main

import (
	"crypto/x509"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"fanfold/internal/rig"
)

func hostCommand() *cobra.Command {
	var name, server, credential, file, authority string
	var plain bool
	var memory, disk, speed float64
	var cores int
	var samples int64
	var corrupt, stall, roots, libraries, armed, plays []string
	var sounding map[string]int
	var faults rig.Faults
	c := &cobra.Command{
		Use: "host", Short: "Run a simulated sample machine",
		Long: "Run a simulated sample machine that dials in with the credential made for it in Seating, and loads\ninstruments in the time a real one would take.",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if rig.Plain(server) && !plain {
				return wrongUse{fmt.Errorf("%s would be reached in plain text, which others on the network can read; dial tls:// or say --plain-text", server)}
			}
			line := rig.Line{Address: server}
			var err error
			if line.Authority, err = authorityIn(authority); err != nil {
				return err
			}
			if file != "" {
				if credential, err = keptCredential(file, credential); err != nil {
					return err
				}
				line.Keep = func(token string) error { return keepCredential(file, token) }
			}
			if line.Token = credential; credential == "" {
				return wrongUse{fmt.Errorf("set FANFOLD_CREDENTIAL to the machine's credential, or give --credential-file; Seating shows the whole command")}
			}
			if memory <= 0 || disk <= 0 || speed <= 0 || cores < 1 || samples < 1 || samples > 1<<20 {
				return wrongUse{fmt.Errorf("--memory, --cores, --disk-rate, --speed and --sample-memory are above 0, the last at most 1,048,576")}
			}
			faults.Corrupt, faults.Stall, faults.Armed, faults.Sounding = set(corrupt), set(stall), set(armed), sounding
			if faults.Plays, err = played(plays); err != nil {
				return err
			}
			ctx, stop := signal.NotifyContext(c.Context(), syscall.SIGINT, syscall.SIGTERM)
			defer stop()
			log := slog.With("machine", name)
			log.Info("a simulated machine", "memoryMiB", memory, "cores", cores, "diskMiBs", disk, "speed", speed)
			machine := rig.NewStandIn(memory, disk, speed, faults)
			machine.Cores, machine.Libraries, machine.SampleBytes = cores, libraries, samples<<20
			for _, r := range roots {
				abs, err := filepath.Abs(r)
				if err != nil {
					return wrongUse{fmt.Errorf("--scan-root: %w", err)}
				}
				machine.ScanRoots = append(machine.ScanRoots, abs)
			}
			return rig.RunHost(ctx, line, machine, log)
		},
	}
	c.Flags().StringVar(&name, "name", "", "the machine's name, for its log")
	c.Flags().StringVar(&server, "server", "nats://127.0.0.1:7071", "the server to connect to")
	c.Flags().StringVar(&credential, "credential", os.Getenv("FANFOLD_CREDENTIAL"), "the machine's credential, which everybody on it can see in its list of processes; better set FANFOLD_CREDENTIAL")
	c.Flags().StringVar(&file, "credential-file", "", "a file that holds the machine's credential, and where it is renewed; it is written from FANFOLD_CREDENTIAL at first")
	c.Flags().StringVar(&authority, "ca", "", "the certificate of the authority that signed the server's (PEM), where the system does not trust it")
	c.Flags().BoolVar(&plain, "plain-text", false, "reach another machine without TLS")
	c.Flags().Float64Var(&memory, "memory", 65536, "memory for instruments, MiB")
	c.Flags().IntVar(&cores, "cores", 16, "cores")
	c.Flags().Int64Var(&samples, "sample-memory", 1024, "real memory for samples that sound, MiB")
	c.Flags().Float64Var(&disk, "disk-rate", 500, "reading samples, MiB/s")
	c.Flags().Float64Var(&speed, "speed", 1, "let time run this much faster")
	c.Flags().StringArrayVar(&roots, "scan-root", nil, "a folder of this machine with samples, that may be scanned and sounds; may be repeated")
	c.Flags().StringArrayVar(&libraries, "library", nil, "a library installed here; may be repeated")
	c.Flags().StringToIntVar(&sounding, "sounding", nil, "voices of instruments that sound once they are ready: NAME=VOICES")
	c.Flags().StringArrayVar(&armed, "armed", nil, "an instrument somebody is about to play")
	c.Flags().StringArrayVar(&plays, "plays", nil, "a key (MIDI note) to play once an instrument is ready: NAME=KEY; may be repeated")
	c.Flags().Float64Var(&faults.DiskShare, "disk-share", 1, "read at this share of the disk's rate")
	c.Flags().StringArrayVar(&corrupt, "corrupt", nil, "a patch that cannot be read")
	c.Flags().StringArrayVar(&stall, "stall", nil, "an instrument that never finishes loading")
	c.Flags().DurationVar(&faults.CrashAfter, "crash-after", 0, "end without a word after this time")
	c.Flags().DurationVar(&faults.DropAfter, "drop-after", 0, "drop off the network after this time")
	c.Flags().DurationVar(&faults.DropFor, "drop-for", 10*time.Second, "and come back after this time")
	return c
}

// authorityIn reads the certificate of an authority; nil for none.
func authorityIn(path string) (*x509.CertPool, error) {
	if path == "" {
		return nil, nil
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, openError(err)
	}
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(data) {
		return nil, fmt.Errorf("%s holds no certificate in PEM", path)
	}
	return pool, nil
}

// keptCredential is the credential that a file holds. Another one that is given replaces it; the same
// one does not, since its secret was renewed since.
func keptCredential(path, given string) (string, error) {
	data, err := os.ReadFile(path)
	if err != nil && (given == "" || !errors.Is(err, fs.ErrNotExist)) {
		return "", openError(err)
	}
	kept := strings.TrimSpace(string(data))
	has, _, _ := rig.SplitToken(kept)
	is, _, bad := rig.SplitToken(given)
	if given == "" || bad == nil && has == is {
		return kept, nil
	}
	if bad != nil {
		return "", bad
	}
	return given, keepCredential(path, given)
}

// keepCredential writes a credential whole or not at all, for its owner's eyes.
func keepCredential(path, token string) error {
	fresh := path + ".new"
	if err := os.WriteFile(fresh, []byte(token+"\n"), 0o600); err != nil {
		return fmt.Errorf("keep the credential: %w", err)
	}
	if err := os.Rename(fresh, path); err != nil {
		return fmt.Errorf("keep the credential: %w", err)
	}
	return nil
}

func set(names []string) map[string]bool {
	out := map[string]bool{}
	for _, n := range names {
		out[strings.TrimSpace(n)] = true
	}
	return out
}

// played reads what is played of instruments: NAME=KEY.
func played(list []string) (map[string][]int, error) {
	out := map[string][]int{}
	for _, x := range list {
		name, text, ok := strings.Cut(x, "=")
		key, err := strconv.Atoi(text)
		if !ok || err != nil || key < 0 || key > 127 {
			return nil, wrongUse{fmt.Errorf("--plays %s: give NAME=KEY, the key a MIDI note from 0 to 127", x)}
		}
		out[name] = append(out[name], key)
	}
	return out, nil
}
