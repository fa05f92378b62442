package main

import (
	"fmt"
	"io"
	"math"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"fanfold/internal/core/fan"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

type markJSON struct {
	Code     string   `json:"code"`
	Subject  string   `json:"subject"`
	Message  string   `json:"message"`
	Remedies []string `json:"remedies"`
}

func checkCommand() *cobra.Command {
	var foldName string
	var asJSON bool
	c := &cobra.Command{
		Use: "check t.fanfold.json", Short: "Prove a template: list its marks", Args: oneFile("the template file"),
		RunE: func(c *cobra.Command, args []string) error {
			t, fold, err := readWithFold(args[0], foldName)
			if err != nil {
				return err
			}
			marks := []markJSON{}
			p := proof.Check(t, fold.ID)
			for _, m := range p.Marks {
				j := markJSON{Code: m.Code, Subject: m.Name, Message: m.Message, Remedies: []string{}}
				remedies, _ := p.Remedies(m)
				for _, r := range remedies {
					j.Remedies = append(j.Remedies, r.Label)
				}
				marks = append(marks, j)
			}
			if asJSON {
				err = printJSON(c.OutOrStdout(), map[string]any{"instruments": t.Played(), "marks": marks})
			} else {
				for _, m := range marks {
					fmt.Fprintf(c.OutOrStdout(), "%-16s %s\n", m.Code, m.Message)
					for _, r := range m.Remedies {
						fmt.Fprintf(c.OutOrStdout(), "%-16s → %s\n", "", r)
					}
				}
				fmt.Fprintf(c.OutOrStdout(), "%s, %s\n", counted(t.Played(), "instrument"), counted(len(marks), "mark"))
			}
			if err == nil && len(marks) > 0 {
				err = errFindings
			}
			return err
		},
	}
	c.Flags().StringVar(&foldName, "fold", "", "the fold to prove against; defaults to the finest")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

func readWithFold(path, name string) (*template.Template, *template.Fold, error) {
	t, err := readTemplate(path)
	if err != nil {
		return nil, nil, err
	}
	var names []string
	for n, f := range t.Folds {
		if f.Name == name || name == "" && n == 0 {
			return t, f, nil
		}
		names = append(names, f.Name)
	}
	if name == "" {
		return t, &template.Fold{}, nil
	}
	return nil, nil, wrongUse{fmt.Errorf("there is no fold %q; folds are %v", name, names)}
}

func routeCommand() *cobra.Command {
	var foldName string
	var asJSON bool
	c := &cobra.Command{
		Use: "route t.fanfold.json", Short: "Show what reaches each stem, and the gain matrix", Args: oneFile("the template file"),
		RunE: func(c *cobra.Command, args []string) error {
			t, fold, err := readWithFold(args[0], foldName)
			if err != nil {
				return err
			}
			r := routing(t, fold)
			if asJSON {
				return printJSON(c.OutOrStdout(), r)
			}
			return printRouting(c.OutOrStdout(), r)
		},
	}
	c.Flags().StringVar(&foldName, "fold", "", "the fold whose stems are shown; defaults to the finest")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// printRouting prints the stems with what reaches them, and the gain matrix as a table.
func printRouting(w io.Writer, r routingJSON) error {
	for _, s := range r.Stems {
		fmt.Fprintf(w, "%s: %s\n", s.Name, counted(len(s.Instruments), "instrument"))
		for _, path := range s.Instruments {
			fmt.Fprintf(w, "  %s\n", path)
		}
	}
	table := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprintln(table, "\nGain matrix")
	fmt.Fprintln(table, "instrument\tdestination\tdB\tchain")
	for _, e := range r.Matrix {
		fmt.Fprintf(table, "%s\t%s\t%+.2f\t%s\n", e.Instrument, e.Destination, 20*math.Log10(e.Gain), e.Chain)
	}
	return table.Flush()
}

type routingJSON struct {
	Stems  []stemJSON  `json:"stems"`
	Matrix []entryJSON `json:"matrix"`
	Buses  []busJSON   `json:"buses"`
}

type stemJSON struct {
	ID          template.ID `json:"id"`
	Name        string      `json:"name"`
	Instruments []string    `json:"instruments"` // by their paths
}

type entryJSON struct {
	ID            template.ID `json:"instrument_id"`
	Instrument    string      `json:"instrument"` // by its path
	DestinationID template.ID `json:"destination_id"`
	Destination   string      `json:"destination"`
	Gain          float64     `json:"gain"`
	Chain         string      `json:"chain"`
}

type busJSON struct {
	ID     template.ID `json:"id"`
	Name   string      `json:"name"`
	Kind   string      `json:"kind"`
	Fold   string      `json:"fold,omitempty"`
	GainDB float64     `json:"gainDb"`
	Feeds  []feedJSON  `json:"feeds"`
}

type feedJSON struct {
	ID     template.ID `json:"id"`
	Name   string      `json:"name"`
	GainDB float64     `json:"gainDb"`
}

// routing lists, for the stems of a fold and the mix, what reaches them.
func routing(t *template.Template, fold *template.Fold) routingJSON {
	f := fan.New(t)
	out := routingJSON{Stems: []stemJSON{}, Matrix: []entryJSON{}, Buses: []busJSON{}}
	destinations := append(t.Delivered(fold.ID), t.TheMix())
	for _, bus := range destinations {
		s := stemJSON{ID: bus.ID, Name: bus.Name, Instruments: []string{}}
		last := template.ID("")
		for _, a := range f.Arriving(bus.ID) {
			path := t.InstrumentPath(a.Instrument)
			if a.Instrument.ID != last { // it may arrive by several chains
				s.Instruments = append(s.Instruments, path)
				last = a.Instrument.ID
			}
			out.Matrix = append(out.Matrix, entryJSON{a.Instrument.ID, path, bus.ID, bus.Name, a.Gain, f.ChainName(a.Chain)})
		}
		if bus.Kind == template.Stem {
			out.Stems = append(out.Stems, s)
		}
	}
	for _, b := range t.Buses {
		j := busJSON{ID: b.ID, Name: b.Name, Kind: string(b.Kind), GainDB: b.GainDB, Feeds: []feedJSON{}}
		if fold := t.Index().Folds[b.Fold]; fold != nil {
			j.Fold = fold.Name
		}
		for _, r := range b.Routes {
			j.Feeds = append(j.Feeds, feedJSON{r.To, t.Index().Buses[r.To].Name, r.GainDB})
		}
		out.Buses = append(out.Buses, j)
	}
	return out
}

func seatCommand() *cobra.Command {
	var out string
	var fresh, asJSON bool
	c := &cobra.Command{
		Use: "seat t.fanfold.json -o seated.json", Short: "Seat every row", Args: oneFile("the template file"),
		RunE: func(c *cobra.Command, args []string) error {
			t, err := readTemplate(args[0])
			if err != nil {
				return err
			}
			plan := seating.Everyone(t, seating.Options{Fresh: fresh})
			after, err := applied(t, plan.Change())
			if err != nil {
				return err
			}
			if out != "" {
				if err := writeTemplate(out, after); err != nil {
					return err
				}
			}
			if asJSON {
				err = printJSON(c.OutOrStdout(), seatsJSON(after, plan))
			} else {
				printSeats(c, after, plan)
			}
			if err == nil && len(plan.Unseated) > 0 {
				err = errFindings
			}
			return err
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "the seated template file to write")
	c.Flags().BoolVar(&fresh, "fresh", false, "ignore the present seats")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

type seatJSON struct {
	Instrument string `json:"instrument"`
	Machine    string `json:"machine"`
	Riser      int    `json:"riser"`
	Port       int    `json:"port"`
	Channel    int    `json:"channel"`
	Outputs    string `json:"outputs"`
}

type unseatedJSON struct {
	Instrument string `json:"instrument"`
	Reason     string `json:"reason"`
}

type planJSON struct {
	RisersUsed int            `json:"risers_used"`
	LowerBound int            `json:"lower_bound"`
	Unseated   []unseatedJSON `json:"unseated"`
	Seats      []seatJSON     `json:"seats"`
}

func seatsJSON(t *template.Template, plan seating.Plan) planJSON {
	out := planJSON{plan.RisersUsed, plan.LowerBound, []unseatedJSON{}, []seatJSON{}}
	for _, u := range plan.Unseated {
		out.Unseated = append(out.Unseated, unseatedJSON{u.Instrument.Name, u.Reason})
	}
	for _, i := range t.ScoreOrder() {
		if s := i.Seat; s != nil {
			out.Seats = append(out.Seats, seatJSON{i.Name, t.Index().Machines[s.Machine].Name, s.Riser, s.Port, s.Channel, s.Outputs()})
		}
	}
	return out
}

func printSeats(c *cobra.Command, t *template.Template, plan seating.Plan) {
	w := c.OutOrStdout()
	for _, s := range seatsJSON(t, plan).Seats {
		fmt.Fprintf(w, "%-32s %s, riser %d, port %d, channel %d, outputs %s\n", s.Instrument, s.Machine, s.Riser, s.Port, s.Channel, s.Outputs)
	}
	for _, u := range plan.Unseated {
		fmt.Fprintf(w, "%-32s not seated: %s\n", u.Instrument.Name, u.Reason)
	}
	fmt.Fprintf(w, "risers in use: %d; the least any plan can use: %d\n", plan.RisersUsed, plan.LowerBound)
}
