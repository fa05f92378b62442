package main

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format"
)

func startCommand() *cobra.Command {
	var rate, path, call, out string
	var numbers []string
	var click bool
	c := &cobra.Command{
		Use: "start cues.csv --template t.fanfold.json -o FILE.zip", Short: "Start cues from a template: a folder for each, with MIDI, a session, its call and a sheet", Args: oneFile("the list of cues"),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := timecode.Named(rate)
			if err != nil {
				return wrongUse{err}
			}
			if path == "" {
				return wrongUse{errors.New("give the template with --template")}
			}
			if out == "" {
				return errNoOutput
			}
			t, err := readTemplate(path)
			if err != nil {
				return err
			}
			x := format.CueStart{Template: t, Click: click}
			if call != "" {
				if x.Call, err = callNamed(t, call); err != nil {
					return err
				}
			}
			if x.Production, err = spottedCues(cmd.ErrOrStderr(), args[0], r); err != nil {
				return err
			}
			chosen, err := cuesNumbered(x.Production, numbers)
			if err != nil {
				return err
			}
			var b bytes.Buffer
			archive := zip.NewWriter(&b)
			for _, c := range chosen {
				x.Cue = c
				if err := x.Write(archive, handover.FileName(c.Called())); err != nil {
					return err
				}
			}
			if err := archive.Close(); err != nil {
				return err
			}
			if err := writeFile(out, b.Bytes()); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s started in %s\n", counted(len(chosen), "cue"), out)
			return nil
		},
	}
	rateFlag(c, &rate)
	c.Flags().StringVar(&path, "template", "", "the template")
	c.Flags().StringArrayVar(&numbers, "cue", nil, "only the cue of this number; may be repeated")
	c.Flags().StringVar(&call, "call", "", "the call whose rows are ready; all rows without it")
	c.Flags().BoolVar(&click, "click", false, "with a track of clicks")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

// cuesNumbered are the cues of some numbers; all, for none.
func cuesNumbered(p *cue.Production, numbers []string) ([]*cue.Cue, error) {
	if len(numbers) == 0 {
		if len(p.Cues) == 0 {
			return nil, errors.New("there are no cues in the list")
		}
		return p.InOrder(), nil
	}
	var out []*cue.Cue
	for _, n := range numbers {
		id, err := cueNumbered(p, n)
		if err != nil {
			return nil, err
		}
		out = append(out, p.Cue(id))
	}
	return out, nil
}
