package rig

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/nats-io/nats.go"

	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/scan"
)

// zonesAsk asks a host for the zones of a patch in a folder it has scanned.
type zonesAsk struct {
	Folder string           `json:"folder"`
	Name   string           `json:"name"`
	Source *template.Source `json:"source,omitempty"`
}

type zonesAnswer struct {
	Zones  []patch.Zone `json:"zones"`
	Reason string       `json:"reason,omitempty"` // why there are none
}

func zonesSubject(credential string) string { return "rig." + credential + ".zones" }

// zonesWithin is how long a host may take to read a patch file.
const zonesWithin = 20 * time.Second

// mostZonesBytes bounds an answer, unpacked.
const mostZonesBytes = 256 << 20

// answerZones answers one question, packed: zones repeat themselves.
func (s *scanner) answerZones(m *nats.Msg) {
	var ask zonesAsk
	var answer zonesAnswer
	err := json.Unmarshal(m.Data, &ask)
	if err == nil {
		answer.Zones, err = s.zones(ask)
	}
	if err != nil {
		answer.Reason = err.Error()
	}
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if json.NewEncoder(w).Encode(answer) != nil || w.Close() != nil {
		return // who asks is told that no answer came
	}
	_ = m.Respond(b.Bytes())
}

func (s *scanner) zones(ask zonesAsk) ([]patch.Zone, error) {
	var file template.Source
	s.mu.Lock()
	for key, known := range s.known {
		if !strings.HasPrefix(key, ask.Folder+" ") {
			continue
		}
		for _, k := range known {
			for _, f := range k.Found {
				if f.Of(&template.Patch{Name: ask.Name, Source: ask.Source}) {
					file = f.Source()
				}
			}
		}
	}
	s.mu.Unlock()
	if file.File == "" {
		return nil, fmt.Errorf("%s is not known there since its host was started; scan the folder again", ask.Name)
	}
	root, err := scan.OpenWithin(s.roots, ask.Folder)
	if err != nil {
		return nil, err
	}
	defer func() { _ = root.Close() }() // only read
	return scan.Zones(root.FS(), file)
}

// Zones asks the host of a machine for the zones of a patch in a folder that it
// has scanned since it was started.
func (d *Desk) Zones(ctx context.Context, studio, machine, folder string, of *template.Patch) ([]patch.Zone, error) {
	credential, err := d.credentialOf(studio, machine)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(zonesAsk{folder, of.Name, of.Source})
	if err != nil {
		return nil, fmt.Errorf("ask its host for the zones of %s: %w", of.Name, err)
	}
	ctx, stop := context.WithTimeout(ctx, zonesWithin)
	defer stop()
	m, err := d.conn.RequestWithContext(ctx, zonesSubject(credential), data)
	if err != nil {
		return nil, fmt.Errorf("ask its host for the zones of %s: %w", of.Name, err)
	}
	var answer zonesAnswer
	r, err := gzip.NewReader(bytes.NewReader(m.Data))
	if err == nil {
		err = json.NewDecoder(io.LimitReader(r, mostZonesBytes)).Decode(&answer)
	}
	switch {
	case err != nil:
		return nil, fmt.Errorf("read what its host says of %s: %w", of.Name, err)
	case answer.Reason != "":
		return nil, errors.New(answer.Reason)
	}
	return answer.Zones, nil
}
