package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/filename"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/template"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/wav"
	"fanfold/internal/printer"
	"fanfold/internal/roots"
	"fanfold/internal/sampler"
)

type renderFlags struct {
	template, out, bits, start, frames, pattern string
	samples, folds                              []string
	rate, memory                                int
	trim                                        float64
	softer, leaveOut, long, dry, asJSON         bool
}

func renderCommand() *cobra.Command {
	var x renderFlags
	c := &cobra.Command{
		Use: "render MUSIC", Short: "Print a piece: every stem and the mix, as broadcast WAV files",
		Long: "Print a piece of music (MusicXML or MIDI) by a template and the libraries in folders of this machine: the\nstems of all folds and the mix, in one pass, as broadcast WAV files with their timecode.",
		Args: oneFile("the music"),
		RunE: func(c *cobra.Command, args []string) error {
			ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			return renderPiece(ctx, c.OutOrStdout(), c.ErrOrStderr(), args[0], x)
		},
	}
	f := c.Flags()
	f.StringVar(&x.template, "template", "", "the template")
	f.StringArrayVar(&x.samples, "samples", nil, "a folder of libraries; may be repeated")
	f.StringVar(&x.out, "out", ".", "where the files go; nothing there is written over")
	f.StringArrayVar(&x.folds, "fold", nil, "a fold; may be repeated; without it all are printed")
	f.IntVar(&x.rate, "rate", 48_000, "the sample rate, Hz: 44100, 48000, 88200 or 96000")
	f.StringVar(&x.bits, "bits", "24", "16, 24 or float")
	f.StringVar(&x.start, "start", "00:00:00:00", "the timecode on which it begins")
	f.StringVar(&x.frames, "frames", "24", "the frame rate of --start")
	f.StringVar(&x.pattern, "names", filename.DefaultPattern, "the pattern of the file names")
	f.Float64Var(&x.trim, "trim", 0, "turn all files up by so many dB, or down")
	f.BoolVar(&x.softer, "softer", false, "turn all files down together, just enough to keep every peak below full scale")
	f.IntVar(&x.memory, "memory", 256, "for samples, MiB")
	f.BoolVar(&x.leaveOut, "leave-out", false, "leave out rows that cannot sound; otherwise nothing is printed")
	f.BoolVar(&x.dry, "dry", false, "without reverbs and other returns")
	f.BoolVar(&x.long, "rf64", false, "write RF64 files however short they are")
	f.BoolVar(&x.asJSON, "json", false, "print the result as JSON")
	return c
}

func renderPiece(ctx context.Context, out, progress io.Writer, music string, x renderFlags) error {
	if x.template == "" || len(x.samples) == 0 {
		return wrongUse{errors.New("give the template with --template, and the folders of libraries with --samples")}
	}
	if err := filename.CheckPattern(x.pattern); err != nil {
		return wrongUse{fmt.Errorf("--names: %w", err)}
	}
	piece, err := pieceOf(ctx, music, x)
	if err != nil {
		return err
	}
	shown := time.Now()
	piece.Progress = func(done, of float64) {
		if now := time.Now(); !x.asJSON && now.Sub(shown) > time.Second {
			shown = now
			fmt.Fprintf(progress, "%.0f of %.0f s\n", done, of)
		}
	}
	title := strings.TrimSuffix(filepath.Base(music), filepath.Ext(music))
	names := piece.Plan.Names(printing.Naming{Pattern: x.pattern, Title: title, Start: x.start, RateHz: x.rate}, ".wav")
	done, err := renderInto(ctx, x.out, names, piece)
	if err != nil {
		return err
	}
	if x.asJSON {
		return json.NewEncoder(out).Encode(map[string]any{"printed": done, "names": names})
	}
	for n, f := range done.Files {
		fmt.Fprintf(out, "%-60s %6.1f LUFS %6.1f dBTP\n", names[n], f.Loudness.Integrated, f.Loudness.TruePeak)
	}
	for _, s := range done.Silent {
		fmt.Fprintf(out, "! %s does not sound: %s\n", s.Name, s.Reason)
	}
	if over := done.PeakDB + 1; over > 1 && x.bits != "float" {
		fmt.Fprintf(out, "! The highest peak is %.1f dB beyond full scale, and is cut: print again with --trim %.0f, or with --softer, or with --bits float\n", done.PeakDB, math.Floor(x.trim-over))
	}
	fmt.Fprintf(out, "%s of %.1f s, made %.1f times as fast as they sound\n", counted(len(names), "file"), float64(done.Frames)/float64(x.rate), done.Pace)
	return nil
}

