package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/format/sheet"
	"fanfold/internal/format/smf"
)

// heard is a template and a piece of music for it.
type heard struct {
	template *template.Template
	words    *articulation.Vocabulary
	piece    app.Piece
}

// musicCommand is a command that writes what a template makes of music to a file; write may tell more.
func musicCommand(c *cobra.Command, write func(into, told io.Writer, out string, x heard) error) *cobra.Command {
	var path, out string
	c.Args = oneFile("the music (MusicXML, MIDI or a session)")
	c.RunE = func(c *cobra.Command, args []string) error {
		switch {
		case path == "":
			return wrongUse{errors.New("give the template with --template")}
		case out == "":
			return errNoOutput
		}
		t, err := readTemplateWithin(c.Context(), path)
		if err != nil {
			return err
		}
		x := heard{template: t, words: articulation.NewVocabulary(t.Vocabulary)}
		if x.piece, err = readPiece(c.Context(), args[0], x.words); err != nil {
			return err
		}
		var b, told bytes.Buffer
		if err := write(&b, &told, out, x); err != nil {
			return err
		}
		if err := writeFile(out, b.Bytes()); err != nil {
			return err
		}
		_, err = told.WriteTo(c.OutOrStdout())
		return err
	}
	c.Flags().StringVar(&path, "template", "", "the template")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

// readPiece reads music that has notes.
func readPiece(ctx context.Context, music string, words *articulation.Vocabulary) (app.Piece, error) {
	file, err := os.Open(music)
	if err != nil {
		return app.Piece{}, openError(err)
	}
	defer file.Close()
	piece, err := app.ReadPiece(ctx, file, words)
	if err != nil {
		return piece, fmt.Errorf("%s: %w", music, err)
	}
	if len(piece.Parts) == 0 {
		return piece, fmt.Errorf("%s: there are no notes in it", music)
	}
	if piece.Title == "" {
		piece.Title = strings.TrimSuffix(filepath.Base(music), filepath.Ext(music))
	}
	return piece, nil
}

func compileCommand() *cobra.Command {
	var row, part string
	var bar int
	c := musicCommand(&cobra.Command{
		Use: "compile MUSIC --template t.fanfold.json --row NAME -o FILE.mid", Short: "Write a part of the music as a row plays it: its switches, on its channel",
	}, func(into, told io.Writer, _ string, x heard) error {
		i, err := rowNamed(x.template, row)
		if err != nil {
			return err
		}
		n, err := partFor(x.piece, part, i.Name)
		if err != nil {
			return err
		}
		done, err := app.CompilePart(x.template, x.words, i, x.piece, n, bar)
		if err != nil {
			return err
		}
		fmt.Fprintf(told, "%s as %s plays it: %d messages, %d switches\n", x.piece.Parts[n].Name, i.Name, len(done.Messages), done.Switches)
		for _, name := range done.Missing {
			fmt.Fprintf(told, "%s cannot play %s\n", i.Name, name)
		}
		if done.Outside > 0 {
			fmt.Fprintf(told, "%d notes are outside its range\n", done.Outside)
		}
		return smf.WriteCompiled(into, done.Name, done.Time, done.Messages)
	})
	c.Flags().StringVar(&row, "row", "", "the row that plays")
	c.Flags().StringVar(&part, "part", "", "the part, by its name or its number; by default the one with the row's name, or else the first")
	c.Flags().IntVar(&bar, "bar", 1, "the bar to begin at")
	return c
}

// rowNamed is the row of a name.
func rowNamed(t *template.Template, name string) (*template.Instrument, error) {
	n := slices.IndexFunc(t.Instruments, func(i *template.Instrument) bool { return strings.EqualFold(i.Name, name) })
	if name == "" || n < 0 {
		return nil, wrongUse{fmt.Errorf("%s has no row %q; give its name with --row", t.Name, name)}
	}
	return t.Instruments[n], nil
}

// partFor is the number of a part, counted from 0; without a name that of a row, or else the first.
func partFor(piece app.Piece, name, row string) (int, error) {
	named := func(name string) int {
		return slices.IndexFunc(piece.Parts, func(p app.PiecePart) bool { return strings.EqualFold(p.Name, name) })
	}
	if name == "" {
		return max(0, named(row)), nil
	}
	if n := named(name); n >= 0 {
		return n, nil
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(piece.Parts) {
		return n - 1, nil
	}
	var names []string
	for _, p := range piece.Parts {
		names = append(names, p.Name)
	}
	return 0, wrongUse{fmt.Errorf("there is no part %q; the parts are %s", name, strings.Join(names, ", "))}
}

func translateCommand() *cobra.Command {
	return musicCommand(&cobra.Command{
		Use: "translate MUSIC --template t.fanfold.json -o FILE.mid", Short: "Write what was played with one hand as the rows of a template need it",
		Long: "Write what was played with one hand as the rows of a template need it. The hand is the template's own,\nor else the one that is proposed for its articulations. Tracks find their rows by name, port and channel.",
	}, func(into, told io.Writer, _ string, x heard) error {
		hand := x.template.Settings.Hand
		if len(hand) == 0 {
			hand = app.ProposedHand(x.template)
		}
		parts, err := app.TranslatePiece(x.template, x.template, x.words, hand, x.piece)
		if err != nil {
			return err
		}
		time, played, err := app.PlayedParts(x.template, x.piece, parts)
		if err != nil {
			return err
		}
		for _, p := range parts {
			for _, r := range p.Rows {
				fmt.Fprintf(told, "%s: %s, %d notes, %d switches\n", p.Name, r.Instrument.Name, r.Notes, r.Switches)
			}
			if len(p.Rows) == 0 {
				fmt.Fprintf(told, "%s: no row plays it\n", p.Name)
			}
		}
		return smf.WritePlayed(into, time, played)
	})
}

func followCommand() *cobra.Command {
	return musicCommand(&cobra.Command{
		Use: "follow MUSIC --template t.fanfold.json -o FILE", Short: "Write which rows the music calls and rests, and at which bar",
		Long: "Write which rows the music calls and rests, and at which bar: as markers of a MIDI file, or as Open Sound\nControl messages in a list where the file ends in .csv. What machines are known to do, and what other\ntemplates hold there, is not counted here; the server counts both.",
	}, func(into, told io.Writer, out string, x heard) error {
		f, err := app.FollowScore(x.template, x.piece.Title, app.ScoreOf(x.template, x.template, x.words, x.piece, nil), nil, nil)
		if err != nil {
			return err
		}
		fmt.Fprintf(told, "%d bars, %d steps\n", f.Bars, len(f.Steps))
		for _, s := range f.Silent {
			fmt.Fprintf(told, "! %s does not sound: %s\n", s.Name, s.Reason)
		}
		if strings.EqualFold(filepath.Ext(out), ".csv") {
			return sheet.Write(into, f.Addresses())
		}
		return f.MIDI(into)
	})
}
