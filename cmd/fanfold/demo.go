package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"syscall"

	"github.com/spf13/cobra"

	"fanfold/internal/app"
	"fanfold/internal/demo"
	"fanfold/internal/store/localdb"
)

func demoCommand() *cobra.Command {
	var dir string
	var speed float64
	var forget bool
	c := serveConfig{DemoEmail: demo.Email}
	cmd := &cobra.Command{
		Use: "demo", Short: "Run the made-up studio of The Salt Lantern",
		Long: "Run the made-up studio of The Salt Lantern: a PostgreSQL of its own on loopback, three simulated\nmachines as processes of their own, and the server. Ctrl-C stops all of it; the data stays.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if forget {
				lock, err := holdPlace(dir)
				if err != nil {
					return err
				}
				defer lock.Close()
				return errors.Join(localdb.Remove(filepath.Join(dir, "pg")), os.RemoveAll(dir))
			}
			if err := c.plainOutside(); err != nil {
				return wrongUse{err}
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), syscall.SIGINT, syscall.SIGTERM)
			defer stop()
			return runDemo(ctx, cmd, c, dir, speed)
		},
	}
	cmd.Flags().StringVar(&c.Listen, "listen", "127.0.0.1:7070", "the address that browsers connect to")
	cmd.Flags().StringVar(&c.RigListen, "rig-listen", "127.0.0.1:7071", "the address that hosts connect to")
	cmd.Flags().BoolVar(&c.PlainText, "plain-text", false, "allow other machines to connect without TLS")
	cmd.Flags().StringArrayVar(&c.ScanRoots, "scan-root", nil, "a folder that people may scan beside the made-up samples; may be repeated")
	cmd.Flags().StringVar(&dir, "dir", ".local", "where the data is kept")
	cmd.Flags().Float64Var(&speed, "speed", 4, "let the simulated machines load this much faster")
	cmd.Flags().BoolVar(&forget, "forget", false, "delete the data and exit")
	return cmd
}

// holdPlace makes sure that one demo at a time uses a directory, since the
// next would stop the database of the first. The system lets go of it when the
// program ends, however it ends.
func holdPlace(dir string) (*os.File, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("a demo already runs in %s; end it with Ctrl-C, or give this one another --dir", dir)
	}
	return lock, nil
}

func runDemo(ctx context.Context, cmd *cobra.Command, c serveConfig, dir string, speed float64) (err error) {
	lock, err := holdPlace(dir)
	if err != nil {
		return err
	}
	defer lock.Close()
	if c.DatabaseURL = os.Getenv("DATABASE_URL"); c.DatabaseURL == "" {
		pg, err := localdb.Start(ctx, filepath.Join(dir, "pg"))
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, pg.Stop()) }()
		go pg.Keep(ctx, func(text string) { slog.Warn(text) })
		c.DatabaseURL = pg.URL
	}
	samples := filepath.Join(dir, "samples")
	if err := errors.Join(demo.WriteSamples(samples), demo.WriteLibraries(samples)); err != nil {
		return err
	}
	c.ScanRoots = append([]string{samples}, c.ScanRoots...)
	c.Audio, c.AudioAsked = filepath.Join(dir, "audio"), true
	r, err := startRunning(ctx, c)
	if err != nil {
		return err
	}
	defer r.close()
	person, _, err := demo.Build(ctx, r.store, r.app)
	if err != nil {
		return err
	}
	tokens, err := hostTokens(ctx, r.app, person, filepath.Join(dir, "hosts.json"))
	if err != nil {
		return err
	}
	if err := r.start(ctx); err != nil {
		return err
	}
	hosts, err := startHosts(r.desk.Address(), tokens, speed, dir)
	defer hosts.stop()
	if err != nil {
		return err
	}
	return r.serveHTTP(ctx, c, func(address string) {
		fmt.Fprintf(cmd.OutOrStdout(), "\nThe Salt Lantern is ready at %s\nSign in with one click, or as %s with the password %q.\nCtrl-C stops everything and keeps the data.\n", address, demo.Email, demo.Password)
	})
}

// hostTokens returns a credential for each demo machine, made at the first
// start and kept.
func hostTokens(ctx context.Context, a *app.App, p app.Person, path string) (map[string]string, error) {
	tokens := map[string]string{}
	data, err := os.ReadFile(path)
	if err == nil && json.Unmarshal(data, &tokens) == nil && len(tokens) == len(demo.Machines) {
		return tokens, nil
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for _, m := range demo.Machines {
		if tokens[m.Name], err = a.MakeCredential(ctx, p, m.ID, 0); err != nil {
			return nil, err
		}
	}
	if data, err = json.Marshal(tokens); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return nil, err
	}
	return tokens, os.WriteFile(path, data, 0o600)
}

type processes []*exec.Cmd

func startHosts(address string, tokens map[string]string, speed float64, dir string) (processes, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	var all processes
	for _, m := range demo.Machines {
		log, err := os.OpenFile(filepath.Join(dir, "host-"+m.Name+".log"), os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o644)
		if err != nil {
			return all, err
		}
		cmd := exec.Command(self, "host", "--server", address, "--scan-root", filepath.Join(dir, "samples"), "--name", m.Name,
			"--memory", fmt.Sprint(m.LimitMiB()), "--cores", fmt.Sprint(m.Cores), "--disk-rate", fmt.Sprint(m.DiskMiBs), "--speed", fmt.Sprint(speed))
		cmd.Env = append(os.Environ(), "FANFOLD_CREDENTIAL="+tokens[m.Name]) // kept out of the process list
		cmd.Stdout, cmd.Stderr = log, log
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
		started := make(chan error)
		go func() {
			runtime.LockOSThread() // the death signal is bound to this thread
			started <- cmd.Start()
			select {}
		}()
		err = <-started
		log.Close()
		if err != nil {
			return all, fmt.Errorf("start the host %s: %w", m.Name, err)
		}
		all = append(all, cmd)
	}
	return all, nil
}

func (p processes) stop() {
	for _, cmd := range p {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended already
	}
	for _, cmd := range p {
		_ = cmd.Wait()
	}
}
