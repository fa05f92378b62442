package main

import (
	"fmt"
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
	var name, server, credential, file string
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
			if file != "" {
				data, err := os.ReadFile(file)
				if err != nil {
					return openError(err)
				}
				credential = strings.TrimSpace(string(data))
			}
			if credential == "" {
				return wrongUse{fmt.Errorf("set FANFOLD_CREDENTIAL to the machine's credential, or give --credential-file; Seating shows the whole command")}
			}
			if memory <= 0 || disk <= 0 || speed <= 0 || cores < 1 || samples < 1 || samples > 1<<20 {
				return wrongUse{fmt.Errorf("--memory, --cores, --disk-rate, --speed and --sample-memory are above 0, the last at most 1,048,576")}
			}
			faults.Corrupt, faults.Stall, faults.Armed, faults.Sounding = set(corrupt), set(stall), set(armed), sounding
			var err error
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
			return rig.RunHost(ctx, server, credential, machine, log)
		},
	}
	c.Flags().StringVar(&name, "name", "", "the machine's name, for its log")
	c.Flags().StringVar(&server, "server", "nats://127.0.0.1:7071", "where to dial in")
	c.Flags().StringVar(&credential, "credential", os.Getenv("FANFOLD_CREDENTIAL"), "the machine's credential, which everybody on it can see in its list of processes; better set FANFOLD_CREDENTIAL")
	c.Flags().StringVar(&file, "credential-file", "", "a file that holds the machine's credential")
	c.Flags().Float64Var(&memory, "memory", 65536, "memory for instruments, MiB")
	c.Flags().IntVar(&cores, "cores", 16, "cores")
	c.Flags().Int64Var(&samples, "sample-memory", 1024, "real memory for samples that sound, MiB")
	c.Flags().Float64Var(&disk, "disk-rate", 500, "reading samples, MiB/s")
	c.Flags().Float64Var(&speed, "speed", 1, "let time run this much faster")
	c.Flags().StringArrayVar(&roots, "scan-root", nil, "a folder of this machine with samples, that may be scanned and sounds; may be given again")
	c.Flags().StringArrayVar(&libraries, "library", nil, "a library installed here; may be given again")
	c.Flags().StringToIntVar(&sounding, "sounding", nil, "voices of instruments that sound once they are ready: NAME=VOICES")
	c.Flags().StringArrayVar(&armed, "armed", nil, "an instrument somebody is about to play")
	c.Flags().StringArrayVar(&plays, "plays", nil, "a key (MIDI note) that is played once an instrument is ready: NAME=KEY; may be given again")
	c.Flags().Float64Var(&faults.DiskShare, "disk-share", 1, "read at this share of the disk's rate")
	c.Flags().StringArrayVar(&corrupt, "corrupt", nil, "a patch that can not be read")
	c.Flags().StringArrayVar(&stall, "stall", nil, "an instrument that never finishes loading")
	c.Flags().DurationVar(&faults.CrashAfter, "crash-after", 0, "end without a word after this time")
	c.Flags().DurationVar(&faults.DropAfter, "drop-after", 0, "drop off the network after this time")
	c.Flags().DurationVar(&faults.DropFor, "drop-for", 10*time.Second, "and come back after this time")
	return c
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
