package identity

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
)

// Provider is an OpenID Connect provider as it is asked: by the authorization code
// flow with PKCE, state and nonce.
type Provider struct {
	Issuer, Client, Secret string // the issuer as the provider writes it, a slash at its end included
	Back                   string // where the provider leads back to
}

// Asked is a sign-in on its way through a provider; it stays in the session.
type Asked struct {
	Provider               string
	State, Nonce, Verifier string
	Try                    bool // a steward looks what comes, and nobody signs in
}

// Answer is what came back from a provider, as far as it came.
type Answer struct {
	Claims   Claims
	Token    map[string]any // the claims of the ID token
	UserInfo map[string]any // those of the UserInfo endpoint; nil where it was not asked
	IDToken  string         // as it came: a hint for signing out
}

// Where a sign-in through a provider fails.
const (
	AtDiscovery = "what it says of itself"
	AtSignIn    = "the sign-in there"
	AtCode      = "the code for a token"
	AtToken     = "the ID token"
	AtUserInfo  = "UserInfo"
)

// ProviderError is why a sign-in through a provider failed. Its text holds no token.
type ProviderError struct {
	At   string // one of the above
	Text string
}

func (e *ProviderError) Error() string { return e.At + ": " + e.Text }

// failed is a ProviderError without what is secret, and no longer than is read.
func failed(at string, err error, secrets ...string) *ProviderError {
	text := strings.TrimPrefix(err.Error(), "oidc: ")
	var refused *oauth2.RetrieveError
	if errors.As(err, &refused) { // whose own text holds the whole answer
		text = fmt.Sprintf("it answered %d", refused.Response.StatusCode)
		if refused.ErrorCode != "" {
			text += ", " + refused.ErrorCode
		}
		if refused.ErrorDescription != "" {
			text += ": " + refused.ErrorDescription
		}
	}
	for _, s := range secrets {
		if s != "" {
			text = strings.ReplaceAll(text, s, "…")
		}
	}
	return &ProviderError{at, short(text)}
}

// short is a text from elsewhere on one line, cut to what is read.
func short(text string) string {
	text = strings.Join(strings.Fields(strings.ToValidUTF8(text, "�")), " ")
	if runes := []rune(text); len(runes) > 300 {
		text = string(runes[:300]) + "…"
	}
	return text
}

// Ask returns where to send somebody to sign in. It returns a *ProviderError where
// the provider does not answer, or not as the one it should be.
func (ps *Providers) Ask(ctx context.Context, p Provider) (string, Asked, error) {
	f, err := ps.find(ctx, p)
	if err != nil {
		return "", Asked{}, err
	}
	a := Asked{State: Token(), Nonce: Token(), Verifier: oauth2.GenerateVerifier()}
	return f.config(p).AuthCodeURL(a.State, oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)), a, nil
}

// Answer takes what the provider led back with: it returns what the provider says of
// whom, or a *ProviderError with what came until then. UserInfo is asked for what the
// ID token leaves out, and always where a steward tries the provider.
func (ps *Providers) Answer(ctx context.Context, p Provider, a Asked, back url.Values) (Answer, error) {
	var got Answer
	if a.State == "" || back.Get("state") != a.State {
		return got, &ProviderError{AtSignIn, "the answer belongs to another sign-in"}
	}
	if iss := back.Get("iss"); iss != "" && iss != p.Issuer { // RFC 9207
		return got, &ProviderError{AtSignIn, short("the answer is from " + iss)}
	}
	if code := back.Get("error"); code != "" {
		return got, &ProviderError{AtSignIn, short(strings.TrimSuffix("it refused, "+code+": "+back.Get("error_description"), ": "))}
	}
	f, err := ps.find(ctx, p)
	if err != nil {
		return got, err
	}
	ctx = oidc.ClientContext(ctx, ps.client)
	code := back.Get("code")
	tokens, err := f.config(p).Exchange(ctx, code, oauth2.VerifierOption(a.Verifier))
	if err != nil {
		return got, failed(AtCode, err, code, p.Secret, a.Verifier)
	}
	raw, _ := tokens.Extra("id_token").(string)
	if raw == "" {
		return got, &ProviderError{AtToken, "none came with the answer"}
	}
	secrets := []string{raw, tokens.AccessToken, tokens.RefreshToken, code, p.Secret, a.Verifier}
	token, err := f.Verifier(&oidc.Config{ClientID: p.Client, SkipExpiryCheck: true}).Verify(ctx, raw)
	if err == nil {
		err = token.Claims(&got.Token)
	}
	if err == nil {
		err = ps.fits(token, got.Token, p, a)
	}
	if err == nil && token.AccessTokenHash != "" {
		err = token.VerifyAccessToken(tokens.AccessToken)
	}
	if err != nil {
		return got, failed(AtToken, err, secrets...)
	}
	got.IDToken = raw
	if f.UserInfoEndpoint() != "" && (a.Try || lacking(got.Token)) {
		info, err := f.UserInfo(ctx, oauth2.StaticTokenSource(tokens))
		if err == nil && info.Subject != token.Subject {
			err = errors.New("it speaks of somebody else than the ID token")
		}
		if err == nil {
			err = info.Claims(&got.UserInfo)
		}
		if err != nil {
			return got, failed(AtUserInfo, err, secrets...)
		}
	}
	got.Claims = claimsOf(got.Token, got.UserInfo)
	got.Claims.Issuer, got.Claims.Subject = token.Issuer, token.Subject
	return got, nil
}

