package looks

import (
	"fmt"
	"strings"
	"testing"
)

// Any header colour at all: what stands on it, and what links have on every paper, can be read.
func TestEveryColourReads(t *testing.T) {
	for r := 0; r < 256; r += 15 {
		for g := 0; g < 256; g += 15 {
			for b := 0; b < 256; b += 15 {
				c := fmt.Sprintf("#%02x%02x%02x", r, g, b)
				if got := Contrast(On(c), c); got < Enough {
					t.Fatalf("%s on %s: %.2f", On(c), c, got)
				}
				for _, k := range Kinds {
					for _, paper := range []string{k.Day.Paper, k.Evening.Paper} {
						to, corrected := Readable(c, paper)
						if Contrast(to, paper) < Enough || Contrast(On(to), to) < Enough {
							t.Fatalf("%s on %s in %s: %s", c, paper, k.ID, to)
						}
						if corrected != (to != c) {
							t.Fatalf("%s on %s: %s, corrected %v", c, paper, to, corrected)
						}
					}
				}
			}
		}
	}
}

func TestContrastIsThatOfTheStandard(t *testing.T) {
	for _, c := range []struct {
		one, other string
		want       string
	}{{"#000000", "#ffffff", "21.00"}, {"#777777", "#ffffff", "4.48"}, {"#0000ff", "#ffffff", "8.59"}, {"red", "#ffffff", "1.00"}} {
		if got := fmt.Sprintf("%.2f", Contrast(c.one, c.other)); got != c.want {
			t.Errorf("%s on %s: %s", c.one, c.other, got)
		}
	}
}

func TestInkReadsOnPaper(t *testing.T) {
	for _, k := range Kinds {
		for _, s := range []Surface{k.Day, k.Evening} {
			if Contrast(s.Paper, s.Ink) < 7 {
				t.Errorf("%s: %s on %s", k.ID, s.Ink, s.Paper)
			}
		}
	}
}

func TestCheck(t *testing.T) {
	if wrong := (Look{ID: "vitrine", Colour: "#14594a", Head: "centre", Foot: "line", Below: "list", Tagline: "Looking up"}).Check(); len(wrong) != 0 {
		t.Error(wrong)
	}
	wrong := Look{ID: "baroque", Colour: "red", Head: "over", Foot: "x", Below: "y", Tagline: "a\nb"}.Check()
	for _, field := range []string{"look", "colour", "head", "foot", "below", "tagline"} {
		if wrong[field] == "" {
			t.Errorf("%s is not wrong: %v", field, wrong)
		}
	}
}

func TestWhatChangesIsSaid(t *testing.T) {
	said := strings.Join(Look{}.Differences(Look{ID: "vitrine", Colour: "#14594a", Picture: "/a.jpg"}), " ")
	for _, want := range []string{"from Plain to Vitrine", "header colour", "header picture"} {
		if !strings.Contains(said, want) {
			t.Errorf("%q says nothing of %q", said, want)
		}
	}
	if said := (Look{ID: "plain"}).Differences(Look{}); len(said) != 0 {
		t.Error(said)
	}
	if notes := (Look{ID: "broadside", Colour: "#ffd400"}).Notes(); len(notes) != 2 || !strings.Contains(notes[1], "instead of #ffd400") {
		t.Error(notes)
	}
}
