package identity

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/sync/singleflight"
)

// Providers asks OpenID Connect providers, and keeps what each says of itself.
type Providers struct {
	Now    func() time.Time
	client *http.Client

	once   singleflight.Group
	mu     sync.Mutex
	found  map[string]*found   // by issuer
	failed map[string][]Failed // by issuer, the newest first
}

// Failed is a sign-in through a provider that failed.
type Failed struct {
	When time.Time
	Why  string
}

// keptFailed is how many of them are kept for each provider.
const keptFailed = 5

// found is what a provider says of itself. Its keys are asked for anew where a token
// is signed by one that is not known.
type found struct {
	*oidc.Provider
	end     string // where one signs out of it
	methods []string
	scopes  []string
	at      time.Time
}

const (
	longestProvider = 10 * time.Second // that a provider may take to answer
	keptProvider    = time.Hour        // that what it says of itself is not asked again
	oldestProvider  = 24 * time.Hour   // that it is used where the provider does not answer
	longestAnswer   = 1 << 20          // bytes
)

// NewProviders returns providers of which nothing is known yet.
func NewProviders(now func() time.Time) *Providers {
	return &Providers{Now: now, found: map[string]*found{}, failed: map[string][]Failed{}, client: &http.Client{Timeout: longestProvider, Transport: bounded{http.DefaultTransport}}}
}

// bounded is a transport whose answers end.
type bounded struct{ http.RoundTripper }

func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := b.RoundTripper.RoundTrip(r)
	if err == nil {
		answer.Body = struct {
			io.Reader
			io.Closer
		}{io.LimitReader(answer.Body, longestAnswer), answer.Body}
	}
	return answer, err
}

// find returns what a provider says of itself. It returns a *ProviderError.
func (ps *Providers) find(ctx context.Context, p Provider) (*found, error) {
	ps.mu.Lock()
	f := ps.found[p.Issuer]
	ps.mu.Unlock()
	if f != nil && ps.Now().Sub(f.at) < keptProvider {
		return f, nil
	}
	fresh, err, _ := ps.once.Do(p.Issuer, func() (any, error) {
		return ps.discover(context.WithoutCancel(ctx), p.Issuer) // for all who wait: one who leaves does not end it
	})
	if err != nil {
		if f != nil && ps.Now().Sub(f.at) < oldestProvider {
			return f, nil
		}
		return nil, failed(AtDiscovery, err)
	}
	return fresh.(*found), nil
}

// Failed keeps that a sign-in through a provider failed, until this program ends.
func (ps *Providers) Failed(issuer string, why error) {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	list := append([]Failed{{ps.Now(), short(why.Error())}}, ps.failed[issuer]...)
	ps.failed[issuer] = list[:min(len(list), keptFailed)]
}

// Failures lists the last sign-ins through a provider that failed, the newest first.
func (ps *Providers) Failures(issuer string) []Failed {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	return ps.failed[issuer]
}

// Forget has a provider asked anew what it says of itself.
func (ps *Providers) Forget(issuer string) {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	delete(ps.found, issuer)
}

func (ps *Providers) discover(ctx context.Context, issuer string) (*found, error) {
	provider, err := oidc.NewProvider(oidc.ClientContext(ctx, ps.client), issuer)
	var other *oidc.IssuerMismatchError
	if errors.As(err, &other) {
		return nil, fmt.Errorf("it calls itself %s: enter the issuer just so, if that is the right one", other.Discovered)
	}
	if err != nil {
		return nil, err
	}
	var more struct {
		End     string   `json:"end_session_endpoint"`
		Keys    string   `json:"jwks_uri"`
		Methods []string `json:"token_endpoint_auth_methods_supported"`
		Scopes  []string `json:"scopes_supported"`
	}
	if err := provider.Claims(&more); err != nil {
		return nil, err
	}
	f := &found{provider, more.End, more.Methods, more.Scopes, ps.Now()}
	for _, e := range []struct {
		name, address string
		needed        bool
	}{
		{"authorization_endpoint", f.Endpoint().AuthURL, true}, {"token_endpoint", f.Endpoint().TokenURL, true}, {"jwks_uri", more.Keys, true},
		{"userinfo_endpoint", f.UserInfoEndpoint(), false}, {"end_session_endpoint", f.end, false},
	} {
		if e.address == "" && !e.needed {
			continue
		}
		if text := ProviderURLProblem(e.address); text != "" {
			return nil, fmt.Errorf("its %s is “%s”: %s", e.name, e.address, text)
		}
	}
	ps.mu.Lock()
	defer ps.mu.Unlock()
	ps.found[issuer] = f
	return f, nil
}

// ProviderURLProblem says why an address is none at which a provider may be asked: it
// is asked by HTTPS alone, but on this machine. It returns "" for one that is fine.
func ProviderURLProblem(address string) string {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "" || u.User != nil || u.Fragment != "":
		return "that is no address"
	case u.Scheme == "https" || u.Scheme == "http" && (u.Hostname() == "127.0.0.1" || u.Hostname() == "::1" || u.Hostname() == "localhost"):
		return ""
	}
	return "an address begins with https://"
}