// skew is how far the clocks of a provider and of this machine may be apart.
const skew = time.Minute

// fits reports why a token, which is the provider's, is not the answer to a sign-in now.
func (ps *Providers) fits(token *oidc.IDToken, claims map[string]any, p Provider, a Asked) error {
	now := ps.Now()
	clock := func(t time.Time) string { return t.UTC().Format("2006-01-02 15:04:05") + " UTC" }
	if token.Nonce != a.Nonce {
		return errors.New("it belongs to another sign-in")
	}
	made := strings.Join(token.Audience, ", ")
	if azp, given := claims["azp"]; given && azp != p.Client || !given && len(token.Audience) > 1 {
		if given {
			made = fmt.Sprint(azp)
		}
		return fmt.Errorf("it was made for %s", made)
	}
	if !now.Before(token.Expiry.Add(skew)) {
		return fmt.Errorf("it expired at %s, and it is %s here", clock(token.Expiry), clock(now))
	}
	if token.IssuedAt.After(now.Add(skew)) {
		return fmt.Errorf("it was made at %s, and it is only %s here: one of the clocks is wrong", clock(token.IssuedAt), clock(now))
	}
	if before, ok := claims["nbf"].(float64); ok && time.Unix(int64(before), 0).After(now.Add(skew)) {
		return fmt.Errorf("it holds from %s, and it is only %s here", clock(time.Unix(int64(before), 0)), clock(now))
	}
	return nil
}

// SignOut returns where somebody signs out of the provider itself, which leads back to
// an address that it knows; "" where it has no such place or does not answer.
func (ps *Providers) SignOut(ctx context.Context, p Provider, hint, back string) string {
	f, err := ps.find(ctx, p)
	if err != nil || f.end == "" {
		return ""
	}
	u, err := url.Parse(f.end)
	if err != nil {
		return ""
	}
	query := u.Query()
	query.Set("client_id", p.Client)
	query.Set("post_logout_redirect_uri", back)
	if hint != "" {
		query.Set("id_token_hint", hint)
	}
	u.RawQuery = query.Encode()
	return u.String()
}

// config is how a provider is asked.
func (f *found) config(p Provider) *oauth2.Config {
	endpoint := f.Endpoint()
	switch {
	case p.Secret == "" || slices.Contains(f.methods, "client_secret_post") && !slices.Contains(f.methods, "client_secret_basic"):
		endpoint.AuthStyle = oauth2.AuthStyleInParams
	default: // what a provider takes that does not say
		endpoint.AuthStyle = oauth2.AuthStyleInHeader
	}
	scopes := []string{oidc.ScopeOpenID}
	for _, s := range []string{"email", "profile"} {
		if len(f.scopes) == 0 || slices.Contains(f.scopes, s) {
			scopes = append(scopes, s)
		}
	}
	return &oauth2.Config{ClientID: p.Client, ClientSecret: p.Secret, RedirectURL: p.Back, Endpoint: endpoint, Scopes: scopes}
}

// jsonText is a claim as it came.
func jsonText(v any) string {
	text, _ := json.Marshal(v) // it was JSON
	return string(text)
}
