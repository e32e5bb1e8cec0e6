package house_test

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/members"
	"velada/app/pages"
	"velada/core/access"
	"velada/demo"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// earlierHouse opens a database as the program wrote it when its tables were at
// version 8: the demo house, with a bit of everything that hangs on sites and people.
func earlierHouse(t *testing.T) (*house.House, string) {
	t.Helper()
	text, err := os.ReadFile("testdata/schema-8.sql")
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "velada.db")
	old, err := sql.Open("sqlite", file)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := old.ExecContext(ctx, string(text)); err != nil {
		t.Fatal(err)
	}
	if err := old.Close(); err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(ctx, file)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	h, err := house.Open(ctx, db, func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	h.SiteURL = func(address string) string { return "http://" + address + ".localhost" }
	return h, file
}

func TestAnEarlierHouseDecidesAsItDid(t *testing.T) {
	h, _ := earlierHouse(t)
	var want struct {
		Decisions map[string]map[string]string
		SignIns   []string `json:"sign_ins"`
		Password  string
	}
	text, err := os.ReadFile("testdata/schema-8.json")
	if err == nil {
		err = json.Unmarshal(text, &want)
	}
	if err != nil {
		t.Fatal(err)
	}
	s, at, asked := h.State(), access.At(h.Now()), 0
	for place, answers := range want.Decisions {
		site, path, _ := strings.Cut(place, " ")
		for answer, whose := range answers {
			for _, address := range strings.Fields(whose) {
				asked++
				v := access.Visitor{}
				got := ""
				if address != "stranger" {
					a, err := access.ParseAddress(address)
					if err != nil {
						t.Fatal(err)
					}
					v.Identity = s.Identity(s.WhoHas(a))
					got = " " + strings.Join(s.Policy.Site(site).Capabilities(path, v.Identity, at).Names(), " ")
				}
				if got = strings.TrimSpace(s.Policy.Site(site).Decide(path, &v, at).Outcome.String() + got); got != answer {
					t.Errorf("%s at %s %s: %s, was %s", address, site, path, got, answer)
				}
			}
		}
	}
	if asked < 3000 {
		t.Fatalf("only %d questions", asked)
	}
	for _, address := range want.SignIns {
		who, err := accounts.SignIn(ctx, h, address, want.Password, house.From{IP: "192.0.2.7"})
		if a, _ := s.AddressOf(who); err != nil || a.String() != address {
			t.Errorf("%s cannot sign in any more: %q %v", address, who, err)
		}
	}
}

