\version "2.24.0"
\score {
  <<
    \new Staff \with { instrumentName = "Oboe" } { \time 4/4 c''4-. d''4-. e''2-> f''1( g''1) }
    \new Staff \with { instrumentName = "Cello" } { \clef bass c4 e4 g4 c'4 c2:32 g2 c1 }
  >>
}
