package house_test

import (
	"compress/gzip"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/core/access"
	"velada/demo"
	"velada/demo/raced"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/store/migrations"
)

// released are the versions that the tables of a house had when a program was handed on. A demo house as
// each of these programs wrote it lies in testdata/schemas.
var released = []int{1, 2, 3, 4, 5, 6, 7, 8, 10, 11, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 26, 27, 28, 29, 30, 31}

// Every version of the tables that was ever released comes up whole: it decides as it did, its people sign
// in, and its ledger, names, pages, files and editions are there. The house as it was lies beside it.
func TestEveryReleasedHouseComesUpWhole(t *testing.T) {
	if newest := released[len(released)-1]; newest != migrations.Newest {
		t.Errorf("testdata/schemas has no house of version %d, which is released with this program: see docs/how-it-works.md", migrations.Newest)
	}
	versions := released
	if raced.On {
		versions = []int{1, 11, migrations.Newest}
	}
	for _, version := range versions {
		t.Run(fmt.Sprint(version), func(t *testing.T) { t.Parallel(); comesUpWhole(t, version) })
	}
}

func comesUpWhole(t *testing.T, version int) {
	folder := t.TempDir()
	file := filepath.Join(folder, "velada.db")
	for _, name := range []string{"velada.db", house.KeyFile} {
		unpack(t, fmt.Sprintf("testdata/schemas/%d.%s.gz", version, name), filepath.Join(folder, name))
	}
	before := readRaw(t, file)
	var told store.Migrated
	db, err := store.Open(ctx, file, func(done store.Migrated) { told = done })
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	vault, err := identity.OpenVault(filepath.Join(folder, house.KeyFile))
	if err != nil {
		t.Fatal(err)
	}
	h, err := house.Open(ctx, db, func() time.Time { return demo.Start }, house.WithVault(vault))
	if err != nil {
		t.Fatal(err)
	}
	if version < migrations.Newest {
		if told.From != int64(version) || told.To != migrations.Newest {
			t.Errorf("told %+v", told)
		}
		if copied := readRaw(t, told.Copy); !slices.Equal(copied.ledger, before.ledger) || len(copied.accounts) != len(before.accounts) {
			t.Error("what lies beside it is not the house as it was")
		}
	}
	after := readRaw(t, file)
	if broken, n, err := store.VerifyLedger(ctx, db); err != nil || broken != 0 || n != len(before.ledger) {
		t.Errorf("the ledger breaks at %d of %d, there were %d: %v", broken, n, len(before.ledger), err)
	}
	if !slices.Equal(after.ledger, before.ledger) {
		t.Error("the ledger is another")
	}
	if !maps.Equal(after.files, before.files) || !maps.Equal(after.editions, before.editions) || !maps.Equal(after.pages, before.pages) {
		t.Errorf("files %d and %d, editions %d and %d, pages %d and %d", len(before.files), len(after.files), len(before.editions), len(after.editions), len(before.pages), len(after.pages))
	}
	decidesAsBefore(t, before.doc, h)
	byName := map[string]string{}
	for who, hash := range after.accounts {
		a, _ := h.State().AddressOf(store.Who(who))
		byName[a.String()] = hash
	}
	for who, hash := range before.accounts {
		a := who
		if p := before.doc.Person(who); p != nil {
			a = p.Address
		}
		if byName[strings.ToLower(a)] != hash {
			t.Errorf("the account of %s is another", who)
		}
	}
	for _, address := range []string{"ines@cerroalcor.example", "mateo@cerroalcor.example"} {
		who, err := accounts.SignIn(ctx, h, address, demo.Password, house.From{IP: "192.0.2.7"})
		if a, _ := h.State().AddressOf(who); err != nil || a.String() != address {
			t.Errorf("%s cannot sign in: %q %v", address, who, err)
		}
	}
}

// decidesAsBefore asks for everybody, a stranger and every page what the policy says, and what it said.
func decidesAsBefore(t *testing.T, doc *access.Document, h *house.House) {
	before, err := access.Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	s, asked := h.State(), 0
	at := access.At(h.Now())
	for _, site := range doc.Sites {
		now := s.Policy.Site(site.Address)
		if now == nil {
			t.Errorf("%s is gone", site.Address)
			continue
		}
		for _, p := range site.Pages {
			for _, address := range append([]string{""}, addresses(doc)...) {
				var was, is access.Visitor
				if address != "" {
					a, err := access.ParseAddress(address)
					if err != nil {
						t.Fatal(err)
					}
					was.Identity = before.Address(a)
					is.Identity = s.Policy.Address(a)
				}
				asked++
				old := before.Site(site.Address)
				if a, b := old.Decide(p.Path, &was, at).Outcome, now.Decide(p.Path, &is, at).Outcome; a != b {
					t.Errorf("%s%s for %q: %v, was %v", site.Address, p.Path, address, b, a)
				}
				if a, b := old.Capabilities(p.Path, was.Identity, at), now.Capabilities(p.Path, is.Identity, at); a != b {
					t.Errorf("%s%s for %q: %v, was %v", site.Address, p.Path, address, b.Names(), a.Names())
				}
			}
		}
	}
	if asked < 500 {
		t.Errorf("only %d questions", asked)
	}
}

func addresses(doc *access.Document) (list []string) {
	for _, p := range doc.People {
		list = append(list, p.Address)
	}
	for _, s := range doc.Sites {
		for _, e := range s.Team {
			if e.Address != "" {
				list = append(list, e.Address)
			}
		}
	}
	return list
}

