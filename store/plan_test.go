package store

import (
	"context"
	"database/sql"
	"strings"
	"testing"
	"time"

	"velada/core/looks"
)

// explaining runs queries, and notes those that read one of the large tables from end
// to end, as SQLite plans them.
type explaining struct {
	*sql.Tx
	t     *testing.T
	scans []string
}

var large = []string{"pages", "files", "editions", "edition_pages", "edition_files", "page_saves", "ledger", "comments", "blobs", "mails", "notices", "members", "profiles"}

func (e *explaining) explain(query string, args []any) {
	e.t.Helper()
	rows, err := e.Tx.QueryContext(ctx, "EXPLAIN QUERY PLAN "+query, args...)
	if err != nil {
		e.t.Fatalf("%v: %s", err, query)
	}
	defer rows.Close()
	for rows.Next() {
		var a, b, c int
		var step string
		if err := rows.Scan(&a, &b, &c, &step); err != nil {
			e.t.Fatal(err)
		}
		words := strings.Fields(step)
		if words[0] != "SCAN" || len(words) < 2 {
			continue
		}
		for _, table := range large {
			if words[1] == table || len(words[1]) == 1 && strings.Contains(query, table+" "+words[1]) { // by its alias too
				e.scans = append(e.scans, step+": "+query)
			}
		}
	}
}

func (e *explaining) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	e.explain(query, args)
	return e.Tx.ExecContext(ctx, query, args...)
}

func (e *explaining) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	e.explain(query, args)
	return e.Tx.QueryContext(ctx, query, args...)
}

func (e *explaining) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	e.explain(query, args)
	return e.Tx.QueryRowContext(ctx, query, args...)
}

