package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format"
	"fanfold/internal/format/edl"
	"fanfold/internal/format/otio"
	"fanfold/internal/format/sheet"
	"fanfold/internal/format/sheetpdf"
	"fanfold/internal/format/spotting"
)

// rateFlag is the flag of a frame rate.
func rateFlag(c *cobra.Command, into *string) {
	c.Flags().StringVar(into, "rate", "24", "the frame rate: 23.976, 24, 25, 29.97, 29.97df, 30, 48, 50, 59.94, 59.94df, 60")
}

func timecodeCommand() *cobra.Command {
	var rate, to, count string
	var rateHz int64
	var asJSON bool
	c := &cobra.Command{
		Use: "timecode 01:00:00;02", Short: "Convert between timecode, frames and samples", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := timecode.Named(rate)
			if err != nil {
				return wrongUse{err}
			}
			if rateHz < 8_000 || rateHz > 192_000 {
				return wrongUse{fmt.Errorf("a sample rate of %d; use 8000 to 192000", rateHz)}
			}
			frame, err := frameOf(args[0], count, r, rateHz)
			if err != nil {
				return err
			}
			known := map[string]any{
				"timecode": r.Format(frame), "frames": frame, "samples": r.Sample(frame, rateHz),
				"seconds": float64(frame) * float64(r.Den) / float64(r.Num), "rate": r.String(), "sample_rate": rateHz,
			}
			if asJSON {
				return printJSON(cmd.OutOrStdout(), known)
			}
			x, ok := known[to]
			if !ok {
				return wrongUse{fmt.Errorf("%q is none of timecode, frames, samples and seconds", to)}
			}
			fmt.Fprintln(cmd.OutOrStdout(), x)
			return nil
		},
	}
	rateFlag(c, &rate)
	c.Flags().StringVar(&to, "to", "samples", "what is printed: timecode, frames, samples or seconds")
	c.Flags().StringVar(&count, "from", "", "what is given: timecode, frames or samples; worked out from how it is written by default")
	c.Flags().Int64Var(&rateHz, "sample-rate", 48_000, "samples a second")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// frameOf is the frame of what a person gave.
