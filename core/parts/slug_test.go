package parts

import "testing"

func TestSlugs(t *testing.T) {
	for text, want := range map[string][2]string{
		"Inés Ortuño":         {"ines-ortuno", "inés-ortuño"},
		"  Week 1 -- notes! ": {"week-1-notes", "week-1-notes"},
		"Κατάλογος.pdf":       {"pdf", "κατάλογος.pdf"},
		"***":                 {"", ""},
		"":                    {"", ""},
	} {
		if got := [2]string{Slug(text), PathSlug(text)}; got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
	taken := map[string]bool{"a-b": true, "a-b-2": true}
	if id := FreeID("A b", "x", func(id string) bool { return taken[id] }); id != "a-b-3" {
		t.Error(id)
	}
	if id := FreeID("!", "x", func(string) bool { return false }); id != "x" {
		t.Error(id)
	}
}
