package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
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

// readMusic reads a template and a piece of music for it.
func readMusic(ctx context.Context, path, music string) (*template.Template, *articulation.Vocabulary, app.Piece, error) {
	if path == "" {
		return nil, nil, app.Piece{}, wrongUse{errors.New("give the template with --template")}
	}
	t, err := readTemplateWithin(ctx, path)
	if err != nil {
		return nil, nil, app.Piece{}, err
	}
	words := articulation.NewVocabulary(t.Vocabulary)
	piece, err := readPiece(ctx, music, words)
	return t, words, piece, err
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

const musicFiles = "the music (MusicXML, MIDI or a session)"

func compileCommand() *cobra.Command {
	var path, row, part, out string
	var bar int
	c := &cobra.Command{
		Use: "compile MUSIC --template t.fanfold.json --row NAME -o FILE.mid", Short: "Write a part of the music as a row plays it: its switches, on its channel", Args: oneFile(musicFiles),
		RunE: func(c *cobra.Command, args []string) error {
			t, words, piece, err := readMusic(c.Context(), path, args[0])
			if err != nil {
				return err
			}
			if out == "" {
				return errNoOutput
			}
			i, err := rowNamed(t, row)
			if err != nil {
				return err
			}
			n, err := partNamed(piece, part)
			if err != nil {
				return err
			}
			done, err := app.CompilePart(t, words, i, piece, n, bar)
			if err != nil {
				return err
			}
			var b bytes.Buffer
			if err := smf.WriteCompiled(&b, done.Name, done.Time, done.Messages); err != nil {
				return err
			}
			if err := writeFile(out, b.Bytes()); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s as %s plays it: %d messages, %d switches\n", piece.Parts[n].Name, i.Name, len(done.Messages), done.Switches)
			for _, name := range done.Missing {
				fmt.Fprintf(c.OutOrStdout(), "%s cannot play %s\n", i.Name, name)
			}
			if done.Outside > 0 {
				fmt.Fprintf(c.OutOrStdout(), "%d notes are outside its range\n", done.Outside)
			}
			return nil
		},
	}
	c.Flags().StringVar(&path, "template", "", "the template")
	c.Flags().StringVar(&row, "row", "", "the row that plays")
	c.Flags().StringVar(&part, "part", "1", "the part, by its name or its number")
	c.Flags().IntVar(&bar, "bar", 1, "the bar to begin at")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
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

// partNamed is the number of a part, counted from 0.
func partNamed(piece app.Piece, name string) (int, error) {
	var names []string
	for n, p := range piece.Parts {
		if strings.EqualFold(p.Name, name) {
			return n, nil
		}
		names = append(names, p.Name)
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(piece.Parts) {
		return n - 1, nil
	}
	return 0, wrongUse{fmt.Errorf("there is no part %q; the parts are %s", name, strings.Join(names, ", "))}
}

func translateCommand() *cobra.Command {
	var path, out string
	c := &cobra.Command{
		Use: "translate MUSIC --template t.fanfold.json -o FILE.mid", Short: "Write what was played with one hand as the rows of a template need it", Args: oneFile(musicFiles),
		Long: "Write what was played with one hand as the rows of a template need it. The hand is the template's own,\nor else the one that is proposed for its articulations. Tracks find their rows by name, port and channel.",
		RunE: func(c *cobra.Command, args []string) error {
			t, words, piece, err := readMusic(c.Context(), path, args[0])
			if err != nil {
				return err
			}
			if out == "" {
				return errNoOutput
			}
			hand := t.Settings.Hand
			if len(hand) == 0 {
				hand = app.ProposedHand(t)
			}
			parts, err := app.TranslatePiece(t, t, words, hand, piece)
			if err != nil {
				return err
			}
			time, played, err := app.PlayedParts(t, piece, parts)
			if err != nil {
				return err
			}
			var b bytes.Buffer
			if err := smf.WritePlayed(&b, time, played); err != nil {
				return err
			}
			if err := writeFile(out, b.Bytes()); err != nil {
				return err
			}
			for _, p := range parts {
				for _, r := range p.Rows {
					fmt.Fprintf(c.OutOrStdout(), "%s: %s, %d notes, %d switches\n", p.Name, r.Instrument.Name, r.Notes, r.Switches)
				}
				if len(p.Rows) == 0 {
					fmt.Fprintf(c.OutOrStdout(), "%s: no row plays it\n", p.Name)
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&path, "template", "", "the template")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

func followCommand() *cobra.Command {
	var path, out string
	c := &cobra.Command{
		Use: "follow MUSIC --template t.fanfold.json -o FILE", Short: "Write which rows the music calls and rests, and at which bar", Args: oneFile(musicFiles),
		Long: "Write which rows the music calls and rests, and at which bar: as markers of a MIDI file, or as Open Sound\nControl messages in a list where the file ends in .csv. What machines are known to do, and what other\ntemplates hold there, is not counted here; the server counts both.",
		RunE: func(c *cobra.Command, args []string) error {
			t, words, piece, err := readMusic(c.Context(), path, args[0])
			if err != nil {
				return err
			}
			if out == "" {
				return errNoOutput
			}
			f, err := app.FollowScore(t, piece.Title, app.ScoreOf(t, t, words, piece, nil), nil, nil)
			if err != nil {
				return err
			}
			var b bytes.Buffer
			if strings.EqualFold(filepath.Ext(out), ".csv") {
				err = sheet.Write(&b, f.Addresses())
			} else {
				err = f.MIDI(&b)
			}
			if err != nil {
				return err
			}
			if err := writeFile(out, b.Bytes()); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%d bars, %d steps\n", f.Bars, len(f.Steps))
			for _, s := range f.Silent {
				fmt.Fprintf(c.OutOrStdout(), "! %s does not sound: %s\n", s.Name, s.Reason)
			}
			return nil
		},
	}
	c.Flags().StringVar(&path, "template", "", "the template")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}
