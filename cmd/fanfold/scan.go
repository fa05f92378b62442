package main

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"os/signal"
	"path"
	"strconv"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/format/sheet"
	"fanfold/internal/scan"
)

func scanCommand() *cobra.Command {
	var out, library string
	var asJSON bool
	policy := patch.DefaultPolicy()
	c := &cobra.Command{
		Use: "scan FOLDER -o rows.csv", Short: "Measure the SFZ and SoundFont patches of a folder",
		Long: "Measure the SFZ and SoundFont patches of a folder: key and velocity range, zones, switches, round\n" +
			"robins, loops, size on the disk and when preloaded. With -o, a row list of them is written, to be\n" +
			"edited and imported. The exit code is 1 when a file could not be read. Ctrl-C stops and keeps nothing.",
		Args: oneFile("the folder"),
		RunE: func(c *cobra.Command, args []string) error {
			if policy.PreloadKiB < 0 || policy.ZoneBytes < 0 {
				return wrongUse{fmt.Errorf("--preload-kib and --zone-bytes are 0 or above")}
			}
			folder, err := openFolder(args[0])
			if err != nil {
				return err
			}
			ctx, stop := signal.NotifyContext(c.Context(), syscall.SIGINT, syscall.SIGTERM)
			defer stop()
			result, err := scan.Folder(ctx, folder, scan.Options{Policy: policy})
			if err != nil {
				return err
			}
			if out != "" {
				var b bytes.Buffer
				if err := sheet.WriteList(&b, scannedRows(result, library)); err != nil {
					return err
				}
				if err := writeFile(out, b.Bytes()); err != nil {
					return err
				}
			}
			if asJSON {
				err = printJSON(c.OutOrStdout(), scanJSON(result))
			} else {
				printScan(c, result)
			}
			if err == nil && len(result.Broken) > 0 {
				err = errFindings
			}
			return err
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "the row list to write")
	c.Flags().StringVar(&library, "library", "", "the library named in the row list")
	c.Flags().IntVar(&policy.PreloadKiB, "preload-kib", policy.PreloadKiB, "KiB of each sample kept in memory")
	c.Flags().IntVar(&policy.ZoneBytes, "zone-bytes", policy.ZoneBytes, "the player's own memory for each zone, bytes")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// openFolder opens a folder that no name, and no link in it, leads out of.
func openFolder(name string) (fs.FS, error) {
	root, err := os.OpenRoot(name)
	if err != nil {
		return nil, openError(err)
	}
	return root.FS(), nil
}

type scannedJSON struct {
	File        string  `json:"file"`
	Bank        int     `json:"bank"`
	Programme   int     `json:"programme"`
	Name        string  `json:"name"`
	Zones       int     `json:"zones"`
	Samples     int     `json:"samples"`
	KeyLow      int     `json:"key_low"`
	KeyHigh     int     `json:"key_high"`
	VelLow      int     `json:"vel_low"`
	VelHigh     int     `json:"vel_high"`
	Switches    []int   `json:"switches"`
	RoundRobins int     `json:"round_robins"`
	Loops       int     `json:"loops"`
	FullMiB     float64 `json:"full_mib"`
	PreloadMiB  float64 `json:"preload_mib"`
}

type brokenJSON struct {
	File   string `json:"file"`
	Reason string `json:"reason"`
}

func scanJSON(r scan.Result) any {
	patches, broken := []scannedJSON{}, []brokenJSON{}
	for _, p := range r.Patches {
		m := p.Measure
		patches = append(patches, scannedJSON{
			p.File, p.Bank, p.Programme, p.Name, m.Zones, m.Samples, m.KeyLow, m.KeyHigh, m.VelLow, m.VelHigh,
			m.Switches, m.RoundRobins, m.Loops, m.FullMiB, m.PreloadMiB,
		})
	}
	for _, b := range r.Broken {
		broken = append(broken, brokenJSON{b.File, b.Reason})
	}
	return map[string]any{"patches": patches, "broken": broken}
}

func printScan(c *cobra.Command, r scan.Result) {
	w := c.OutOrStdout()
	for _, p := range r.Patches {
		m := p.Measure
		fmt.Fprintf(w, "%-32s %s: %d zones, keys %d to %d, %.1f MiB, %.1f preloaded\n", p.Name, p.File, m.Zones, m.KeyLow, m.KeyHigh, m.FullMiB, m.PreloadMiB)
	}
	for _, b := range r.Broken {
		fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", b.File, b.Reason)
	}
	fmt.Fprintf(w, "%s, %s could not be read\n", counted(len(r.Patches), "patch", "patches"), counted(len(r.Broken), "file"))
}

// scannedRows lists patches as rows, in sections named after their folders. What
// is written, import reads: patches of one name are told apart, and a folder that
// lies deeper than sections nest keeps its innermost names.
func scannedRows(r scan.Result, library string) handover.Table {
	t := handover.Table{Headings: []string{"section", "instrument", "library", "patch", "preload_mib", "full_mib", "key_low", "key_high", "file", "bank", "programme"}}
	size := func(x float64) string { return strconv.FormatFloat(x, 'f', 3, 64) }
	list := make([]catalogue.Measured, len(r.Patches))
	rows := map[[2]string]int{} // of one section and name
	for n, p := range r.Patches {
		list[n] = catalogue.Measured{Name: p.Name, Source: p.Source(), Measure: p.Measure}
		rows[[2]string{path.Dir(p.File), template.FoldName(intake.Nameable(p.Name))}]++
	}
	for n, m := range catalogue.Distinct(list) {
		name := intake.Nameable(r.Patches[n].Name)
		if rows[[2]string{path.Dir(m.Source.File), template.FoldName(name)}] > 1 {
			name = m.Name
		}
		t.Rows = append(t.Rows, []string{
			sectionOf(m.Source.File), name, library, m.Name, size(m.Measure.PreloadMiB), size(m.Measure.FullMiB),
			strconv.Itoa(m.Measure.KeyLow), strconv.Itoa(m.Measure.KeyHigh),
			m.Source.File, strconv.Itoa(m.Source.Bank), strconv.Itoa(m.Source.Programme),
		})
	}
	return t
}

// sectionOf is the section of a file: the path of its folder.
func sectionOf(file string) string {
	folder := path.Dir(file)
	if folder == "." {
		return "Scanned"
	}
	parts := strings.Split(folder, "/")
	parts = parts[max(0, len(parts)-template.MaxSectionDepth):]
	for n := range parts {
		parts[n] = intake.Nameable(parts[n])
	}
	return strings.Join(parts, "/")
}
