package identity_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"velada/identity"
	"velada/standin"
)

// asker is Velada's side of the stand-in provider, by a clock that can be set.
type asker struct {
	*identity.Providers
	identity.Provider
	stand  *standin.Provider
	server *httptest.Server
	now    time.Time
}

func provider(t *testing.T) *asker {
	t.Helper()
	a := &asker{now: time.Now()}
	a.server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { a.stand.ServeHTTP(w, r) }))
	t.Cleanup(a.server.Close)
	var err error
	a.stand, err = standin.NewProvider(a.server.URL, "velada", "s3cret", []standin.ProviderAccount{
		{Address: "jonas@cerroalcor.example", Name: "Jonas", Verified: true}, {Address: "salma@cerroalcor.example", Name: "Salma", Verified: "false"},
		{Address: "nadia@cerroalcor.example", Name: "Nadia", Verified: "true"}, {Address: "desk@cerroalcor.example"},
	})
	if err != nil {
		t.Fatal(err)
	}
	a.Providers = identity.NewProviders(func() time.Time { return a.now })
	a.Provider = identity.Provider{Issuer: a.server.URL, Client: "velada", Secret: "s3cret", Back: "http://velada.localhost/sign-in/back"}
	return a
}

// choose goes to the provider as a browser would, and returns the answer it leads back with.
func choose(t *testing.T, to, as string) url.Values {
	t.Helper()
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := client.Get(to + "&as=" + url.QueryEscape(as))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	back, err := url.Parse(r.Header.Get("Location"))
	if err != nil || !strings.HasPrefix(back.String(), "http://velada.localhost/sign-in/back?") {
		text, _ := io.ReadAll(r.Body)
		t.Fatalf("led to %v\n%s", back, text)
	}
	return back.Query()
}

// through signs somebody in, as far as identity goes.
func (a *asker) through(t *testing.T, as string) (identity.Answer, error) {
	t.Helper()
	to, asked, err := a.Ask(t.Context(), a.Provider)
	if err != nil {
		t.Fatal(err)
	}
	return a.Answer(t.Context(), a.Provider, asked, choose(t, to, as))
}

func TestSigningInThroughAProvider(t *testing.T) {
	a := provider(t)
	for _, a.stand.Sparse = range []bool{false, true} { // the claims in the ID token, or in UserInfo alone
		for as, want := range map[string]identity.Claims{
			"jonas@cerroalcor.example": {Address: "jonas@cerroalcor.example", Verified: identity.IsVerified, Name: "Jonas"},
			"salma@cerroalcor.example": {Address: "salma@cerroalcor.example", Verified: identity.NotVerified, Name: "Salma"},
			"nadia@cerroalcor.example": {Address: "nadia@cerroalcor.example", Verified: identity.IsVerified, Name: "Nadia"},
			"desk@cerroalcor.example":  {Address: "desk@cerroalcor.example"},
		} {
			got, err := a.through(t, as)
			if got.Claims.Subject == "" || got.Claims.Issuer == "" {
				t.Errorf("nobody says whom it means: %+v", got.Claims)
			}
			got.Claims.Issuer, got.Claims.Subject = "", ""
			if err != nil || got.Claims != want {
				t.Errorf("%+v %v", got.Claims, err)
			}
		}
	}
	to, asked, err := a.Ask(t.Context(), a.Provider)
	if err != nil {
		t.Fatal(err)
	}
	back := choose(t, to, "jonas@cerroalcor.example")
	if _, err := a.Answer(t.Context(), a.Provider, asked, back); err != nil {
		t.Error(err)
	}
	if _, err := a.Answer(t.Context(), a.Provider, asked, back); err == nil || !strings.Contains(err.Error(), "invalid_grant") {
		t.Error("a code works twice:", err)
	}
}

func TestAProvidersAnswerBelongsToOneSignIn(t *testing.T) {
	a := provider(t)
	to, asked, err := a.Ask(t.Context(), a.Provider)
	if err != nil {
		t.Fatal(err)
	}
	_, other, err := a.Ask(t.Context(), a.Provider)
	if err != nil {
		t.Fatal(err)
	}
	refused := func(what string, p identity.Provider, asked identity.Asked, change func(url.Values)) {
		t.Helper()
		back := choose(t, to, "jonas@cerroalcor.example")
		change(back)
		got, err := a.Answer(t.Context(), p, asked, back)
		if err == nil {
			t.Errorf("%s: %+v is let in", what, got)
		} else if strings.Contains(err.Error(), p.Secret) || strings.Contains(err.Error(), asked.Verifier) && asked.Verifier != "" || len(back.Get("code")) > 2 && strings.Contains(err.Error(), back.Get("code")) {
			t.Errorf("%s: a secret is told: %v", what, err)
		}
	}
	same := func(url.Values) {}
	refused("another's state", a.Provider, asked, func(v url.Values) { v.Set("state", other.State) })
	refused("another sign-in", a.Provider, other, same)
	refused("no sign-in at all", a.Provider, identity.Asked{}, func(v url.Values) { v.Set("state", "") })
	refused("a made-up code", a.Provider, asked, func(v url.Values) { v.Set("code", "x") })
	refused("another issuer", a.Provider, asked, func(v url.Values) { v.Set("iss", "https://elsewhere.example") })
	refused("a refusal", a.Provider, asked, func(v url.Values) { v.Set("error", "access_denied") })
	verifier := asked
	verifier.Verifier = other.Verifier
	refused("another verifier", a.Provider, verifier, same)
	nonce := asked
	nonce.Nonce = other.Nonce
	refused("another nonce", a.Provider, nonce, same)
	wrong := a.Provider
	wrong.Secret = "guessed"
	refused("another secret", wrong, asked, same)
}

