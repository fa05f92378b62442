package app

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// RFC 6238, appendix B, the rows for SHA-1: the last six of the eight digits that it gives.
func TestCodesOfTheStandard(t *testing.T) {
	const key = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ" // "12345678901234567890" in base32
	for at, code := range map[int64]string{59: "287082", 1111111109: "081804", 1111111111: "050471", 1234567890: "005924", 2000000000: "279037", 20000000000: "353130"} {
		step, ok := stepOf(key, code, time.Unix(at, 0))
		require.True(t, ok, at)
		require.Equal(t, at/30, step)
		for off, good := range map[int64]bool{-60: false, -30: true, 30: true, 60: false} {
			other, ok := stepOf(key, code, time.Unix(at/30*30+off, 0))
			require.Equal(t, good, ok, "%d s off", off)
			if good {
				require.Equal(t, step, other)
			}
		}
	}
	for _, wrong := range []string{"", "287083", "94287082", "28708", "287082x"} {
		_, ok := stepOf(key, wrong, time.Unix(59, 0))
		require.False(t, ok, wrong)
	}
	require.Equal(t, "287082", plainCode(" 287 082"))
	require.Regexp(t, `^([A-Z2-7]{4}-){3}[A-Z2-7]{4}$`, newSpare())
}
