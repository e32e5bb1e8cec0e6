package standin

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// ProviderAccount is somebody whom the stand-in provider signs in at a click.
type ProviderAccount struct {
	Address  string
	Name     string
	Verified any // what email_verified says: true or false, also as a string; nil leaves it out
}

// Provider is a small OpenID Connect provider: discovery, keys, the
// authorization code flow with PKCE, UserInfo, signing out. Instead of asking for a
// password it asks whom to be.
type Provider struct {
	Issuer, Client, Secret string
	Accounts               []ProviderAccount
	Sparse                 bool          // the ID token leaves to UserInfo who it is
	Ahead                  time.Duration // that its clock runs ahead

	key   *rsa.PrivateKey
	id    string // of the key
	mu    sync.Mutex
	codes map[string]granted
	given map[string]ProviderAccount // by access token
	asked map[string]int             // times, by path
}

type granted struct {
	account                    ProviderAccount
	nonce, challenge, redirect string
	ends                       time.Time
}

// NewProvider makes a stand-in provider with a key of its own.
func NewProvider(issuer, client, secret string, accounts []ProviderAccount) (*Provider, error) {
	p := &Provider{Issuer: issuer, Client: client, Secret: secret, Accounts: accounts, codes: map[string]granted{}, given: map[string]ProviderAccount{}, asked: map[string]int{}}
	return p, p.Rotate()
}

// Rotate signs by a new key from now on, and withdraws the one of before.
func (p *Provider) Rotate() error {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.key, p.id = key, rand.Text()
	return nil
}

// Asked is how many times a path was asked for.
func (p *Provider) Asked(path string) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.asked[path]
}

func (p *Provider) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	p.asked[r.URL.Path]++
	key, id := p.key, p.id
	p.mu.Unlock()
	switch r.URL.Path {
	case "/.well-known/openid-configuration":
		answerJSON(w, map[string]any{
			"issuer": p.Issuer, "authorization_endpoint": p.Issuer + "/choose", "token_endpoint": p.Issuer + "/token", "jwks_uri": p.Issuer + "/keys",
			"userinfo_endpoint": p.Issuer + "/userinfo", "end_session_endpoint": p.Issuer + "/end",
			"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
			"code_challenge_methods_supported": []string{"S256"},
		})
	case "/keys":
		answerJSON(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &key.PublicKey, KeyID: id, Algorithm: "RS256", Use: "sig"}}})
	case "/choose":
		p.choose(w, r)
	case "/token":
		p.token(w, r, key, id)
	case "/userinfo":
		p.userInfo(w, r)
	case "/end":
		p.end(w, r)
	default:
		http.NotFound(w, r)
	}
}

func refuse(w http.ResponseWriter, status int, code string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]string{"error": code}) // whoever hung up does not matter
}

func answerJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // whoever hung up does not matter
}

var choosePage = template.Must(template.New("choose").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Stand-in provider</title><style>body{font:16px/1.6 sans-serif;max-width:34rem;margin:12vh auto;padding:0 20px}li{margin:6px 0}</style>
<h1>Whom do you sign in as?</h1><p>This stand-in provider asks for no password. It ships with the demo house, for trying out.</p>
<ul>{{range .}}<li><a href="{{.URL}}">{{.Name}}, {{.Address}}</a>{{if eq (print .Verified) "<nil>"}} (does not say whether the address is verified){{else if ne (print .Verified) "true"}} (address not verified){{end}}</li>{{end}}</ul>`))

// choose asks whom to be, and leads back with a code for the one chosen.
func (p *Provider) choose(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != p.Client || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" {
		http.Error(w, "This provider does not know who asks.", http.StatusBadRequest)
		return
	}
	type row struct {
		ProviderAccount
		URL string
	}
	var rows []row
	for _, a := range p.Accounts {
		if q.Get("as") == a.Address {
			back, err := url.Parse(q.Get("redirect_uri"))
			if err != nil || !back.IsAbs() {
				http.Error(w, "There is no way back.", http.StatusBadRequest)
				return
			}
			code := rand.Text()
			p.mu.Lock()
			p.codes[code] = granted{a, q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), time.Now().Add(time.Minute)}
			p.mu.Unlock()
			answer := back.Query()
			answer.Set("code", code)
			answer.Set("state", q.Get("state"))
			back.RawQuery = answer.Encode()
			http.Redirect(w, r, back.String(), http.StatusSeeOther)
			return
		}
		with := r.URL.Query()
		with.Set("as", a.Address)
		rows = append(rows, row{a, "/choose?" + with.Encode()})
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = choosePage.Execute(w, rows) // whoever hung up does not matter
}

// token returns a signed token for a code, once.
func (p *Provider) token(w http.ResponseWriter, r *http.Request, key *rsa.PrivateKey, keyID string) {
	id, secret, ok := r.BasicAuth()
	if !ok {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	p.mu.Lock()
	g, there := p.codes[r.PostFormValue("code")]
	delete(p.codes, r.PostFormValue("code"))
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	switch {
	case id != p.Client || secret != p.Secret:
		refuse(w, http.StatusUnauthorized, "invalid_client")
		return
	case !there || time.Now().After(g.ends) || g.redirect != r.PostFormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge:
		refuse(w, http.StatusBadRequest, "invalid_grant")
		return
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: key}, (&jose.SignerOptions{}).WithHeader("kid", keyID).WithType("JWT"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	now := time.Now().Add(p.Ahead)
	said := map[string]any{}
	if !p.Sparse {
		said = claims(g.account)
	}
	for name, v := range map[string]any{
		"iss": p.Issuer, "aud": p.Client, "sub": subject(g.account), "iat": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(), "nonce": g.nonce,
	} {
		said[name] = v
	}
	token, err := jwt.Signed(signer).Claims(said).Serialize()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	access := rand.Text()
	p.mu.Lock()
	p.given[access] = g.account
	p.mu.Unlock()
	answerJSON(w, map[string]any{"access_token": access, "token_type": "Bearer", "expires_in": 300, "id_token": token})
}

func subject(a ProviderAccount) string { return strings.ToLower(a.Address) }

// claims are what the provider says of somebody.
func claims(a ProviderAccount) map[string]any {
	said := map[string]any{"email": a.Address, "name": a.Name}
	if a.Verified != nil {
		said["email_verified"] = a.Verified
	}
	return said
}

func (p *Provider) userInfo(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	a, there := p.given[strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")]
	p.mu.Unlock()
	if !there {
		refuse(w, http.StatusUnauthorized, "invalid_token")
		return
	}
	said := claims(a)
	said["sub"] = subject(a)
	answerJSON(w, said)
}

// end leads back at once: this provider knows nobody for longer than one answer.
func (p *Provider) end(w http.ResponseWriter, r *http.Request) {
	back, err := url.Parse(r.URL.Query().Get("post_logout_redirect_uri"))
	if err != nil || !back.IsAbs() || r.URL.Query().Get("client_id") != p.Client {
		http.Error(w, "This provider does not know who asks.", http.StatusBadRequest)
		return
	}
	http.Redirect(w, r, back.String(), http.StatusSeeOther)
}
