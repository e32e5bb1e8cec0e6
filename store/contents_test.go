package store

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"velada/core/access"
	"velada/store/migrations"
)

// Editions that share what their pages say come back as each was written, whatever changed
// between them, and keep nothing twice.
func TestEditionsShareTheirPages(t *testing.T) {
	db := database(t)
	one, two := site(t, db, "one"), site(t, db, "two")
	page := func(id, path, body string) Page {
		return Page{ID: id, Path: path, Title: "T " + id, Body: body, HTML: "<p>" + body, Kind: "markdown", Listing: true}
	}
	a, b, c := page("a", "/", "x"), page("b", "/b", "x"), page("c", "/c", "z")
	moved, menu, filed := b, a, c
	moved.Path, menu.InMenu, filed.File, filed.Head = "/d", true, "c.md", "k: v"
	states := [][]Page{{a, b, c}, {a, b, c}, {c, a, b}, {menu, moved}, {a, b, filed}, {}, {a, b, c}, {page("c", "/", "x"), page("a", "/b", "y")}}
	for i, pages := range states {
		for _, of := range []SiteID{one, two} {
			if err := SaveEdition(ctx, db, &Edition{Site: of, Number: 2*i + 1, At: time.Unix(int64(i), 0), Who: "w", Pages: pages}); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := SaveEdition(ctx, db, &Edition{Site: one, Number: 4, At: time.Unix(9, 0)}); err == nil {
		t.Error("an edition between others was written")
	}
	for i, want := range states {
		e, err := FindEdition(ctx, db, one, 2*i+1)
		if err != nil || len(e.Pages) != len(want) || len(want) > 0 && !reflect.DeepEqual(e.Pages, want) {
			t.Fatalf("edition %d: %+v, %v", 2*i+1, e, err)
		}
		for _, p := range want {
			if html, err := PageHTML(ctx, db, one, 2*i+1, p.Path); html != p.HTML || err != nil {
				t.Errorf("edition %d, %s: %q, %v", 2*i+1, p.Path, html, err)
			}
		}
	}
	count := func(query string) (n int) {
		if err := db.QueryRowContext(ctx, query).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := count(`SELECT count(*) FROM page_contents`); n != 6 { // x, y and z of each
		t.Errorf("%d contents are kept", n)
	}
	if n := count(`SELECT count(*) FROM edition_pages WHERE site = '` + string(one) + `' AND since <= 3`); n != 3 {
		t.Errorf("%d rows of two equal editions", n)
	}
	if err := exec(ctx, db, `DELETE FROM sites WHERE id = ?`, two); err != nil {
		t.Fatal(err)
	}
	if n := count(`SELECT count(*) FROM page_contents`); n != 3 {
		t.Errorf("%d contents are left", n)
	}
}

// What was written before contents were kept once is the same after.
func TestContentsAreSharedByAMigration(t *testing.T) {
	db := database(t)
	one := site(t, db, "one")
	for _, statement := range []string{
		`DROP TABLE edition_pages`, `DROP TABLE page_contents`,
		`CREATE TABLE edition_pages (site TEXT NOT NULL, number INTEGER NOT NULL, path TEXT NOT NULL, title TEXT NOT NULL, body TEXT NOT NULL, html TEXT NOT NULL, position INTEGER NOT NULL, in_menu INTEGER NOT NULL,
			id TEXT NOT NULL DEFAULT '', listing INTEGER NOT NULL DEFAULT 1, kind TEXT NOT NULL DEFAULT 'markdown', mark TEXT NOT NULL DEFAULT '', file TEXT NOT NULL DEFAULT '', head TEXT NOT NULL DEFAULT '', changed INTEGER NOT NULL DEFAULT 0,
			PRIMARY KEY (site, number, path), FOREIGN KEY (site, number) REFERENCES editions ON DELETE CASCADE ON UPDATE CASCADE)`,
		`CREATE INDEX edition_pages_outline ON edition_pages (site, number, position)`, `CREATE INDEX edition_pages_marks ON edition_pages (site, number, id)`,
	} {
		if err := exec(ctx, db, statement); err != nil {
			t.Fatal(err)
		}
	}
	var want [][]Page
	for n := range 12 {
		number := n + n/5 // there is no edition 5
		if err := exec(ctx, db, `INSERT INTO editions (site, number, at, who, note) VALUES (?, ?, ?, 'w', '')`, one, number+1, n); err != nil {
			t.Fatal(err)
		}
		var pages []Page
		for i := range 6 {
			p := Page{ID: fmt.Sprint("p", i), Path: fmt.Sprint("/", i), Title: "T", Body: fmt.Sprint("b", i, (n+i)/4%2), Kind: "markdown", Listing: i%2 == 0}
			p.HTML = "<p>" + p.Body
			if i == n%7 {
				continue // not in this one
			}
			pages = append(pages, p)
			if err := exec(ctx, db, `INSERT INTO edition_pages (site, number, path, title, body, html, position, in_menu, id, listing, mark, changed) VALUES (?, ?, ?, ?, ?, ?, ?, 0, ?, ?, ?, ?)`,
				one, number+1, p.Path, p.Title, p.Body, p.HTML, i, p.ID, p.Listing, mark(p.Title, p.Body), n); err != nil {
				t.Fatal(err)
			}
		}
		want = append(want, pages)
	}
	if err := exec(ctx, db, `DELETE FROM goose_db_version WHERE version_id = 25`); err != nil {
		t.Fatal(err)
	}
	provider, err := migrations.All(db)
	if err == nil {
		_, err = provider.ApplyVersion(ctx, 25, true)
	}
	if err != nil {
		t.Fatal(err)
	}
	for n, pages := range want {
		number := n + n/5
		if e, err := FindEdition(ctx, db, one, number+1); err != nil || !reflect.DeepEqual(e.Pages, pages) {
			t.Errorf("edition %d: %+v, not %+v: %v", number+1, e, pages, err)
		}
	}
	var rows, contents int
	if err := db.QueryRowContext(ctx, `SELECT (SELECT count(*) FROM edition_pages), (SELECT count(*) FROM page_contents)`).Scan(&rows, &contents); err != nil || rows >= 50 || contents != 12 {
		t.Errorf("%d rows, %d contents, %v", rows, contents, err)
	}
}

func TestTheLedgerAndTheOutboxAreSearched(t *testing.T) {
	db := database(t)
	for i := range 30 {
		if err := WriteLedger(ctx, db, Entry{At: "2026-11-24T19:40:00Z", Who: fmt.Sprintf("ana%d@hill.example", i%3), Site: "society", Kind: "door", What: fmt.Sprintf("Año %d: the door opens.", i)}); err != nil {
			t.Fatal(err)
		}
	}
	for words, want := range map[string]int{"": 30, "ano": 30, "AÑO 2": 11, "ana1@hill.example": 10, "ana1@hill.example door 4": 1, "none": 0, `"`: 0, `" OR "`: 0, "- door": 30, "soc* 7": 1, "society what:1": 0} {
		if n, err := CountLedger(ctx, db, LedgerFilter{Words: words}); n != want || err != nil {
			t.Errorf("%q: %d %v", words, n, err)
		}
	}
	m := Mail{At: time.Unix(1, 0), Address: "zoe@press.example", Subject: "A letter", Raw: []byte("r"), Status: MailKept}
	id, err := SaveMail(ctx, db, m)
	if err != nil {
		t.Fatal(err)
	}
	find := func(words string) int {
		n, err := CountMails(ctx, db, MailsLike{Words: words, Status: MailKept})
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	if find("press") != 1 || find("?") != 0 {
		t.Error("a letter is not found by its address")
	}
	if err := exec(ctx, db, `UPDATE mails SET address = 'gone@else.example' WHERE id = ?`, id); err != nil || find("press") != 0 || find("else let") != 1 {
		t.Error("the index does not follow", err)
	}
	seen := 0
	if err := EachMail(ctx, db, MailsLike{Words: "let"}, func(m Mail) error { seen++; return nil }); err != nil || seen != 1 {
		t.Error(seen, err)
	}
	if err := exec(ctx, db, `DELETE FROM mails`); err != nil || find("let") != 0 {
		t.Error("the index keeps what is gone", err)
	}
}

// Members that are written by what differs are those that the document lists, in its order.
func TestMembersAreWrittenByWhatDiffers(t *testing.T) {
	db := database(t)
	doc := &access.Document{Velada: 1, House: access.House{Name: "H", Zone: "Europe/Madrid"}}
	for i := range 12 {
		doc.People = append(doc.People, access.Person{ID: fmt.Sprint("p", i), Name: "N", Address: fmt.Sprintf("p%d@x.example", i)})
	}
	doc.Sites = []*access.Site{access.NewSite("s", "S")}
	if err := InTx(ctx, db, func(tx *sql.Tx) error { return SaveDocument(ctx, tx, doc) }); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(3, 4))
	var members []access.Member
	for step := range 100 {
		next := slices.Clone(members)
		for range 1 + r.IntN(3) {
			switch who := fmt.Sprint("p", r.IntN(12)); {
			case slices.ContainsFunc(next, func(m access.Member) bool { return m.Who == who }):
				i := slices.IndexFunc(next, func(m access.Member) bool { return m.Who == who })
				switch r.IntN(3) {
				case 0:
					next = slices.Delete(next, i, i+1)
				case 1:
					next[i].Status = []string{"approved", "pending", "blocked"}[r.IntN(3)]
				default:
					m := next[i]
					next = slices.Insert(slices.Delete(next, i, i+1), 0, m)
				}
			case r.IntN(4) == 0:
				next = slices.Insert(next, r.IntN(len(next)+1), access.Member{Who: who, Status: "approved"})
			default:
				next = append(next, access.Member{Who: who, Status: "approved"})
			}
		}
		site := *doc.Sites[0]
		site.Members = next
		if err := InTx(ctx, db, func(tx *sql.Tx) error { return SaveSiteOver(ctx, tx, &site, 0, members) }); err != nil {
			t.Fatal(step, err)
		}
		read, err := Document(ctx, db)
		if err != nil || !slices.Equal(read.Sites[0].Members, next) {
			t.Fatalf("step %d: from %v to %v, and it is %v: %v", step, members, next, read.Sites[0].Members, err)
		}
		members = next
	}
}

// Many entries at once are chained as one after the other is.
func TestManyEntriesAreChained(t *testing.T) {
	db := database(t)
	one := site(t, db, "one")
	for _, many := range []int{1, 200, 0, 61} {
		var entries []Entry
		for i := range many {
			entries = append(entries, Entry{At: "2026-11-24T19:40:00Z", Who: "a", Site: []string{"one", "", "none"}[i%3], Kind: "door", What: fmt.Sprint("Entry ", i)})
		}
		if err := WriteLedger(ctx, db, entries...); err != nil {
			t.Fatal(err)
		}
	}
	if broken, n, err := VerifyLedger(ctx, db); broken != 0 || n != 262 || err != nil {
		t.Errorf("broken at %d of %d: %v", broken, n, err)
	}
	if list, err := Ledger(ctx, db, LedgerFilter{Sites: []SiteID{one}}); len(list) != 89 || err != nil {
		t.Errorf("%d entries of the site, %v", len(list), err)
	}
}
