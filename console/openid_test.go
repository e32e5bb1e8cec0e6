package console

import (
	"bytes"
	"context"
	"encoding/json"
	"html"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/zitadel/oidc/v3/example/server/exampleop"
	"github.com/zitadel/oidc/v3/example/server/storage"
	"github.com/zitadel/oidc/v3/pkg/oidc"
	"github.com/zitadel/oidc/v3/pkg/op"

	"velada/house"
)

// directory is whom the example provider knows, all by one password.
type directory map[string]*storage.User

func (d directory) GetUserByID(id string) *storage.User         { return d[id] }
func (d directory) GetUserByUsername(name string) *storage.User { return d[name] }
func (d directory) ExampleClientID() string                     { return "service" }

// strayStorage has the example provider answer as others do, or wrongly.
type strayStorage struct {
	*storage.Storage
	mu       sync.Mutex
	lifetime time.Duration // of ID tokens
	silent   bool          // whether an address is verified is left out
	in       bool          // claims are in the ID token
}

func (s *strayStorage) set(change func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	change()
}

type strayClient struct {
	op.Client
	lifetime time.Duration
	in       bool
}

func (c strayClient) IDTokenLifetime() time.Duration       { return c.lifetime }
func (c strayClient) IDTokenUserinfoClaimsAssertion() bool { return c.in }
func (c strayClient) PostLogoutRedirectURIs() []string {
	return []string{"http://velada.localhost/sign-in"}
}

func (s *strayStorage) GetClientByClientID(ctx context.Context, id string) (op.Client, error) {
	c, err := s.Storage.GetClientByClientID(ctx, id)
	s.mu.Lock()
	defer s.mu.Unlock()
	if err != nil {
		return nil, err
	}
	return strayClient{c, s.lifetime, s.in}, nil
}

func (s *strayStorage) SetUserinfoFromToken(ctx context.Context, u *oidc.UserInfo, token, subject, origin string) error {
	err := s.Storage.SetUserinfoFromToken(ctx, u, token, subject, origin)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.silent {
		u.EmailVerified = false // which is left out
	}
	return err
}

var authRequestID = regexp.MustCompile(`name="id" value="([^"]+)"`)

