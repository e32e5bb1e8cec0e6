package access

import (
	"strings"
	"testing"
)

// What is written for programs that read YAML 1.1 means to them what it means here.
func TestTextsAreQuotedForYAML11(t *testing.T) {
	eachDocument(t, func(t *testing.T, _ maker, doc *Document, _ *Policy) {
		text, err := doc.YAML()
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.SplitSeq(string(text), "\n") {
			if key, _, _ := strings.Cut(strings.TrimLeft(line, " -"), ":"); strings.EqualFold(key, "on") || strings.EqualFold(key, "off") || strings.EqualFold(key, "no") || strings.EqualFold(key, "y") {
				t.Errorf("%q is a yes or no to a program that reads YAML 1.1", line)
			}
		}
	})
	for _, text := range []string{"on", "No", "yes", "y", "12:30", "0777", "1_0:20", "~", "null", "true"} {
		doc := &Document{Velada: 1, House: House{Name: text, Zone: "UTC"}}
		written, err := doc.YAML()
		if err != nil || !strings.Contains(string(written), `name: "`+text+`"`) {
			t.Errorf("%q is written as %s %v", text, written, err)
		}
		if back, err := Read(written); err != nil || back.House.Name != text {
			t.Errorf("%q is read back as %v %v", text, back, err)
		}
	}
	if plain, err := (&Document{Velada: 1, House: House{Name: "Once on 12:30 o'clock", Zone: "UTC"}}).YAML(); err != nil || strings.Contains(string(plain), `"Once`) {
		t.Errorf("%s %v", plain, err)
	}
}
