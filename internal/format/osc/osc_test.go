package osc_test

import (
	"encoding/hex"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/format/osc"
)

func packet(text string) []byte {
	b, err := hex.DecodeString(strings.Join(strings.Fields(text), ""))
	if err != nil {
		panic(err)
	}
	return b
}

// The examples of the Open Sound Control 1.0 specification (M. Wright, 2002,
// "OSC Message Examples"), from memory.
var examples = map[string]struct {
	bytes   string
	message osc.Message
}{
	"one float": {
		"2f 6f 73 63 69 6c 6c 61 74 6f 72 2f 34 2f 66 72 65 71 75 65 6e 63 79 00 2c 66 00 00 43 dc 00 00",
		osc.Message{Address: "/oscillator/4/frequency", Args: []any{float32(440)}},
	},
	"five arguments": {
		"2f 66 6f 6f 00 00 00 00 2c 69 69 73 66 66 00 00 00 00 03 e8 ff ff ff ff 68 65 6c 6c 6f 00 00 00 3f 9d f3 b6 40 b5 b2 2d",
		osc.Message{Address: "/foo", Args: []any{int32(1000), int32(-1), "hello", float32(1.234), float32(5.678)}},
	},
}

func TestTheExamplesOfTheSpecification(t *testing.T) {
	for name, x := range examples {
		t.Run(name, func(t *testing.T) {
			got, err := osc.Read(packet(x.bytes))
			require.NoError(t, err)
			require.Equal(t, []osc.Message{x.message}, got)
			require.Equal(t, packet(x.bytes), osc.Write(x.message))
		})
	}
}

func bundle(parts ...[]byte) []byte {
	b := append([]byte("#bundle\x00"), 0, 0, 0, 0, 0, 0, 0, 1)
	for _, p := range parts {
		b = append(b, 0, 0, byte(len(p)>>8), byte(len(p)))
		b = append(b, p...)
	}
	return b
}

func TestBundles(t *testing.T) {
	one, two := osc.Message{Address: "/a", Args: []any{}}, osc.Message{Address: "/b", Args: []any{"x"}}
	got, err := osc.Read(bundle(osc.Write(one), bundle(osc.Write(two)), osc.Write(two)))
	require.NoError(t, err)
	require.Equal(t, []osc.Message{one, two, two}, got)
	deep := osc.Write(one)
	for range 10 {
		deep = bundle(deep)
	}
	_, err = osc.Read(deep)
	require.ErrorContains(t, err, "deep")
	got, err = osc.Read([]byte("/old\x00\x00\x00\x00"))
	require.NoError(t, err)
	require.Equal(t, []osc.Message{{Address: "/old", Args: []any{}}}, got, "without types")
}

func TestBadPacketsSayWhere(t *testing.T) {
	for name, tc := range map[string]struct{ data, want string }{
		"empty":             {"", "at least 4"},
		"odd":               {"2f 61 00", "multiple of 4"},
		"no address":        {"61 62 00 00 2c 00 00 00", "does not begin with /"},
		"endless":           {"2f 61 62 63", "does not end"},
		"no comma":          {"2f 61 00 00 69 00 00 00", "comma"},
		"cut off":           {"2f 61 00 00 2c 69 69 00 00 00 00 01", "byte 12: an argument of type i is cut off"},
		"an unknown type":   {"2f 61 00 00 2c 71 00 00", "are not known"},
		"left over":         {"2f 61 00 00 2c 00 00 00 00 00 00 00", "left over"},
		"a huge blob":       {"2f 61 00 00 2c 62 00 00 7f ff ff ff", "announced"},
		"a negative blob":   {"2f 61 00 00 2c 62 00 00 ff ff ff ff", "announced"},
		"not a bundle":      {"23 62 00 00", "not as a bundle"},
		"a huge element":    {"23 62 75 6e 64 6c 65 00 00 00 00 00 00 00 00 01 7f ff ff fc", "announced"},
		"a bundle untimed":  {"23 62 75 6e 64 6c 65 00", "no time tag"},
		"a message of none": {"23 62 75 6e 64 6c 65 00 00 00 00 00 00 00 00 01 00 00 00 00", "not a packet"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := osc.Read(packet(tc.data))
			require.ErrorContains(t, err, tc.want)
			var bad *osc.Bad
			require.ErrorAs(t, err, &bad)
		})
	}
	_, err := osc.Read(make([]byte, osc.MaxBytes+1))
	require.ErrorContains(t, err, "longer")
}

// What is written is read back, and fills whole words.
func TestWrittenIsRead(t *testing.T) {
	text := rapid.StringMatching(`[a-zA-Z0-9 é]{0,12}`)
	arg := rapid.OneOf(
		rapid.Int32().AsAny(), rapid.Float32().AsAny(), text.AsAny(), rapid.SliceOfN(rapid.Byte(), 0, 9).AsAny(), rapid.Int64().AsAny(),
		rapid.Float64().AsAny(), rapid.Bool().AsAny(), rapid.Just[any](nil), rapid.Just[any](osc.MIDI{0, 0x90, 60, 100}),
	)
	rapid.Check(t, func(rt *rapid.T) {
		m := osc.Message{Address: "/" + text.Draw(rt, "address"), Args: rapid.SliceOfN(arg, 0, 6).Draw(rt, "arguments")}
		if len(m.Args) == 0 {
			m.Args = []any{}
		}
		data := osc.Write(m)
		require.Zero(rt, len(data)%4)
		got, err := osc.Read(data)
		require.NoError(rt, err)
		require.Equal(rt, []osc.Message{m}, got)
	})
}

func FuzzRead(f *testing.F) {
	for _, x := range examples {
		f.Add(packet(x.bytes))
		f.Add(bundle(packet(x.bytes)))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		messages, err := osc.Read(data)
		if err != nil {
			return
		}
		for _, m := range messages {
			if _, err := osc.Read(osc.Write(m)); err != nil {
				t.Fatalf("%q is read, but what is written of it is not: %v", data, err)
			}
		}
	})
}
