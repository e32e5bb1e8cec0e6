package console

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"

	"velada/app/accounts"
	"velada/core/access"
	"velada/demo"
	"velada/gate"
	"velada/house"
	"velada/identity"
	"velada/standin"
	"velada/store"
)

func mustParse(t testing.TB, address string) access.Address {
	t.Helper()
	a, err := access.ParseAddress(address)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// codeOf is the code of a secret, some time steps from now.
func codeOf(t testing.TB, secret string, steps int) string {
	t.Helper()
	code, err := totp.GenerateCode(secret, time.Now().Add(time.Duration(steps)*30*time.Second))
	if err != nil {
		t.Fatal(err)
	}
	return code
}

// withSecond returns somebody a second step, and what its codes are made from.
func (d *desk) withSecond(address string) (secret string, recovery []string) {
	d.Helper()
	secret = identity.NewSecret()
	recovery, err := accounts.SetSecondStep(context.Background(), d.house, d.house.State().WhoHas(mustParse(d.TB, address)), secret, codeOf(d.TB, secret, -1), "", 0)
	if err != nil {
		d.Fatal(err)
	}
	return secret, recovery
}

// half enters somebody's password, and no more.
func (d *desk) half(address string) *desk {
	d.Helper()
	fresh := d.another()
	if status, _, h := fresh.post("/sign-in", "address", address, "password", demo.Password, "then", "/notices"); status != http.StatusSeeOther || h.Get("Location") != "/second-step" {
		d.Fatalf("%d to %q", status, h.Get("Location"))
	}
	return fresh
}

func (d *desk) isIn() bool {
	d.Helper()
	status, _, _ := d.get("/account")
	return status == http.StatusOK
}

func TestTheSecondStepIsTaken(t *testing.T) {
	d := openDesk(t)
	const pilar = "pilar@cerroalcor.example"
	secret, recovery := d.withSecond(pilar)
	one := d.half(pilar)
	for _, path := range []string{"/account", "/sites", "/sites/society/door", "/sign-in?site=variable-stars"} {
		if status, _, h := one.get(path); status == http.StatusOK && strings.HasPrefix(path, "/sign-in") {
			continue // asked to sign in anew
		} else if !strings.HasPrefix(h.Get("Location"), "/sign-in") && h.Get("Location") != "/second-step" {
			t.Errorf("%s with one step of two: %d to %q", path, status, h.Get("Location"))
		}
	}
	for _, wrong := range []string{"", "000000", codeOf(t, secret, 9), codeOf(t, secret, -1), "abcd-efgh-jkmn"} { // the last but one was used
		if status, body, _ := one.post("/second-step", "code", wrong); status != http.StatusUnprocessableEntity || !strings.Contains(body, "not the code of now") || one.isIn() {
			t.Errorf("%q: %d", wrong, status)
		}
	}
	now := codeOf(t, secret, 0)
	if status, _, h := one.post("/second-step", "code", now[:3]+" "+now[3:]); status != http.StatusSeeOther || h.Get("Location") != "/notices" || !one.isIn() {
		t.Errorf("the code of now: %d to %q", status, h.Get("Location"))
	}
	two := d.half(pilar)
	if two.post("/second-step", "code", now); two.isIn() {
		t.Error("a code works twice")
	}
	three, four := d.half(pilar), d.half(pilar)
	if three.post("/second-step", "code", strings.ToUpper(strings.ReplaceAll(recovery[0], "-", " "))); !three.isIn() {
		t.Error("a recovery code does not stand in")
	}
	if four.post("/second-step", "code", recovery[0]); four.isIn() {
		t.Error("a recovery code works twice")
	}
	five := d.another()
	if five.post("/second-step", "code", recovery[1]); five.isIn() {
		t.Error("the second step alone lets in")
	}
}

func TestCodesAreNotGuessed(t *testing.T) {
	d := openDesk(t)
	_, recovery := d.withSecond("pilar@cerroalcor.example")
	one := d.half("pilar@cerroalcor.example")
	status := 0
	for range 12 {
		status, _, _ = one.post("/second-step", "code", "123456")
	}
	if status != http.StatusTooManyRequests {
		t.Errorf("after many guesses: %d", status)
	}
	if one.post("/second-step", "code", recovery[0]); one.isIn() {
		t.Error("whoever guesses is let in by the right code at once")
	}
}

// Whoever sits at somebody's open console cannot take their second step off, or put
// another in its place.
func TestASecondStepIsKeptByItsCodes(t *testing.T) {
	d := openDesk(t)
	const pilar = "pilar@cerroalcor.example"
	secret, _ := d.withSecond(pilar)
	in := d.half(pilar)
	in.post("/second-step", "code", codeOf(t, secret, 0))
	has := func() string {
		account, err := store.FindAccount(t.Context(), d.house.Reader(), "pilar")
		if err != nil {
			t.Fatal(err)
		}
		return opened(t, d, account.TOTP)
	}
	nothing, err := totp.GenerateCode("", time.Now())
	if err != nil {
		t.Fatal(err)
	}
	_, body, _ := in.get("/account?second=new")
	offered := regexp.MustCompile(`<code[^>]*>([A-Z2-7]{32})</code>`).FindStringSubmatch(body)
	codes := []string{nothing}
	if offered != nil {
		codes = append(codes, codeOf(t, offered[1], 0))
	}
	for _, code := range codes {
		if status, _, _ := in.post("/account/second-step", "code", code); has() != secret {
			t.Fatalf("%d: another second step stands in its place: %q", status, has())
		}
	}
	if status, _, _ := in.post("/account/second-step", "action", "drop", "code", "123456"); status != http.StatusUnprocessableEntity || has() != secret {
		t.Errorf("taken off by a wrong code: %d", status)
	}
	if status, _, _ := in.post("/account/second-step", "action", "drop", "code", codeOf(t, secret, 1)); status != http.StatusSeeOther || has() != "" {
		t.Errorf("taken off by its code: %d, %q", status, has())
	}
	// where none is set up, one that nobody keeps is none
	if in.post("/account/second-step", "code", nothing); has() != "" {
		t.Errorf("%q", has())
	}
	if err := d.house.ChangeSettings(t.Context(), d.house.Actor(mustParse(t, "ines@cerroalcor.example")), "x", func(s *house.Settings) { s.SecondStep = []string{"door"} }); err != nil {
		t.Fatal(err)
	}
	called := d.half(pilar)
	if status, _, _ := called.post("/second-step", "code", nothing); status != http.StatusUnprocessableEntity || called.isIn() {
		t.Errorf("past the second step that is called for, by the code of no secret: %d", status)
	}
	_, body, _ = called.get("/second-step")
	shown := regexp.MustCompile(`[A-Z2-7]{32}`).FindString(body)
	status, body, _ := called.post("/second-step", "code", codeOf(t, shown, 0))
	if status != http.StatusOK || len(regexp.MustCompile(`[2-9a-z]{4}-[2-9a-z]{4}-[2-9a-z]{4}`).FindAllString(body, -1)) != 10 || has() != shown || !called.isIn() {
		t.Errorf("set up on the way in: %d", status)
	}
	if status, _, h := called.post("/account/second-step", "action", "drop", "code", codeOf(t, shown, 1)); status != http.StatusSeeOther || h.Get("Location") != "/account" || has() != shown {
		t.Errorf("taken off although the house calls for it: %d", status)
	}
}

// opened opens the sealed secret of a second step by the keys beside the database.
func opened(t *testing.T, d *desk, sealed string) string {
	t.Helper()
	var file string
	if err := d.house.Reader().QueryRowContext(t.Context(), `SELECT file FROM pragma_database_list WHERE name = 'main'`).Scan(&file); err != nil {
		t.Fatal(err)
	}
	vault, err := identity.OpenVault(filepath.Join(filepath.Dir(file), house.KeyFile))
	if err != nil {
		t.Fatal(err)
	}
	if sealed != "" && !identity.Sealed(sealed) {
		t.Errorf("the secret of a second step is kept in plain: %q", sealed)
	}
	secret, err := vault.Open("second step", sealed)
	if err != nil {
		t.Fatal(err)
	}
	return secret
}

// mailed returns where the last link leads that was mailed to an address.
func (d *desk) mailed(address string) string {
	d.Helper()
	d.house.Wait()
	list, err := d.house.Outbox.Mails(context.Background(), address, 1)
	if err != nil || len(list) == 0 {
		d.Fatalf("no letter to %s: %v", address, err)
	}
	at := regexp.MustCompile(`http://velada\.localhost(/by-mail/[A-Za-z0-9_-]+)`).FindStringSubmatch(list[0].Text)
	if at == nil {
		d.Fatalf("no link in %s", list[0].Text)
	}
	return at[1]
}

func TestALinkByMailSignsInOnce(t *testing.T) {
	d := openDesk(t)
	d.post("/forgot", "address", "mateo@cerroalcor.example", "then", "/notices")
	link := d.mailed("mateo@cerroalcor.example")
	if status, body, _ := d.get(link); status != http.StatusOK || !strings.Contains(body, "mateo@cerroalcor.example") || d.isIn() {
		t.Fatalf("looking at the link, as mail programs do, spends it: %d", status)
	}
	if status, _, h := d.post(link, "kind", house.LinkSignIn); status != http.StatusSeeOther || h.Get("Location") != "/notices" || !d.isIn() {
		t.Errorf("%d to %q", status, h.Get("Location"))
	}
	again := d.another()
	if status, _, _ := again.post(link, "kind", house.LinkSignIn); status != http.StatusGone || again.isIn() {
		t.Errorf("a second time: %d", status)
	}
	if status, _, _ := again.get(link); status != http.StatusGone {
		t.Errorf("looked at a second time: %d", status)
	}
	secret, _ := d.withSecond("pilar@cerroalcor.example")
	d.post("/forgot", "address", "pilar@cerroalcor.example")
	pilar := d.another()
	if _, _, h := pilar.post(d.mailed("pilar@cerroalcor.example"), "kind", house.LinkSignIn); h.Get("Location") != "/second-step" || pilar.isIn() {
		t.Error("a link stands for both steps")
	}
	if pilar.post("/second-step", "code", codeOf(t, secret, 0)); !pilar.isIn() {
		t.Error("nor does it stand for one")
	}
}

func TestANewPasswordByMailEndsWhatWasOpen(t *testing.T) {
	d := openDesk(t)
	open := d.another().signIn("mateo@cerroalcor.example")
	d.post("/forgot", "address", "mateo@cerroalcor.example", "kind", house.LinkReset)
	link := d.mailed("mateo@cerroalcor.example")
	for _, password := range []string{"", "short", "mateo@cerroalcor.example"} {
		if status, _, _ := d.post(link, "kind", house.LinkReset, "password", password); status != http.StatusUnprocessableEntity {
			t.Errorf("%q: %d", password, status)
		}
	}
	if !open.isIn() {
		t.Fatal("a password that was refused ends what is open")
	}
	if status, _, _ := d.post(link, "kind", house.LinkReset, "password", "walnut ferry indigo moss"); status != http.StatusSeeOther || !d.isIn() {
		t.Errorf("%d", status)
	}
	if open.isIn() {
		t.Error("whoever was in is in still")
	}
	old := d.another()
	if status, _, _ := old.post("/sign-in", "address", "mateo@cerroalcor.example", "password", demo.Password); status != http.StatusUnprocessableEntity {
		t.Errorf("by the old password: %d", status)
	}
	if status, _, _ := old.post(link, "kind", house.LinkReset, "password", "another walnut ferry moss"); status != http.StatusGone {
		t.Errorf("the link again: %d", status)
	}
}

func TestThroughAProvider(t *testing.T) {
	d := openDesk(t)
	var stand *standin.Provider
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { stand.ServeHTTP(w, r) }))
	defer server.Close()
	var err error
	stand, err = standin.NewProvider(server.URL, "velada", "s3cret", []standin.ProviderAccount{
		{Address: "jonas@cerroalcor.example", Verified: true}, {Address: "salma@cerroalcor.example", Verified: false}, {Address: "tobias@lens.example", Verified: true},
	})
	if err != nil {
		t.Fatal(err)
	}
	err = d.house.ChangeSettings(t.Context(), d.house.Actor(mustParse(t, "ines@cerroalcor.example")), "x", func(s *house.Settings) {
		s.Providers = []house.Provider{{ID: "theirs", Name: "Their accounts", Issuer: server.URL, Client: "velada", Secret: "s3cret", Domains: []string{"cerroalcor.example"}}}
	})
	if err != nil {
		t.Fatal(err)
	}
	begin := func(d *desk) string {
		t.Helper()
		status, _, h := d.get("/sign-in/with/theirs?then=/notices")
		if status != http.StatusSeeOther || !strings.HasPrefix(h.Get("Location"), server.URL) {
			t.Fatalf("%d to %q", status, h.Get("Location"))
		}
		return h.Get("Location")
	}
	choose := func(at, as string) string { // what the provider leads back to
		t.Helper()
		client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		r, err := client.Get(at + "&as=" + url.QueryEscape(as))
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
		return strings.TrimPrefix(r.Header.Get("Location"), "http://velada.localhost")
	}
	jonas := d.another()
	back := choose(begin(jonas), "jonas@cerroalcor.example")
	if status, _, _ := d.another().get(back); status != http.StatusBadRequest {
		t.Errorf("an answer in a browser that asked nothing: %d", status)
	}
	if status, _, h := jonas.get(back); status != http.StatusSeeOther || h.Get("Location") != "/notices" || !jonas.isIn() {
		t.Errorf("%d to %q", status, h.Get("Location"))
	}
	if status, _, _ := jonas.get(back); status != http.StatusBadRequest {
		t.Errorf("the same answer again: %d", status)
	}
	for as, why := range map[string]string{"salma@cerroalcor.example": "not verified", "tobias@lens.example": "trusted for cerroalcor.example alone"} {
		fresh := d.another()
		if status, body, _ := fresh.get(choose(begin(fresh), as)); status != http.StatusForbidden || !strings.Contains(body, why) || fresh.isIn() {
			t.Errorf("%s: %d %.300s", as, status, body)
		}
	}
	if status, _, _ := d.get("/sign-in/with/nobody"); status != http.StatusNotFound {
		t.Errorf("a provider that the house does not know: %d", status)
	}
	server.Close()
	d.console.Providers.Forget(server.URL)
	if status, body, _ := d.get("/sign-in/with/theirs"); status != http.StatusBadGateway || !strings.Contains(body, "Their accounts does not answer") {
		t.Errorf("a provider that is away: %d", status)
	}
}