// What is read and written of one site finds it by an index, however large the others are.
func TestNothingOfOneSiteReadsTheOthers(t *testing.T) {
	db := database(t)
	id := site(t, db, "society")
	now := time.Now()
	page := Page{ID: "p", Path: "/", Title: "T", Body: "B", Version: thinEvery, SavedAt: now}
	one := func(_ any, err error) error { return err }
	for name, do := range map[string]func(q Queryer) error{
		"passes":        func(q Queryer) error { return one(PassSecrets(ctx, q, id)) },
		"links":         func(q Queryer) error { return one(LinkVersions(ctx, q, id)) },
		"uses":          func(q Queryer) error { return one(KeyUses(ctx, q, id)) },
		"holding page":  func(q Queryer) error { return one(HoldingPages(ctx, q, id)) },
		"addresses":     func(q Queryer) error { return one(OldAddresses(ctx, q, id)) },
		"short names":   func(q Queryer) error { return one(ShortNames(ctx, q, id)) },
		"results":       func(q Queryer) error { return one(PageResults(ctx, q, id)) },
		"listed":        func(q Queryer) error { return one(ListedPages(ctx, q, id)) },
		"listing":       func(q Queryer) error { return SaveListed(ctx, q, id, []string{"/"}, []string{"/a"}, now, now) },
		"details":       func(q Queryer) error { return one(AllDetails(ctx, q, id)) },
		"membership":    func(q Queryer) error { return one(Memberships[struct{}](ctx, q, id)) },
		"comments":      func(q Queryer) error { return one(ShownComments(ctx, q, id)) },
		"comment":       func(q Queryer) error { return one(FindComment(ctx, q, id, 1)) },
		"profiles":      func(q Queryer) error { return one(Profiles(ctx, q, id)) },
		"profile":       func(q Queryer) error { return one(FindProfile(ctx, q, id, "ines")) },
		"leaving":       func(q Queryer) error { return DropProfile(ctx, q, id, "ines") },
		"live":          func(q Queryer) error { return one(LiveEditions(ctx, q, id)) },
		"moved":         func(q Queryer) error { return one(MovedPages(ctx, q, id)) },
		"outline":       func(q Queryer) error { return one(WorkingOutlines(ctx, q, id)) },
		"numbers":       func(q Queryer) error { return one(LatestEditions(ctx, q, id)) },
		"next number":   func(q Queryer) error { return one(NextNumber(ctx, q, id)) },
		"edition":       func(q Queryer) error { return one(FindEdition(ctx, q, id, 1)) },
		"editions":      func(q Queryer) error { return one(Editions(ctx, q, id)) },
		"due":           func(q Queryer) error { return one(DueEditions(ctx, q, now, id)) },
		"working copy":  func(q Queryer) error { return one(WorkingCopy(ctx, q, id)) },
		"files":         func(q Queryer) error { return one(WorkingFiles(ctx, q, id)) },
		"page":          func(q Queryer) error { return one(FindPage(ctx, q, id, "p")) },
		"adding":        func(q Queryer) error { return AddPage(ctx, q, id, page) },
		"saving":        func(q Queryer) error { return SavePage(ctx, q, id, page, "T", "C", "ines", now) },
		"setting":       func(q Queryer) error { return SetPage(ctx, q, id, "p", "/p", true, true) },
		"order":         func(q Queryer) error { return OrderPages(ctx, q, id, []string{"p"}) },
		"saves":         func(q Queryer) error { return one(PageSaves(ctx, q, id, "p", 10)) },
		"saved":         func(q Queryer) error { return one(PageSaved(ctx, q, id, "p", 1)) },
		"changed":       func(q Queryer) error { return one(ChangedBodies(ctx, q, id)) },
		"how many":      func(q Queryer) error { return one(ChangedPages(ctx, q, id, "/p")) },
		"deleting":      func(q Queryer) error { return DropPage(ctx, q, id, "p") },
		"a file":        func(q Queryer) error { return DropFile(ctx, q, id, "/f") },
		"described":     func(q Queryer) error { return DescribeFile(ctx, q, id, "/f", "A hill") },
		"moved file":    func(q Queryer) error { return MoveFile(ctx, q, id, "/f", "/g") },
		"look":          func(q Queryer) error { return one(WorkingLook(ctx, q, id)) },
		"wearing":       func(q Queryer) error { return SaveLook(ctx, q, id, looks.Look{ID: "vitrine"}) },
		"news":          func(q Queryer) error { return one(FindNewsChoice(ctx, q, id, "ines")) },
		"choosing":      func(q Queryer) error { return SaveNewsChoice(ctx, q, id, NewsChoice{Who: "ines"}) },
		"feed":          func(q Queryer) error { return one(FindFeed(ctx, q, id, []byte("x"))) },
		"own address":   func(q Queryer) error { return SaveFeed(ctx, q, id, "ines", []byte("x")) },
		"followed":      func(q Queryer) error { return one(Followed(ctx, q, id, "ines")) },
		"stopping":      func(q Queryer) error { return StopNews(ctx, q, id, "ines") },
		"no reader":     func(q Queryer) error { return DropReader(ctx, q, id, "ines") },
		"new since":     func(q Queryer) error { return one(NewSince(ctx, q, id, 1, 2)) },
		"readers":       func(q Queryer) error { return one(ReadersOf(ctx, q, id, "", 10)) },
		"told":          func(q Queryer) error { return SaveNewsTold(ctx, q, id, 1) },
		"previews":      func(q Queryer) error { return one(Previews(ctx, q, id, "")) },
		"asking":        func(q Queryer) error { return one(LetIns(ctx, q, id)) },
		"requests":      func(q Queryer) error { return one(Requests(ctx, q, id)) },
		"reasons":       func(q Queryer) error { return one(TeamReasons(ctx, q, id)) },
		"visits":        func(q Queryer) error { return one(LateSiteSessions(ctx, q, id, 5)) },
		"live from now": func(q Queryer) error { return SetLive(ctx, q, id, 1) },
		"ledger of it":  func(q Queryer) error { return one(Ledger(ctx, q, LedgerFilter{Sites: []SiteID{id}})) },
		"of somebody":   func(q Queryer) error { return one(Ledger(ctx, q, LedgerFilter{Who: "ines"})) },
		"of a kind":     func(q Queryer) error { return one(Ledger(ctx, q, LedgerFilter{Kind: "door"})) },
		"kinds":         func(q Queryer) error { return one(LedgerKinds(ctx, q)) },
		"an entry":      func(q Queryer) error { return one(FindEntry(ctx, q, 1)) },
		"writing there": func(q Queryer) error { return WriteLedger(ctx, q, Entry{Site: "society", Kind: "door"}) },
	} {
		tx, err := db.BeginTx(ctx, nil)
		if err != nil {
			t.Fatal(err)
		}
		e := &explaining{Tx: tx, t: t}
		if err := do(e); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		for _, scan := range e.scans {
			t.Errorf("%s: %s", name, scan)
		}
		if err := tx.Rollback(); err != nil {
			t.Fatal(err)
		}
	}
}
