package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/printing"
	"fanfold/internal/recorded"
)

type proveFlags struct {
	template, mix  string
	guides, match  []string
	folds          []string
	peak, loudness float64
	asJSON         bool
}

func proveCommand() *cobra.Command {
	var x proveFlags
	c := &cobra.Command{
		Use: "prove FOLDER", Short: "Prove recorded stems: that they add up to the mix, and what is wrong with them",
		Long: "Prove recorded stems. Files are matched to the stems of the template by their names, their numbers, or by\n--match. Without a template all files but the mix and guides are stems that add up to the mix.\n\nIt ends with 1 where something is wrong.",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return wrongUse{errors.New("give one folder with WAV or FLAC files")}
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error { return prove(c.Context(), c.OutOrStdout(), args[0], x) },
	}
	x.add(c)
	c.Flags().BoolVar(&x.asJSON, "json", false, "print the report as JSON")
	return c
}

// add adds the flags that say what is proved.
func (x *proveFlags) add(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&x.template, "template", "", "the template whose stems they are")
	f.StringVar(&x.mix, "mix", "", "the mix, if it is elsewhere or not found by its name")
	f.StringArrayVar(&x.guides, "guide", nil, "a guide in the folder that no stem may hold; may be repeated")
	f.StringArrayVar(&x.match, "match", nil, "FILE=STEM: what a file is; STEM may be mix, limited, guide or other; may be repeated")
	f.StringArrayVar(&x.folds, "fold", nil, "a fold of the template; may be repeated; without it all are proved")
	f.Float64Var(&x.peak, "peak", -1, "the highest true peak, dBTP; 0 for none")
	f.Float64Var(&x.loudness, "loudness", 0, "the loudness of the mix that is asked for, LUFS; 0 for none")
}

// proved is a folder of recordings with its proof.
type proved struct {
	folder  *recorded.Folder
	plan    printing.Plan
	matches []printing.Match
	report  *audit.Report
}

func proveFolder(ctx context.Context, dir string, x proveFlags) (p proved, err error) {
	debug.SetGCPercent(gcPercent)
	if info, err := os.Stat(dir); err != nil {
		return p, openError(err)
	} else if !info.IsDir() {
		return p, wrongUse{fmt.Errorf("%s is not a folder; give the folder that the stems lie in", dir)}
	}
	if p.folder, err = recorded.Look(os.DirFS(dir)); err != nil {
		return p, fmt.Errorf("%s: %w", dir, err)
	}
	if p.plan, err = provePlan(ctx, x); err != nil {
		return p, err
	}
	hand, err := proveHand(p.plan, x)
	if err != nil {
		return p, err
	}
	if x.template == "" {
		p.plan, p.matches = p.folder.Alone(hand)
	} else {
		p.matches = p.plan.Recorded(p.folder.Files, hand)
	}
	if x.mix != "" {
		if p.matches, err = withMix(dir, x.mix, p.plan, p.matches); err != nil {
			return p, err
		}
	}
	ask, done, err := p.folder.Ask(p.plan, p.matches)
	if err != nil {
		return p, err
	}
	defer done()
	ask.PeakDB, ask.LoudnessLUFS = x.peak, x.loudness
	p.report, err = audit.Run(ctx, ask)
	return p, err
}

// faults is how much is wrong.
func (p *proved) faults() int {
	n := len(p.folder.Unread)
	for _, m := range p.report.Marks {
		if !m.Note {
			n++
		}
	}
	return n
}

func prove(ctx context.Context, out io.Writer, dir string, x proveFlags) error {
	p, err := proveFolder(ctx, dir, x)
	if err != nil {
		return err
	}
	if x.asJSON {
		err = printJSON(out, map[string]any{"report": p.report, "matches": p.matches, "unread": p.folder.Unread})
	} else {
		tellProof(out, p.report, p.folder, p.matches, p.plan)
	}
	if err == nil && p.faults() > 0 {
		err = errFindings
	}
	return err
}

func provePlan(ctx context.Context, x proveFlags) (printing.Plan, error) {
	if x.template == "" {
		if len(x.folds) > 0 {
			return printing.Plan{}, wrongUse{errors.New("--fold names a fold of a template: give one with --template")}
		}
		return printing.Plan{}, nil
	}
	t, err := readTemplateWithin(ctx, x.template)
	if err != nil {
		return printing.Plan{}, err
	}
	folds, err := foldsNamed(t, x.folds)
	if err != nil {
		return printing.Plan{}, err
	}
	return printing.NewPlan(fan.New(t), folds)
}