func frameOf(text, from string, r timecode.Rate, rateHz int64) (int64, error) {
	if from == "" && strings.ContainsAny(text, ":;") {
		from = "timecode"
	}
	if from == "timecode" {
		return r.Parse(text)
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 || n > 1<<40 {
		return 0, wrongUse{fmt.Errorf("%q is neither a timecode such as 01:00:00:00 nor a whole number", text)}
	}
	switch from {
	case "samples":
		return r.FrameAt(n, rateHz), nil
	case "", "frames":
		return n, nil
	}
	return 0, wrongUse{fmt.Errorf("%q is none of timecode, frames and samples", from)}
}

func tempoCommand() *cobra.Command {
	var rate, hits, start string
	var ask cue.FindAsk
	var ratio float64
	var asMap, asJSON bool
	c := &cobra.Command{
		Use: "tempo --hits hits.csv", Short: "Find tempi whose beats fall on hits of the picture", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := timecode.Named(rate)
			if err != nil {
				return wrongUse{err}
			}
			if hits == "" {
				return wrongUse{errors.New("say which list of hits with --hits")}
			}
			data, err := os.ReadFile(hits)
			if err != nil {
				return openError(err)
			}
			list, found, err := spotting.Hits(bytes.NewReader(data), r, nil)
			if err != nil {
				return fmt.Errorf("%s: %w", hits, err)
			}
			for _, p := range list.Problems {
				fmt.Fprintf(cmd.ErrOrStderr(), "%s, line %d: %s\n", hits, p.Line, p.Reason)
			}
			ask.Rate, ask.Hits = r, found
			if start != "" {
				if ask.Start, err = frameOf(start, "", r, 48_000); err != nil {
					return fmt.Errorf("the start: %w", err)
				}
			} else if len(found) > 0 {
				ask.Start = slices.MinFunc(found, func(a, b cue.Hit) int { return int(a.Frame - b.Frame) }).Frame
			}
			if asMap {
				return tempoMaps(cmd.OutOrStdout(), ask, ratio, asJSON)
			}
			steady, err := cue.Steady(ask)
			if err != nil {
				return err
			}
			if asJSON {
				return printJSON(cmd.OutOrStdout(), map[string]any{"tempi": steady})
			}
			t := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			fmt.Fprintln(t, "tempo\tframes a beat\tstarts\tmeets\terrors, frames")
			for _, f := range steady {
				fmt.Fprintf(t, "%.2f\t%s\t%s\t%d of %d\t%s\n", f.BPM, f.Click, signed(f.Shift), f.Met, len(found), errorsText(f.Errors))
			}
			return t.Flush()
		},
	}
	rateFlag(c, &rate)
	c.Flags().StringVar(&hits, "hits", "", "a list (CSV) with time, and name, weight and tolerance in frames if you like")
	c.Flags().StringVar(&start, "start", "", "the timecode of bar 1; by default that of the first hit")
	c.Flags().Float64Var(&ask.LowBPM, "low", 60, "the slowest tempo")
	c.Flags().Float64Var(&ask.HighBPM, "high", 160, "the fastest tempo")
	c.Flags().Float64Var(&ask.StartWays, "ways", 0, "how many frames the start may move")
	c.Flags().IntVar(&ask.Beats, "beats", 4, "beats in a bar")
	c.Flags().BoolVar(&asMap, "map", false, "find tempo maps with few changes instead of steady tempi")
	c.Flags().Float64Var(&ratio, "ratio", 1.15, "with --map, by how much the tempo may change at once")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// signed writes frames to a tenth, with a sign where there are any.
func signed(frames float64) string {
	if math.Abs(frames) < .05 {
		return "0"
	}
	return fmt.Sprintf("%+.1f", frames)
}

func errorsText(list []cue.HitMiss) string {
	var out []string
	for _, m := range list {
		text := signed(m.Frames)
		if !m.Met {
			text = "(" + text + ")"
		}
		out = append(out, text)
	}
	return strings.Join(out, " ")
}

func tempoMaps(w io.Writer, ask cue.FindAsk, ratio float64, asJSON bool) error {
	maps, err := cue.Maps(ask, ratio)
	if err != nil {
		return err
	}
	if asJSON {
		return printJSON(w, map[string]any{"maps": maps})
	}
	for n, m := range maps {
		fmt.Fprintf(w, "%d: meets %d of %d, the tempo changes %d times\n", n+1, m.Met, len(ask.Hits), m.Changes)
		for _, l := range m.Legs {
			fmt.Fprintf(w, "  from %s %d beats at %.3f\n", ask.Rate.Format(l.From), l.Beats, l.BPM)
		}
		fmt.Fprintf(w, "  errors, frames: %s\n", errorsText(m.Errors))
	}
	return nil
}

// conformed is a cue held against a new cut, as it is printed.
type conformed struct {
	Number string `json:"number"`
	Title  string `json:"title"`
	Reel   string `json:"reel"`
	cue.Verdict
	From      string     `json:"from"`
	To        string     `json:"to"`
	Proposals []proposed `json:"proposals"`
}

type proposed struct {
	Way    cue.Way       `json:"way"`
	Text   string        `json:"text"`
	Bend   float64       `json:"bend_percent"`
	Worst  float64       `json:"worst_frames"`
	Errors []cue.Missed  `json:"errors"`
	Lost   []string      `json:"lost"`
	Edits  cue.TickEdits `json:"edits"`
}

func conformCommand() *cobra.Command {
	var rate, cues, report string
	var music recutAsk
	var asJSON bool
	c := &cobra.Command{
		Use: "conform old.edl new.edl", Short: "Compare cues with a new cut: what moves, what changed inside, and how each can follow", Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := timecode.Named(rate)
			if err != nil {
				return wrongUse{err}
			}
			var lists [2][]cut.Event
			for n, path := range args {
				events, notes, err := readCut(path, r, lists[0])
				if err != nil {
					return fmt.Errorf("%s: %w", path, err)
				}
				for _, text := range notes {
					fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", path, text)
				}
				lists[n] = events
			}
			m := cut.Compare(lists[0], lists[1])
			p, err := spottedCues(cmd.ErrOrStderr(), cues, r)
			if err != nil {
				return err
			}
			out := conformAll(p, m, r)
			if report != "" {
				if err := conformReport(p, m, r, args, report); err != nil {
					return err
				}
			}
			if err := music.write(cmd.ErrOrStderr(), p, m, r); err != nil {
				return err
			}
			if asJSON {
				return printJSON(cmd.OutOrStdout(), map[string]any{"pieces": m.Pieces, "gone": append([]cut.Span{}, m.Gone...), "new": append([]cut.Span{}, m.Fresh...), "cues": out})
			}
			return conformTable(cmd.OutOrStdout(), m, r, out)
		},
	}
	rateFlag(c, &rate)
	c.Flags().StringVar(&cues, "cues", "", "a list of cues (CSV): number, title, start, end or length, and tempo")
	c.Flags().StringVar(&report, "report", "", "write what happens to each cue to a file: to print where it ends in .pdf, otherwise a list (CSV)")
	c.Flags().StringVar(&music.file, "music", "", "the MIDI file of a cue, to be edited as the cue follows the new cut")
	c.Flags().StringVar(&music.number, "cue", "", "with --music, the number of its cue")
	c.Flags().IntVar(&music.choice, "proposal", 1, "with --music, which proposal the cue follows, counted from 1")
	c.Flags().StringVarP(&music.out, "output", "o", "", "with --music, the file to write")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// recutAsk asks for music that follows a cut.
type recutAsk struct {
	file, number, out string
	choice            int
}

func (x recutAsk) write(told io.Writer, p *cue.Production, m cut.Match, r timecode.Rate) error {
	if x.file == "" {
		return nil
	}
	if x.number == "" {
		return wrongUse{errors.New("say with --cue which cue the music is of")}
	}
	if x.out == "" {
		return errNoOutput
	}
	id, err := cueNumbered(p, x.number)
	if err != nil {
		return err
	}
	data, err := os.ReadFile(x.file)
	if err != nil {
		return openError(err)
	}
	at, c := cut.NewMap(m), p.Cue(id)
	proposals := cue.Propose(c, cue.Judge(c, at, r), at, r)
	if x.choice < 1 || x.choice > len(proposals) {
		return wrongUse{fmt.Errorf("%s has %d proposals; there is no number %d", c.Called(), len(proposals), x.choice)}
	}
	chosen := proposals[x.choice-1]
	var b bytes.Buffer
	done, err := format.WriteRecut(&b, bytes.NewReader(data), chosen.Cue)
	if err != nil {
		return fmt.Errorf("%s: %w", x.file, err)
	}
	if err := writeFile(x.out, b.Bytes()); err != nil {
		return err
	}
	fmt.Fprintf(told, "%s: %s; %d notes taken out, %d made shorter\n", x.out, chosen.Text, done.Gone, done.Shorter)
	return nil
}

// conformReport writes what happens to each cue for people. names are the files of the two lists.
func conformReport(p *cue.Production, m cut.Match, r timecode.Rate, names []string, to string) error {
	at := cut.NewMap(m)
	var x cue.Conforming
	for _, c := range p.InOrder() {
		v := cue.Judge(c, at, r)
		x.Verdicts = append(x.Verdicts, v)
		x.Proposals = append(x.Proposals, cue.Propose(c, v, at, r))
	}
	now := *p
	now.Cuts, now.Cut = []*cue.Cut{{ID: "was", Name: filepath.Base(names[0])}}, "was"
	var b bytes.Buffer
	var err error
	if strings.EqualFold(filepath.Ext(to), ".pdf") {
		next := &cue.Cut{ID: "next", Name: filepath.Base(names[1])}
		err = sheetpdf.Write(&b, now.Name+", "+next.Name, handover.CutReport(&now, next, x))
	} else {
		err = sheet.Write(&b, handover.CutTable(&now, x))
	}
	if err != nil {
		return err
	}
	return writeFile(to, b.Bytes())
}

func cuesCommand() *cobra.Command {
	var rate, name, reel, click, out string
	c := &cobra.Command{
		Use: "cues list.csv --format NAME -o FILE", Short: "Write the cues of a list for picture editors, or the click of one", Args: oneFile("the list of cues"),
		Long: "Write the cues of a list (CSV: number, title, reel, start, end or length, and tempo) as an event list\nor a timeline, or with --click the click of one of them as a WAV file.",
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := timecode.Named(rate)
			if err != nil {
				return wrongUse{err}
			}
			e, err := format.FindCues(name)
			if err != nil {
				return wrongUse{err}
			}
			if out == "" {
				return errNoOutput
			}
			p, err := spottedCues(cmd.ErrOrStderr(), args[0], r)
			if err != nil {
				return err
			}
			if len(p.Cues) == 0 {
				return fmt.Errorf("%s: there are no cues in it", args[0])
			}
			var b bytes.Buffer
			if click != "" {
				if err := clickNamed(&b, p, click); err != nil {
					return err
				}
				return writeFile(out, b.Bytes())
			}
			one, err := reelNamed(p, reel)
			if err != nil {
				return err
			}
			if err := e.Write(&b, p, one); err != nil {
				return err
			}
			if err := writeFile(out, b.Bytes()); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "left out: %s\n", strings.Join(e.Left(p, one), "; "))
			return nil
		},
	}
	var about []string
	for _, e := range format.CueExports {
		about = append(about, e.Name+": "+e.About)
	}
	rateFlag(c, &rate)
	c.Flags().StringVar(&name, "format", "edl", strings.Join(about, "; "))
	c.Flags().StringVar(&reel, "reel", "", "only the cues of this reel")
	c.Flags().StringVar(&click, "click", "", "the click of the cue of this number, as a WAV file")
	c.Flags().StringVarP(&out, "output", "o", "", "the file to write")
	return c
}

