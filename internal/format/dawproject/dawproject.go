// Package dawproject reads and writes sessions in the open DAWproject exchange format, version 1.0:
// a zip with project.xml and metadata.xml. The layout is from memory of the published one.
package dawproject

import (
	"archive/zip"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"fanfold/internal/core/session"
	"fanfold/internal/core/template"
)

// Extension is the ending of a file's name.
const Extension = ".dawproject"

// Write writes a session. Equal sessions give equal bytes.
func Write(w io.Writer, s session.Session) error {
	project, err := xml.MarshalIndent(newProject(s), "", " ")
	if err != nil {
		return fmt.Errorf("write DAWproject: %w", err)
	}
	about, err := xml.MarshalIndent(metaData{Title: s.Name, Comment: s.Comment}, "", " ")
	if err != nil {
		return fmt.Errorf("write DAWproject: %w", err)
	}
	archive := zip.NewWriter(w)
	for _, f := range []struct {
		name string
		data []byte
	}{{"metadata.xml", about}, {"project.xml", project}} {
		out, err := archive.CreateHeader(&zip.FileHeader{Name: f.name, Method: zip.Deflate, Modified: time.Time{}})
		if err == nil {
			_, err = out.Write(append([]byte(xml.Header), append(f.data, '\n')...))
		}
		if err != nil {
			return fmt.Errorf("write DAWproject: %w", err)
		}
	}
	if err := archive.Close(); err != nil {
		return fmt.Errorf("write DAWproject: %w", err)
	}
	return nil
}

type metaData struct {
	XMLName xml.Name `xml:"MetaData"`
	Title   string   `xml:"Title"`
	Comment string   `xml:"Comment"`
}

type project struct {
	XMLName     xml.Name    `xml:"Project"`
	Version     string      `xml:"version,attr"`
	Application application `xml:"Application"`
	Transport   transport   `xml:"Transport"`
	Structure   structure   `xml:"Structure"`
	Arrangement arrangement `xml:"Arrangement"`
}

type application struct {
	Name    string `xml:"name,attr"`
	Version string `xml:"version,attr"`
}

type parameter struct {
	ID    string `xml:"id,attr"`
	Name  string `xml:"name,attr,omitempty"`
	Unit  string `xml:"unit,attr,omitempty"`
	Min   string `xml:"min,attr,omitempty"`
	Max   string `xml:"max,attr,omitempty"`
	Value string `xml:"value,attr"`
}

type signature struct {
	ID          string `xml:"id,attr"`
	Numerator   int    `xml:"numerator,attr"`
	Denominator int    `xml:"denominator,attr"`
}

type transport struct {
	Tempo         parameter `xml:"Tempo"`
	TimeSignature signature `xml:"TimeSignature"`
}

type structure struct {
	Tracks   []track   `xml:"Track"`
	Channels []channel `xml:"Channel"` // of no track
}

type track struct {
	ID          string   `xml:"id,attr"`
	Name        string   `xml:"name,attr"`
	Color       string   `xml:"color,attr,omitempty"`
	Comment     string   `xml:"comment,attr,omitempty"`
	ContentType string   `xml:"contentType,attr"`
	Loaded      string   `xml:"loaded,attr"`
	Channel     *channel `xml:"Channel"`
	Tracks      []track  `xml:"Track"`
}

type channel struct {
	ID            string     `xml:"id,attr"`
	Name          string     `xml:"name,attr,omitempty"`
	Color         string     `xml:"color,attr,omitempty"`
	Role          string     `xml:"role,attr"`
	AudioChannels int        `xml:"audioChannels,attr"`
	Destination   string     `xml:"destination,attr,omitempty"`
	Solo          string     `xml:"solo,attr"`
	Devices       devices    `xml:"Devices"`
	Mute          parameter  `xml:"Mute"`
	Pan           parameter  `xml:"Pan"`
	Sends         *sends     `xml:"Sends"`
	Volume        *parameter `xml:"Volume"`
}

type devices struct {
	List []struct {
		XMLName xml.Name
	} `xml:",any"`
}

type sends struct {
	List []send `xml:"Send"`
}

type send struct {
	ID          string    `xml:"id,attr"`
	Destination string    `xml:"destination,attr"`
	Type        string    `xml:"type,attr"`
	Volume      parameter `xml:"Volume"`
}

type arrangement struct {
	ID                      string              `xml:"id,attr"`
	TimeUnit                string              `xml:"timeUnit,attr,omitempty"`
	Lanes                   lanes               `xml:"Lanes"`
	Markers                 *markers            `xml:"Markers"`
	TempoAutomation         tempoAutomation     `xml:"TempoAutomation"`
	TimeSignatureAutomation signatureAutomation `xml:"TimeSignatureAutomation"`
}

