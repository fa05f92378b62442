package rows_test

import (
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/template"
	"fanfold/internal/format/rows"
)

func read(t *testing.T, text string) *rows.List {
	list, err := rows.Read(strings.NewReader(text), rows.Options{})
	require.NoError(t, err)
	return list
}

// The examples of RFC 4180, section 2, items 1, 2, 5, 6 and 7, with the
// headings of row lists in the place of the RFC's.
func TestRFC4180(t *testing.T) {
	head := "section,instrument,notes\r\n"
	for name, tc := range map[string]struct{ text, want string }{
		"1, lines end with CRLF":             {head + "aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", "[aaa bbb ccc][zzz yyy xxx]"},
		"2, the last line may lack its end":  {head + "aaa,bbb,ccc\r\nzzz,yyy,xxx", "[aaa bbb ccc][zzz yyy xxx]"},
		"5, fields may be quoted":            {head + "\"aaa\",\"bbb\",\"ccc\"\r\nzzz,yyy,xxx", "[aaa bbb ccc][zzz yyy xxx]"},
		"6, a quoted field may break a line": {head + "\"aaa\",\"bbb\",\"c\r\ncc\"\r\nzzz,yyy,xxx", "[aaa bbb c\ncc][zzz yyy xxx]"},
		"7, a quote is doubled":              {head + "\"aaa\",\"b\"\"bb\",\"ccc\"", "[aaa b\"bb ccc]"},
	} {
		t.Run(name, func(t *testing.T) {
			got := ""
			for _, r := range read(t, tc.text).Rows {
				got += fmt.Sprintf("[%s %s %s]", r.Section, r.Instrument, r.Notes)
			}
			require.Equal(t, tc.want, got)
		})
	}
}

func TestHeadingsAreMatched(t *testing.T) {
	list := read(t, "\xef\xbb\xbfPath;Track Name;Preload MiB;Mystery\nWinds;Flute;1,5;?\n")
	require.Equal(t, map[string]string{"Path": "section", "Track Name": "instrument", "Preload MiB": "preload_mib"}, list.Mapping)
	require.Equal(t, []string{"Mystery"}, list.Unmatched)
	require.InDelta(t, 1.5, *list.Rows[0].PreloadMiB, 0)
	mapped, err := rows.Read(strings.NewReader("section\tx\nWinds\tFlute\n"), rows.Options{Mapping: map[string]string{"x": "instrument"}})
	require.NoError(t, err)
	require.Equal(t, "Flute", mapped.Rows[0].Instrument)
}

// Bad rows are told by line and column; the good ones around them stay.
func TestBadRowsDoNotHideGoodOnes(t *testing.T) {
	list := read(t, "section,instrument,voices,key_low\n"+
		"Winds,Flute,8,C4\n"+
		"Winds,Oboe,many,C4\n"+
		"Winds,Bad \" quote,8,60\n"+
		"Winds,\xff\xfe,8,60\n"+
		"Winds,Bassoon,8,H9\n"+
		"Winds,Tuba,8,60,extra\n"+
		"Winds,Horn,8,60\n")
	require.Len(t, list.Rows, 2)
	require.Equal(t, 60, *list.Rows[0].KeyLow, "C4 is note 60 in scientific pitch")
	var where []string
	for _, p := range list.Problems {
		where = append(where, fmt.Sprintf("%d %s", p.Line, p.Column))
	}
	require.Equal(t, []string{"3 voices", "4 ", "5 instrument", "6 key_low", "7 "}, where)
}