func TestSettingUpNeedsTheCode(t *testing.T) {
	db, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "velada.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	house, err := house.Open(t.Context(), db, func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	site := func(address string) string { return "http://" + address + ".localhost" }
	g := gate.New(house, site("velada"), false, site)
	c := New(t.Context(), house, &gate.Glass{Gate: g, Console: site("velada"), Origin: site}, "quiet-lamp-seven", false, func(a string) string { return a + ".localhost" }, site)
	server := httptest.NewServer(c)
	defer server.Close()
	d := (&desk{TB: t, house: house, server: server, console: c}).another()
	for _, path := range []string{"/", "/sites", "/account"} {
		if _, _, h := d.get(path); h.Get("Location") != "/set-up" {
			t.Errorf("%s leads to %q", path, h.Get("Location"))
		}
	}
	form := []string{"code", "quiet-lamp-seven", "house", "Night School", "zone", "Europe/Madrid", "name", "Edda Galindo", "address", "edda@night.example", "password", "walnut ferry indigo moss"}
	with := func(name, value string) []string {
		changed := append([]string{}, form...)
		for i := 0; i < len(changed); i += 2 {
			if changed[i] == name {
				changed[i+1] = value
			}
		}
		return changed
	}
	for _, wrong := range [][2]string{{"code", ""}, {"code", "quiet-lamp-six"}, {"house", ""}, {"zone", "Europe/Nowhere"}, {"name", ""}, {"address", "edda"}, {"password", "edda"}} {
		status, body, _ := d.post("/set-up", with(wrong[0], wrong[1])...)
		if status != http.StatusUnprocessableEntity || house.State() != nil || wrong[0] != "house" && !strings.Contains(body, "Night School") {
			t.Errorf("%v: %d, or what was typed is lost", wrong, status)
		}
	}
	if status, _, h := d.post("/set-up", form...); status != http.StatusSeeOther || h.Get("Location") != "/sites" || !d.isIn() {
		t.Fatalf("%d to %q", status, h.Get("Location"))
	}
	if status, _, _ := d.another().post("/set-up", with("house", "Mine")...); status == http.StatusOK || house.State().Policy.Document().House.Name != "Night School" {
		t.Errorf("set up a second time: %d", status)
	}
	if _, _, h := d.another().get("/set-up"); h.Get("Location") != "/sign-in" {
		t.Errorf("afterwards the set-up leads to %q", h.Get("Location"))
	}
}
