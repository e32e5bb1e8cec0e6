package identity_test

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"velada/identity"
	"velada/standin"
)

// provider is the stand-in provider on a server of its own, and Velada's side of it.
func provider(t *testing.T) (identity.Provider, *httptest.Server) {
	t.Helper()
	var stand *standin.Provider
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { stand.ServeHTTP(w, r) }))
	t.Cleanup(server.Close)
	var err error
	stand, err = standin.NewProvider(server.URL, "velada", "s3cret", []standin.ProviderAccount{
		{Address: "jonas@cerroalcor.example", Name: "Jonas", Verified: true}, {Address: "salma@cerroalcor.example", Name: "Salma"},
	})
	if err != nil {
		t.Fatal(err)
	}
	return identity.Provider{Issuer: server.URL, Client: "velada", Secret: "s3cret", Back: "http://velada.localhost/sign-in/back"}, server
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

func TestSigningInThroughAProvider(t *testing.T) {
	p, _ := provider(t)
	ctx := context.Background()
	for as, want := range map[string]identity.Claims{
		"jonas@cerroalcor.example": {Address: "jonas@cerroalcor.example", Verified: true, Name: "Jonas"},
		"salma@cerroalcor.example": {Address: "salma@cerroalcor.example", Name: "Salma"},
	} {
		to, asked, err := p.Ask(ctx)
		if err != nil {
			t.Fatal(err)
		}
		back := choose(t, to, as)
		got, err := p.Answer(ctx, asked, back.Get("state"), back.Get("code"))
		if err != nil || got != want {
			t.Errorf("%+v %v", got, err)
		}
		if _, err := p.Answer(ctx, asked, back.Get("state"), back.Get("code")); err == nil {
			t.Error("a code works twice")
		}
	}
}

func TestAProvidersAnswerBelongsToOneSignIn(t *testing.T) {
	p, _ := provider(t)
	ctx := context.Background()
	to, asked, err := p.Ask(ctx)
	if err != nil {
		t.Fatal(err)
	}
	_, other, err := p.Ask(ctx)
	if err != nil {
		t.Fatal(err)
	}
	refused := func(what string, p identity.Provider, a identity.Asked, change func(url.Values)) {
		t.Helper()
		back := choose(t, to, "jonas@cerroalcor.example")
		change(back)
		if got, err := p.Answer(ctx, a, back.Get("state"), back.Get("code")); err == nil {
			t.Errorf("%s: %+v is let in", what, got)
		}
	}
	same := func(url.Values) {}
	refused("another's state", p, asked, func(v url.Values) { v.Set("state", other.State) })
	refused("another sign-in", p, other, same)
	refused("no sign-in at all", p, identity.Asked{}, func(v url.Values) { v.Set("state", "") })
	refused("a made-up code", p, asked, func(v url.Values) { v.Set("code", "x") })
	verifier := asked
	verifier.Verifier = other.Verifier
	refused("another verifier", p, verifier, same)
	nonce := asked
	nonce.Nonce = other.Nonce
	refused("another nonce", p, nonce, same)
	wrong := p
	wrong.Secret = "guessed"
	refused("another secret", wrong, asked, same)
}

func TestAProviderThatIsNotWhatItSays(t *testing.T) {
	p, server := provider(t)
	mirror := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { // says it is somebody else
		answer, err := http.Get(server.URL + r.URL.Path)
		if err != nil {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		defer answer.Body.Close()
		_, _ = io.Copy(w, answer.Body)
	}))
	defer mirror.Close()
	p.Issuer = mirror.URL
	if _, _, err := p.Ask(context.Background()); err == nil {
		t.Error("an issuer of another name is trusted")
	}
	p.Issuer = "http://127.0.0.1:1"
	if _, _, err := p.Ask(context.Background()); err == nil {
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