// TestThroughAProviderOfOthers signs in through a provider that others wrote, as people
// do in a browser: right, unverified, foreign, expired, for somebody else.
func TestThroughAProviderOfOthers(t *testing.T) {
	var log bytes.Buffer
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&log, nil)))
	defer slog.SetDefault(before)
	d := openDesk(t)
	var handler http.Handler
	var passing sync.Mutex
	var tokens []string // all that the provider handed out
	var foreign string  // an ID token made for another client, in place of the right one
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answer := httptest.NewRecorder()
		handler.ServeHTTP(answer, r)
		if strings.HasSuffix(r.URL.Path, "/token") {
			passing.Lock()
			if foreign != "" {
				text := regexp.MustCompile(`"id_token":"[^"]+"`).ReplaceAllString(answer.Body.String(), `"id_token":"`+foreign+`"`)
				answer.Body = bytes.NewBufferString(text)
				answer.Header().Del("Content-Length")
			}
			for _, part := range strings.Split(answer.Body.String(), `"`) {
				if len(part) > 30 {
					tokens = append(tokens, part)
				}
			}
			passing.Unlock()
		}
		for name, v := range answer.Header() {
			w.Header()[name] = v
		}
		w.WriteHeader(answer.Code)
		_, _ = w.Write(answer.Body.Bytes())
	}))
	defer server.Close()
	issuer := server.URL + "/" // as this one writes itself
	user := func(id, address string, verified bool) *storage.User {
		return &storage.User{ID: id, Username: id, Password: "walnut", FirstName: "Jo", LastName: id, Email: address, EmailVerified: verified}
	}
	stray := &strayStorage{lifetime: time.Hour}
	stray.Storage = storage.NewStorageWithClients(directory{
		"jonas": user("jonas", "jonas@cerroalcor.example", true), "salma": user("salma", "salma@cerroalcor.example", false), "tobias": user("tobias", "tobias@lens.example", true),
	}, map[string]*storage.Client{"velada": storage.WebClient("velada", "s3cret", "http://velada.localhost/sign-in/back"), "another": storage.WebClient("another", "s3cret", "http://velada.localhost/sign-in/back")})
	handler = exampleop.SetupServer(issuer, stray, nil, false)
	ines := d.another().signIn("ines@cerroalcor.example")
	settings := []string{"name", "Theirs", "issuer", issuer, "client", "velada", "secret", "s3cret", "domains", "cerroalcor.example"}
	if status, body, _ := ines.post("/settings/providers", settings...); status != http.StatusSeeOther {
		t.Fatalf("%d %.300s", status, body)
	}
	// goes from a first address through the provider's own form to what it leads back to
	through := func(at, user string) string {
		t.Helper()
		jar, err := cookiejar.New(nil)
		if err != nil {
			t.Fatal(err)
		}
		client := &http.Client{Jar: jar, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
			if r.URL.Hostname() == "velada.localhost" {
				return http.ErrUseLastResponse
			}
			return nil
		}}
		form, err := client.Get(at)
		if err != nil {
			t.Fatal(err)
		}
		page, err := io.ReadAll(form.Body)
		form.Body.Close()
		id := authRequestID.FindSubmatch(page)
		if err != nil || id == nil {
			t.Fatalf("no form: %v\n%s", err, page)
		}
		back, err := client.PostForm(server.URL+"/login/username", url.Values{"id": {string(id[1])}, "username": {user}, "password": {"walnut"}})
		if err != nil {
			t.Fatal(err)
		}
		back.Body.Close()
		return strings.TrimPrefix(back.Header.Get("Location"), "http://velada.localhost")
	}
	signIn := func(user string, substitute bool) (int, string, *desk) {
		t.Helper()
		fresh := d.another()
		_, _, h := fresh.get("/sign-in/with/theirs?then=/notices")
		to := h.Get("Location")
		if substitute { // somebody hands on a token that another client was given, for the same sign-in
			other, err := url.Parse(to)
			if err != nil {
				t.Fatal(err)
			}
			q := other.Query()
			q.Set("client_id", "another")
			q.Del("code_challenge")
			q.Del("code_challenge_method")
			other.RawQuery = q.Encode()
			back, err := url.Parse(through(other.String(), user))
			if err != nil {
				t.Fatal(err)
			}
			answer, err := http.PostForm(server.URL+"/oauth/token", url.Values{"grant_type": {"authorization_code"}, "client_id": {"another"}, "client_secret": {"s3cret"}, "code": {back.Query().Get("code")}, "redirect_uri": {"http://velada.localhost/sign-in/back"}})
			if err != nil {
				t.Fatal(err)
			}
			var got struct {
				IDToken string `json:"id_token"`
			}
			err = json.NewDecoder(answer.Body).Decode(&got)
			answer.Body.Close()
			if err != nil || got.IDToken == "" {
				t.Fatalf("no token for another client: %v %d", err, answer.StatusCode)
			}
			foreign = got.IDToken
			defer func() { foreign = "" }()
		}
		status, body, _ := fresh.get(through(to, user))
		return status, body, fresh
	}
	for _, c := range []struct {
		name, user string
		change     func()
		want       string // in what they are told; "" is let in
		cause      string // in the log
	}{
		{"right", "jonas", func() {}, "", ""},
		{"claims in the ID token", "jonas", func() { stray.in = true }, "", ""},
		{"not told whether verified", "jonas", func() { stray.silent, stray.in = true, false }, "does not say whether", "does not say whether"},
		{"not verified", "salma", func() { stray.silent = false }, "does not say whether", "salma@cerroalcor.example"}, // false is left out by this one
		{"foreign", "tobias", func() {}, "not trusted for tobias@lens.example", "tobias@lens.example"},
		{"expired", "jonas", func() { stray.lifetime = -2 * time.Minute }, "no answer that can be trusted", "it expired at"},
		{"expired within a minute", "jonas", func() { stray.lifetime = -30 * time.Second }, "", ""},
		{"for another client", "jonas", func() { stray.lifetime = time.Hour }, "no answer that can be trusted", "audience"},
		{"right again", "jonas", func() {}, "", ""},
	} {
		stray.set(c.change)
		log.Reset()
		status, body, fresh := signIn(c.user, c.name == "for another client")
		if c.want == "" && (status != http.StatusSeeOther || !fresh.isIn()) || c.want != "" && (status != http.StatusForbidden || !strings.Contains(body, c.want) || fresh.isIn()) {
			t.Errorf("%s: %d %.1500s", c.name, status, body)
		}
		if c.cause != "" && !strings.Contains(log.String(), c.cause) {
			t.Errorf("%s: the log says %s", c.name, log.String())
		}
		for _, token := range tokens {
			if strings.Contains(log.String(), token) {
				t.Errorf("%s: a token is in the log: %s", c.name, log.String())
			}
		}
	}
	if len(tokens) < 10 {
		t.Errorf("%d tokens were looked for", len(tokens))
	}
	// a steward sees what failed, and tries it
	if _, body, _ := ines.get("/settings/sign-in"); !strings.Contains(body, "Failed lately") || !strings.Contains(body, "it expired at") {
		t.Error("a steward is not told what failed")
	}
	stray.set(func() { stray.silent = true })
	try := func() string {
		t.Helper()
		_, body, h := ines.post("/settings/providers/try", "id", "theirs")
		to := regexp.MustCompile(`url=([^"]+)"`).FindStringSubmatch(body)
		if to == nil {
			t.Fatalf("led to %q, %.300s", h.Get("Location"), body)
		}
		_, _, h = ines.get(through(html.UnescapeString(to[1]), "jonas"))
		if h.Get("Location") != "/settings/sign-in#tried" {
			t.Fatalf("led to %q", h.Get("Location"))
		}
		_, body, _ = ines.get("/settings/sign-in")
		return body
	}
	body := try()
	for _, want := range []string{"does not say whether it has verified that the address jonas@cerroalcor.example", "UserInfo says", "family_name", server.URL} {
		if !strings.Contains(body, want) {
			t.Errorf("what came does not say %q", want)
		}
	}
	if status, _, _ := ines.post("/settings/providers", append(settings, "id", "theirs", "unsaid", "yes", "out", "yes")...); status != http.StatusSeeOther {
		t.Fatal(status)
	}
	if body := try(); !strings.Contains(body, "let in as <b>Jonas") {
		t.Error("trying it says nobody is let in")
	}
	if _, body, _ := ines.get("/settings/sign-in"); strings.Contains(body, "UserInfo says") {
		t.Error("what came is shown for longer than once")
	}
	// signing out leads there, and it leads back
	status, _, jonas := signIn("jonas", false)
	if status != http.StatusSeeOther {
		t.Fatal(status)
	}
	_, body, _ = jonas.post("/sign-out")
	out := regexp.MustCompile(`url=([^"]+)"`).FindStringSubmatch(body)
	if out == nil || jonas.isIn() {
		t.Fatalf("signing out leads nowhere: %.300s", body)
	}
	left, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Get(html.UnescapeString(out[1]))
	if err != nil {
		t.Fatal(err)
	}
	left.Body.Close()
	if left.Header.Get("Location") != "http://velada.localhost/sign-in" {
		t.Errorf("signing out there leads to %q (%d)", left.Header.Get("Location"), left.StatusCode)
	}
}

