package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/format/rows"
)

func importCommand() *cobra.Command {
	var out, into, decimal string
	var maps, machines, answers []string
	var middleC int
	var asJSON bool
	c := &cobra.Command{
		Use: "import rows.csv -o t.fanfold.json", Short: "Bring a row list or a session into a template file",
		Long: "Bring a row list (CSV) into a template file. Bad rows are reported by line and column and left out;\n" +
			"the good ones are taken. The exit code is 1 when rows were left out. A session that a sequencer saved,\n" +
			"a DAWproject or MIDI file, becomes a template of its own; what it does not say is asked, with --answer.",
		Args: oneFile("the row list or session"),
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return errNoOutput
			}
			if isSession(args[0]) {
				if into != "" {
					return wrongUse{errors.New("a session becomes a template of its own; 'fanfold drift' brings one into the template that it was made of")}
				}
				return beginOf(c.OutOrStdout(), args[0], out, answers, asJSON)
			}
			if !slices.Contains([]string{"", string(intake.Point), string(intake.Comma)}, decimal) {
				return wrongUse{fmt.Errorf("--decimal %q is neither point nor comma", decimal)}
			}
			mapping, err := pairs(maps)
			if err != nil {
				return err
			}
			t, err := startingTemplate(into, args[0], machines)
			if err != nil {
				return err
			}
			file, err := os.Open(args[0])
			if err != nil {
				return openError(err)
			}
			defer file.Close()
			list, err := rows.Read(file, rows.Options{Mapping: mapping, MiddleC: middleC, Decimal: intake.Decimal(decimal)})
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			if x := list.Unsure; x != nil {
				return fmt.Errorf("%s: a size such as %s may be %g or %g MiB, and nothing in the list tells which; add --decimal point or --decimal comma", args[0], x.Cell, x.Point, x.Comma)
			}
			return takeRows(c, t, list, out, asJSON)
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "the template file to write")
	c.Flags().StringVar(&into, "into", "", "an existing template file to add to; defaults to a new template")
	c.Flags().StringArrayVar(&maps, "map", nil, "HEADING=column: read a heading as a column (empty to leave it out)")
	c.Flags().StringArrayVar(&machines, "machine", nil, "NAME:GiB:CORES: add a machine, such as Alder:64:16")
	c.Flags().IntVar(&middleC, "middle-c", 4, "the octave the list writes for MIDI note 60: 4 or 3")
	c.Flags().StringVar(&decimal, "decimal", "", "the mark that sizes are written with: point (1,024.5) or comma (1.024,5); defaults to what the list tells")
	c.Flags().StringArrayVar(&answers, "answer", nil, "KEY=VALUE: of a session, an answer to a question, as they are listed; may be repeated")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

func pairs(maps []string) (map[string]string, error) {
	mapping := map[string]string{}
	for _, m := range maps {
		heading, column, ok := strings.Cut(m, "=")
		if !ok {
			return nil, wrongUse{fmt.Errorf("--map %q is not HEADING=column", m)}
		}
		mapping[heading] = column
	}
	return mapping, nil
}

func startingTemplate(into, list string, machines []string) (*template.Template, error) {
	var t *template.Template
	var err error
	if into != "" {
		t, err = readTemplate(into)
	} else {
		name := strings.TrimSuffix(filepath.Base(list), filepath.Ext(list))
		t = template.New("template-1", name)
	}
	if err != nil || len(machines) == 0 {
		return t, err
	}
	var put change.Put
	for _, text := range machines {
		m, err := parseMachine(text)
		if err != nil {
			return nil, err
		}
		put.Machines = append(put.Machines, change.Append(m))
	}
	t, _, err = change.Apply(t, put)
	return t, err
}

func parseMachine(text string) (*template.Machine, error) {
	parts := strings.Split(text, ":")
	if len(parts) != 3 || parts[0] == "" {
		return nil, wrongUse{fmt.Errorf("--machine %q is not NAME:GiB:CORES", text)}
	}
	gib, err := strconv.ParseFloat(parts[1], 64)
	cores, err2 := strconv.Atoi(parts[2])
	if err != nil || err2 != nil || gib <= 0 || cores < 1 {
		return nil, wrongUse{fmt.Errorf("--machine %q: GiB and CORES are figures above 0", text)}
	}
	m := intake.StandardDefaults().Machine
	m.ID, m.Name = template.ID("machine-"+strings.ToLower(parts[0])), parts[0]
	m.MemoryMiB, m.ReserveMiB, m.Cores = gib*1024, min(m.ReserveMiB, gib*1024/8), cores
	return &m, nil
}

func takeRows(c *cobra.Command, t *template.Template, list *rows.List, out string, asJSON bool) error {
	batch, report, problems := intake.Plan(t, list.Rows, freshIDs(t), intake.StandardDefaults())
	problems = append(list.Problems, problems...)
	after, _, err := change.Apply(t, batch)
	if err != nil {
		return err
	}
	if report.Instruments > 0 {
		if err := writeTemplate(out, after); err != nil {
			return err
		}
	}
	if asJSON {
		err = printJSON(c.OutOrStdout(), map[string]any{"report": report, "problems": problems, "unmatched": list.Unmatched})
	} else {
		printReport(c, report, problems, list.Unmatched, out)
	}
	if err == nil && len(problems) > 0 {
		err = errFindings
	}
	return err
}

func printReport(c *cobra.Command, r intake.Report, problems []intake.Problem, unmatched []string, out string) {
	w := c.OutOrStdout()
	for _, p := range problems {
		where := fmt.Sprintf("line %d", p.Line)
		if p.Column != "" {
			where += ", " + p.Column
		}
		fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", where, p.Reason)
	}
	for _, p := range r.Told {
		fmt.Fprintf(c.ErrOrStderr(), "line %d, %s: %s; the row is taken\n", p.Line, p.Column, p.Reason)
	}
	for _, h := range unmatched {
		fmt.Fprintf(c.ErrOrStderr(), "the column %q is not read; map it with --map %q=...\n", h, h)
	}
	if r.Instruments == 0 {
		fmt.Fprintln(w, "No row could be taken; nothing was written.")
		return
	}
	fmt.Fprintf(w, "%s in %s, %s, %s, %s, %s → %s\n", counted(r.Instruments, "row"), counted(len(r.Sections), "new section"),
		counted(len(r.Stems), "stem"), counted(len(r.Groups), "group"), counted(len(r.Libraries), "library", "libraries"),
		counted(r.Patches, "patch", "patches"), out)
	for _, s := range r.Stated {
		fmt.Fprintln(w, s)
	}
}

// freshIDs counts on from what a template already holds.
func freshIDs(t *template.Template) intake.Mint {
	next := intake.Sequence()
	taken := map[template.ID]bool{}
	for _, i := range t.Instruments {
		taken[i.ID] = true
	}
	x := t.Index()
	return func(kind string) template.ID {
		for {
			id := next(kind)
			if !taken[id] && x.Sections[id] == nil && x.Buses[id] == nil && x.Patches[id] == nil &&
				x.Libraries[id] == nil && x.Players[id] == nil && x.Machines[id] == nil {
				return id
			}
		}
	}
}
