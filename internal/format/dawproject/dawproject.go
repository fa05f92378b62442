// Package dawproject writes sessions in the open DAWproject exchange format, version 1.0: a zip
// with project.xml and metadata.xml. A session goes in, bytes come out. The layout is from memory
// of the published one.
package dawproject

import (
	"archive/zip"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"time"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
)

// Extension is the ending of a file's name.
const Extension = ".dawproject"

// Write writes a session. Equal sessions give equal bytes.
func Write(w io.Writer, s handover.Session) error {
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
	Tracks []track `xml:"Track"`
}

type track struct {
	ID          string   `xml:"id,attr"`
	Name        string   `xml:"name,attr"`
	Color       string   `xml:"color,attr,omitempty"`
	Comment     string   `xml:"comment,attr,omitempty"`
	ContentType string   `xml:"contentType,attr"`
	Loaded      bool     `xml:"loaded,attr"`
	Channel     *channel `xml:"Channel"`
	Tracks      []track  `xml:"Track"`
}

type channel struct {
	ID            string     `xml:"id,attr"`
	Role          string     `xml:"role,attr"`
	AudioChannels int        `xml:"audioChannels,attr"`
	Destination   string     `xml:"destination,attr,omitempty"`
	Solo          bool       `xml:"solo,attr"`
	Devices       struct{}   `xml:"Devices"`
	Mute          parameter  `xml:"Mute"`
	Pan           parameter  `xml:"Pan"`
	Sends         *sends     `xml:"Sends"`
	Volume        *parameter `xml:"Volume"`
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
	Lanes                   lanes               `xml:"Lanes"`
	Markers                 *markers            `xml:"Markers"`
	TempoAutomation         tempoAutomation     `xml:"TempoAutomation"`
	TimeSignatureAutomation signatureAutomation `xml:"TimeSignatureAutomation"`
}

type lanes struct {
	ID       string `xml:"id,attr"`
	TimeUnit string `xml:"timeUnit,attr"`
}

type markers struct {
	ID   string   `xml:"id,attr"`
	List []marker `xml:"Marker"`
}

type marker struct {
	Time string `xml:"time,attr"`
	Name string `xml:"name,attr"`
}

type target struct {
	Parameter string `xml:"parameter,attr"`
}

type tempoAutomation struct {
	ID     string      `xml:"id,attr"`
	Unit   string      `xml:"unit,attr"`
	Target target      `xml:"Target"`
	Points []realPoint `xml:"RealPoint"`
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

// builder gives every thing an XML ID: those of tracks stay the same for the same template.
type builder struct {
	channels map[template.ID]string
	tracks   int
}

func newProject(s handover.Session) project {
	b := &builder{channels: map[template.ID]string{}}
	b.name(s.Tracks)
	p := project{Version: "1.0", Application: application{"Fanfold", "1"}}
	p.Transport.Tempo = parameter{ID: "tempo", Name: "Tempo", Unit: "bpm", Min: "5", Max: "999", Value: number(s.Tempi[0].BPM)}
	p.Transport.TimeSignature = signature{"metre", s.Metres[0].Beats, s.Metres[0].Unit}
	b.tracks = 0
	p.Structure.Tracks = b.list(s.Tracks)
	a := &p.Arrangement
	a.ID, a.Lanes = "arrangement", lanes{"lanes", "beats"}
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

// name numbers the channels before any is written, since a row's bus comes after it.
func (b *builder) name(list []*handover.SessionTrack) {
	for _, x := range list {
		b.tracks++
		if x.Role != "" {
			b.channels[x.ID] = fmt.Sprintf("c%d", b.tracks)
		}
		b.name(x.Children)
	}
}

func (b *builder) list(list []*handover.SessionTrack) []track {
	var out []track
	for _, x := range list {
		b.tracks++
		id := strconv.Itoa(b.tracks)
		t := track{ID: "t" + id, Name: x.Name, Color: x.Colour, Comment: x.Comment, ContentType: contents[x.Kind], Loaded: x.Loaded}
		if x.Role != "" {
			t.Channel = b.channel(id, x)
		}
		t.Tracks = b.list(x.Children)
		out = append(out, t)
	}
	return out
}

var contents = map[handover.SessionKind]string{handover.Folder: "tracks", handover.Notes: "notes", handover.Audio: "audio", handover.Sums: "audio"}

func (b *builder) channel(id string, x *handover.SessionTrack) *channel {
	c := &channel{ID: b.channels[x.ID], Role: x.Role, AudioChannels: 2, Destination: b.channels[x.To]}
	if x.Mono {
		c.AudioChannels = 1
	}
	c.Mute = parameter{ID: "m" + id, Name: "Mute", Value: "false"}
	c.Pan = parameter{ID: "p" + id, Name: "Pan", Unit: "normalized", Min: "0", Max: "1", Value: number((x.Pan + 1) / 2)}
	for n, s := range x.Sends {
		kind := "post"
		if s.Pre {
			kind = "pre"
		}
		if c.Sends == nil {
			c.Sends = &sends{}
		}
		own := fmt.Sprintf("s%s-%d", id, n+1)
		c.Sends.List = append(c.Sends.List, send{own, b.channels[s.To], kind, parameter{ID: own + "v", Unit: "linear", Min: "0", Max: "2", Value: number(s.Gain)}})
	}
	c.Volume = &parameter{ID: "v" + id, Name: "Volume", Unit: "linear", Min: "0", Max: "2", Value: number(x.Gain)}
	return c
}
