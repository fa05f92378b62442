package dawproject_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/coretest"
	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/dawproject"
)

func written(t testing.TB, s session.Session) []byte {
	var b bytes.Buffer
	require.NoError(t, dawproject.Write(&b, s))
	return b.Bytes()
}

func readBack(t testing.TB, data []byte) session.Session {
	s, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	return s
}

// packed is a file of another program.
func packed(t testing.TB, project string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"project.xml": project, "metadata.xml": `<?xml version="1.0"?><MetaData><Title>Harbour</Title></MetaData>`, "audio/take.wav": "RIFF"} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// What was written comes back: every track with its mark, level, pan, way and sends, tempi, metres,
// markers and notes.
func TestWhatIsWrittenComesBack(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	s := session.Of(lantern, nil)
	s.Tempi = append(s.Tempi, session.Tempo{Beat: 32, BPM: 131.25, Ramp: true})
	s.Metres = append(s.Metres, session.Metre{Beat: 16, Beats: 7, Unit: 8})
	s.Tracks[0].Children[0].Children[0].Notes = []session.Note{{Beat: 4, Beats: .5, Channel: 3, Key: 72, Velocity: .625}, {Beat: 5, Beats: 1, Channel: 1, Key: 0, Velocity: 1}}
	got := readBack(t, written(t, s))
	require.Equal(t, s.Name, got.Name)
	require.Equal(t, s.Tempi, got.Tempi)
	require.Equal(t, s.Metres, got.Metres)
	require.Equal(t, s.Markers, got.Markers)
	require.Empty(t, got.Left)
	plain(got.Tracks)
	require.Equal(t, s.Tracks, got.Tracks)
	reading, err := session.Read(lantern, &got, session.Options{Mint: session.Fresh(coretest.Mint())})
	require.NoError(t, err)
	d := session.Against(lantern, reading.There)
	require.True(t, d.Alike())
}

// plain gives tracks that were read the IDs of what they say they are.
func plain(list []*session.Track) {
	for _, x := range list {
		x.ID, x.Mark = x.Mark, ""
		x.To = template.ID(strings.TrimPrefix(string(x.To), "fanfold."))
		for n := range x.Sends {
			x.Sends[n].To = template.ID(strings.TrimPrefix(string(x.Sends[n].To), "fanfold."))
		}
		plain(x.Children)
	}
}