type lanes struct {
	ID       string   `xml:"id,attr"`
	TimeUnit string   `xml:"timeUnit,attr,omitempty"`
	Track    string   `xml:"track,attr,omitempty"`
	Lanes    []lanes  `xml:"Lanes"`
	Clips    []clips  `xml:"Clips"`
	Notes    []notes  `xml:"Notes"`
	Points   []unread `xml:"Points"`
	Video    []unread `xml:"Video"`
	Audio    []unread `xml:"Audio"`
}

// unread is something that is counted, not read.
type unread struct{}

type clips struct {
	ID       string `xml:"id,attr"`
	TimeUnit string `xml:"timeUnit,attr,omitempty"`
	Track    string `xml:"track,attr,omitempty"`
	List     []clip `xml:"Clip"`
}

type clip struct {
	Time        string   `xml:"time,attr"`
	Duration    string   `xml:"duration,attr,omitempty"`
	ContentUnit string   `xml:"contentTimeUnit,attr,omitempty"`
	PlayStart   string   `xml:"playStart,attr,omitempty"`
	LoopStart   string   `xml:"loopStart,attr,omitempty"`
	LoopEnd     string   `xml:"loopEnd,attr,omitempty"`
	Enable      string   `xml:"enable,attr,omitempty"`
	Lanes       []lanes  `xml:"Lanes"`
	Clips       []clips  `xml:"Clips"`
	Notes       []notes  `xml:"Notes"`
	Audio       []unread `xml:"Audio"`
	Warps       []unread `xml:"Warps"`
	Video       []unread `xml:"Video"`
}

type notes struct {
	ID   string `xml:"id,attr"`
	List []note `xml:"Note"`
}

type note struct {
	Time     string `xml:"time,attr"`
	Duration string `xml:"duration,attr"`
	Channel  int    `xml:"channel,attr"`
	Key      int    `xml:"key,attr"`
	Velocity string `xml:"vel,attr,omitempty"`
	Release  string `xml:"rel,attr,omitempty"`
}

type markers struct {
	ID       string   `xml:"id,attr"`
	TimeUnit string   `xml:"timeUnit,attr,omitempty"`
	List     []marker `xml:"Marker"`
}

type marker struct {
	Time string `xml:"time,attr"`
	Name string `xml:"name,attr"`
}

type target struct {
	Parameter string `xml:"parameter,attr"`
}

type tempoAutomation struct {
	ID       string      `xml:"id,attr"`
	TimeUnit string      `xml:"timeUnit,attr,omitempty"`
	Unit     string      `xml:"unit,attr"`
	Target   target      `xml:"Target"`
	Points   []realPoint `xml:"RealPoint"`
}

type realPoint struct {
	Time          string `xml:"time,attr"`
	Value         string `xml:"value,attr"`
	Interpolation string `xml:"interpolation,attr"`
}

type signatureAutomation struct {
	ID     string           `xml:"id,attr"`
	Target target           `xml:"Target"`
	Points []signaturePoint `xml:"TimeSignaturePoint"`
}

type signaturePoint struct {
	Time        string `xml:"time,attr"`
	Numerator   int    `xml:"numerator,attr"`
	Denominator int    `xml:"denominator,attr"`
}

