package store

import (
	"testing"

	"velada/core/looks"
	"velada/store/migrations"
)

// What a site looked like before looks belonged to editions is what it looks like after, in each of
// its editions and in its working copy; addresses elsewhere stay.
func TestColoursBecomeLooksByAMigration(t *testing.T) {
	db := database(t)
	one, two := site(t, db, "one"), site(t, db, "two")
	provider, err := migrations.All(db)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.DownTo(ctx, 26); err != nil {
		t.Fatal(err)
	}
	for _, statement := range []string{
		`INSERT INTO editions (site, number, at, who, note) VALUES ('` + string(one) + `', 1, 0, 'w', ''), ('` + string(one) + `', 2, 0, 'w', ''), ('` + string(two) + `', 1, 0, 'w', '')`,
		`INSERT INTO site_details (site, details) VALUES ('` + string(one) + `', '{"tint":"#14594a","contact":"a@x.example","profiles":["https://a.example","https://b.example/x"]}'), ('` + string(two) + `', '{"contact":"b@x.example"}')`,
	} {
		if err := exec(ctx, db, statement); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := provider.Up(ctx); err != nil {
		t.Fatal(err)
	}
	details, err := AllDetails(ctx, db, "")
	if err != nil {
		t.Fatal(err)
	}
	if d := details[one]; d.Contact != "a@x.example" || len(d.Links) != 2 || d.Links[1] != (Link{URL: "https://b.example/x"}) {
		t.Errorf("%+v", d)
	}
	if d := details[two]; d.Contact != "b@x.example" || len(d.Links) != 0 {
		t.Errorf("%+v", d)
	}
	for id, want := range map[SiteID]looks.Look{one: {Colour: "#14594a"}, two: {}} {
		if got, err := WorkingLook(ctx, db, id); err != nil || got != want {
			t.Errorf("the working copy of %s: %+v, %v", id, got, err)
		}
		list, err := Editions(ctx, db, id)
		if err != nil || len(list) == 0 {
			t.Fatal(len(list), err)
		}
		for _, e := range list {
			if e.Look != want {
				t.Errorf("edition %d of %s: %+v", e.Number, id, e.Look)
			}
		}
	}
}
