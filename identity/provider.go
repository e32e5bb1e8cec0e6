package identity

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
)

// Claims are what a provider says of somebody.
type Claims struct {
	Address  string
	Verified bool // the provider has seen that they read mail at the address
	Name     string
}

// Provider signs people in by OpenID Connect: the authorization code flow with
// PKCE, state and nonce.
type Provider struct {
	Issuer, Client, Secret string
	Back                   string // where the provider leads back to
}

// Asked is a sign-in on its way through a provider; it stays in the session.
type Asked struct {
	Provider               string
	State, Nonce, Verifier string
}

// longestProvider is how long a provider may take to answer.
const longestProvider = 10 * time.Second

var providerClient = &http.Client{Timeout: longestProvider}

func (p Provider) discover(ctx context.Context) (*oidc.Provider, *oauth2.Config, error) {
	found, err := oidc.NewProvider(oidc.ClientContext(ctx, providerClient), p.Issuer)
	if err != nil {
		return nil, nil, fmt.Errorf("asking the provider %s: %w", p.Issuer, err)
	}
	return found, &oauth2.Config{
		ClientID: p.Client, ClientSecret: p.Secret, RedirectURL: p.Back, Endpoint: found.Endpoint(), Scopes: []string{oidc.ScopeOpenID, "email", "profile"},
	}, nil
}

// Ask returns where to send somebody to sign in.
func (p Provider) Ask(ctx context.Context) (string, Asked, error) {
	_, config, err := p.discover(ctx)
	if err != nil {
		return "", Asked{}, err
	}
	a := Asked{State: Token(), Nonce: Token(), Verifier: oauth2.GenerateVerifier()}
	return config.AuthCodeURL(a.State, oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)), a, nil
}

// Answer takes what the provider led back with, and returns what it says of whom.
func (p Provider) Answer(ctx context.Context, a Asked, state, code string) (Claims, error) {
	if a.State == "" || state != a.State {
		return Claims{}, errors.New("the provider's answer belongs to another sign-in")
	}
	found, config, err := p.discover(ctx)
	if err != nil {
		return Claims{}, err
	}
	ctx = oidc.ClientContext(ctx, providerClient)
	tokens, err := config.Exchange(ctx, code, oauth2.VerifierOption(a.Verifier))
	if err != nil {
		return Claims{}, fmt.Errorf("taking the provider's answer: %w", err)
	}
	raw, _ := tokens.Extra("id_token").(string)
	token, err := found.Verifier(&oidc.Config{ClientID: p.Client}).Verify(ctx, raw)
	if err != nil {
		return Claims{}, fmt.Errorf("the provider's answer is not genuine: %w", err)
	}
	if token.Nonce != a.Nonce {
		return Claims{}, errors.New("the provider's answer belongs to another sign-in")
	}
	var said struct {
		Email    string `json:"email"`
		Verified bool   `json:"email_verified"`
		Name     string `json:"name"`
	}
	if err := token.Claims(&said); err != nil {
		return Claims{}, fmt.Errorf("reading the provider's answer: %w", err)
	}
	return Claims{said.Email, said.Verified, said.Name}, nil
}
