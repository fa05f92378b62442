package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/filename"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/bagit"
	"fanfold/internal/parcel"
)

type deliverFlags struct {
	prove                                    proveFlags
	out, title, cue, composer, frames, music string
	to, from, note, folders                  string
	version                                  int
	listening                                bool
	anyway                                   bool
}

func deliverCommand() *cobra.Command {
	var x deliverFlags
	c := &cobra.Command{
		Use: "deliver FOLDER", Short: "Prove recorded stems, and pack them with a delivery sheet, a cue sheet and checksums",
		Long: "Prove recorded stems as prove does, and pack stems and mixes into a BagIt bag (RFC 8493): a zip archive where\n--out ends in .zip, otherwise a folder. Guides stay behind. The package is whole, or is not there.\n\nIt packs nothing and ends with 1 where something is wrong, unless with --anyway.",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return wrongUse{errors.New("give one folder with WAV or FLAC files")}
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error { return deliver(c.Context(), c.OutOrStdout(), args[0], x) },
	}
	x.prove.add(c)
	f := c.Flags()
	f.StringVar(&x.out, "out", "", "the archive or folder to write")
	f.StringVar(&x.title, "title", "", "the title of the cue; without it, the folder's name")
	f.StringVar(&x.cue, "cue", "", "the number of the cue: 1M02")
	f.IntVar(&x.version, "version", 1, "which version it is")
	f.StringVar(&x.composer, "composer", "", "who wrote it, for the cue sheet")
	f.StringVar(&x.frames, "frames", "24", "the frame rate of timecode")
	f.StringVar(&x.music, "music", "", "a MIDI or MusicXML file that is put in")
	f.StringVar(&x.to, "to", "", "who receives it")
	f.StringVar(&x.from, "from", "", "who delivers it")
	f.StringVar(&x.note, "note", "", "what they should know")
	f.StringVar(&x.folders, "folders", string(handover.OneFolder), "how files are arranged in folders: one, fold or cue")
	f.BoolVar(&x.listening, "listening", false, "include a FLAC copy of the mix for listening")
	f.BoolVar(&x.anyway, "anyway", false, "pack it even if something is wrong; the delivery sheet says what")
	return c
}

func deliver(ctx context.Context, out io.Writer, dir string, x deliverFlags) error {
	folders := handover.Folders(x.folders)
	switch {
	case x.out == "":
		return wrongUse{errors.New("name the archive or folder to write with --out")}
	case folders != handover.OneFolder && folders != handover.ByFold && folders != handover.ByCue:
		return wrongUse{fmt.Errorf("--folders %s: one, fold and cue can be", x.folders)}
	case x.version < 1:
		return wrongUse{fmt.Errorf("--version %d: versions are counted from 1", x.version)}
	}
	if _, err := os.Lstat(x.out); err == nil {
		return wrongUse{fmt.Errorf("%s exists already; name another, or move it away", x.out)}
	}
	frames, err := timecode.Named(x.frames)
	if err != nil {
		return wrongUse{fmt.Errorf("--frames: %w", err)}
	}
	p, err := proveFolder(ctx, dir, x.prove)
	if err != nil {
		return err
	}
	if n := p.faults(); n > 0 && !x.anyway {
		tellProof(out, p.report, p.folder, p.matches, p.plan)
		fmt.Fprintln(out, "Nothing is packed. Mend it, or pack it with --anyway.")
		return errFindings
	}
	pack, err := packed(dir, p, frames, x)
	if err != nil {
		return err
	}
	if err := packInto(ctx, pack, x.out); err != nil {
		return err
	}
	fmt.Fprintf(out, "%s\n%s in %s\n", p.report.Line, counted(len(pack.Prints[0].Files), "file"), x.out)
	return nil
}

// packed is what is put in.
func packed(dir string, p proved, frames timecode.Rate, x deliverFlags) (out parcel.Parcel, err error) {
	whole, err := filepath.Abs(dir)
	if err != nil {
		return out, err
	}
	print := parcel.Print{Delivered: handover.Delivered{
		Number: x.cue, Title: x.title, Version: x.version, Composer: x.composer, Report: p.report, OnMix: p.plan.OnMix,
	}}
	if print.Title == "" {
		print.Title = filepath.Base(whole)
	}
	rate := int64(max(1, p.report.RateHz))
	print.Timecode = func(samples int64) string { return frames.Format(frames.FrameAt(samples, rate)) }
	folds := map[string]string{}
	for _, f := range p.report.Folds {
		folds[f.Fold] = f.Name
	}
	var paths []string
	for n, m := range p.matches {
		if !m.Role.Handed() {
			continue
		}
		f := p.report.Files[n]
		fold := ""
		if m.Role == audit.Stem && len(f.Folds) > 0 {
			fold = folds[f.Folds[0]]
		}
		for _, name := range []string{m.Path, m.Right} {
			if name != "" {
				paths = append(paths, name)
				print.Files = append(print.Files, handover.DeliveredFile{Name: name, Fold: fold, Role: m.Role})
			}
		}
		if f.Begin != audit.NotSaid && print.Start == "" {
			plain := frames
			plain.Drop = false
			long := int64(math.Round(f.Seconds * float64(frames.Num) / float64(frames.Den)))
			start := frames.FrameAt(f.Begin, int64(max(1, f.RateHz)))
			print.Start, print.End, print.Length = frames.Format(start), frames.Format(start+long), plain.Format(long)
		}
	}
	print.Open = func(_ context.Context, n int) (parcel.File, error) {
		return openAudio(filepath.Join(dir, filepath.FromSlash(paths[n])))
	}
	if x.music != "" {
		if print.Music, err = os.ReadFile(x.music); err != nil {
			return out, openError(err)
		}
		print.MusicName = filepath.Base(x.music)
	}
	return parcel.Parcel{
		Name: filename.Safe(strings.TrimSuffix(filepath.Base(x.out), ".zip"), print.Called()), Title: print.Whole(), From: x.from, To: x.to, Note: x.note,
		Made: time.Now().UTC().Truncate(time.Second), Folders: handover.Folders(x.folders), Listening: x.listening, Prints: []parcel.Print{print},
	}, nil
}

// audioFile is a file of audio on this machine.
type audioFile struct {
	*os.File
	size int64
}

func (f audioFile) Size() int64 { return f.size }

func openAudio(name string) (parcel.File, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return audioFile{f, info.Size()}, nil
}

// packInto writes a package to an archive or a folder, which is there when it is whole.
func packInto(ctx context.Context, pack parcel.Parcel, to string) error {
	if !strings.EqualFold(filepath.Ext(to), ".zip") {
		bag, err := bagit.NewFolder(to, pack.Made)
		if err != nil {
			return err
		}
		if err := pack.Write(ctx, bag); err != nil {
			bag.Abandon()
			return err
		}
		return nil
	}
	part := to + ".part"
	file, err := os.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return openError(err)
	}
	err = pack.Write(ctx, bagit.NewWriter(file, pack.Name, pack.Made))
	if err = errors.Join(err, file.Close()); err == nil {
		err = os.Rename(part, to)
	}
	if err != nil {
		_ = os.Remove(part) // it is named as a part
	}
	return err
}
