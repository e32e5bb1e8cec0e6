package demo

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

func TestTheHouseAsItIsDescribed(t *testing.T) {
	ctx := context.Background()
	db, err := store.Open(ctx, filepath.Join(t.TempDir(), "velada.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := Make(ctx, db, Start); err != nil {
		t.Fatal(err)
	}
	doc, err := store.Document(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	p, err := access.Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	at := access.At(Start)
	if len(doc.People) != 70 || len(doc.Sites) != 6 {
		t.Errorf("%d people, %d sites", len(doc.People), len(doc.Sites))
	}
	statuses := map[string]int{}
	for _, m := range doc.Sites[0].Members {
		statuses[m.Status]++
	}
	if statuses["approved"] != 18 || statuses["pending"] != 4 || statuses["blocked"] != 1 {
		t.Errorf("members: %v", statuses)
	}
	for site, want := range map[string]access.Outcome{
		"society": access.Open, "variable-stars": access.Challenge, "new-dome": access.Held, "instrument-log": access.Challenge, "dossier": access.Challenge, "august": access.Absent,
	} {
		if got := p.Site(site).Decide("/", &access.Visitor{}, at).Outcome; got != want {
			t.Errorf("a stranger at %s meets %v", site, got)
		}
	}
	ids, err := store.SiteIDs(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	for site, want := range map[string]int{"society": 3, "variable-stars": 2, "august": 0} {
		editions, err := store.Editions(ctx, db, ids[site])
		if err != nil || len(editions) != want {
			t.Fatalf("%s has %d editions, %v", site, len(editions), err)
		}
		said := map[string]bool{}
		for _, e := range editions {
			whole, err := store.FindEdition(ctx, db, ids[site], e.Number)
			if err != nil {
				t.Fatal(err)
			}
			text := ""
			for _, page := range whole.Pages {
				text += page.Path + page.Body
			}
			said[text] = true
		}
		if len(said) != want {
			t.Errorf("%s: editions that say the same", site)
		}
	}
	for _, j := range p.Judge(at) {
		if j.Kept == (j.Promise.ID == "council-dossier") {
			t.Errorf("%s: kept %v", j.Promise.ID, j.Kept)
		}
	}
	if !identity.StrengthOf(Passes["dossier"]["hollis"], "dossier").Weak() {
		t.Error("the dossier has a weak pass")
	}
}

// The dates stay as far ahead as they were, by whole days in the house's zone.
func TestDatesAreShifted(t *testing.T) {
	for _, days := range []int{0, 1, 200, -30} {
		now := Start.AddDate(0, 0, days)
		doc, err := Document(now)
		if err != nil {
			t.Fatal(err)
		}
		zone, err := time.LoadLocation(doc.House.Zone)
		if err != nil {
			t.Fatal(err)
		}
		show := doc.Sites[1].Passes[0].From.Time().In(zone)
		if want := time.Date(2026, 12, 12, 20, 0, 0, 0, zone).AddDate(0, 0, days); !show.Equal(want) {
			t.Errorf("%d days on, show night is %v, want %v", days, show, want)
		}
	}
}