// reelNamed is the reel of a name; empty for all.
func reelNamed(p *cue.Production, name string) (cue.ID, error) {
	if name == "" {
		return "", nil
	}
	var names []string
	for _, r := range p.Reels {
		if r.Name == name {
			return r.ID, nil
		}
		names = append(names, r.Name)
	}
	return "", wrongUse{fmt.Errorf("there is no reel %q; the reels are %s", name, strings.Join(names, ", "))}
}

func clickNamed(w io.Writer, p *cue.Production, number string) error {
	id, err := cueNumbered(p, number)
	if err != nil {
		return err
	}
	return format.WriteClick(w, p, p.Cue(id))
}

// cueNumbered is the cue of a number; empty for an empty one.
func cueNumbered(p *cue.Production, number string) (cue.ID, error) {
	if number == "" {
		return "", nil
	}
	var numbers []string
	for _, c := range p.InOrder() {
		if strings.EqualFold(c.Number, number) {
			return c.ID, nil
		}
		numbers = append(numbers, c.Number)
	}
	return "", wrongUse{fmt.Errorf("there is no cue %q; the cues are %s", number, strings.Join(numbers, ", "))}
}

// readCut reads an event list: CMX 3600, or OpenTimelineIO by its ending or first letter; or a
// list of changes of the cut before.
func readCut(path string, r timecode.Rate, before []cut.Event) ([]cut.Event, []string, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, nil, openError(err)
	}
	if strings.HasSuffix(strings.ToLower(path), ".otio") || bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")) {
		l, err := otio.Read(bytes.NewReader(data), r, 0)
		return l.Events, l.Notes, err
	}
	if len(before) > 0 && spotting.IsChanges(data) {
		edits, err := spotting.Changes(bytes.NewReader(data), r)
		if err != nil {
			return nil, nil, err
		}
		events, err := cut.Edited(r, before, edits)
		return events, nil, err
	}
	l, err := edl.Read(bytes.NewReader(data), r)
	var notes []string
	for _, n := range l.Notes {
		notes = append(notes, fmt.Sprintf("line %d: %s", n.Line, n.Text))
	}
	return l.Events, notes, err
}

