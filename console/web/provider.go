package web

import (
	"cmp"
	"errors"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/house"
	"velada/identity"
)

// AskedFor is a sign-in on its way through a provider, and where it leads on to.
type AskedFor struct {
	Asked identity.Asked
	To    map[string]string
}

// Provider is a provider of the settings, as it is asked.
func (c *Console) Provider(p *house.Provider) identity.Provider {
	return identity.Provider{Issuer: p.Issuer, Client: p.Client, Secret: p.Secret, Back: c.House.ConsoleURL + "/sign-in/back"}
}

// KeepAsked keeps a sign-in on its way in the session.
func (c *Console) KeepAsked(x *gin.Context, a identity.Asked, to map[string]string) {
	c.Keep(x, SessionAsked, AskedFor{a, to})
}

// Tried is what came when a steward tried a provider.
type Tried struct {
	Provider string // its id
	Steps    []TriedStep
	Said     []Said
	Who      string // whom it would sign in
	Why      string // or why nobody
}

// Said are claims, and where they came from.
type Said struct {
	Name   string
	Claims []identity.Claim
}

// TriedStep is a part of a sign-in through a provider, and how it went.
type TriedStep struct {
	Name, Text string
	Failed     bool
}

// TriedURL is where a steward sees what came.
const TriedURL = "/settings/sign-in#tried"

// KeepTried keeps for a steward what came from a provider, or why nothing did.
func (c *Console) KeepTried(x *gin.Context, p *house.Provider, got identity.Answer, err error) {
	me, in := c.WhoIsIn(x)
	if !in || !c.House.IsSteward(me) {
		return
	}
	t := Tried{Provider: p.ID}
	if got.Token != nil {
		t.Said = append(t.Said, Said{"The ID token says", identity.ClaimsList(got.Token)})
	}
	if got.UserInfo != nil {
		t.Said = append(t.Said, Said{"UserInfo says", identity.ClaimsList(got.UserInfo)})
	}
	t.Steps, t.Why = triedSteps(got, err)
	if err == nil {
		s := c.House.State()
		who, err := accounts.WouldSignIn(s, p, got.Claims)
		if err != nil {
			t.Why = err.Error()
		} else if t.Who = got.Claims.Address; who != "" {
			t.Who = cmp.Or(c.House.NameOf(who), got.Claims.Name, t.Who)
		}
	}
	c.Keep(x, SessionTried, t)
}

// triedSteps lists how far a sign-in came, and returns why it went no further.
func triedSteps(got identity.Answer, err error) (steps []TriedStep, why string) {
	for _, s := range []TriedStep{
		{Name: identity.AtDiscovery, Text: "It calls itself by the issuer as entered."},
		{Name: identity.AtSignIn, Text: "It led back here, to this sign-in."},
		{Name: identity.AtCode, Text: "It took the client and its secret."},
		{Name: identity.AtToken, Text: "It is signed by one of the provider’s keys, for this client, and it holds now."},
		{Name: identity.AtUserInfo, Text: "It speaks of the same person."},
	} {
		var at *identity.ProviderError
		if errors.As(err, &at) && at.At == s.Name {
			s.Text, s.Failed = at.Text, true
			return append(steps, s), at.Text
		}
		if s.Name != identity.AtUserInfo || got.UserInfo != nil {
			steps = append(steps, s)
		}
	}
	return steps, ""
}