// proveHand is what the flags say of files.
func proveHand(plan printing.Plan, x proveFlags) (map[string]string, error) {
	hand := map[string]string{}
	for _, g := range x.guides {
		hand[printing.Key(filepath.ToSlash(g))] = string(audit.Guide)
	}
	for _, m := range x.match {
		file, stem, ok := strings.Cut(m, "=")
		if !ok {
			return nil, wrongUse{fmt.Errorf("--match %s: write FILE=STEM", m)}
		}
		says := ""
		for _, w := range plan.Files {
			if strings.EqualFold(w.Name, stem) {
				says = string(w.Bus)
			}
		}
		for _, role := range []audit.Role{audit.Mix, audit.Limited, audit.Guide, audit.Other} {
			if strings.EqualFold(stem, string(role)) {
				says = string(role)
			}
		}
		if says == "" {
			return nil, wrongUse{fmt.Errorf("--match %s: there is no stem %q", m, stem)}
		}
		hand[printing.Key(filepath.ToSlash(file))] = says
	}
	return hand, nil
}

// withMix takes a mix that the flags name: one in the folder.
func withMix(dir, mix string, plan printing.Plan, matches []printing.Match) ([]printing.Match, error) {
	for _, base := range []string{".", dir} {
		rel, err := filepath.Rel(dir, filepath.Join(base, mix))
		if filepath.IsAbs(mix) {
			rel, err = filepath.Rel(dir, mix)
		}
		if err != nil {
			continue
		}
		for n := range matches {
			if matches[n].Path != filepath.ToSlash(rel) {
				continue
			}
			for k := range matches {
				if matches[k].Role == audit.Mix {
					matches[k].Role, matches[k].Wanted, matches[k].How = audit.Other, -1, printing.ByNobody
				}
			}
			matches[n].Role, matches[n].Wanted, matches[n].How = audit.Mix, -1, printing.ByHand
			for k, w := range plan.Files {
				if w.Role == audit.Mix {
					matches[n].Wanted = k
				}
			}
			return matches, nil
		}
	}
	return nil, wrongUse{fmt.Errorf("--mix %s: there is no such sound in %s; put it beside the stems", mix, dir)}
}

func tellProof(out io.Writer, r *audit.Report, folder *recorded.Folder, matches []printing.Match, plan printing.Plan) {
	fmt.Fprintln(out, r.Line)
	for _, f := range r.Folds {
		switch {
		case f.Why != "":
			fmt.Fprintf(out, "  %s: not added up: %s\n", f.Name, f.Why)
		case f.AddsUp:
			fmt.Fprintf(out, "  %s: %d stems, residual %.0f dBFS; rounding alone %.0f dBFS\n", f.Name, f.Stems, f.PeakDB, f.NoiseDB)
		default:
			fmt.Fprintf(out, "  %s: %d stems do not add up: %.0f dBFS is left\n", f.Name, f.Stems, f.PeakDB)
		}
	}
	type kind struct{ code, name string }
	more, remedied := map[kind]int{}, map[string]bool{}
	for _, m := range r.Marks {
		more[kind{m.Code, m.Name}]++
	}
	for _, m := range r.Marks {
		sign, k := "!", kind{m.Code, m.Name}
		if m.Note {
			sign = " "
		}
		switch n := more[k]; {
		case n == 0: // reported already
			continue
		case n > 1:
			fmt.Fprintf(out, "%s %-14s %s, and in %d more places\n", sign, m.Code, m.Message, n-1)
		default:
			fmt.Fprintf(out, "%s %-14s %s\n", sign, m.Code, m.Message)
		}
		if more[k] = 0; !remedied[m.Code] {
			remedied[m.Code] = true
			fmt.Fprintf(out, "%17s→ %s\n", "", m.Remedy)
		}
	}
	for _, u := range folder.Unread {
		fmt.Fprintf(out, "! %-14s %s: %s\n", "unread", u.Path, u.Reason)
	}
	for n, m := range matches {
		name := string(m.Role)
		if m.Wanted >= 0 {
			name = plan.Files[m.Wanted].Name
		}
		f := r.Files[n]
		fmt.Fprintf(out, "  %-40s %-24s %6.1f s  %6.1f LUFS  %5.1f dBTP\n", m.Path, name, f.Seconds, f.LUFS, f.TruePeak)
	}
}
