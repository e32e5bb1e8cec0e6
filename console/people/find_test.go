package people

import "testing"

func TestHolds(t *testing.T) {
	for _, c := range []struct {
		text, words string
		want        bool
	}{
		{"Ada Brandt", "brandt", true}, {"Ada Brandt", "a b", true}, {"Ada", "adam", false}, {"", "a", false}, {"Ada", "", true}, {"Inés ORTUÑO", "ortuño", true}, {"Ines", "inés", false}, {"ADA", "da", true},
	} {
		if got := holds(c.text, c.words); got != c.want {
			t.Errorf("%q in %q: %v", c.words, c.text, got)
		}
	}
}
