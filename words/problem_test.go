package words

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/core/access"
)

// What is wrong with a document that somebody changed is said of the thing, whichever it is, and never of a
// place in the document.
func TestProblemsNameThings(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Madrid")
	if err != nil {
		t.Fatal(err)
	}
	read := func() *access.Document {
		text, err := os.ReadFile(filepath.Join("..", "demo", "house.yaml"))
		if err != nil {
			t.Fatal(err)
		}
		doc, err := access.Read(text)
		if err != nil {
			t.Fatal(err)
		}
		return doc
	}
	late, early := at(t, "2026-12-24T17:00:00Z"), at(t, "2026-12-01T17:00:00Z")
	for says, change := range map[string]func(doc *access.Document, dossier *access.Site){
		"Founders Fund Dossier, the password “Hollis Trust”: it would end on 1 Dec 2026 18:00 and begin on 24 Dec 2026 18:00.": func(_ *access.Document, dossier *access.Site) {
			dossier.Passes[0].From, dossier.Passes[0].Until = late, early
		},
		"Founders Fund Dossier, the holding page: it would end on 1 Dec 2026 18:00 and begin on 24 Dec 2026 18:00.": func(_ *access.Document, dossier *access.Site) {
			dossier.Holding.From, dossier.Holding.Until = late, early
		},
		"Founders Fund Dossier, the door, the way in “": func(_ *access.Document, dossier *access.Site) {
			dossier.Door.Ways = append(dossier.Door.Ways, access.Way{Way: "groups", Groups: []string{"nobody"}})
		},
		"The group Crew Antlia: it would end on": func(doc *access.Document, _ *access.Site) {
			g := doc.Group("antlia")
			g.From, g.Until = late, early
		},
		"on the team: it would end on": func(_ *access.Document, dossier *access.Site) {
			dossier.Team[0].From, dossier.Team[0].Until = late, early
		},
	} {
		doc := read()
		i := slices.IndexFunc(doc.Sites, func(s *access.Site) bool { return s.Address == "dossier" })
		change(doc, doc.Sites[i])
		var problems access.Problems
		if _, err := access.Compile(doc, nil); !errors.As(err, &problems) {
			t.Fatalf("%s: %v", says, err)
		}
		got := Capital(Problems(problems, zone))
		if !strings.Contains(got, says) || strings.ContainsAny(got, "[]_") {
			t.Errorf("%q, not %q", got, says)
		}
	}
}

func at(t *testing.T, text string) access.Instant {
	t.Helper()
	i, err := access.ParseInstant(text)
	if err != nil {
		t.Fatal(err)
	}
	return i
}
