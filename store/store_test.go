package store

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"velada/core/access"
)

var ctx = context.Background()

// empty is a database without anything in it: making its tables takes longer than most tests.
var empty = sync.OnceValues(func() ([]byte, error) {
	folder, err := os.MkdirTemp("", "velada-store-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	db, err := Open(ctx, filepath.Join(folder, "velada.db"))
	if err != nil {
		return nil, err
	}
	if err := db.Close(); err != nil { // which takes in what is in the log
		return nil, err
	}
	return os.ReadFile(filepath.Join(folder, "velada.db"))
})

func database(t *testing.T) *sql.DB {
	t.Helper()
	file := filepath.Join(t.TempDir(), "velada.db")
	data, err := empty()
	if err == nil {
		err = os.WriteFile(file, data, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	db, err := Open(ctx, file)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func site(t *testing.T, db *sql.DB, address string) SiteID {
	t.Helper()
	if err := SaveSite(ctx, db, &access.Site{Address: address}, 0); err != nil {
		t.Fatal(err)
	}
	ids, err := SiteIDs(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	return ids[address]
}

func TestAChangeIsWholeOrNotAtAll(t *testing.T) {
	db := database(t)
	broken := errors.New("halfway")
	err := InTx(ctx, db, func(tx *sql.Tx) error {
		if err := NewAccount(ctx, tx, Account{Who: "a@x.example", Name: "A"}); err != nil {
			return err
		}
		return broken
	})
	if !errors.Is(err, broken) {
		t.Fatal(err)
	}
	if a, err := FindAccount(ctx, db, "a@x.example"); a != nil || err != nil {
		t.Errorf("half a change is kept: %+v %v", a, err)
	}
}

func TestAccountsKeepWhatTheyAreGiven(t *testing.T) {
	db := database(t)
	want := Account{Who: "a@x.example", Name: "Ada", Password: "hash", MustChange: true, TOTP: "SECRET", TOTPUsed: 7, ByMail: []string{"role"}}
	if err := NewAccount(ctx, db, want); err != nil {
		t.Fatal(err)
	}
	got, err := FindAccount(ctx, db, want.Who)
	if err != nil || got.Name != "Ada" || !got.MustChange || got.TOTP != "SECRET" || got.TOTPUsed != 7 || len(got.ByMail) != 1 {
		t.Errorf("%+v %v", got, err)
	}
	for _, c := range []struct {
		step int64
		used bool
	}{{7, false}, {8, true}, {8, false}, {6, false}, {9, true}} { // a code works once, and never an earlier one
		if used, err := UseTimeStep(ctx, db, want.Who, c.step); err != nil || used != c.used {
			t.Errorf("step %d: %v %v", c.step, used, err)
		}
	}
	names, err := AccountNames(ctx, db)
	if err != nil || names["a@x.example"] != "Ada" {
		t.Error(names, err)
	}
}

func TestWhatWorksOnceIsSpentOnce(t *testing.T) {
	db := database(t)
	now := time.Unix(1_800_000_000, 0)
	token := [32]byte{1}
	if err := SaveMailLink(ctx, db, token, MailLink{Kind: "sign-in", Address: "a@x.example", Detail: "{}", Ends: now.Add(time.Minute)}, now); err != nil {
		t.Fatal(err)
	}
	if l, err := FindMailLink(ctx, db, token, now.Add(time.Minute)); l != nil || err != nil {
		t.Errorf("after its end: %+v %v", l, err)
	}
	if l, err := FindMailLink(ctx, db, token, now); l == nil || err != nil {
		t.Errorf("%+v %v", l, err)
	}
	for _, want := range []bool{true, false} {
		if spent, err := SpendMailLink(ctx, db, token); err != nil || spent != want {
			t.Errorf("%v %v, want %v", spent, err, want)
		}
	}
	// making another forgets those that ended
	if err := SaveMailLink(ctx, db, token, MailLink{Kind: "reset", Address: "a@x.example", Ends: now}, now.Add(-time.Second)); err != nil {
		t.Fatal(err)
	}
	if err := SaveMailLink(ctx, db, [32]byte{2}, MailLink{Kind: "reset", Address: "a@x.example", Ends: now.Add(time.Hour)}, now.Add(time.Second)); err != nil {
		t.Fatal(err)
	}
	var left int
	if err := db.QueryRowContext(ctx, `SELECT count(*) FROM mail_links`).Scan(&left); err != nil || left != 1 {
		t.Errorf("%d links are kept: %v", left, err)
	}
	if err := DropMailLinks(ctx, db, "reset", "a@x.example"); err != nil {
		t.Fatal(err)
	}
	if l, _ := FindMailLink(ctx, db, [32]byte{2}, now); l != nil {
		t.Error("dropped, and still there")
	}

	codes := [][32]byte{{1}, {2}}
	if err := SaveRecoveryCodes(ctx, db, "a@x.example", codes); err != nil {
		t.Fatal(err)
	}
	if spent, _ := SpendRecoveryCode(ctx, db, "b@x.example", codes[0]); spent {
		t.Error("another's recovery code")
	}
	for _, want := range []bool{true, false} {
		if spent, err := SpendRecoveryCode(ctx, db, "a@x.example", codes[0]); err != nil || spent != want {
			t.Errorf("%v %v, want %v", spent, err, want)
		}
	}
	if n, err := RecoveryCodes(ctx, db, "a@x.example"); n != 1 || err != nil {
		t.Error(n, err)
	}

	code := JoinCode{Code: "walnut-ferry-42", Group: "g", By: "a@x.example", At: now, Ends: now, Most: 2}
	if err := SaveJoinCode(ctx, db, code); err != nil {
		t.Fatal(err)
	}
	for _, want := range []bool{true, true, false} {
		if used, err := UseJoinCode(ctx, db, code.Code); err != nil || used != want {
			t.Errorf("%v %v, want %v", used, err, want)
		}
	}
}

func TestNoticesAreSeenUpToWhatWasShown(t *testing.T) {
	db := database(t)
	for i, who := range []Who{"a@x.example", "a@x.example", "b@x.example", "a@x.example"} {
		if err := SaveNotice(ctx, db, Notice{Who: who, At: time.Unix(int64(i), 0), Kind: "role", What: "x", URL: "/"}); err != nil {
			t.Fatal(err)
		}
	}
	list, err := Notices(ctx, db, "a@x.example", 9)
	if err != nil || len(list) != 3 || list[0].At.Unix() != 3 {
		t.Fatalf("%+v %v", list, err)
	}
	if err := SeeNotices(ctx, db, "a@x.example", list[1].ID); err != nil { // one came since the page was shown
		t.Fatal(err)
	}
	for who, want := range map[Who]int{"a@x.example": 1, "b@x.example": 1, "c@x.example": 0} {
		if n, err := UnseenNotices(ctx, db, who); n != want || err != nil {
			t.Errorf("%s: %d %v", who, n, err)
		}
	}
}

func TestMailIsFoundAndMarked(t *testing.T) {
	db := database(t)
	for _, m := range []Mail{
		{Address: "a@x.example", Subject: "Friday", Raw: []byte("one"), Status: "kept"}, {Address: "b@x.example", Subject: "For Ada", Raw: []byte("two"), Status: "waiting"},
	} {
		if _, err := SaveMail(ctx, db, m); err != nil {
			t.Fatal(err)
		}
	}
	for words, want := range map[string]int{"": 2, "ADA": 1, "a@x": 1, "x.example": 2, "100%": 0, "_": 0} {
		if list, err := Mails(ctx, db, MailsLike{Words: words}, 0, 9); err != nil || len(list) != want {
			t.Errorf("%q: %d %v", words, len(list), err)
		}
	}
	now := time.Unix(1000, 0)
	waiting, err := NextMail(ctx, db, now)
	if err != nil || waiting == nil {
		t.Fatal(waiting, err)
	}
	waiting.Tries, waiting.First, waiting.Last, waiting.Next, waiting.Answer = 1, now, now, now.Add(time.Minute), "451 later"
	if err := MarkMail(ctx, db, *waiting); err != nil {
		t.Fatal(err)
	}
	if m, err := NextMail(ctx, db, now.Add(59*time.Second)); m != nil || err != nil {
		t.Error("it is due before its time", m, err)
	}
	m, err := FindMail(ctx, db, waiting.ID)
	if err != nil || m.Status != MailWaiting || m.Tries != 1 || string(m.Raw) != "two" || m.Next != now.Add(time.Minute) || m.Answer != "451 later" {
		t.Errorf("%+v %v", m, err)
	}
	if n, err := SendMailsNow(ctx, db, MailWaiting, 0); n != 1 || err != nil {
		t.Error(n, err)
	}
	if m, err := NextMail(ctx, db, now); m == nil || m.Tries != 0 || err != nil {
		t.Error("it is not due at once", m, err)
	}
	if n, err := PutOffMails(ctx, db, now, now.Add(time.Hour), now.Add(-time.Hour), "away"); n != 0 || err != nil {
		t.Error(n, err)
	}
	if n, err := PutOffMails(ctx, db, now.Add(3*time.Hour), now.Add(4*time.Hour), now.Add(time.Hour), "away"); n != 1 || err != nil {
		t.Error("what is too old is not given up", n, err)
	}
	if m, err := FindMail(ctx, db, 99); m != nil || err != nil {
		t.Error(m, err)
	}
	if _, err := SaveMail(ctx, db, Mail{Status: "lost"}); err == nil {
		t.Error("a status that there is not")
	}
}

func TestWhenAPageWasChanged(t *testing.T) {
	db := database(t)
	one := site(t, db, "one")
	save := func(number int, at int64, bodies ...string) {
		t.Helper()
		e := &Edition{Site: one, Number: number, At: time.Unix(at, 0), Who: "a"}
		for i, body := range bodies {
			id := string(rune('a' + i))
			e.Pages = append(e.Pages, Page{ID: id, Path: "/" + id, Title: id, Body: body})
		}
		if err := errors.Join(SaveEdition(ctx, db, e), SetLive(ctx, db, one, number)); err != nil {
			t.Fatal(err)
		}
	}
	save(1, 100, "x", "y")
	save(2, 200, "x", "z", "new")
	save(4, 300, "x", "y", "new") // an edition may be missing; back to what it said before is a change too
	live, err := LiveEditions(ctx, db, one)
	if err != nil {
		t.Fatal(err)
	}
	var got []int64
	for _, p := range live[one].Pages {
		got = append(got, p.Changed.Unix())
	}
	if !slices.Equal(got, []int64{100, 300, 200}) {
		t.Error(got)
	}
}

func TestAnInvitationGoesWithItsSite(t *testing.T) {
	db := database(t)
	one, two := site(t, db, "one"), site(t, db, "two")
	inv := Invitation{ID: "i", Who: "a@x.example", By: "b@x.example", At: time.Unix(1, 0), Ends: time.Unix(2, 0), Token: [32]byte{3}, Status: "waiting", To: []Invited{{one, "/", "editor"}, {two, "/a", "viewer"}}}
	if err := SaveInvitation(ctx, db, inv); err != nil {
		t.Fatal(err)
	}
	if found, err := InvitationByToken(ctx, db, [32]byte{3}); err != nil || len(found.To) != 2 || found.To[1].Under != "/a" || found.To[0].Site != one {
		t.Errorf("%+v %v", found, err)
	}
	inv.Token = [32]byte{4}
	if err := SaveInvitation(ctx, db, inv); err != nil {
		t.Fatal(err)
	}
	if old, err := InvitationByToken(ctx, db, [32]byte{3}); old != nil || err != nil {
		t.Error("the old link still leads to it")
	}
	if _, err := db.ExecContext(ctx, `UPDATE sites SET address = 'first' WHERE address = 'one'`); err != nil {
		t.Fatal(err)
	}
	if list, err := WaitingInvitations(ctx, db, one); err != nil || len(list) != 1 {
		t.Errorf("a site that moved: %+v %v", list, err)
	}
	if _, err := db.ExecContext(ctx, `DELETE FROM sites WHERE address = 'first'`); err != nil {
		t.Fatal(err)
	}
	if found, _ := FindInvitation(ctx, db, "i"); len(found.To) != 1 || found.To[0].Site != two {
		t.Errorf("a site that is gone: %+v", found)
	}
	if err := MarkInvitation(ctx, db, "i", "accepted"); err != nil {
		t.Fatal(err)
	}
	if list, _ := InvitationsTo(ctx, db, "a@x.example"); len(list) != 0 {
		t.Error("it still waits")
	}
}

func TestSettingsAreWhatWasWrittenLast(t *testing.T) {
	db := database(t)
	if got, err := Setting(ctx, db, "x"); err != nil || got != "" {
		t.Error(got, err)
	}
	if err := errors.Join(SaveSetting(ctx, db, "x", "2"), SaveSetting(ctx, db, "x", "3")); err != nil {
		t.Fatal(err)
	}
	if got, err := Setting(ctx, db, "x"); err != nil || got != "3" {
		t.Error(got, err)
	}
}

func TestTheLedgerShowsWhereItWasTamperedWith(t *testing.T) {
	db := database(t)
	for _, what := range []string{"one", "two", "three"} {
		if err := WriteLedger(ctx, db, Entry{At: "2026-11-24T17:00:00Z", Who: "a@x.example", Kind: "door", What: what}); err != nil {
			t.Fatal(err)
		}
	}
	if broken, n, err := VerifyLedger(ctx, db); broken != 0 || n != 3 || err != nil {
		t.Error(broken, n, err)
	}
	for _, tamper := range []string{`UPDATE ledger SET what = 'nothing' WHERE number = 2`, `DELETE FROM ledger WHERE number = 2`} {
		err := InTx(ctx, db, func(tx *sql.Tx) error {
			if _, err := tx.ExecContext(ctx, tamper); err != nil {
				return err
			}
			if broken, _, err := VerifyLedger(ctx, tx); broken == 0 || err != nil {
				t.Errorf("%s is not seen: %v", tamper, err)
			}
			return sql.ErrTxDone // back to what it was
		})
		if !errors.Is(err, sql.ErrTxDone) {
			t.Error(err)
		}
	}
}

func TestPeopleAndGroupsAreBroughtUpToDate(t *testing.T) {
	db := database(t)
	before, err := access.Read([]byte(`velada: 1
house: {name: H, zone: UTC}
people: [{id: a, name: A, address: a@x.example}, {id: b, name: B, address: b@x.example}]
groups: [{id: g, people: [a, b]}]
sites: [{address: one, members: [{who: b, status: approved}]}]
`))
	if err != nil {
		t.Fatal(err)
	}
	if err := InTx(ctx, db, func(tx *sql.Tx) error { return SaveDocument(ctx, tx, before) }); err != nil {
		t.Fatal(err)
	}
	after := *before
	after.People = []access.Person{{ID: "c", Name: "C", Address: "c@x.example"}, {ID: "a", Name: "Ada", Address: "a@x.example"}}
	after.Groups = []access.Group{{ID: "g", People: []string{"c"}}, {ID: "h"}}
	place := *before.Sites[0]
	place.Members = nil
	after.Sites = []*access.Site{&place}
	if err := InTx(ctx, db, func(tx *sql.Tx) error { return SaveChanges(ctx, tx, before, &after) }); err != nil {
		t.Fatal(err)
	}
	got, err := Document(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	one, _ := got.JSON()
	two, _ := after.JSON()
	if string(one) != string(two) {
		t.Errorf("%s\nwant %s", one, two)
	}
	// somebody who is still a member is never lost
	if err := InTx(ctx, db, func(tx *sql.Tx) error {
		copied := after
		copied.People = after.People[:1]
		member := place
		member.Members = []access.Member{{Who: "a", Status: "approved"}}
		copied.Sites = []*access.Site{&member}
		return SaveChanges(ctx, tx, &after, &copied)
	}); err == nil {
		t.Error("a member who is nobody is kept")
	}
}
