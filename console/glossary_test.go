package console

import (
	"strings"
	"testing"

	"velada/words"
)

// Each of Velada's own words is explained once on a screen at most, and all of them on the
// page of help.
func TestWordsAreExplainedOnce(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/sites/society/door/start", "start", "domain")
	explained := map[string]bool{}
	for _, path := range []string{
		"/sites", "/people", "/house-rules", "/ledger", "/outbox", "/settings", "/account", "/new-site", "/sites/society", "/sites/society/door", "/sites/society/rehearsal", "/sites/society/sightlines",
		"/sites/society/walk", "/sites/society/holding", "/sites/society/editions", "/sites/society/team", "/sites/society/team/roles", "/sites/society/members", "/sites/august/publish", "/sites/dossier/passes",
	} {
		body := wordsFrom(d.shows(path), "<body")
		for _, word := range words.Glossary {
			n := strings.Count(strings.ToLower(body), strings.ToLower(word.Means))
			if n > 1 {
				t.Errorf("%s explains %q %d times", path, word.Word, n)
			}
			explained[word.Word] = explained[word.Word] || n > 0
		}
	}
	help := wordsFrom(d.shows("/help"), "<body")
	for _, word := range words.Glossary {
		if !strings.Contains(help, word.Means) {
			t.Errorf("help does not explain %q", word.Word)
		}
		if !explained[word.Word] {
			t.Errorf("%q is explained nowhere but in help", word.Word)
		}
	}
}