// A file that is not a row list at all says what it is and what to do.
func TestUnreadableFilesSayWhy(t *testing.T) {
	for name, tc := range map[string]struct{ text, says string }{
		"empty":               {" \r\n\n", "line 1: the file is empty"},
		"UTF-16":              {"\xff\xfes\x00", "line 1: the file is UTF-16; save it as UTF-8"},
		"a picture":           {"\x89PNG\r\n\x1a\n\x00\x00", "a zero byte; this is not a text file"},
		"no headings":         {"Winds,Flute\nWinds,Oboe\n", "no heading is known (Winds, Flute)"},
		"one heading twice":   {"section,name,Name ,section\n", "both \"name\" and \"Name\" are read as instrument"},
		"the same words":      {"section,name,name\n", "two columns are headed \"name\"; name each once"},
		"two for one":         {"section,name,track\n", "both \"name\" and \"track\" are read as instrument"},
		"quote in headings":   {"section,na\"me\nWinds,Flute\n", "the headings cannot be read: a quote stands inside"},
		"unclosed in heading": {"\"section,name\nWinds,Flute\n", "a quoted cell is not closed"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := rows.Read(strings.NewReader(tc.text), rows.Options{})
			var unreadable *rows.Unreadable
			require.ErrorAs(t, err, &unreadable)
			require.Contains(t, err.Error(), tc.says)
		})
	}
	_, err := rows.Read(strings.NewReader("section,name\n"), rows.Options{Mapping: map[string]string{"name": "nonsense"}})
	require.ErrorContains(t, err, "is not a column of row lists")
	_, err = rows.Read(io.LimitReader(endless{}, 100<<20), rows.Options{})
	require.ErrorIs(t, err, rows.ErrTooLarge)
}

type endless struct{}

func (endless) Read(p []byte) (int, error) {
	for n := range p {
		p[n] = "a,b\n"[n%4]
	}
	return len(p), nil
}

// Wrong quotes and mixed encodings within a list cost their own rows only,
// as far as the end of a quote can be found.
func TestDamageStaysWhereItIs(t *testing.T) {
	list := read(t, "section,instrument\nWinds,\"Flute\" 1\nWinds,Oboe\nWinds,Fl\xf6te\nWinds,Fl\xc3\xb6te\nWinds,\"Bassoon\nWinds,Horn\n")
	var names []string
	for _, r := range list.Rows {
		names = append(names, r.Instrument)
	}
	require.Equal(t, []string{"Oboe", "Flöte"}, names)
	var where []string
	for _, p := range list.Problems {
		where = append(where, fmt.Sprintf("%d %.40s", p.Line, p.Reason))
	}
	require.Equal(t, []string{"2 a quoted cell is not closed, or text fol", "4 the text is not UTF-8; save the whole fi", "6 a quoted cell is not closed, or text fol"}, where)
	missing := read(t, "section,library\nWinds,Millrace Winds\n")
	require.Equal(t, []intake.Problem{{Line: 1, Column: "instrument", Reason: "no column is read as instrument; choose the one that holds it"}}, missing.Problems)
	require.Empty(t, missing.Rows)
}

func TestMiddleCIsAskedFor(t *testing.T) {
	for name, want := range map[string]int{"C3": 60, "C-2": 0, "G8": 127, "F#3": 66, "Bb2": 58} {
		got, err := rows.Key(name, 3)
		require.NoError(t, err, name)
		require.Equal(t, want, *got, name)
	}
}

// Sections from paths, a group of one name for two stems, stated defaults.
func TestIntake(t *testing.T) {
	list := read(t, "section,instrument,stem,group,machine\n"+
		"Strings / Violins,Long,High long,Violins,\n"+
		"Strings / Violins,Short,High short,Violins,\n"+
		"Strings / Violins,Wrong,,Violins,\n"+
		"Guides,Dialogue,,,\n")
	empty := template.New("t", "T")
	batch, report, problems := intake.Plan(empty, list.Rows, intake.Sequence(), intake.StandardDefaults())
	require.Equal(t, []intake.Problem{{Line: 4, Column: "stem", Reason: `the group "Violins" needs a stem to feed`}}, problems)
	require.Equal(t, []string{"Violins", "Violins (High short)"}, report.Groups)
	require.Equal(t, []string{"Strings", "Strings / Violins", "Guides"}, report.Sections)
	require.NotEmpty(t, report.Stated)
	after, inverse, err := change.Apply(empty, batch)
	require.NoError(t, err)
	require.Len(t, after.Instruments, 3)
	back, _, err := change.Apply(after, inverse)
	require.NoError(t, err)
	require.Empty(t, back.Instruments)
	require.Len(t, back.Buses, 2, "one undo takes everything back")
}

func FuzzRead(f *testing.F) {
	f.Add("section,instrument\nWinds,Flute\n")
	f.Add("section;instrument;key_low\n\"a\nb\";c;C#\n")
	f.Fuzz(func(t *testing.T, text string) {
		list, err := rows.Read(strings.NewReader(text), rows.Options{})
		if err != nil {
			return
		}
		empty := template.New("t", "T")
		batch, _, _ := intake.Plan(empty, list.Rows, intake.Sequence(), intake.StandardDefaults())
		_, _, err = change.Apply(empty, batch)
		require.NoError(t, err, "what was read can be taken")
	})
}

