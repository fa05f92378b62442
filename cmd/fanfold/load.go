package main

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/format/smf"
)

func applied(t *template.Template, c change.Change) (*template.Template, error) {
	after, _, err := change.Apply(t, c)
	return after, err
}

func loadCommand() *cobra.Command {
	var name, midi string
	var asJSON bool
	c := &cobra.Command{
		Use: "load t.fanfold.json --call NAME", Short: "Show what a call needs: memory, time and load order", Args: oneFile("the template file"),
		Long: "Show what a call needs when nothing is loaded yet: the memory on each machine, how long it loads,\nand in what order. Without --call, everything at once. The exit code is 1 when it does not fit.",
		RunE: func(c *cobra.Command, args []string) error {
			t, err := readTemplate(args[0])
			if err != nil {
				return err
			}
			ids, err := calledRows(t, name)
			if err != nil {
				return err
			}
			if midi != "" {
				if err := writeWake(midi, t, name); err != nil {
					return err
				}
			}
			costs := calls.Costs(t, nil, ids)
			if asJSON {
				err = printJSON(c.OutOrStdout(), loadJSON(t, costs, ids))
			} else {
				printLoad(c, t, costs, ids)
			}
			for _, e := range costs {
				if err == nil && !e.Fits() {
					err = errFindings
				}
			}
			return err
		},
	}
	c.Flags().StringVar(&name, "call", "", "the call's name")
	c.Flags().StringVar(&midi, "midi", "", "write the call to a MIDI file, as a music program plays it")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// writeWake writes a call as a MIDI file.
func writeWake(path string, t *template.Template, name string) error {
	if name == "" {
		return wrongUse{errors.New("say with --call which call the MIDI file is of")}
	}
	call, err := callNamed(t, name)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := smf.WriteWake(&b, handover.NewWake(t, call)); err != nil {
		return err
	}
	return writeFile(path, b.Bytes())
}

// calledRows are the rows of a call by its name; all, for an empty one.
func calledRows(t *template.Template, name string) ([]template.ID, error) {
	if name == "" {
		var ids []template.ID
		for _, i := range t.Instruments {
			ids = append(ids, i.ID)
		}
		return ids, nil
	}
	call, err := callNamed(t, name)
	if err != nil {
		return nil, err
	}
	return call.Instruments, nil
}

// callNamed is the call of a name.
func callNamed(t *template.Template, name string) (*template.Call, error) {
	var names []string
	for _, call := range t.Calls {
		if strings.EqualFold(call.Name, name) {
			return call, nil
		}
		names = append(names, call.Name)
	}
	return nil, wrongUse{fmt.Errorf("there is no call %q; calls are: %s", name, strings.Join(names, ", "))}
}

type loadedMachine struct {
	Machine  string  `json:"machine"`
	ReadyMiB float64 `json:"ready_mib"`
	LimitMiB float64 `json:"limit_mib"`
	Seconds  float64 `json:"seconds"`
	Refusal  string  `json:"refusal,omitempty"`
}

type loadedInstrument struct {
	Machine    string  `json:"machine"`
	Instrument string  `json:"instrument"`
	MiB        float64 `json:"mib"`
	Seconds    float64 `json:"seconds"`
}

func loadJSON(t *template.Template, costs []calls.Estimate, ids []template.ID) any {
	machines, order, unseated := []loadedMachine{}, []loadedInstrument{}, []string{}
	for _, e := range costs {
		m := loadedMachine{e.Machine.Name, e.AfterMiB, e.LimitMiB, e.Wait.Seconds(), ""}
		if !e.Fits() {
			m.Refusal = e.Refusal()
		}
		machines = append(machines, m)
		for _, l := range e.Order {
			order = append(order, loadedInstrument{e.Machine.Name, l.Instrument.Name, l.MiB, (l.Wake + l.Read).Seconds()})
		}
	}
	for _, i := range calls.Unseated(t, ids) {
		unseated = append(unseated, i.Name)
	}
	return map[string]any{"machines": machines, "order": order, "unseated": unseated}
}

func printLoad(c *cobra.Command, t *template.Template, costs []calls.Estimate, ids []template.ID) {
	w := c.OutOrStdout()
	for _, e := range costs {
		fmt.Fprintf(w, "%s: %s of %s, %.1f s\n", e.Machine.Name, calls.FormatMiB(e.AfterMiB), calls.FormatMiB(e.LimitMiB), e.Wait.Seconds())
		for _, l := range e.Order {
			fmt.Fprintf(w, "  %-32s %s\n", l.Instrument.Name, calls.FormatMiB(l.MiB))
		}
		if !e.Fits() {
			fmt.Fprintf(w, "  %s\n", e.Refusal())
		}
	}
	if out := calls.Unseated(t, ids); len(out) > 0 {
		fmt.Fprintf(w, "%s no seat and cannot load\n", counted(len(out), "instrument has", "instruments have"))
	}
}