// raw is what a house holds, read by plain queries that any version of the tables answers.
type raw struct {
	doc                    *access.Document
	ledger                 []string          // what each entry says, with its seal
	accounts               map[string]string // passwords by whose they are
	files, editions, pages map[string]string
}

func readRaw(t *testing.T, file string) (r raw) {
	t.Helper()
	db, err := sql.Open("sqlite", file)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	has := func(table, column string) bool {
		var n int
		if err := db.QueryRow(`SELECT count(*) FROM pragma_table_info(?) WHERE name = ?`, table, column).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n > 0
	}
	rows := func(query string) (list [][]string) {
		t.Helper()
		found, err := db.Query(query)
		if err != nil {
			t.Fatalf("%s: %v", query, err)
		}
		defer found.Close()
		columns, _ := found.Columns()
		for found.Next() {
			texts, to := make([]string, len(columns)), make([]any, len(columns))
			for i := range texts {
				to[i] = &texts[i]
			}
			if err := found.Scan(to...); err != nil {
				t.Fatal(err)
			}
			list = append(list, texts)
		}
		if err := found.Err(); err != nil {
			t.Fatal(err)
		}
		return list
	}
	pairs := func(query string) map[string]string {
		t.Helper()
		all := map[string]string{}
		for _, row := range rows(query) {
			all[strings.Join(row[:len(row)-1], " ")] = row[len(row)-1]
		}
		return all
	}
	for _, row := range rows(`SELECT number, at, who, site, kind, what, before, after, earlier, hash FROM ledger ORDER BY number`) {
		r.ledger = append(r.ledger, strings.Join(row, "\x00"))
	}
	holder, address, id := "who", "address", "id"
	if !has("accounts", "who") {
		holder = "address"
	}
	if !has("sites", "id") {
		id = "address"
	}
	r.accounts = pairs(`SELECT ` + holder + `, password FROM accounts`)
	r.editions = pairs(`SELECT s.` + address + `, e.number, e.at || ' ' || e.note FROM editions e JOIN sites s ON s.` + id + ` = e.site`)
	switch {
	case has("page_contents", "id"):
		r.pages = pairs(`SELECT s.address, e.number, p.path, p.title || ' ' || c.body FROM edition_pages p JOIN page_contents c ON c.id = p.content
			JOIN sites s ON s.id = p.site JOIN editions e ON e.site = p.site AND e.number >= p.since AND e.number < p.until`)
	default:
		r.pages = pairs(`SELECT s.address, p.number, p.path, p.title || ' ' || p.body FROM edition_pages p JOIN sites s ON s.` + id + ` = p.site`)
	}
	r.files = filesOf(has, pairs, id)
	r.doc = documentOf(t, rows, has("people", "former"), id)
	return r
}

// filesOf are the files of editions.
func filesOf(has func(table, column string) bool, pairs func(query string) map[string]string, id string) map[string]string {
	if has("edition_files", "blob") {
		return pairs(`SELECT s.address, f.number, f.path, b.data FROM edition_files f JOIN blobs b ON b.key = f.blob JOIN sites s ON s.` + id + ` = f.site`)
	}
	return pairs(`SELECT s.address, f.number, f.path, f.data FROM edition_files f JOIN sites s ON s.` + id + ` = f.site`)
}

// documentOf puts the policy document together from its rows.
func documentOf(t *testing.T, rows func(query string) [][]string, former bool, id string) *access.Document {
	t.Helper()
	type object = map[string]any
	part := func(text string) (o object) {
		if err := json.Unmarshal([]byte(text), &o); err != nil {
			t.Fatal(err)
		}
		return o
	}
	all := object{"velada": 1}
	for _, row := range rows(`SELECT name, zone, domains FROM house`) {
		all["house"] = object{"name": row[0], "zone": row[1], "domains": json.RawMessage(row[2])}
	}
	before := `'[]'`
	if former {
		before = "former"
	}
	var people, sites []object
	for _, row := range rows(`SELECT id, name, address, steward, blocked, ` + before + ` FROM people ORDER BY position, id`) {
		people = append(people, object{"id": row[0], "name": row[1], "address": row[2], "steward": row[3] == "1", "blocked": row[4] == "1", "former": json.RawMessage(row[5])})
	}
	all["people"] = people
	for _, table := range []string{"groups", "rules", "promises"} {
		list := []object{}
		for _, row := range rows(`SELECT part FROM ` + table + ` ORDER BY position, rowid`) {
			list = append(list, part(row[0]))
		}
		all[table] = list
	}
	for _, row := range rows(`SELECT ` + id + `, part FROM sites ORDER BY position, rowid`) {
		site, members := part(row[1]), []object{}
		for _, m := range rows(`SELECT person, status FROM members WHERE site = '` + row[0] + `' ORDER BY position, person`) {
			members = append(members, object{"who": m[0], "status": m[1]})
		}
		site["members"] = members
		sites = append(sites, site)
	}
	all["sites"] = sites
	text, err := json.Marshal(all)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := access.Read(text)
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

func unpack(t *testing.T, from, to string) {
	t.Helper()
	f, err := os.Open(from)
	if os.IsNotExist(err) && strings.Contains(from, house.KeyFile) {
		return // secrets were not sealed yet
	}
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	zipped, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(zipped)
	if err == nil {
		err = os.WriteFile(to, text, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
}
