package web

import (
	"velada/identity"
)

type Meter struct {
	Words string
	Full  []bool
	Weak  bool
}

func StrengthView(password string, near ...string) Meter {
	if password == "" {
		return Meter{}
	}
	s := identity.StrengthOf(password, near...)
	m := Meter{Words: Capital(s.Words), Weak: s.Score < 3}
	for i := range 4 {
		m.Full = append(m.Full, i < s.Score)
	}
	return m
}
