package seating_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// One stereo pair of 32-bit samples at 48 kHz is 3.072 Mbit/s, 64 pairs 196.6;
// gigabit Ethernet carries about 949 Mbit/s of TCP payload at an MTU of 1500:
// 1460 of every 1538 bytes (RFC 894 and RFC 879 for 1460, IEEE 802.3 for the 38
// around a frame). 256 samples at 48 kHz, one more buffer: 10.67 ms.
func TestNetworkFigures(t *testing.T) {
	require.InDelta(t, 3.072, template.PairMbits, 1e-12)
	require.InDelta(t, 196.6, 64*template.PairMbits, 0.05)
	m := template.Machine{NetworkMbits: 1000, BufferSamples: 256, BufferTimes: 1}
	require.InDelta(t, 949, m.CarriesMbits(), 0.5)
	require.InDelta(t, 10.67, m.LatencyMs(), 0.005)
	frame := 1500 + 14 + 4 + 8 + 12 // payload, header, check sum, preamble, gap
	require.InDelta(t, float64(1500-20-20)/float64(frame), template.PayloadOfLink, 1e-12)
	require.Zero(t, (&template.Machine{}).LatencyMs())
}

func TestFreeLink(t *testing.T) {
	base, _ := seated(coretest.ToSeat(90, 3, 9, 0.3, 2), seating.Options{})
	links := seating.Links(base)
	busy := links[0]
	for _, l := range links {
		if l.Pairs > busy.Pairs {
			busy = l
		}
	}
	m := *busy.Machine
	m.NetworkMbits = float64(busy.Pairs-2)*template.PairMbits/template.PayloadOfLink + 0.1
	narrow := coretest.Must(base, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&m)}})
	moves, err := seating.FreeLink(narrow, m.ID)
	require.NoError(t, err)
	after := coretest.Must(narrow, moves.Change())
	for _, l := range seating.Links(after) {
		require.False(t, l.Over(), l.Machine.Name)
		if l.Machine.ID == m.ID {
			require.Equal(t, busy.Pairs-2, l.Pairs)
		}
	}
	require.Zero(t, seating.Judge(after).Unseated)

	// where no other link has room, nothing moves
	var put change.Put
	for _, o := range narrow.Machines {
		o := *o
		o.NetworkMbits = min(m.NetworkMbits, 0.5+float64(pairsOf(narrow, o.ID))*template.PairMbits/template.PayloadOfLink)
		put.Machines = append(put.Machines, change.Append(&o))
	}
	_, err = seating.FreeLink(coretest.Must(narrow, put), m.ID)
	require.ErrorContains(t, err, "could leave")
}

func pairsOf(t *template.Template, machine template.ID) int {
	for _, l := range seating.Links(t) {
		if l.Machine.ID == machine {
			return l.Pairs
		}
	}
	return 0
}
