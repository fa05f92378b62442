package session

// DB is a fader as it comes back, dB.
func DB(gain float64) float64 { return level(gain, 0) }