func TestAnEarlierHouseKeepsWhatPeopleHave(t *testing.T) {
	h, file := earlierHouse(t)
	s := h.State()
	ines, mateo, aiko, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "mateo@cerroalcor.example"), who(t, h, "aiko@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	roth := who(t, h, "roth@lens.example")
	if mateo.Who != "mateo" || roth.Who != "nadia-roth" || roth.Name != "Nadia Roth" {
		t.Errorf("%+v %+v", mateo, roth)
	}
	// signed in, on the console and on a site
	if who, in, err := h.Sessions.FindSession(ctx, "sign-in-of-mateo"); err != nil || !in || who != "mateo" {
		t.Errorf("%q %v %v", who, in, err)
	}
	if who, in := h.Sessions.SiteSession("visit-of-mateo", s.ID("instrument-log")); !in || who != "mateo" {
		t.Errorf("a visit: %q %v", who, in)
	}
	if _, in := h.Sessions.SiteSession("visit-of-mateo", s.ID("observatory")); in {
		t.Error("a visit counts on another site")
	}
	// what they sign in with
	if has, err := h.Sessions.HasSecondStep(ctx, ines.Who); err != nil || !has {
		t.Errorf("the second step is gone: %v", err)
	}
	if err := accounts.SecondStep(ctx, h, ines.Who, codeOf(t, "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP"), house.From{IP: "192.0.2.1"}); err != nil {
		t.Errorf("its codes are refused: %v", err)
	}
	if err := accounts.SecondStep(ctx, h, ines.Who, "aaaa-bbbb-cccc", house.From{IP: "192.0.2.1"}); err != nil {
		t.Errorf("a recovery code is refused: %v", err)
	}
	keys, err := store.Passkeys(ctx, h.DB(), mateo.Who)
	if err != nil || len(keys) != 1 || string(keys[0].ID) != "key-of-mateo" || len(keys[0].Handle) != sha256.Size {
		t.Errorf("passkeys: %+v %v", keys, err)
	}
	// what waits
	if waiting, err := store.WaitingInvitations(ctx, h.DB(), s.ID("observatory")); err != nil || len(waiting) != 1 || waiting[0].Who != "helper@outside.example" || waiting[0].By != "ines" {
		t.Errorf("invitations: %+v %v", waiting, err)
	}
	if joins, err := store.JoinRequests(ctx, h.DB(), "antlia"); err != nil || len(joins) != 1 || joins[0].Who != "lena-brandt@aula.cerroalcor.example" {
		t.Errorf("joins: %+v %v", joins, err)
	}
	if tray, err := h.Trays.Tray(ctx, pilar, "observatory"); err != nil || tray == nil || tray.Due.IsZero() {
		t.Errorf("a rehearsal: %+v %v", tray, err)
	}
	if list, err := pages.PreviewsFor(ctx, h, aiko, "variable-stars"); err != nil || len(list) != 1 || list[0].Who != "aiko" {
		t.Errorf("previews: %+v %v", list, err)
	}
	if due, err := store.DueEditions(ctx, h.DB(), time.Time{}, s.ID("variable-stars")); err != nil || len(due) != 1 || due[0].Who != "aiko" {
		t.Errorf("due: %+v %v", due, err)
	}
	if kept, err := store.KeptBy(ctx, h.DB(), aiko.Who); err != nil || !slices.Contains(kept, "variable-stars") {
		t.Errorf("groups: %v %v", kept, err)
	}
	if reasons, err := store.TeamReasons(ctx, h.DB(), s.ID("observatory")); err != nil || reasons["nadia-roth"] != "volunteer" {
		t.Errorf("reasons: %v %v", reasons, err)
	}
	// the site that moved
	if s.LedTo("society") != "observatory" || s.Site("observatory").Short["nights"] != "/open-nights" || len(s.Site("observatory").Comments["/members"]) == 0 || s.Site("observatory").Live.Number != 31 {
		t.Error("something of the site that moved is lost")
	}
	if list, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Sites: []store.SiteID{s.ID("observatory")}}); err != nil || len(list) < 5 {
		t.Errorf("the ledger: %d %v", len(list), err)
	}
	if broken, n, err := store.VerifyLedger(ctx, h.DB()); broken != 0 || n == 0 || err != nil {
		t.Errorf("the ledger breaks at %d of %d: %v", broken, n, err)
	}
	if err := pages.ChangeAddress(ctx, h, ines, "observatory", "hill"); err != nil {
		t.Error(err)
	}
	if broken, _, err := store.VerifyLedger(ctx, h.DB()); broken != 0 || err != nil {
		t.Errorf("the ledger breaks at %d: %v", broken, err)
	}
	// no secret is left in plain
	for _, q := range []string{`SELECT count(*) FROM accounts WHERE totp LIKE 'JBSW%'`, `SELECT count(*) FROM mails WHERE text NOT LIKE 'sealed:%' OR html NOT LIKE 'sealed:%'`,
		`SELECT count(*) FROM secrets WHERE CAST(value AS TEXT) NOT LIKE 'sealed:%'`} {
		var n int
		if err := h.DB().QueryRowContext(ctx, q).Scan(&n); err != nil || n != 0 {
			t.Errorf("%s: %d %v", q, n, err)
		}
	}
	if info, err := os.Stat(filepath.Join(filepath.Dir(file), house.KeyFile)); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the key file: %v %v", info, err)
	}
	// with other keys nothing opens, and nothing is guessed
	other, err := identity.OpenVault(filepath.Join(t.TempDir(), "other.key"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := house.Open(context.Background(), h.DB(), time.Now, house.WithVault(other)); err == nil {
		t.Error("a house opens with the keys of another")
	}
}

// Letters that were sent before can still be stopped.
func TestALetterOfAnEarlierHouseCanBeStopped(t *testing.T) {
	h, _ := earlierHouse(t)
	key, err := hex.DecodeString("28E550657C8F260E4DCB8A433D9E69E2FF9A0F715A383C976A5AFBF82FC1C205") // as it stands in the file
	if err != nil {
		t.Fatal(err)
	}
	member := h.State().SiteDocument("observatory").Members[0].Who
	address, _ := h.State().AddressOf(store.Who(member))
	mac := hmac.New(sha256.New, key)
	mac.Write([]byte("stop society " + address.String()))
	token := base64.RawURLEncoding.EncodeToString(append([]byte("society "+address.String()+" "), mac.Sum(nil)[:16]...))
	if site, to, err := members.Stop(ctx, h, token, true); err != nil || site != "observatory" || to != address.String() {
		t.Errorf("%q %q %v", site, to, err)
	}
	if p, err := store.FindProfile(ctx, h.DB(), h.State().ID("observatory"), member); err != nil || !p.NoMail {
		t.Errorf("%+v %v", p, err)
	}
}
