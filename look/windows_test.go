package look

import (
	"strings"
	"testing"
)

func TestWindowsAreDrawnFromTheSprite(t *testing.T) {
	for _, name := range []string{"open", "step", "some", "shut", "hidden", "held", "plain"} {
		shapes := Windows[name]
		if len(shapes) == 0 {
			t.Fatalf("no window %q", name)
		}
		for _, s := range shapes {
			var here, there strings.Builder
			s.At(&here, 0, 0)
			s.At(&there, 100, 40)
			if s.Class == "" || here.Len() == 0 || here.String() == there.String() || strings.ContainsAny(here.String(), "HVLACZ") {
				t.Errorf("%s: %q %q", name, s.Class, here.String())
			}
		}
	}
	var b strings.Builder
	Windows["open"][0].At(&b, 10, 20)
	if got := b.String(); got != "M11 21h14v18h-14z" {
		t.Errorf("a window's frame is %q", got)
	}
}