// A file as another program may write it: levels in decibels, a pan from -1 to 1, a folder that is a
// bus, a channel without a track, clips that loop and lie in clips, places in seconds, and much that
// is not read.
func TestAFileOfAnotherProgram(t *testing.T) {
	s := readBack(t, packed(t, `<?xml version="1.0" encoding="UTF-8"?>
<Project version="1.0"><Application name="Other" version="9"/>
<Transport><Tempo max="666" min="20" unit="bpm" value="60" id="id0" name="Tempo"/><TimeSignature denominator="4" numerator="3" id="id1"/></Transport>
<Structure>
 <Track contentType="tracks" loaded="true" id="id2" name="Strings" color="#c06030">
  <Channel audioChannels="2" destination="id9" role="regular" solo="false" id="id3"><Volume max="2" min="0" unit="linear" value="0.5" id="id4"/></Channel>
  <Track contentType="notes" id="id5" name="Celli"><Channel audioChannels="1" destination="id3" role="regular" id="id6">
   <Devices><ClapPlugin deviceID="x" deviceRole="instrument" id="id7"/></Devices>
   <Mute value="true" id="id8"/><Pan max="1" min="-1" unit="linear" value="-0.5" id="ida"/><Volume unit="decibel" value="-6.0206" id="idb"/></Channel></Track>
 </Track>
 <Track contentType="audio notes" id="idc" name="Both"><Channel role="regular" destination="id3" id="idd"/></Track>
 <Track contentType="audio" id="ide" name="Take"><Channel role="regular" destination="gone" id="idf"/></Track>
 <Track contentType="markers" id="idg" name="Marks"/>
 <Track contentType="audio" id="idh" name="Ride"><Channel role="vca" id="idi"/></Track>
 <Channel name="Master" role="master" id="id9"/>
</Structure>
<Arrangement id="idj"><Lanes timeUnit="beats" id="idk">
 <Lanes track="id5" id="idl"><Clips id="idm">
  <Clip time="8" duration="8" playStart="1" loopStart="0" loopEnd="4"><Notes id="idn"><Note time="0" duration="1" channel="0" key="48" vel="0.5"/><Note time="2" duration="4" channel="15" key="50" vel="1"/></Notes></Clip>
  <Clip time="32" duration="4" enable="false"><Notes id="ido"><Note time="0" duration="1" channel="0" key="60"/></Notes></Clip>
 </Clips></Lanes>
 <Lanes track="idc" timeUnit="seconds" id="idp"><Clips id="idq"><Clip time="2" duration="2"><Clips><Clip time="1" duration="9"><Notes id="idr"><Note time="0" duration="0.25" channel="0" key="61"/></Notes></Clip></Clips></Clip></Clips></Lanes>
 <Lanes track="ide" id="ids"><Clips id="idt"><Clip time="0" duration="4"><Warps><Audio/></Warps></Clip></Clips><Points><Target parameter="id4"/></Points></Lanes>
</Lanes><Markers id="idu"><Marker time="12" name="Hit"/></Markers></Arrangement><Scenes/></Project>`))
	require.Equal(t, "Harbour", s.Name)
	require.Equal(t, []session.Tempo{{BPM: 60}}, s.Tempi)
	require.Equal(t, []session.Metre{{Beats: 3, Unit: 4}}, s.Metres)
	require.Equal(t, []session.Marker{{Beat: 12, Name: "Hit"}}, s.Markers)
	require.Equal(t, []string{"VCA tracks (1)", "automation of faders and devices (1)", "channels with devices (1)", "clips that are switched off (1)", "muted channels (1)", "recordings (1)", "tracks for pictures, markers and automation (1)"}, s.Left)
	var names []string
	for _, x := range s.Tracks {
		names = append(names, fmt.Sprintf("%s %s %s", x.Name, x.Kind, x.Role))
	}
	require.Equal(t, []string{"Strings folder ", "Strings sums submix", "Both notes regular", "Take audio regular", "Master sums master"}, names)
	celli := s.Tracks[0].Children[0]
	require.Equal(t, s.Tracks[1].ID, celli.To, "the folder is its bus")
	require.Equal(t, s.Tracks[4].ID, s.Tracks[1].To)
	require.InDelta(t, .5, celli.Gain, 1e-5)
	require.InDelta(t, -.5, celli.Pan, 1e-9)
	require.True(t, celli.Mono)
	require.InDelta(t, .5, s.Tracks[1].Gain, 1e-9)
	// From beat 8 on the content from beat 1, and from 11 on that of the loop from its start.
	require.Equal(t, []session.Note{
		{Beat: 9, Beats: 2, Channel: 16, Key: 50, Velocity: 1}, {Beat: 11, Beats: 1, Channel: 1, Key: 48, Velocity: .5},
		{Beat: 13, Beats: 2, Channel: 16, Key: 50, Velocity: 1}, {Beat: 15, Beats: 1, Channel: 1, Key: 48, Velocity: .5},
	}, celli.Notes)
	require.Equal(t, []session.Note{{Beat: 3, Beats: .25, Channel: 1, Key: 61, Velocity: .8}}, s.Tracks[2].Notes)
	require.True(t, s.Tracks[3].Recorded)
	require.Empty(t, s.Tracks[3].To, "what it goes to is not there")
}

