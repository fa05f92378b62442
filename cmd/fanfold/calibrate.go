package main

import (
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/template"
	"fanfold/internal/pass"
)

func calibrateCommand() *cobra.Command {
	c := &cobra.Command{Use: "calibrate", Short: "Make every row play a short test, and measure a recording of it"}
	c.AddCommand(calibrateOut(), calibrateIn())
	return c
}

func calibrateOut() *cobra.Command {
	var out string
	var together bool
	c := &cobra.Command{
		Use: "out t.fanfold.json -o pass", Short: "Write the test of every seated row: pass.mid to be played, and pass.json for measuring", Args: oneFile("the template file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" {
				return errNoOutput
			}
			t, err := readTemplate(args[0])
			if err != nil {
				return err
			}
			p, err := pass.Of(t, together)
			if err != nil {
				return err
			}
			data, err := p.MIDI(t, articulation.NewVocabulary(t.Vocabulary))
			if err != nil {
				return err
			}
			plan, err := json.MarshalIndent(p, "", " ")
			if err != nil {
				return fmt.Errorf("write the schedule: %w", err)
			}
			if err := writeFile(out+".mid", data); err != nil {
				return err
			}
			if err := writeFile(out+".json", append(plan, '\n')); err != nil {
				return err
			}
			w := cmd.OutOrStdout()
			fmt.Fprintf(w, "%s on %s: %s. Play %s.mid and record:\n", counted(len(p.Rows), "row"), counted(len(p.Pairs), "output pair"), minutes(p.Schedule().Seconds), out)
			for n, name := range p.Pairs {
				fmt.Fprintf(w, "  %d: %s\n", n+1, name)
			}
			return nil
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "where to write, without an ending")
	c.Flags().BoolVar(&together, "together", false, "everything goes into one recording; rows play one after another")
	return c
}

func minutes(seconds float64) string {
	return fmt.Sprintf("%d min %02d s", int(seconds)/60, int(math.Ceil(seconds))%60)
}

// measured is a row as its recording has it.
type measured struct {
	Name       string      `json:"name"`
	ID         template.ID `json:"id"`
	Pair       int         `json:"pair"` // from 1
	Fault      string      `json:"fault,omitempty"`
	Silent     bool        `json:"silent"`
	Clipped    bool        `json:"clipped"`
	LevelsDBFS [3]float64  `json:"levels_dbfs"` // soft, middle and strong
	PeakDBFS   float64     `json:"peak_dbfs"`
	NoiseDBFS  float64     `json:"noise_dbfs"`
	StartMs    float64     `json:"start_ms"`
	HalfMs     float64     `json:"half_ms"`
	DecayS     float64     `json:"decay_s,omitempty"`
	Position   float64     `json:"position_degrees"`
	Width      float64     `json:"width"`
	Cents      *float64    `json:"cents,omitempty"` // none for what has no pitch
	Alike      [][2]string `json:"alike,omitempty"`
}

func calibrateIn() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use: "in pass.json 1=a.wav 2=b.wav ...", Short: "Measure the recordings of a test: pair by pair, by its number", Args: cobra.MinimumNArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			data, err := os.ReadFile(args[0])
			if err != nil {
				return openError(err)
			}
			p, err := pass.Read(data)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			out := []measured{}
			for _, arg := range args[1:] {
				pair, file, ok := strings.Cut(arg, "=")
				n, err := strconv.Atoi(pair)
				if !ok || err != nil || n < 1 || n > len(p.Pairs) {
					return wrongUse{fmt.Errorf("%q does not say which of the %d pairs is in which file; write 1=%s", arg, len(p.Pairs), filepath.Base(arg))}
				}
				figures, err := measure(p, n-1, file)
				if err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
				for _, f := range figures {
					out = append(out, measuredOf(p.Rows[f.Row], f))
				}
			}
			if asJSON {
				return printJSON(cmd.OutOrStdout(), map[string]any{"template": p.Template, "rows": out})
			}
			return table(cmd.OutOrStdout(), out)
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

func measure(p pass.Pass, pair int, path string) ([]calibrate.Figures, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, openError(err)
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return nil, err
	}
	return p.Measure(pair, file, info.Size())
}

func measuredOf(r calibrate.Row, f calibrate.Figures) measured {
	m := measured{
		Name: r.Name, ID: r.ID, Pair: r.Pair + 1, Fault: f.Fault, Silent: f.Silent, Clipped: f.Clipped, LevelsDBFS: f.Levels, PeakDBFS: f.Peak, NoiseDBFS: f.Noise,
		StartMs: f.StartMs, HalfMs: f.HalfMs, DecayS: f.DecayS, Position: f.Position, Width: f.Width, Alike: f.Alike,
	}
	if !math.IsNaN(f.Cents) {
		m.Cents = &f.Cents
	}
	return m
}

func table(w io.Writer, rows []measured) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprintln(t, "row\tsoft\tmiddle\tstrong\tpeak\tnoise\tstart ms\tdecay s\tplace\tcents\t")
	for _, m := range rows {
		said := m.Fault
		switch {
		case said != "":
		case m.Silent:
			said = "silent: nothing is heard of it"
		}
		if said != "" {
			fmt.Fprintf(t, "%s\t%s\n", m.Name, said)
			continue
		}
		cents, decay := "", ""
		if m.Cents != nil {
			cents = fmt.Sprintf("%+.0f", *m.Cents)
		}
		if m.DecayS > 0 {
			decay = fmt.Sprintf("%.2f", m.DecayS)
		}
		fmt.Fprintf(t, "%s\t%.1f\t%.1f\t%.1f\t%.1f\t%.1f\t%.0f\t%s\t%+.0f°\t%s\t", m.Name, m.LevelsDBFS[0], m.LevelsDBFS[1], m.LevelsDBFS[2], m.PeakDBFS, m.NoiseDBFS, m.StartMs, decay, m.Position, cents)
		if m.Clipped {
			fmt.Fprint(t, "clipped ")
		}
		for _, a := range m.Alike {
			fmt.Fprintf(t, "%s sounds as %s does ", a[1], a[0])
		}
		fmt.Fprintln(t)
	}
	return t.Flush()
}
