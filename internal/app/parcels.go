package app

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/audiostore"
	"fanfold/internal/core/audit"
	"fanfold/internal/core/cue"
	"fanfold/internal/core/filename"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/timecode"
	"fanfold/internal/parcel"
	"fanfold/internal/store/db"
)

// mostInParcel bounds the prints of a package.
const mostInParcel = 500

// Parcel puts prints together that were proved, to be handed over.
func (a *App) Parcel(ctx context.Context, p Person, prints []uuid.UUID, folders handover.Folders) (parcel.Parcel, error) {
	out := parcel.Parcel{From: p.Name, Folders: folders, Made: time.Now().UTC().Truncate(time.Second)}
	switch {
	case a.audio == nil:
		return out, errNoAudio
	case !slices.Contains(handover.AllFolders, folders):
		return out, refused("", "files lie in folders by %v, not by %q", handover.AllFolders, folders)
	case len(prints) == 0 || len(prints) > mostInParcel:
		return out, refused("", "choose 1 to %d prints", mostInParcel)
	}
	var of *cue.Production
	for _, id := range prints {
		x, production, err := a.parcelPrint(ctx, p, id)
		if err != nil {
			return out, err
		}
		if production != nil {
			of = production
		}
		out.Prints = append(out.Prints, x)
	}
	first := &out.Prints[0].Delivered
	out.Title, out.Identifier = first.Whole(), prints[0].String()
	out.Name = first.Called()
	if len(prints) > 1 {
		out.Title = fmt.Sprintf("%d cues", len(prints))
		if of != nil {
			out.Title = fmt.Sprintf("%s, %d cues", of.Name, len(prints))
		}
		out.Name = filename.Safe(out.Title, "cues")
	}
	return out, nil
}

// parcelPrint is a print as it is handed over, and the production that it is of; nil for none.
func (a *App) parcelPrint(ctx context.Context, p Person, id uuid.UUID) (out parcel.Print, production *cue.Production, err error) {
	x, err := a.Print(ctx, p, id)
	if err != nil {
		return out, nil, err
	}
	if x.State != printDone || len(x.Report) == 0 {
		return out, nil, refused("", "%s, version %d, is not done and proved yet", x.Title, x.Version)
	}
	out.Title, out.Version, out.Report = x.Title, x.Version, &audit.Report{}
	if err := json.Unmarshal(x.Report, out.Report); err != nil {
		return out, nil, fmt.Errorf("read the proof: %w", err)
	}
	folds, of := map[string]string{}, map[string]string{}
	for _, f := range out.Report.Folds {
		folds[f.Fold] = f.Name
	}
	for _, f := range out.Report.Files {
		if len(f.Folds) > 0 && f.Role == audit.Stem {
			of[f.Name] = folds[f.Folds[0]]
		}
	}
	files := handed(x.Files)
	if len(files) == 0 {
		return out, nil, refused("", "%s, version %d, has neither stems nor a mix; say what its files are", x.Title, x.Version)
	}
	for _, f := range files {
		out.Files = append(out.Files, handover.DeliveredFile{Name: f.Path, Fold: of[f.Path], Role: audit.Role(f.Role)})
	}
	out.Open = func(ctx context.Context, n int) (parcel.File, error) { return a.stored(ctx, p.Studio, files[n].Sha256) }
	if h, err := a.Open(ctx, p, x.Template); err == nil {
		if plan, err := printing.NewPlan(h.View().Proof.Fan, x.Ask.Folds); err == nil {
			out.OnMix = plan.OnMix
		}
	}
	rate := timecode.Rate{Num: 24, Den: 1}
	if x.Ask.Production != nil {
		if film, err := a.OpenFilm(ctx, p, *x.Ask.Production); err == nil {
			production = film.View().Production
			rate = production.FrameRate()
			if c := production.Cue(x.Ask.Cue); c != nil {
				if err := ofCue(ctx, p, film, c, x, &out); err != nil {
					return out, nil, err
				}
			}
		}
	}
	out.Timecode = func(samples int64) string { return rate.Format(rate.FrameAt(samples, int64(x.Ask.RateHz))) }
	return out, production, nil
}

// stored is audio of the store as a file.
type stored struct{ *audiostore.Audio }

func (a *App) stored(ctx context.Context, studio uuid.UUID, digest string) (parcel.File, error) {
	src, err := a.audio.Audio(ctx, studio.String(), digest)
	if err != nil {
		return nil, err
	}
	return stored{src}, nil
}

func (s stored) Size() int64 { return s.Bytes }
func (stored) Close() error  { return nil }

// handed are the files of a print that are handed over: stems and mixes, no guides.
func handed(files []db.PrintFile) (out []db.PrintFile) {
	for _, f := range files {
		if audit.Role(f.Role).Handed() {
			out = append(out, f)
		}
	}
	return out
}

// ofCue tells what the cue of a print says of it.
func ofCue(ctx context.Context, p Person, film *Film, c *cue.Cue, x Print, out *parcel.Print) error {
	production := film.View().Production
	rate := production.FrameRate()
	plain := rate
	plain.Drop = false // a length has no numbers left out
	out.Number, out.Composer = c.Number, c.Who
	if c.Title != "" {
		out.Title = c.Title
	}
	if r := production.Reel(c.Reel); r != nil {
		out.Reel = r.Name
	}
	out.Start, out.End, out.Length = rate.Format(c.Start), rate.Format(c.End), plain.Format(c.End-c.Start)
	begin := rate.Sample(c.Start, int64(x.Ask.RateHz))
	for _, f := range out.Report.Files {
		if f.Begin != audit.NotSaid {
			begin = int64(math.Round(float64(f.Begin) * float64(x.Ask.RateHz) / float64(max(1, f.RateHz))))
			break
		}
	}
	markers := handover.MarkerList(production, c, begin, x.Ask.RateHz)
	out.Markers = &markers
	if c.Music == nil {
		return nil
	}
	data, name, err := film.musicOf(ctx, p, c)
	out.Music, out.MusicName = data, name
	return err
}
