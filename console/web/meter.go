package web

import (
	"velada/identity"
	"velada/words"
)

// Meter is how soon a password would be guessed, as it is shown.
type Meter struct {
	Words string
	Full  []bool
	Weak  bool
}

// StrengthView measures a password; near are words that its owner would think of.
func StrengthView(password string, near ...string) Meter {
	if password == "" {
		return Meter{}
	}
	s := identity.StrengthOf(password, near...)
	m := Meter{Words: words.Capital(s.Words), Weak: s.Score < 3}
	for i := range 4 {
		m.Full = append(m.Full, i < s.Score)
	}
	return m
}
