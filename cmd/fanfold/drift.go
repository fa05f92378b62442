package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
	"fanfold/internal/format/dawproject"
)

type driftFlags struct {
	template, out string
	right         string
	answers       []string
	asJSON        bool
}

func driftCommand() *cobra.Command {
	var x driftFlags
	c := &cobra.Command{
		Use: "drift SESSION --template t.fanfold.json", Short: "Show how a saved session differs from its template",
		Long: "Show how a session saved by a sequencer, as a DAWproject or MIDI file, differs from its template. With -o all\n" +
			"of it is taken into a template file, but for what --answer says otherwise.\n\nIt ends with 1 where something differs.",
		Args: oneFile("the session, a DAWproject or MIDI file"),
		RunE: func(c *cobra.Command, args []string) error { return drift(c.OutOrStdout(), args[0], x) },
	}
	c.Flags().StringVar(&x.template, "template", "", "the template that the session was made of")
	c.Flags().StringVarP(&x.out, "output", "o", "", "the template file to write, with every difference taken in")
	c.Flags().StringVar(&x.right, "right", "", "the DAWproject session to write, corrected to match the template")
	c.Flags().StringArrayVar(&x.answers, "answer", nil, "KEY=VALUE: an answer to a question, as they are listed; may be repeated")
	c.Flags().BoolVar(&x.asJSON, "json", false, "print one JSON object")
	return c
}

func drift(out io.Writer, path string, x driftFlags) error {
	if x.template == "" {
		return wrongUse{errors.New("say which template the session was made of, with --template")}
	}
	here, err := readTemplate(x.template)
	if err != nil {
		return err
	}
	answers, err := answersOf(x.answers)
	if err != nil {
		return err
	}
	s, err := readSession(path)
	if err != nil {
		return err
	}
	r, err := session.Read(here, &s, session.Options{Mint: session.Fresh(freshIDs(here)), Answers: answers})
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	d := session.Against(here, r.There)
	if x.asJSON {
		err = printJSON(out, map[string]any{"differences": differencesJSON(d.Differences), "elsewhere": append([]string{}, d.Elsewhere...), "questions": append([]session.Question{}, r.Ask...), "left": append([]string{}, r.Left...)})
	} else {
		printDrift(out, d, r)
	}
	if err != nil || d.Alike() {
		return err
	}
	if x.right != "" {
		return putRight(out, here, path, &s, answers, x.right)
	}
	if x.out != "" {
		return takeDrift(here, r.There, d, x.out)
	}
	return errFindings
}

// putRight writes the session again as the template has it.
func putRight(out io.Writer, here *template.Template, path string, s *session.Session, answers map[template.ID]string, to string) error {
	fixes, err := session.Right(here, s, session.Options{Mint: session.Fresh(freshIDs(here)), Answers: answers}, nil, false)
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return openError(err)
	}
	var b bytes.Buffer
	left, err := dawproject.Right(&b, bytes.NewReader(data), int64(len(data)), fixes)
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	if left = append(fixes.Left, left...); len(left) > 0 {
		fmt.Fprintf(out, "stays as it is: %s\n", strings.Join(left, "; "))
	}
	return writeFile(to, b.Bytes())
}

func takeDrift(here, there *template.Template, d session.Drift, path string) error {
	picks := make([]compare.Pick, len(d.Differences))
	for n, x := range d.Differences {
		picks[n] = compare.Pick{Noun: x.Noun, ID: x.ID}
	}
	c, err := session.Take(here, there, picks, true, freshIDs(here))
	if err != nil {
		return err
	}
	after, _, err := change.Apply(here, c)
	if err != nil {
		return err
	}
	return writeTemplate(path, after)
}

type differenceJSON struct {
	Noun   compare.Noun    `json:"noun"`
	How    compare.How     `json:"how"`
	Name   string          `json:"name"`
	Where  string          `json:"where"`
	Fields []compare.Field `json:"fields"`
}

