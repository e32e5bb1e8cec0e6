package house

import (
	"context"
	"errors"
	"slices"

	"velada/core/access"
	"velada/post"
	"velada/store"
)

// Settings are what stewards set for the whole house beside its policy.
type Settings struct {
	SecondStep []string     `json:"second_step"` // what whoever may do it anywhere signs in for with a second step: capabilities, and steward
	NoMail     []string     `json:"no_mail"`     // domains whose addresses no mail reaches
	Mail       *post.Server `json:"mail"`        // nil keeps mail in the outbox alone
	Providers  []Provider   `json:"providers"`
	Front      store.SiteID `json:"front,omitempty"` // of the site that stands at the house's own domain; "" leads to the console
}

// Provider is an OpenID Connect provider that vouches for addresses at its domains.
type Provider struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	Issuer  string   `json:"issuer"`
	Client  string   `json:"client"`
	Secret  string   `json:"secret"`
	Domains []string `json:"domains"`
	Unsaid  bool     `json:"unsaid,omitempty"`   // an address of which it does not say whether it is verified counts as verified
	SignOut bool     `json:"sign_out,omitempty"` // whoever signs out of Velada is led to sign out there too
}

// Steward is what the settings call the stewards among the roles.
const Steward = "steward"

// Reaches reports whether mail reaches an address, as far as the house knows.
func (s *Settings) Reaches(a access.Address) bool { return !access.MatchesAny(s.NoMail, a) }

// Provider returns a provider by its id, or nil.
func (s *Settings) Provider(id string) *Provider {
	i := slices.IndexFunc(s.Providers, func(p Provider) bool { return p.ID == id })
	if i < 0 {
		return nil
	}
	return &s.Providers[i]
}

// ChangeSettings changes the settings of the house; what says it for the ledger.
func (h *House) ChangeSettings(ctx context.Context, a Actor, what string, change func(*Settings)) error {
	return h.ChangeSettingsIf(ctx, a, what, func(s *Settings) error {
		change(s)
		return nil
	})
}

// ChangeSettingsIf is ChangeSettings that looks first at what is set by then: an error of change
// is returned, and nothing is changed.
func (h *House) ChangeSettingsIf(ctx context.Context, a Actor, what string, change func(*Settings) error) error {
	err := h.Change(ctx, a, Needs{Steward: true}, func(tx *Tx) error {
		if err := change(tx.Settings()); err != nil {
			return err
		}
		tx.Log("", "house", what, "", "")
		return nil
	})
	if err != nil {
		return err
	}
	return h.Sessions.endVisitsWithout(ctx)
}

// endVisitsWithout ends the visits on sites of those of whom a second step is
// called for and who have none: they set it up when they sign in again.
func (l *Sessions) endVisitsWithout(ctx context.Context) error {
	if len(l.house.State().Settings.SecondStep) == 0 {
		return nil
	}
	var lack []store.SiteSession
	var err error
	l.visits.Range(func(_, v any) bool {
		visit := v.(store.SiteSession)
		a, there := l.house.ActorOf(visit.Who)
		if there && len(l.house.SecondStepFor(a)) == 0 {
			return true
		}
		has, failed := l.HasSecondStep(ctx, visit.Who)
		err = errors.Join(err, failed)
		if failed == nil && !has {
			lack = append(lack, visit)
		}
		return true
	})
	if len(lack) == 0 {
		return err
	}
	return errors.Join(err, l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		for _, v := range lack {
			tx.endSiteSession(v.Token)
		}
		return nil
	}))
}

// SecondStepFor returns what somebody may do, in the words of the settings, for which they must sign in
// with a second step: whatever the role is called that lets them.
func (h *House) SecondStepFor(a Actor) (list []string) {
	s := h.State()
	if len(s.Settings.SecondStep) == 0 {
		return nil
	}
	if slices.Contains(s.Settings.SecondStep, Steward) && h.IsSteward(a) {
		list = append(list, Steward)
	}
	var caps access.Capabilities
	for _, site := range s.Policy.Document().Sites {
		caps |= s.CanAnywhere(a, site.Address, access.At(h.Now()))
	}
	for _, c := range SecondStepCapabilities {
		if slices.Contains(s.Settings.SecondStep, c.String()) && caps.Has(c) {
			list = append(list, c.String())
		}
	}
	return list
}

// SecondStepCapabilities are those for which a second step can be called for, the most first.
var SecondStepCapabilities = []access.Capability{access.Own, access.ManageTeam, access.ChangeDoor, access.Publish, access.ManageMembers, access.ManageListing, access.Write, access.SeeTraffic, access.Preview}

// secondStepOfRoles are the capabilities that stood behind a role, where settings named roles.
var secondStepOfRoles = map[string][]access.Capability{
	"owner": {access.Own}, "admin": {access.ManageTeam, access.ChangeDoor}, "publisher": {access.Publish}, "editor": {access.Write},
	"usher": {access.ManageMembers}, "analyst": {access.SeeTraffic}, "viewer": {access.Preview},
}

// byCapability carries settings over that named roles.
func byCapability(list []string) (carried []string) {
	for _, name := range list {
		names := []string{name}
		if caps, role := secondStepOfRoles[name]; role {
			names = nil
			for _, c := range caps {
				names = append(names, c.String())
			}
		}
		for _, n := range names {
			if !slices.Contains(carried, n) {
				carried = append(carried, n)
			}
		}
	}
	return carried
}
