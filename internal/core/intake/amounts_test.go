package intake_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/intake"
)

func TestHowAmountsAreWritten(t *testing.T) {
	for _, tc := range []struct {
		cells  string
		mark   intake.Decimal
		unsure string
	}{
		{"630|378|189", intake.Point, ""},
		{"630|378.5", intake.Point, ""},
		{"630|378,5", intake.Comma, ""},
		{"1,024|512", intake.Unsaid, "1,024"},
		{"1,024|2,048 MB|12", intake.Unsaid, "1,024"},
		{"1,024|12.5", intake.Point, ""},
		{"1,024|12,5", intake.Comma, ""},
		{"1,024|0,512", intake.Comma, ""},
		{"1,024|1234,512", intake.Comma, ""},
		{"1,024,000|1,024", intake.Point, ""},
		{"1.024.000|1,024", intake.Comma, ""},
		{"1.024|2.048", intake.Point, ""}, // as programs write
		{"1.024|12,25", intake.Comma, ""},
		{"1 024|1'024", intake.Point, ""},
		{"1,024.5|7", intake.Point, ""},
		{"1.024,5|7", intake.Comma, ""},
		{"none|-", intake.Point, ""},
		{"", intake.Point, ""},
	} {
		mark, unsure := intake.Amounts(strings.Split(tc.cells, "|"))
		require.Equal(t, tc.mark, mark, tc.cells)
		require.Equal(t, tc.unsure, unsure, tc.cells)
	}
}

func TestAmountsInMiB(t *testing.T) {
	for _, tc := range []struct {
		cell string
		mark intake.Decimal
		unit string
		mib  float64
	}{
		{"1,024", intake.Point, "", 1024},
		{"1,024", intake.Comma, "", 1.024},
		{"1.024", intake.Point, "", 1.024},
		{"1.024", intake.Comma, "", 1024},
		{"1.024,5", intake.Comma, "", 1024.5},
		{"1 024,5", intake.Comma, "", 1024.5},
		{"1'024.5", intake.Point, "", 1024.5},
		{"12,345,678", intake.Point, "kB", 12345678.0 / 1024},
		{"1.5 GB", intake.Point, "", 1536},
		{"1,5 GiB", intake.Comma, "MB", 1536},
		{"2", intake.Point, "GB", 2048},
		{"512k", intake.Point, "", 0.5},
		{"512 KB", intake.Point, "", 0.5},
		{"0", intake.Comma, "", 0},
		{"1048576 bytes", intake.Point, "", 1},
	} {
		x, err := intake.MiB(tc.cell, tc.mark, tc.unit, 1<<22)
		require.NoError(t, err, tc.cell)
		require.InDelta(t, tc.mib, x, 1e-9, "%q %s", tc.cell, tc.mark)
	}
	for _, cell := range []string{"", "much", "1,02", "12,34,567", "1.5.2", "-3", "1e5", "NaN", "5 apples", "1,,024", ",5", "9999999", "1.024,5"} {
		_, err := intake.MiB(cell, intake.Point, "", 1<<22)
		require.ErrorContains(t, err, fmt.Sprintf("%q is not a size", cell))
	}
}

func TestUnitsOfHeadings(t *testing.T) {
	for heading, want := range map[string][2]string{
		"Size (GB)": {"Size", "GB"}, "Memory MB": {"Memory", "MB"}, "ram [MiB]": {"ram", "MiB"}, "preload_mib": {"preload", "mib"},
		"Size": {"Size", ""}, "MB": {"MB", ""}, "Comb": {"Comb", ""}, "Disk_kb": {"Disk", "kb"},
	} {
		name, unit := intake.Unit(heading)
		require.Equal(t, want, [2]string{name, unit}, heading)
	}
}

// Whatever is written with a mark, and is not in doubt, is read as it was meant.
func TestWrittenAmountsComeBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		mark := rapid.SampledFrom([]intake.Decimal{intake.Point, intake.Comma}).Draw(r, "mark")
		group, fraction := ",", "."
		if mark == intake.Comma {
			group, fraction = ".", ","
		}
		group = rapid.SampledFrom([]string{group, " ", "'", ""}).Draw(r, "group")
		var cells []string
		var meant []float64
		for range rapid.IntRange(1, 12).Draw(r, "cells") {
			whole, part := rapid.IntRange(0, 4_000_000).Draw(r, "whole"), rapid.IntRange(0, 99).Draw(r, "part")
			text := fmt.Sprint(whole)
			for at := len(text) - 3; at > 0; at -= 3 {
				text = text[:at] + group + text[at:]
			}
			cells = append(cells, text+fraction+fmt.Sprintf("%02d", part))
			meant = append(meant, float64(whole)+float64(part)/100)
		}
		found, unsure := intake.Amounts(cells)
		require.Equal(r, mark, found)
		require.Empty(r, unsure)
		for n, cell := range cells {
			x, err := intake.MiB(cell, found, "", math.Inf(1))
			require.NoError(r, err, cell)
			require.InDelta(r, meant[n], x, 1e-6, cell)
		}
	})
}