func differencesJSON(list []compare.Difference) []differenceJSON {
	out := []differenceJSON{}
	for _, d := range list {
		out = append(out, differenceJSON{d.Noun, d.How, d.Name, d.Where, append([]compare.Field{}, d.Fields...)})
	}
	return out
}

func printDrift(out io.Writer, d session.Drift, r *session.Reading) {
	for _, x := range d.Differences {
		fmt.Fprintf(out, "%-8s %-8s %s\n", x.How, x.Noun, strings.TrimPrefix(x.Where+template.PathSeparator+x.Name, template.PathSeparator))
		for _, f := range x.Fields {
			fmt.Fprintf(out, "%-17s %s: %s → %s\n", "", f.Name, orDash(f.Here), orDash(f.There))
		}
	}
	for _, name := range d.Elsewhere {
		fmt.Fprintf(out, "%-8s %s\n", "order", name)
	}
	if d.Alike() {
		fmt.Fprintln(out, "nothing differs")
	} else {
		fmt.Fprintf(out, "%d differences, %d in another order\n", len(d.Differences), len(d.Elsewhere))
	}
	printReading(out, r)
}

func orDash(text string) string {
	if text == "" {
		return "–"
	}
	return text
}

// printReading tells what was unsure, and what was not read.
func printReading(out io.Writer, r *session.Reading) {
	for _, q := range r.Ask {
		fmt.Fprintf(out, "? %s\n", q.Text)
		for _, o := range q.Options {
			mark := " "
			if o.Value == q.Chosen {
				mark = "*"
			}
			fmt.Fprintf(out, "  %s --answer %q  %s\n", mark, string(q.Key)+"="+o.Value, o.Words)
		}
	}
	if len(r.Left) > 0 {
		fmt.Fprintf(out, "not read: %s\n", strings.Join(r.Left, "; "))
	}
}

func answersOf(list []string) (map[template.ID]string, error) {
	out := map[template.ID]string{}
	for _, text := range list {
		key, value, ok := strings.Cut(text, "=")
		if !ok {
			return nil, wrongUse{fmt.Errorf("--answer %q is not KEY=VALUE", text)}
		}
		out[template.ID(key)] = value
	}
	return out, nil
}

func readSession(path string) (session.Session, error) {
	file, err := os.Open(path)
	if err != nil {
		return session.Session{}, openError(err)
	}
	defer file.Close()
	about, err := file.Stat()
	if err != nil {
		return session.Session{}, err
	}
	s, err := format.ReadSession(strings.TrimSuffix(filepath.Base(path), filepath.Ext(path)), file, about.Size())
	if err != nil {
		return s, fmt.Errorf("%s: %w", path, err)
	}
	return s, nil
}

// isSession tells whether a file is a session, by how it begins.
func isSession(path string) bool {
	file, err := os.Open(path)
	if err != nil {
		return false
	}
	defer file.Close()
	head := make([]byte, 4)
	_, err = io.ReadFull(file, head)
	return err == nil && format.IsSession(head)
}

// beginOf makes a template file of a session.
func beginOf(out io.Writer, path, to string, answers []string, asJSON bool) error {
	said, err := answersOf(answers)
	if err != nil {
		return err
	}
	s, err := readSession(path)
	if err != nil {
		return err
	}
	r, err := session.Begin(&s, session.Options{Mint: session.Fresh(freshIDs(template.New("none", "none"))), Answers: said})
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	if err := writeTemplate(to, r.There); err != nil {
		return err
	}
	if asJSON {
		return printJSON(out, map[string]any{"instruments": len(r.There.Instruments), "buses": len(r.There.Buses), "questions": append([]session.Question{}, r.Ask...), "left": append([]string{}, r.Left...)})
	}
	fmt.Fprintf(out, "%s, %s and %s: %s\n", counted(len(r.There.Instruments), "row"), counted(len(r.There.Sections), "section"), counted(len(r.There.Buses), "bus", "buses"), to)
	printReading(out, r)
	return nil
}
