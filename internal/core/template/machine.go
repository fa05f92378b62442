package template

import "fmt"

// Machine is a computer that hosts samplers.
type Machine struct {
	ID         ID      `json:"id"`
	Name       string  `json:"name"`
	MemoryMiB  float64 `json:"memoryMib"`  // fitted memory, MiB
	ReserveMiB float64 `json:"reserveMib"` // kept for everything else, MiB
	Cores      int     `json:"cores"`
	DiskMiBs   float64 `json:"diskMibs"` // reading samples, MiB/s

	NetworkMbits  float64 `json:"networkMbits,omitempty"`  // its link, Mbit/s, 0..MaxMbits; 0 when not said
	Address       string  `json:"address,omitempty"`       // its fixed IP address; empty when not said
	BufferSamples int     `json:"bufferSamples,omitempty"` // of its audio, 0..MaxBuffer; 0 when not said
	BufferTimes   float64 `json:"bufferTimes,omitempty"`   // how many more buffers its host waits, 0..8
}

// The limits of a machine's network and audio.
const (
	MaxMbits       = 400_000
	MaxBuffer      = 8192
	MaxBufferTimes = 8
	SampleRateHz   = 48_000 // of everything that is heard
)

// The figures of the network. A stereo pair travels as 32-bit samples; of a
// link, so much of every 1538 bytes is payload of TCP at an MTU of 1500: 1500
// less 40 for the headers of IP and TCP, and 38 around the frame (RFC 894, IEEE
// 802.3).
const (
	PairMbits     = 2 * 32 * SampleRateHz / 1e6
	PayloadOfLink = 1460.0 / 1538
)

// CarriesMbits is what its link carries of audio, Mbit/s; 0 when not said.
func (m *Machine) CarriesMbits() float64 { return m.NetworkMbits * PayloadOfLink }

// LatencyMs is how late an instrument of the machine sounds, ms: (1 + m) N / fs,
// N the buffer and m how many more of them its host waits. 0 when not said.
func (m *Machine) LatencyMs() float64 {
	return (1 + m.BufferTimes) * float64(m.BufferSamples) / SampleRateHz * 1000
}

// LimitMiB is the memory instruments may take on the machine, MiB.
func (m *Machine) LimitMiB() float64 { return max(0, m.MemoryMiB-m.ReserveMiB) }

// Seat is where an instrument sits. All numbers count from 1.
type Seat struct {
	Machine ID  `json:"machine"`
	Riser   int `json:"riser"`   // 1..MaxRisers
	Port    int `json:"port"`    // 1..Settings.RiserPorts
	Channel int `json:"channel"` // 1..16, as in MIDI 1.0
	Pair    int `json:"pair"`    // stereo output pair, 1..Settings.RiserPairs
}

// The limits of a riser. Sixteen channels a port is MIDI 1.0; the rest is
// common practice, no source.
const (
	PortChannels = 16
	MaxPorts     = 64
	MaxPairs     = 256
	MaxRisers    = 32
)

// Outputs names the two outputs of the seat's pair: "11-12".
func (s Seat) Outputs() string { return fmt.Sprintf("%d-%d", 2*s.Pair-1, 2*s.Pair) }

// SamePlace tells whether both seats are one machine, riser, port and channel.
func (s Seat) SamePlace(o Seat) bool {
	return s.Machine == o.Machine && s.Riser == o.Riser && s.Port == o.Port && s.Channel == o.Channel
}

// RiserCores is the number of cores one riser takes on the machine: its share
// (Settings.CoreShare, a quarter by default), at least Settings.MinRiserCores
// (common practice, no source).
func (t *Template) RiserCores(m *Machine) int {
	return max(t.Settings.MinRiserCores, int(float64(m.Cores)*t.Settings.CoreShare))
}

// Risers is the number of risers the machine's cores carry, at most MaxRisers.
func (t *Template) Risers(m *Machine) int {
	return min(MaxRisers, m.Cores/max(1, t.RiserCores(m)))
}

// Port is one MIDI port of a riser.
type Port struct {
	Machine     ID
	Riser, Port int
}

// PortOf is the port of the seat.
func (s Seat) PortOf() Port { return Port{s.Machine, s.Riser, s.Port} }

// DeviceName names the port of a seat: "Birch riser 2 port 3".
func (t *Template) DeviceName(s Seat) string {
	return fmt.Sprintf("%s riser %d port %d", t.Index().Machines[s.Machine].Name, s.Riser, s.Port)
}

// Ports numbers the ports in use through all machines, from 0, in the order of
// machines, risers and ports: as a sequencer counts them.
func (t *Template) Ports() map[Port]int {
	used := map[Port]bool{}
	for _, i := range t.Instruments {
		if i.Seat != nil {
			used[i.Seat.PortOf()] = true
		}
	}
	numbers := make(map[Port]int, len(used))
	for _, m := range t.Machines {
		for r := 1; r <= MaxRisers; r++ {
			for p := 1; p <= MaxPorts; p++ {
				if key := (Port{m.ID, r, p}); used[key] {
					numbers[key] = len(numbers)
				}
			}
		}
	}
	return numbers
}