func TestAProviderIsChanged(t *testing.T) {
	d := openDesk(t)
	ines := d.another().signIn("ines@cerroalcor.example")
	is := func(more ...string) []string {
		return append([]string{"name", "Theirs", "client", "velada", "domains", "cerroalcor.example"}, more...)
	}
	for issuer, want := range map[string]string{
		"https://id.example/.well-known/openid-configuration": "mostly https://id.example",
		"https://id.example/?x=1":                             "no “?” in it",
		"http://id.example":                                   "beginning with https://",
		"https://id.example/#x":                               "beginning with https://",
	} {
		if status, body, _ := ines.post("/settings/providers", is("issuer", issuer, "secret", "s3cret")...); status != http.StatusUnprocessableEntity || !strings.Contains(body, want) {
			t.Errorf("%s: %d", issuer, status)
		}
	}
	if status, _, _ := ines.post("/settings/providers", is("issuer", "https://id.example/", "secret", "s3cret")...); status != http.StatusSeeOther {
		t.Fatal(status)
	}
	kept := func() house.Provider { return *d.house.State().Settings.Provider("theirs") }
	if kept().Issuer != "https://id.example/" {
		t.Errorf("the issuer is kept as %s", kept().Issuer)
	}
	if status, _, _ := ines.post("/settings/providers", is("id", "theirs", "issuer", "https://id.example/", "domains", "lens.example")...); status != http.StatusSeeOther || kept().Secret != "s3cret" {
		t.Errorf("%d, the secret is %q", status, kept().Secret)
	}
	if status, body, _ := ines.post("/settings/providers", is("id", "theirs", "issuer", "https://elsewhere.example")...); status != http.StatusUnprocessableEntity || !strings.Contains(body, "secret that belongs to this issuer") {
		t.Errorf("a secret is told to another issuer: %d", status)
	}
	if status, _, _ := ines.post("/settings/providers", is("id", "nobody", "issuer", "https://id.example")...); status != http.StatusNotFound {
		t.Errorf("a provider that is none: %d", status)
	}
}