// spottedCues reads a list of cues into a production of one reel.
func spottedCues(told io.Writer, path string, r timecode.Rate) (*cue.Production, error) {
	p := cue.New("conform", "Conform", r)
	if path == "" {
		return p, nil
	}
	p.Name = strings.TrimSuffix(filepath.Base(path), filepath.Ext(path))
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, openError(err)
	}
	read, spotted, err := spotting.Cues(bytes.NewReader(data), r, nil)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	ids := 0
	s := p.Spot(spotted, func(kind string) cue.ID { ids++; return cue.ID(fmt.Sprint(kind, "-", ids)) })
	for _, x := range append(read.Problems, s.Problems...) {
		fmt.Fprintf(told, "%s, line %d: %s\n", path, x.Line, x.Reason)
	}
	p, _, err = cue.Apply(p, s.Change)
	return p, err
}

func conformAll(p *cue.Production, m cut.Match, r timecode.Rate) []conformed {
	at := cut.NewMap(m)
	out := []conformed{}
	for _, c := range p.InOrder() {
		v := cue.Judge(c, at, r)
		x := conformed{Number: c.Number, Title: c.Title, Reel: p.Reel(c.Reel).Name, Verdict: v, From: r.Format(v.Start), To: r.Format(v.End), Proposals: []proposed{}}
		for _, q := range cue.Propose(c, v, at, r) {
			x.Proposals = append(x.Proposals, proposed{q.Way, q.Text, q.Bend, q.Worst, q.Errors, q.Lost, q.Edits})
		}
		out = append(out, x)
	}
	return out
}

func conformTable(w io.Writer, m cut.Match, r timecode.Rate, cues []conformed) error {
	sum := func(spans []cut.Span) (n int64) {
		for _, s := range spans {
			n += s.Length()
		}
		return n
	}
	fmt.Fprintf(w, "%d pieces of picture stay; %d frames are gone, %d are new\n", len(m.Pieces), sum(m.Gone), sum(m.Fresh))
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, c := range cues {
		fmt.Fprintf(t, "%s\t%s\t%s\t%s\t%s\n", c.Number, c.Kind, c.From, c.To, c.Proposals[0].Text)
		for _, s := range c.Seams {
			fmt.Fprintf(t, "\t\tat %s\tbar %d beat %g\t%+d frames\n", r.Format(s.Frame), s.Place.Bar, s.Place.Beat, s.By)
		}
		for _, text := range c.Look {
			fmt.Fprintf(t, "\t\tlook\t\t%s\n", text)
		}
	}
	return t.Flush()
}
