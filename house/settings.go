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
	SecondStep []string     `json:"second_step"` // roles whose holders sign in with a second step; steward too
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

// SecondStepFor returns the roles for which somebody must sign in with a second step.
func (h *House) SecondStepFor(a Actor) (roles []string) {
	s := h.State()
	if len(s.Settings.SecondStep) == 0 {
		return nil
	}
	if slices.Contains(s.Settings.SecondStep, Steward) && h.IsSteward(a) {
		roles = append(roles, Steward)
	}
	for _, site := range s.Policy.Document().Sites {
		for _, e := range s.Policy.Site(site.Address).EntriesOf(s.Identity(a.Who), access.At(h.Now())) {
			if slices.Contains(s.Settings.SecondStep, e.Role) && !slices.Contains(roles, e.Role) {
				roles = append(roles, e.Role)
			}
		}
	}
	return roles
}
