package sampler_test

import (
	"math"
	"os"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
	"fanfold/internal/sampler"
)

// Whatever an SFZ file says, what comes out is a number, and voices and memory are bounded.
func FuzzOpenSFZ(f *testing.F) {
	for _, text := range []string{
		"<region> sample=t.wav", "<global> ampeg_decay=1 ampeg_sustain=20 <group> sw_lokey=0 sw_hikey=9 sw_last=3 <region> sample=t.wav loop_mode=loop_sustain loop_start=4 loop_end=90 cutoff=200 resonance=40 fil_type=bpf_2p",
		"<region> sample=*sine pitch_keytrack=-1200 tune=9999 bend_up=12000 pitchlfo_freq=200 pitchlfo_depth=1200 amplfo_freq=3 amplfo_depth=10 xfin_locc1=127 xfin_hicc1=3 volume_oncc1=12000",
		"<control> set_cc1=3 note_offset=-12 <region> sample=t.wav trigger=release rt_decay=-200 offset=99 end=3 delay=.01 group=3 off_by=3 seq_length=3 seq_position=2 lorand=.5",
	} {
		f.Add(text, []byte{0, 60, 100, 1, 60, 0, 2, 1, 64, 3, 0, 9})
	}
	sample := file(f, rate, 2, sine(440, .5, 400))
	f.Fuzz(func(t *testing.T, text string, messages []byte) {
		store := sampler.NewStore(1 << 20)
		defer store.Close()
		p, err := sampler.Open(store, sampler.File{Folder: fstest.MapFS{"a.sfz": {Data: []byte(text)}, "t.wav": sample}, Source: template.Source{File: "a.sfz"}})
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		e := sampler.New(p, sampler.Options{Voices: 16, Quality: sampler.Quality(len(messages) % 2)})
		for len(messages) >= 3 {
			e.Send(sampler.Message{At: int64(len(messages) * 40), Kind: sampler.Kind(messages[0] % 6), Key: int(messages[1]) % 128, Value: int(messages[2]) % 128})
			messages = messages[3:]
		}
		left, right := make([]float64, 4096), make([]float64, 4096)
		e.Render(left, right)
		require.LessOrEqual(t, e.Voices(), 20)
		for n := range left {
			require.False(t, math.IsNaN(left[n]) || math.IsInf(left[n], 0) || math.IsNaN(right[n]) || math.IsInf(right[n], 0))
		}
		p.Close()
		require.Zero(t, store.Bytes())
	})
}

// Likewise of a SoundFont.
func FuzzOpenSF2(f *testing.F) {
	small, err := os.ReadFile("../../web/node_modules/@ryohey/sf2parser/fixture/TestSoundFont.sf2")
	require.NoError(f, err, "run: make web/node_modules/.ready")
	f.Add(small, 0)
	f.Add(small, 1)
	f.Fuzz(func(t *testing.T, data []byte, programme int) {
		store := sampler.NewStore(1 << 20)
		defer store.Close()
		p, err := sampler.Open(store, sampler.File{Folder: fstest.MapFS{"a.sf2": {Data: data}}, Source: template.Source{File: "a.sf2", Programme: programme}})
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		left, _ := play(p, .05, on(0, 60, 100), off(.02, 60))
		for _, x := range left {
			require.False(t, math.IsNaN(x) || math.IsInf(x, 0))
		}
		p.Close()
	})
}
