package template

import "slices"

// StagePlan is the hall a template sounds in, and where its sections sit.
type StagePlan struct {
	VolumeM3 float64 `json:"volumeM3"` // MinVolumeM3..MaxVolumeM3
	DecayS   float64 `json:"decayS"`   // by 60 dB, MinDecayS..MaxDecayS
	Areas    []Area  `json:"areas,omitempty"`
}

// Area is where a section sits: the middle of it, m. Sections without one sit where they
// usually do.
type Area struct {
	Section ID      `json:"section"`
	X       float64 `json:"x"` // to the right of the middle, -MostMetres..MostMetres
	Y       float64 `json:"y"` // behind the microphones, MinMetres..MostMetres
}

// The bounds of a hall: from a booth to a cathedral.
const (
	MinVolumeM3 = 20.0
	MaxVolumeM3 = 200_000.0
	MinDecayS   = 0.1
	MaxDecayS   = 15.0
	MinMetres   = 0.5
	MostMetres  = 40.0
	mostAreas   = 1000
)

// stage checks the hall.
func (v *validator) stage(s *StagePlan) {
	v.setting("stage.volumeM3", s.VolumeM3, MinVolumeM3, MaxVolumeM3)
	v.setting("stage.decayS", s.DecayS, MinDecayS, MaxDecayS)
	if len(s.Areas) > mostAreas {
		v.fail("settings.stage.areas", "a stage has at most %d areas", mostAreas)
	}
	for _, a := range s.Areas {
		v.setting("stage.areas.x", a.X, -MostMetres, MostMetres)
		v.setting("stage.areas.y", a.Y, MinMetres, MostMetres)
	}
}

// Clone returns a copy that shares nothing with the original.
func (s *StagePlan) Clone() *StagePlan {
	if s == nil {
		return nil
	}
	c := *s
	c.Areas = slices.Clone(s.Areas)
	return &c
}
