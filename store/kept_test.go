package store

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/store/migrations"
)

// columns lists all columns of a database as table.column.
func columns(t *testing.T, db *sql.DB) []string {
	t.Helper()
	list, err := collect(ctx, db, scanText[string], `SELECT m.name || '.' || c.name FROM sqlite_master m JOIN pragma_table_info(m.name) c
		WHERE m.type = 'table' AND m.name NOT LIKE 'sqlite_%' AND m.name NOT LIKE 'goose_%' ORDER BY 1`)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// Every column that says whose something is must be named among those whose rows are
// carried over or end; and every one that names data, among those that keep it.
func TestEveryColumnThatNamesSomebodyIsAccountedFor(t *testing.T) {
	db := database(t)
	accounted := map[string]bool{
		"people.address": true, "people.former": true, // the document
		"ledger.who": true, "ledger.who_id": true, // what happened, sealed
		"ledger_words.who": true, "mails_words.address": true, // indexes that follow their tables
		"mails.address": true, "mail_links.address": true, // a mailbox, not somebody
		"sites.address": true, "old_addresses.address": true, // of sites
	}
	for _, c := range whose {
		accounted[c.table+"."+c.column] = true
	}
	names := []string{"who", "by", "person", "saved_by", "address", "who_id", "former", "holder", "owner", "author"}
	blobs := map[string]bool{}
	for _, k := range blobKeys {
		blobs[k.table+"."+k.key] = true
	}
	seen := map[string]bool{}
	for _, c := range columns(t, db) {
		_, name, _ := strings.Cut(c, ".")
		if slices.Contains(names, name) && !accounted[c] {
			t.Errorf("%s names somebody, and nothing says what becomes of it when they are merged or gone", c)
		}
		if slices.Contains([]string{"blob", "picture", "icon"}, name) && c != "holding_pages.picture" && !blobs[c] {
			t.Errorf("%s names data, and what it names is swept", c)
		}
		seen[c] = true
	}
	for c := range accounted {
		if !seen[c] {
			t.Errorf("there is no column %s", c)
		}
	}
}

// rowsOf puts a row of somebody's into every table, and counts what there is of them.
func rowsOf(t *testing.T, db *sql.DB, who Who, site SiteID, n int) {
	t.Helper()
	now := time.Unix(1_800_000_000, 0)
	text := string(who)
	part := &access.Site{Address: "x"}
	for what, err := range map[string]error{
		"account":  NewAccount(ctx, db, Account{Who: who, Name: text, Password: text}),
		"passkey":  NewPasskey(ctx, db, Passkey{ID: fmt.Appendf(nil, "key %d", n), Handle: []byte("h"), Who: who, Made: now, Used: now}),
		"codes":    SaveRecoveryCodes(ctx, db, who, [][32]byte{{byte(n)}}),
		"browser":  KnowBrowser(ctx, db, who, [32]byte{byte(n)}, now),
		"sign-in":  SaveSession(ctx, db, Session{ID: fmt.Sprint("in ", n), Who: who, Began: now, Used: now}),
		"subject":  SaveSubject(ctx, db, "https://issuer.example", fmt.Sprint("subject ", n), who, now),
		"visit":    SaveSiteSession(ctx, db, SiteSession{Token: [32]byte{byte(n)}, Site: site, Who: who, Console: fmt.Sprint("in ", n), Expires: now}),
		"preview":  SavePreview(ctx, db, Preview{ID: fmt.Sprint("p", n), Site: site, Until: now, Who: who}),
		"keeper":   exec(ctx, db, `INSERT INTO group_keepers (grp, who) VALUES (?, ?)`, fmt.Sprint("g", n), who),
		"notice":   SaveNotice(ctx, db, Notice{Who: who, At: now}),
		"invited":  SaveInvitation(ctx, db, Invitation{ID: fmt.Sprint("i", n), Who: who, By: who, At: now, Ends: now, Token: [32]byte{byte(n)}, Status: "waiting", Mailed: true}),
		"tray":     SaveRehearsal(ctx, db, &Rehearsal{Site: site, Who: who, Base: part, Draft: part, Secrets: map[string]NewSecret{}}),
		"request":  SaveRequest(ctx, db, site, PublishRequest{Who: who, At: now}),
		"code":     SaveJoinCode(ctx, db, JoinCode{Code: fmt.Sprint("c", n), Group: "g", By: who, At: now, Ends: now, Most: 1}),
		"join":     SaveJoinRequest(ctx, db, JoinRequest{Group: "g", Who: who, Name: text, At: now}),
		"let in":   SaveLetIn(ctx, db, LetIn{Site: site, Path: "/", Who: who, At: now}),
		"profile":  SaveProfile(ctx, db, site, Profile{Person: text}),
		"comment":  SaveComment(ctx, db, &Comment{Site: site, Path: "/", Person: text, At: now, Status: "shown"}, now),
		"reason":   SaveTeamReason(ctx, db, site, text, "staff"),
		"edition":  SaveEdition(ctx, db, &Edition{Site: site, Number: n, At: now, Who: who}),
		"page":     AddPage(ctx, db, site, Page{ID: fmt.Sprint("page", n), Path: fmt.Sprint("/", n), SavedAt: now, SavedBy: who}),
		"save":     exec(ctx, db, `INSERT INTO page_saves (site, page, version, at, who, title, body) VALUES (?, 'x', ?, 0, ?, '', '')`, site, n, who),
		"unmerged": SaveUnmerged(ctx, db, site, "x", Unmerged{At: now, Who: who, Body: text}),
		"ruled":    SaveRuleNote(ctx, db, RuleNote{Rule: fmt.Sprintf("r%d", n), Who: who}),
		"excepts":  SaveException(ctx, db, Exception{Site: site, Rule: fmt.Sprintf("r%d", n), Who: who}),
		"feed":     SaveCalendarAddress(ctx, db, who, [32]byte{byte(n)}, time.Unix(0, 0)),
		"reminded": exec(ctx, db, `INSERT INTO reminded (who, what, at) VALUES (?, ?, 0) ON CONFLICT DO NOTHING`, who, fmt.Sprint(n)),
		"reminds":  exec(ctx, db, `INSERT INTO reminders (who, every) VALUES (?, 'day') ON CONFLICT DO NOTHING`, who),
		"left":     exec(ctx, db, `INSERT INTO left_as_is (finding, site, state, title, who, at, reason) VALUES (?, ?, '', '', ?, 0, '') ON CONFLICT DO NOTHING`, fmt.Sprint(n), site, who),
		"reader":   SaveNewsChoice(ctx, db, site, NewsChoice{Who: who, News: true}),
		"follows":  Follow(ctx, db, site, who, fmt.Sprint("page", n), true, now),
		"due once": exec(ctx, db, `INSERT INTO due_editions (site, number, due, who) VALUES (?, ?, 0, ?) ON CONFLICT DO NOTHING`, site, n, who),
	} {
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
}

func countOf(t *testing.T, db *sql.DB, who Who, only fate) (n int) {
	t.Helper()
	for _, c := range whose {
		if c.table == "members" || only >= 0 && c.merged != only {
			continue
		}
		var here int
		if err := db.QueryRowContext(ctx, `SELECT count(*) FROM `+c.table+` WHERE `+c.column+` = ?`, who).Scan(&here); err != nil {
			t.Fatal(err)
		}
		n += here
	}
	return n
}

func TestMovingAndDroppingLeaveNothingBehind(t *testing.T) {
	const all = fate(-1)
	for name, c := range map[string]struct {
		account bool // of the one whom it goes to
		gone    bool
	}{"to who has none": {false, false}, "to who has an account": {true, true}} {
		t.Run(name, func(t *testing.T) {
			db := database(t)
			one := site(t, db, "one")
			rowsOf(t, db, "a@x.example", one, 1)
			if c.account {
				if err := NewAccount(ctx, db, Account{Who: "ada", Password: "hers"}); err != nil {
					t.Fatal(err)
				}
			}
			had, ends := countOf(t, db, "a@x.example", all), countOf(t, db, "a@x.example", end)
			if had < len(whose)-2 || ends < 6 {
				t.Fatalf("only %d rows, %d that end", had, ends)
			}
			gone, err := MoveWho(ctx, db, "a@x.example", "ada")
			if err != nil || gone != c.gone || countOf(t, db, "a@x.example", all) != 0 {
				t.Errorf("gone %v, %d rows are left, %v", gone, countOf(t, db, "a@x.example", all), err)
			}
			want := had
			if c.account {
				want = had - ends + 1
			}
			if got := countOf(t, db, "ada", all); got != want {
				t.Errorf("%d rows are hers, want %d", got, want)
			}
			if a, err := FindAccount(ctx, db, "ada"); err != nil || (a.Password == "hers") != c.account {
				t.Errorf("%+v %v", a, err)
			}
			if err := DropWho(ctx, db, "ada", "Ada, who left"); err != nil || countOf(t, db, "ada", all) != 0 {
				t.Errorf("%d rows of who is gone: %v", countOf(t, db, "ada", all), err)
			}
			if e, err := FindEdition(ctx, db, one, 1); err != nil || e.Who != "Ada, who left" {
				t.Errorf("what she did is told of %q: %v", e.Who, err)
			}
		})
	}
}

// A request that waits under an address which was made up for it never becomes
// anybody else's, with its password.
func TestARequestUnderAMadeUpAddressIsNobodyElses(t *testing.T) {
	db := database(t)
	for who, password := range map[Who]string{"lena@class.example": "a hash", "signed@in.example": ""} {
		if err := SaveJoinRequest(ctx, db, JoinRequest{Group: "g", Who: who, Password: password, At: time.Unix(0, 0)}); err != nil {
			t.Fatal(err)
		}
		if _, err := MoveWho(ctx, db, who, "p-"+who[:4]); err != nil {
			t.Fatal(err)
		}
	}
	list, err := JoinRequests(ctx, db, "g")
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range list {
		if r.Password != "" && r.Who != "lena@class.example" {
			t.Errorf("%s has the password of a request", r.Who)
		}
	}
}

func TestSweepingKeepsWhatAnythingNames(t *testing.T) {
	db := database(t)
	one := site(t, db, "one")
	keys := map[string]string{}
	for _, what := range []string{"file", "edition", "profile", "icon", "loose"} {
		key, err := SaveBlob(ctx, db, []byte(what))
		if err != nil {
			t.Fatal(err)
		}
		keys[what] = key
	}
	for what, err := range map[string]error{
		"file":    SaveFile(ctx, db, one, File{Path: "/a", Blob: keys["file"]}),
		"edition": SaveEdition(ctx, db, &Edition{Site: one, Number: 1, At: time.Unix(0, 0), Files: []File{{Path: "/a", Blob: keys["edition"]}}}),
		"profile": SaveProfile(ctx, db, one, Profile{Person: "ada", Picture: keys["profile"]}),
		"icon":    SaveDetails(ctx, db, one, Details{Icon: keys["icon"]}),
		"sweep":   nil,
	} {
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	if err := DropLooseBlobs(ctx, db); err != nil {
		t.Fatal(err)
	}
	for what, key := range keys {
		if _, err := Blob(ctx, db, key); (err == nil) != (what != "loose") {
			t.Errorf("%s: %v", what, err)
		}
	}
}

func TestNobodyElseReadsTheFile(t *testing.T) {
	file := filepath.Join(t.TempDir(), "velada.db")
	if err := os.WriteFile(file, nil, 0o644); err != nil { // as an earlier Velada made it
		t.Fatal(err)
	}
	db, err := Open(ctx, file)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := NewAccount(ctx, db, Account{Who: "a@x.example"}); err != nil {
		t.Fatal(err)
	}
	copied := filepath.Join(t.TempDir(), "copy.db")
	reading, err := OpenToRead(ctx, file)
	if err != nil {
		t.Fatal(err)
	}
	defer reading.Close()
	if err := CopyTo(ctx, reading, copied); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{file, file + "-wal", file + "-shm", copied} {
		info, err := os.Stat(name)
		if err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v %v", name, info, err)
		}
	}
	if _, err := reading.ExecContext(ctx, `DELETE FROM accounts`); err == nil {
		t.Error("what is opened to read is written")
	}
	again, err := Open(ctx, copied)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	if a, err := FindAccount(ctx, again, "a@x.example"); err != nil || a == nil {
		t.Errorf("the copy lacks something: %v", err)
	}
}

func TestReadingMakesAndChangesNothing(t *testing.T) {
	folder := t.TempDir()
	if _, err := OpenToRead(ctx, filepath.Join(folder, "velada.db")); err == nil {
		t.Error("there is a house where there is none")
	}
	if left, _ := os.ReadDir(folder); len(left) != 0 {
		t.Errorf("reading made %v", left)
	}
	for version, want := range map[int]error{8: ErrOlder, migrations.Newest + 1: ErrNewer} {
		file := filepath.Join(t.TempDir(), "velada.db")
		db, err := Open(ctx, file)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(ctx, `DELETE FROM goose_db_version WHERE version_id > ?1; INSERT INTO goose_db_version (version_id, is_applied) VALUES (?1, 1)`, version); err != nil {
			t.Fatal(err)
		}
		db.Close()
		if _, err := OpenToRead(ctx, file); err == nil || !strings.Contains(err.Error(), want.Error()) {
			t.Errorf("version %d: %v", version, err)
		}
	}
}