func BenchmarkImport5000(b *testing.B) {
	var s strings.Builder
	s.WriteString("section,instrument,library,stem,group,preload_mib\n")
	for n := range 5000 {
		fmt.Fprintf(&s, "Top %d / Sub %d,Instrument %d,Library %d,Stem %d,Group %d,%d\n", n%8, n%40, n, n%9, n%24, n%48, 100+n%50)
	}
	for b.Loop() {
		list, err := rows.Read(strings.NewReader(s.String()), rows.Options{})
		require.NoError(b, err)
		empty := template.New("t", "T")
		batch, _, _ := intake.Plan(empty, list.Rows, intake.Sequence(), intake.StandardDefaults())
		_, _, err = change.Apply(empty, batch)
		require.NoError(b, err)
	}
}

// A thousand and one are told apart by what the list tells, or asked about.
func TestSizesAreReadByTheirColumn(t *testing.T) {
	sizes := func(decimal intake.Decimal, heading string, cells ...string) (*rows.List, []float64) {
		text := "section;instrument;" + heading + "\n"
		for n, c := range cells {
			text += fmt.Sprintf("Winds;Flute %d;%s\n", n, c)
		}
		list, err := rows.Read(strings.NewReader(text), rows.Options{Decimal: decimal})
		require.NoError(t, err)
		require.Empty(t, list.Problems)
		var out []float64
		for _, r := range list.Rows {
			out = append(out, *r.PreloadMiB)
		}
		return list, out
	}
	list, got := sizes(intake.Unsaid, "Memory", "1,024", "512")
	require.Equal(t, &intake.Doubt{Cell: "1,024", Point: 1024, Comma: 1.024}, list.Unsure)
	require.Empty(t, got)
	_, got = sizes(intake.Point, "Memory", "1,024", "512")
	require.Equal(t, []float64{1024, 512}, got)
	list, got = sizes(intake.Unsaid, "Memory", "1,024", "12,5")
	require.Nil(t, list.Unsure)
	require.Equal(t, []float64{1.024, 12.5}, got)
	_, got = sizes(intake.Unsaid, "Memory (GB)", "1,5", "512 MB", "0,25")
	require.Equal(t, []float64{1536, 512, 256}, got)
}

// A list says its delimiter in a first line as spreadsheets write it; lines keep their
// numbers.
func TestTheDelimiterMayBeSaid(t *testing.T) {
	for _, text := range []string{"sep=;\r\nsection;instrument\r\nWinds, low;Flute\r\nWinds;\r\n", "\"SEP=\t\"\nsection\tinstrument\nWinds, low\tFlute\nWinds\t\n"} {
		list := read(t, text)
		require.Equal(t, []intake.Row{{Line: 3, Section: "Winds, low", Instrument: "Flute"}, {Line: 4, Section: "Winds"}}, list.Rows)
	}
	_, err := rows.Read(strings.NewReader("sep=;"), rows.Options{})
	require.ErrorContains(t, err, "the file is empty")
	require.Equal(t, []intake.Problem{{Line: 2, Reason: "there are headings and no rows below them"}}, read(t, "section,instrument\n\n").Problems)
}

// A list of very many columns is refused at the line that has them, before it is
// taken apart; commas in quotes are none.
func TestVeryWideListsAreRefused(t *testing.T) {
	for text, line := range map[string]int{
		"section,instrument" + strings.Repeat(",x", 200_000) + "\nWinds,Flute\n": 1,
		"section,instrument\nWinds,\"a\nb\"\n" + strings.Repeat(",", 1000):       4,
	} {
		_, err := rows.Read(strings.NewReader(text), rows.Options{})
		var wide *rows.Unreadable
		require.ErrorAs(t, err, &wide)
		require.Equal(t, line, wide.Line)
		require.Contains(t, wide.Reason, "more than 1000 columns")
	}
	list := read(t, "section,instrument\nWinds,\""+strings.Repeat(",", 2000)+"\"\n")
	require.Len(t, list.Rows, 1)
	many := "section,instrument"
	for n := range 998 {
		many += fmt.Sprintf(",mood %d", n)
	}
	require.Len(t, read(t, many+"\nWinds,Flute\n").Rows, 1)
}
