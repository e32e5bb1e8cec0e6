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
	Verified bool
}

// Provider is a small OpenID Connect provider: discovery, keys, the
// authorization code flow with PKCE. Instead of asking for a password it asks
// whom to be.
type Provider struct {
	Issuer, Client, Secret string
	Accounts               []ProviderAccount

	key   *rsa.PrivateKey
	mu    sync.Mutex
	codes map[string]granted
}

type granted struct {
	account                    ProviderAccount
	nonce, challenge, redirect string
	ends                       time.Time
}

// NewProvider makes a stand-in provider with a key of its own.
func NewProvider(issuer, client, secret string, accounts []ProviderAccount) (*Provider, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	return &Provider{Issuer: issuer, Client: client, Secret: secret, Accounts: accounts, key: key, codes: map[string]granted{}}, err
}

func (p *Provider) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/.well-known/openid-configuration":
		answerJSON(w, map[string]any{
			"issuer": p.Issuer, "authorization_endpoint": p.Issuer + "/choose", "token_endpoint": p.Issuer + "/token", "jwks_uri": p.Issuer + "/keys",
			"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
			"code_challenge_methods_supported": []string{"S256"},
		})
	case "/keys":
		answerJSON(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &p.key.PublicKey, KeyID: "1", Algorithm: "RS256", Use: "sig"}}})
	case "/choose":
		p.choose(w, r)
	case "/token":
		p.token(w, r)
	default:
		http.NotFound(w, r)
	}
}

func answerJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // whoever hung up does not matter
}

var choosePage = template.Must(template.New("choose").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Stand-in provider</title><style>body{font:16px/1.6 sans-serif;max-width:34rem;margin:12vh auto;padding:0 20px}li{margin:6px 0}</style>
<h1>Whom do you sign in as?</h1><p>This stand-in provider asks for no password. It ships with the demo house, for trying out.</p>
<ul>{{range .}}<li><a href="{{.URL}}">{{.Name}}, {{.Address}}</a>{{if not .Verified}} (address not verified){{end}}</li>{{end}}</ul>`))

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
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
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
		http.Error(w, `{"error":"invalid_client"}`, http.StatusUnauthorized)
		return
	case !there || time.Now().After(g.ends) || g.redirect != r.PostFormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge:
		http.Error(w, `{"error":"invalid_grant"}`, http.StatusBadRequest)
		return
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: p.key}, (&jose.SignerOptions{}).WithHeader("kid", "1").WithType("JWT"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	now := time.Now()
	token, err := jwt.Signed(signer).Claims(map[string]any{
		"iss": p.Issuer, "aud": p.Client, "sub": strings.ToLower(g.account.Address), "iat": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(), "nonce": g.nonce,
		"email": g.account.Address, "email_verified": g.account.Verified, "name": g.account.Name,
	}).Serialize()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	answerJSON(w, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300, "id_token": token})
}