func TestClocksMayBeAMinuteApart(t *testing.T) {
	a := provider(t)
	for ahead, ok := range map[time.Duration]bool{
		50 * time.Second: true, 70 * time.Second: false, // made in time to come
		-5*time.Minute - 50*time.Second: true, -5*time.Minute - 70*time.Second: false, // five minutes is how long it holds
	} {
		a.stand.Ahead = ahead
		if _, err := a.through(t, "jonas@cerroalcor.example"); (err == nil) != ok {
			t.Errorf("%s: %v", ahead, err)
		}
	}
}

func TestWhatAProviderSaysOfItselfIsKept(t *testing.T) {
	a := provider(t)
	discovery := "/.well-known/openid-configuration"
	for range 3 {
		if _, err := a.through(t, "jonas@cerroalcor.example"); err != nil {
			t.Fatal(err)
		}
	}
	if d, k := a.stand.Asked(discovery), a.stand.Asked("/keys"); d != 1 || k != 1 {
		t.Errorf("asked %d times for itself, %d for its keys", d, k)
	}
	if err := a.stand.Rotate(); err != nil {
		t.Fatal(err)
	}
	if _, err := a.through(t, "jonas@cerroalcor.example"); err != nil {
		t.Error("after its keys were changed:", err)
	}
	if k := a.stand.Asked("/keys"); k != 2 {
		t.Errorf("%d times for its keys", k)
	}
	a.now = a.now.Add(61 * time.Minute)
	if _, _, err := a.Ask(t.Context(), a.Provider); err != nil || a.stand.Asked(discovery) != 2 {
		t.Errorf("an hour later: %v, asked %d times", err, a.stand.Asked(discovery))
	}
	a.server.Close()
	a.now = a.now.Add(61 * time.Minute)
	if _, _, err := a.Ask(t.Context(), a.Provider); err != nil {
		t.Error("it is away, and what it said two hours ago is not used:", err)
	}
	a.now = a.now.Add(25 * time.Hour)
	if _, _, err := a.Ask(t.Context(), a.Provider); err == nil {
		t.Error("what it said a day ago is used still")
	}
}

func TestAProviderThatIsNotWhatItSays(t *testing.T) {
	a := provider(t)
	said := `{"issuer":"%s","authorization_endpoint":"https://a.example/","token_endpoint":"https://a.example/","jwks_uri":"https://a.example/"}`
	var answer func(issuer string) string
	mirror := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = io.WriteString(w, answer("http://"+r.Host))
	}))
	defer mirror.Close()
	p := a.Provider
	p.Issuer = mirror.URL
	for what, c := range map[string]struct {
		answer func(string) string
		want   string
	}{
		"itself":              {func(me string) string { return fmt.Sprintf(said, me) }, ""},
		"somebody else":       {func(string) string { return fmt.Sprintf(said, "https://other.example") }, "it calls itself https://other.example"},
		"a slash at its end":  {func(me string) string { return fmt.Sprintf(said, me+"/") }, mirror.URL + "/: enter the issuer just so"},
		"a plain address":     {func(me string) string { return strings.Replace(fmt.Sprintf(said, me), "https://a", "http://a", 1) }, "begins with https://"},
		"no keys":             {func(me string) string { return strings.Replace(fmt.Sprintf(said, me), "jwks_uri", "x", 1) }, "jwks_uri"},
		"an answer of 2 MB":   {func(me string) string { return `{"x":"` + strings.Repeat("x", 2<<20) + `"}` }, "unexpected end"},
		"no answer to ask of": {func(string) string { return "<html>" }, identity.AtDiscovery},
	} {
		answer = c.answer
		a.Forget(p.Issuer)
		_, _, err := a.Ask(t.Context(), p)
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v", what, err)
		}
	}
	p.Issuer = mirror.URL + "/"
	answer = func(me string) string { return fmt.Sprintf(said, me+"/") }
	if _, _, err := a.Ask(t.Context(), p); err != nil {
		t.Error("the issuer as it writes itself:", err)
	}
	p.Issuer = "http://127.0.0.1:1"
	if _, _, err := a.Ask(t.Context(), p); err == nil {
		t.Error("nobody answers, and yet somebody does")
	}
}

func TestFirstCodesAndSayableCodes(t *testing.T) {
	seen := map[string]bool{}
	for range 200 {
		first, recovery, said := identity.FirstCode(), identity.RecoveryCode(), identity.SayableCode()
		if len(first) != 11 || len(recovery) != 14 || strings.ContainsAny(first+recovery, "01lioO") || len(strings.Split(said, "-")) != 5 {
			t.Fatalf("%q %q %q", first, recovery, said)
		}
		if seen[first] || seen[recovery] {
			t.Error("a code comes twice")
		}
		seen[first], seen[recovery] = true, true
	}
	link, err := identity.SecretURL(identity.NewSecret(), "Cerro Alcor", "ines@cerroalcor.example")
	if err != nil || !strings.HasPrefix(link, "otpauth://totp/") {
		t.Error(link, err)
	}
	if _, err := identity.SecretURL("no base32!", "a", "b"); err == nil {
		t.Error("a broken secret")
	}
}