// pieceOf reads what is printed.
func pieceOf(ctx context.Context, music string, x renderFlags) (p printer.Piece, err error) {
	t, err := readTemplateWithin(ctx, x.template)
	if err != nil {
		return p, err
	}
	folds, err := foldsNamed(t, x.folds)
	if err != nil {
		return p, err
	}
	frames, err := timecode.Named(x.frames)
	if err != nil {
		return p, wrongUse{fmt.Errorf("--frames: %w", err)}
	}
	start, err := frames.Parse(x.start)
	if err != nil {
		return p, wrongUse{fmt.Errorf("--start: %w", err)}
	}
	if p.Samples = wav.Samples(x.bits); p.Samples.Bytes() == 0 {
		return p, wrongUse{fmt.Errorf("--bits %s: 16, 24 and float are written", x.bits)}
	}
	words := articulation.NewVocabulary(nil)
	read, err := readPiece(ctx, music, words)
	if err != nil {
		return p, err
	}
	if p.Fan = fan.New(t); x.dry {
		p.Fan = fan.New(printing.Dry(t))
	}
	if p.Plan, err = printing.NewPlan(p.Fan, folds); err != nil {
		return p, err
	}
	if x.dry {
		p.Plan = p.Plan.Dry()
	}
	p.Score = app.ScoreOf(t, t, words, read, nil)
	p.Roots = roots.Roots{Folders: x.samples, Store: sampler.NewStore(int64(x.memory) << 20)}
	p.TrimDB, p.Softer = x.trim, x.softer
	p.RateHz, p.Long, p.LeaveOut, p.Made = x.rate, x.long, x.leaveOut, time.Now()
	p.Title = strings.TrimSuffix(filepath.Base(music), filepath.Ext(music))
	p.Begin = frames.Sample(start, int64(x.rate))
	return p, nil
}

func foldsNamed(t *template.Template, names []string) (out []template.ID, err error) {
	for _, name := range names {
		id := template.ID("")
		for _, f := range t.Folds {
			if strings.EqualFold(f.Name, name) {
				id = f.ID
			}
		}
		if id == "" {
			return nil, wrongUse{fmt.Errorf("%s has no fold %q", t.Name, name)}
		}
		out = append(out, id)
	}
	return out, nil
}

// renderInto prints into a folder: under other names first, so that what is there is whole or
// not there.
func renderInto(ctx context.Context, dir string, names []string, p printer.Piece) (done printer.Printed, err error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return done, err
	}
	for _, n := range names {
		if _, err := os.Stat(filepath.Join(dir, n)); err == nil {
			return done, fmt.Errorf("%s is there already; choose another folder", filepath.Join(dir, n))
		}
	}
	if err := printer.RoomFor(dir, p.BytesOf(len(p.Plan.Files))); err != nil {
		return done, err
	}
	temp, err := os.MkdirTemp(dir, ".printing-")
	if err != nil {
		return done, err
	}
	defer os.RemoveAll(temp)
	var open []*os.File
	done, err = printer.Print(ctx, p, func(n int) (io.WriteSeeker, error) {
		f, err := os.Create(filepath.Join(temp, names[n]))
		if err == nil {
			open = append(open, f)
		}
		return f, err
	})
	for _, f := range open {
		if failed := f.Close(); err == nil {
			err = failed
		}
	}
	if err != nil {
		return done, err
	}
	for _, n := range names {
		if err := os.Rename(filepath.Join(temp, n), filepath.Join(dir, n)); err != nil {
			return done, err
		}
	}
	return done, nil
}