func number(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// builder gives everything an XML ID: those of tracks stay the same for the same template.
type builder struct {
	ids      map[template.ID]string // of tracks
	channels map[template.ID]string // of tracks that have one already
	tracks   int
}

// markedID begins the ID of a track that is a thing of a template.
const markedID = "fanfold."

// idLetters are those of a template's IDs that an XML ID may have.
var idLetters = regexp.MustCompile(`^[A-Za-z0-9._-]+$`)

func newProject(s session.Session) project {
	b := &builder{ids: map[template.ID]string{}}
	b.name(s.Tracks)
	p := project{Version: "1.0", Application: application{"Fanfold", "1"}}
	p.Transport.Tempo = parameter{ID: "tempo", Name: "Tempo", Unit: "bpm", Min: "5", Max: "999", Value: number(s.Tempi[0].BPM)}
	p.Transport.TimeSignature = signature{"metre", s.Metres[0].Beats, s.Metres[0].Unit}
	p.Structure.Tracks = b.list(s.Tracks)
	a := &p.Arrangement
	a.ID, a.Lanes = "arrangement", lanes{ID: "lanes", TimeUnit: "beats"}
	a.Lanes.Lanes = b.notes(s.Tracks)
	if len(s.Markers) > 0 {
		a.Markers = &markers{ID: "markers"}
		for _, m := range s.Markers {
			a.Markers.List = append(a.Markers.List, marker{number(m.Beat), m.Name})
		}
	}
	a.TempoAutomation = tempoAutomation{ID: "tempi", Unit: "bpm", Target: target{"tempo"}}
	for _, t := range s.Tempi {
		how := "hold"
		if t.Ramp {
			how = "linear"
		}
		a.TempoAutomation.Points = append(a.TempoAutomation.Points, realPoint{number(t.Beat), number(t.BPM), how})
	}
	a.TimeSignatureAutomation = signatureAutomation{ID: "metres", Target: target{"metre"}}
	for _, m := range s.Metres {
		a.TimeSignatureAutomation.Points = append(a.TimeSignatureAutomation.Points, signaturePoint{number(m.Beat), m.Beats, m.Unit})
	}
	return p
}

// name names the tracks before any is written, since a row's bus comes after it.
func (b *builder) name(list []*session.Track) {
	for _, x := range list {
		b.tracks++
		b.ids[x.ID] = fmt.Sprintf("t%d", b.tracks)
		if idLetters.MatchString(string(x.ID)) {
			b.ids[x.ID] = markedID + string(x.ID)
		}
		b.name(x.Children)
	}
}

// channelOf is the ID of a track's channel; empty for no track.
func (b *builder) channelOf(track template.ID) string {
	if id := b.channels[track]; id != "" {
		return id
	}
	if id := b.ids[track]; id != "" {
		return id + ".channel"
	}
	return ""
}

func (b *builder) list(list []*session.Track) []track {
	var out []track
	for _, x := range list {
		t := track{ID: b.ids[x.ID], Name: x.Name, Color: x.Colour, Comment: marked(x), ContentType: contents[x.Kind], Loaded: strconv.FormatBool(x.Loaded)}
		if x.Role != session.NoRole {
			t.Channel = b.channel(x)
		}
		t.Tracks = b.list(x.Children)
		out = append(out, t)
	}
	return out
}

// notes are the notes of tracks, a clip of each.
func (b *builder) notes(list []*session.Track) []lanes {
	var out []lanes
	for _, x := range list {
		if len(x.Notes) > 0 {
			id := b.ids[x.ID]
			end := 0.0
			n := notes{ID: id + ".notes"}
			for _, y := range x.Notes {
				end = max(end, y.Beat+y.Beats)
				n.List = append(n.List, note{number(y.Beat), number(y.Beats), y.Channel - 1, y.Key, number(y.Velocity), ""})
			}
			out = append(out, lanes{ID: id + ".lanes", Track: id, Clips: []clips{{ID: id + ".clips", List: []clip{{Time: "0", Duration: number(math.Ceil(end)), PlayStart: "0", Notes: []notes{n}}}}}})
		}
		out = append(out, b.notes(x.Children)...)
	}
	return out
}

// The mark of a track at the end of its comment: which thing of a template it is.
var mark = regexp.MustCompile(`\s*\[fanfold ([^\]\s]+)\]\s*$`)

func marked(x *session.Track) string {
	if !idLetters.MatchString(string(x.ID)) {
		return x.Comment
	}
	return strings.TrimSpace(x.Comment + " [fanfold " + string(x.ID) + "]")
}

var contents = map[session.Kind]string{session.Folder: "tracks", session.Notes: "notes", session.Audio: "audio", session.Sums: "audio"}

// channelsOf is how many channels a mono or stereo track has.
func channelsOf(mono bool) int {
	if mono {
		return 1
	}
	return 2
}

func (b *builder) channel(x *session.Track) *channel {
	id := b.channelOf(x.ID)
	c := &channel{ID: id, Role: string(x.Role), AudioChannels: channelsOf(x.Mono), Destination: b.channelOf(x.To), Solo: "false"}
	c.Mute = parameter{ID: id + ".mute", Name: "Mute", Value: "false"}
	c.Pan = parameter{ID: id + ".pan", Name: "Pan", Unit: "normalized", Min: "0", Max: "1", Value: number((x.Pan + 1) / 2)}
	for n, s := range x.Sends {
		kind := "post"
		if s.Pre {
			kind = "pre"
		}
		if c.Sends == nil {
			c.Sends = &sends{}
		}
		own := fmt.Sprintf("%s.send%d", id, n+1)
		c.Sends.List = append(c.Sends.List, send{own, b.channelOf(s.To), kind, parameter{ID: own + ".volume", Unit: "linear", Min: "0", Max: "2", Value: number(s.Gain)}})
	}
	c.Volume = &parameter{ID: id + ".volume", Name: "Volume", Unit: "linear", Min: "0", Max: "2", Value: number(x.Gain)}
	return c
}
