package main

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format"
	"fanfold/internal/format/sheet"
)

func exportCommand() *cobra.Command {
	var name, out, machine string
	c := &cobra.Command{
		Use: "export t.fanfold.json --format NAME -o FILE", Short: "Write a template in an open format", Args: oneFile("the template file"),
		RunE: func(c *cobra.Command, args []string) error {
			e, err := format.Find(name)
			if err != nil {
				return wrongUse{err}
			}
			if out == "" {
				return errNoOutput
			}
			t, err := readTemplate(args[0])
			if err != nil {
				return err
			}
			var b bytes.Buffer
			if machine != "" {
				err = exportMachine(&b, t, machine)
			} else {
				err = e.Write(&b, t)
			}
			if err != nil {
				return err
			}
			if err := writeFile(out, b.Bytes()); err != nil {
				return err
			}
			if left := e.LeftOut(t); len(left) > 0 && machine == "" {
				fmt.Fprintf(c.OutOrStdout(), "left out: %s\n", strings.Join(left, "; "))
			}
			return nil
		},
	}
	var about []string
	for _, e := range format.Exports {
		about = append(about, e.Name+": "+e.About)
	}
	c.Flags().StringVar(&name, "format", "template", strings.Join(about, "; "))
	c.Flags().StringVar(&machine, "machine", "", "with seating: only this machine's sheet, as CSV")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

func exportMachine(b *bytes.Buffer, t *template.Template, name string) error {
	for _, m := range t.Machines {
		if strings.EqualFold(m.Name, name) {
			return sheet.Write(b, handover.SeatingSheet(t, m.ID))
		}
	}
	return wrongUse{fmt.Errorf("there is no machine %q in this template", name)}
}
