package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/timecode"
	"fanfold/internal/format/bagit"
)

// Package is a print as it is handed over: a bag in a zip archive.
type Package struct {
	Name   string // of the file, without its ending
	print  Print
	report audit.Report
	app    *App
	who    Person
	onMix  []string
	start  func(samples int64) string
	music  []byte // of the cue; nil for none
	file   string // its name
}

// Package prepares the package of a print that was proved.
func (a *App) Package(ctx context.Context, p Person, id uuid.UUID) (Package, error) {
	x, err := a.Print(ctx, p, id)
	switch {
	case err != nil:
		return Package{}, err
	case x.State != printDone || len(x.Report) == 0 || a.audio == nil:
		return Package{}, refused("", "the print is not done and proved yet")
	}
	out := Package{Name: printing.SafeName(fmt.Sprintf("%s v%d", x.Title, x.Version), "print"), print: x, app: a, who: p}
	if err := json.Unmarshal(x.Report, &out.report); err != nil {
		return out, fmt.Errorf("read the proof: %w", err)
	}
	h, err := a.Open(ctx, p, x.Template)
	if err != nil {
		return out, err
	}
	if plan, err := printing.NewPlan(h.View().Proof.Fan, x.Ask.Folds); err == nil {
		out.onMix = plan.OnMix
	}
	rate := timecode.Rate{Num: 24, Den: 1}
	if x.Ask.Production != nil {
		if film, err := a.OpenFilm(ctx, p, *x.Ask.Production); err == nil {
			rate = film.View().Production.FrameRate()
			if data, name, err := film.MusicOf(ctx, p, x.Ask.Cue); err == nil {
				out.music, out.file = data, name
			}
		}
	}
	rateHz := int64(x.Ask.RateHz)
	out.start = func(samples int64) string { return rate.Format(rate.FrameAt(samples, rateHz)) }
	return out, nil
}

// Sheet is the delivery sheet, to be printed.
func (x Package) Sheet() (title string, pages []handover.Page) {
	return x.print.Title, handover.DeliverySheet(fmt.Sprintf("%s, version %d", x.print.Title, x.print.Version), &x.report, x.onMix, x.start)
}

// Beside is a file of a package beside the audio.
type Beside struct {
	Name string
	Data []byte
}

// Write writes the package: the audio, the cue's music, the proof, and what is given beside them,
// with a manifest of all of it. One that is not written to its end is no archive.
func (x Package) Write(ctx context.Context, w io.Writer, beside ...Beside) error {
	bag := bagit.NewWriter(w, x.Name, time.Now().UTC().Truncate(time.Second))
	for _, f := range x.print.Files {
		src, err := x.app.audio.Audio(ctx, x.who.Studio.String(), f.Sha256)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Path, err)
		}
		if err := bag.Add(f.Path, io.NewSectionReader(src, 0, src.Bytes)); err != nil {
			return err
		}
	}
	beside = append(beside, Beside{"proof.json", x.print.Report})
	if x.music != nil {
		beside = append(beside, Beside{printing.SafeName(x.file, "music.mid"), x.music})
	}
	for _, f := range beside {
		if err := bag.Add(f.Name, bytes.NewReader(f.Data)); err != nil {
			return err
		}
	}
	return bag.Close([]bagit.Label{
		{Name: "External-Description", Value: x.print.Title + ": " + x.report.Line}, {Name: "External-Identifier", Value: x.print.ID.String()}, {Name: "Contact-Name", Value: x.who.Name},
		{Name: "Bag-Software-Agent", Value: "Fanfold"},
	})
}