// Files that cannot be read say what is wrong, and where.
func TestFilesThatCanNotBeRead(t *testing.T) {
	whole := written(t, session.Of(coretest.Orchestra(3, 1), nil))
	deep := strings.Repeat(`<Track contentType="tracks" name="x">`, 40) + strings.Repeat(`</Track>`, 40)
	for want, data := range map[string][]byte{
		"it is not a ZIP archive":                        []byte("no archive at all"),
		"is cut off":                                     whole[:len(whole)/2],
		"project.xml, line 2: XML syntax error":          packed(t, "<Project>\n<Structure></Project>"),
		"it is written in utf-16":                        packed(t, `<?xml version="1.0" encoding="utf-16"?><Project/>`),
		"it holds nothing":                               packed(t, ""),
		"folders lie in folders more than 30 deep":       packed(t, `<Project><Structure>`+deep+`</Structure></Project>`),
		"expected element type <Project> but have <svg>": packed(t, `<svg/>`),
	} {
		_, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
		require.ErrorContains(t, err, want)
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	require.NoError(t, z.Close())
	_, err := dawproject.Read(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.Error(t, err)
}

// Whatever a project.xml holds, it is read or refused, and what is read can be read against a
// template.
func FuzzRead(f *testing.F) {
	f.Add([]byte(`<Project><Structure><Track name="a" id="1" contentType="notes"><Channel id="2" destination="2"/></Track></Structure></Project>`))
	f.Add([]byte(`<Project><Structure><Track name="a" id="1" contentType="tracks"><Channel id="2" destination="2"/><Track id="1"/></Track></Structure><Arrangement><Lanes track="1"><Clips><Clip time="-1" duration="9" loopStart="1" loopEnd="1.0001"><Notes><Note time="1" duration="1" key="3"/></Notes></Clip></Clips></Lanes></Arrangement></Project>`))
	f.Add([]byte(`<Project><Structure><Track name="Winds 0" id="1" contentType="notes"><Channel id="2" destination="3"><Sends/><Volume value="x"/></Channel></Track><Channel id="3" role="master"><Volume unit="decibel" value="3"/></Channel></Structure></Project>`))
	f.Add([]byte("<Project/>&"))
	here := coretest.Orchestra(6, 1)
	f.Fuzz(func(t *testing.T, project []byte) {
		data := packed(t, string(project))
		s, err := dawproject.Read(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return
		}
		r, err := session.Read(here, &s, session.Options{Mint: session.Fresh(coretest.Mint())})
		require.NoError(t, err)
		require.NoError(t, r.There.Validate())
		fixes, err := session.Right(here, &s, ids(), nil, false)
		require.NoError(t, err)
		var right bytes.Buffer
		_, err = dawproject.Right(&right, bytes.NewReader(data), int64(len(data)), fixes)
		require.NoError(t, err)
		_, err = dawproject.Read(bytes.NewReader(right.Bytes()), int64(right.Len()))
		require.NoError(t, err, "what was put right can be read again")
		r, err = session.Begin(&s, session.Options{Mint: session.Fresh(coretest.Mint())})
		require.NoError(t, err)
		require.NoError(t, r.There.Validate())
	})
}

func large() session.Session { return session.Of(coretest.Large(10_000, 64), nil) }

func BenchmarkWrite10000(b *testing.B) {
	s := large()
	for b.Loop() {
		written(b, s)
	}
}

func BenchmarkRead10000(b *testing.B) {
	data := written(b, large())
	for b.Loop() {
		readBack(b, data)
	}
}

// BenchmarkDrift10000 is what is done when a file of so many rows has come in.
func BenchmarkDrift10000(b *testing.B) {
	here := coretest.Large(10_000, 64)
	s := readBack(b, written(b, session.Of(here, nil)))
	for b.Loop() {
		r, err := session.Read(here, &s, session.Options{Mint: session.Fresh(coretest.Mint())})
		require.NoError(b, err)
		d := session.Against(here, r.There)
		require.True(b, d.Alike())
	}
}
