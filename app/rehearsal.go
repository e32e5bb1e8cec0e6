package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/store"
)

// freshLink, before a link's id among a rehearsal's secrets, says that the link
// gets a new token.
const freshLink = "link:"

// Tray is somebody's rehearsal of a site with everything it would do.
type Tray struct {
	Site    string
	Draft   *access.Site // the site as it would be, with what others changed meanwhile
	Secrets map[string]store.NewSecret
	Changes []Change
	Clashes []Change // what somebody else changed in the same places since it began
	Problem error    // why it cannot be applied as it is
	Then    *access.Policy
	Impact  Summary
	OwnLoss bool      // its author would lose a page or a capability
	Due     time.Time // when it is applied by itself
	Trouble string    // why that was not done
}

// Grave reports whether the change needs one more deliberate step.
func (t *Tray) Grave() bool { return t.OwnLoss || len(t.Impact.Broken) > 0 }

// Summary is an impact in figures.
type Summary struct {
	Gain, Lose         Reach            // people
	Observers          []ObserverReach  // passes, domains and the like that differ, the stranger first
	NewlyListed        []string         // pages that search engines may list from then on
	NoLongerListed     []string         // pages that they may not list any more
	Kept, Promises     int              // after the change
	Broken             []access.Promise // kept now, broken by it
	StrangersGain      int              // pages that open to anybody
	StrangersLose      int
	StrangersOtherwise int // pages on which a stranger meets something else
	Full               access.Impact
}

// Reach is how many people are touched, on how many pages.
type Reach struct {
	People access.People
	Pages  int
}

// ObserverReach is on how many pages an observer gains or loses.
type ObserverReach struct {
	Who                     string
	Gains, Loses, Otherwise int // pages
}

// mayChangeDoor checks that somebody may change who views a site. Who has
// nothing to do with the site is not told that it exists.
func (h *House) mayChangeDoor(a Actor, site string) error {
	caps := h.Can(a, site, "/")
	switch {
	case caps.Has(access.ChangeDoor):
		return nil
	case caps == 0:
		return ErrNoSite
	}
	return ErrMayNot
}

// mayRehearse checks that somebody may change who views or who edits a site.
func (h *House) mayRehearse(a Actor, site string) error {
	caps := h.Can(a, site, "/")
	switch {
	case caps.Has(access.ChangeDoor) || caps.Has(access.ManageTeam) || caps.Has(access.ManageMembers):
		return nil
	case caps == 0:
		return ErrNoSite
	}
	return ErrMayNot
}

// mayChange checks that somebody may change everything in which two states of a
// site differ, the team by the rules of the model.
func (h *House) mayChange(a Actor, s *State, before, after *access.Site, then *access.Policy) error {
	caps := h.Can(a, before.Address, "/")
	for _, u := range changedUnits(before, after) {
		needs := access.ChangeDoor
		switch u.kind {
		case "team", "role":
			needs = access.ManageTeam
		case "sign-up":
			needs = access.ManageMembers
		}
		if !caps.Has(needs) {
			return ErrMayNot
		}
	}
	return s.Policy.CheckTeam(then, before.Address, s.Identity(a.Who), access.At(h.now()))
}

// Rehearse changes somebody's draft of a site. Nothing is applied.
func (h *House) Rehearse(ctx context.Context, a Actor, site string, change func(draft *access.Site, secrets map[string]store.NewSecret) error) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayRehearse(a, site); err != nil {
		return err
	}
	now := h.State().SiteDocument(site)
	if now == nil {
		return ErrNoSite
	}
	r, err := store.FindRehearsal(ctx, h.DB, h.id(site), a.Who)
	if err != nil {
		return err
	}
	if r == nil {
		base := withoutMembers(now)
		r = &store.Rehearsal{Site: h.id(site), Who: a.Who, Base: base, Draft: base, Secrets: map[string]store.NewSecret{}}
	}
	draft, clashes := merge(r.Base, r.Draft, withoutMembers(now))
	if len(clashes) == 0 { // what others changed elsewhere on the site is taken over quietly
		r.Base, r.Draft = withoutMembers(now), draft
	}
	copied := *r.Draft
	copied.Doors, copied.Passes, copied.Links = slices.Clone(copied.Doors), slices.Clone(copied.Passes), slices.Clone(copied.Links)
	copied.Pages = clonePages(copied.Pages)
	copied.Team, copied.Roles = slices.Clone(copied.Team), slices.Clone(copied.Roles)
	if err := change(&copied, r.Secrets); err != nil {
		return err
	}
	r.Draft, r.Due, r.Trouble = &copied, time.Time{}, "" // what is due is what was looked at
	dropUnusedSecrets(r)
	then, err := h.State().Policy.Replace(withMembers(r.Draft, now))
	if err != nil {
		return err
	}
	if err := h.mayChange(a, h.State(), now, withMembers(r.Draft, now), then); err != nil {
		return err
	}
	if len(changedUnits(r.Base, r.Draft)) == 0 && len(r.Secrets) == 0 {
		return store.DropRehearsal(ctx, h.DB, h.id(site), a.Who)
	}
	return store.SaveRehearsal(ctx, h.DB, r)
}

func withoutMembers(s *access.Site) *access.Site {
	copied := *s
	copied.Members = nil
	return &copied
}

func withMembers(s, from *access.Site) *access.Site {
	copied := *s
	copied.Members = from.Members
	return &copied
}

func dropUnusedSecrets(r *store.Rehearsal) {
	for id := range r.Secrets {
		if link, ok := strings.CutPrefix(id, freshLink); ok && linkKey(r.Draft, link) != nil {
			continue
		}
		if passKey(r.Draft, id) == nil {
			delete(r.Secrets, id)
		}
	}
}

// Tray works out somebody's rehearsal of a site, at this instant; nil where
// there is none.
func (h *House) Tray(ctx context.Context, a Actor, site string) (*Tray, error) {
	r, err := store.FindRehearsal(ctx, h.DB, h.id(site), a.Who)
	if err != nil || r == nil {
		return nil, err
	}
	return h.tray(h.State(), r), nil
}

func (h *House) tray(s *State, r *store.Rehearsal) *Tray {
	site := s.SiteAddress(r.Site)
	now := s.SiteDocument(site)
	if now == nil {
		return nil
	}
	draft, clashes := merge(r.Base, r.Draft, withoutMembers(now))
	w := Wording{Document: s.Policy.Document(), Site: now, Zone: s.Zone}
	t := &Tray{Site: site, Draft: withMembers(draft, now), Secrets: r.Secrets, Changes: w.Changes(withoutMembers(now), draft), Due: r.Due, Trouble: r.Trouble}
	for id := range r.Secrets {
		if link, ok := strings.CutPrefix(id, freshLink); ok && linkKey(now, link) != nil {
			t.Changes = append(t.Changes, Change{"", fmt.Sprintf("The link %s gets a new address; whoever came by the old one is out.", w.links([]string{link})[0])})
		}
		if passKey(now, id) != nil {
			t.Changes = append(t.Changes, Change{"", fmt.Sprintf("The pass “%s” gets a new password; whoever is in by the old one is out.", w.Pass(id))})
		}
	}
	if len(clashes) > 0 {
		theirs, _ := merge(r.Base, withoutMembers(now), r.Base)
		for _, c := range w.Changes(r.Base, theirs) {
			if slices.ContainsFunc(clashes, func(u unit) bool { return u.kind != "door" || u.id == c.Path }) {
				t.Clashes = append(t.Clashes, c)
			}
		}
	}
	then, err := s.Policy.Replace(t.Draft)
	if err != nil {
		t.Problem, t.Then = err, s.Policy
		return t
	}
	t.Then = then
	t.Impact = summarise(s.Policy, then, access.At(h.now()))
	t.OwnLoss = losesHimself(t.Impact.Full, r.Who)
	return t
}

// losesHimself reports whether an impact takes a page or a capability from somebody.
func losesHimself(impact access.Impact, who store.Who) bool {
	if who.Bare() { // impacts name people alone
		return false
	}
	me := string(who)
	for _, site := range impact.Sites {
		for _, page := range site.Pages {
			if slices.Contains(page.Loses.IDs(), me) {
				return true
			}
			for _, c := range page.Can {
				if c.Person == me && c.Loses != 0 {
					return true
				}
			}
		}
	}
	return false
}

func summarise(before, after *access.Policy, at access.Instant) Summary {
	sum := Summary{Full: access.ImpactOf(before, after, at)}
	observers := map[string]*ObserverReach{}
	var order []string
	for _, site := range sum.Full.Sites {
		for _, p := range site.Pages {
			if p.Gains.Count() > 0 {
				sum.Gain.People, sum.Gain.Pages = sum.Gain.People.Union(p.Gains), sum.Gain.Pages+1
			}
			if p.Loses.Count() > 0 {
				sum.Lose.People, sum.Lose.Pages = sum.Lose.People.Union(p.Loses), sum.Lose.Pages+1
			}
			for _, o := range p.Observers {
				if observers[o.Who] == nil {
					observers[o.Who] = &ObserverReach{Who: o.Who}
					order = append(order, o.Who)
				}
				reach := observers[o.Who]
				switch {
				case o.After == access.Open:
					reach.Gains++
				case o.Before == access.Open:
					reach.Loses++
				default:
					reach.Otherwise++
				}
			}
			if p.NoIndex != nil && p.NoIndex.Before {
				sum.NewlyListed = append(sum.NewlyListed, p.Path)
			} else if p.NoIndex != nil {
				sum.NoLongerListed = append(sum.NoLongerListed, p.Path)
			}
		}
	}
	for _, who := range order {
		if who == "stranger" {
			sum.StrangersGain, sum.StrangersLose, sum.StrangersOtherwise = observers[who].Gains, observers[who].Loses, observers[who].Otherwise
		}
		sum.Observers = append(sum.Observers, *observers[who])
	}
	was, is := before.Judge(at), after.Judge(at)
	sum.Promises = len(is)
	for i := range is {
		if is[i].Kept {
			sum.Kept++
		} else if was[i].Kept {
			sum.Broken = append(sum.Broken, *is[i].Promise)
		}
	}
	return sum
}

// Discard forgets somebody's rehearsal of a site.
func (h *House) Discard(ctx context.Context, a Actor, site string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayRehearse(a, site); err != nil {
		return err
	}
	return store.DropRehearsal(ctx, h.DB, h.id(site), a.Who)
}

// ErrNothing says that there is no rehearsal to apply.
var ErrNothing = errors.New("there is nothing to apply")

// ErrClash says that somebody else changed the same places meanwhile.
var ErrClash = errors.New("somebody else changed the same door meanwhile: look at what they changed, then apply again")

// ErrGrave says that a change breaks a promise or shuts its own author out, and
// that this was not said to be meant.
var ErrGrave = errors.New("this breaks a promise or takes something from yourself: say that you mean it")

// Apply puts somebody's rehearsal of a site in force for the very next request.
// Where somebody else changed the same places since it began, it is refused
// once, and the rehearsal goes on from the site as it is now. What is grave is
// refused unless it is meant.
func (h *House) Apply(ctx context.Context, a Actor, site string, meant bool) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayRehearse(a, site); err != nil {
		return err
	}
	s := h.State()
	r, err := store.FindRehearsal(ctx, h.DB, h.id(site), a.Who)
	if err != nil {
		return err
	}
	if r == nil {
		return ErrNothing
	}
	t := h.tray(s, r)
	switch {
	case t == nil:
		return ErrNoSite
	case t.Problem != nil:
		return t.Problem
	}
	if err := h.mayChange(a, s, s.SiteDocument(site), t.Draft, t.Then); err != nil {
		return err
	}
	switch {
	case len(t.Clashes) > 0:
		r.Base, r.Draft = withoutMembers(s.SiteDocument(site)), withoutMembers(t.Draft)
		return errors.Join(ErrClash, store.SaveRehearsal(ctx, h.DB, r))
	case t.Grave() && !meant:
		return ErrGrave
	}
	return h.put(ctx, a, s, t)
}

// put writes a rehearsal with its ledger entry in one transaction and swaps the
// state.
func (h *House) put(ctx context.Context, a Actor, s *State, t *Tray) error {
	before := s.SiteDocument(t.Site)
	next := *s
	next.Policy = t.Then
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		if err := store.SaveSite(ctx, tx, t.Draft, sitePosition(s, t.Site)); err != nil {
			return err
		}
		for id, secret := range t.Secrets {
			if link, ok := strings.CutPrefix(id, freshLink); ok {
				if err := store.MoveLinkOn(ctx, tx, h.id(t.Site), link); err != nil {
					return err
				}
				continue
			}
			if err := store.SavePassSecret(ctx, tx, h.id(t.Site), id, secret); err != nil {
				return err
			}
		}
		for _, p := range before.Passes { // ending a pass ends the visits it let in
			if now := passKey(t.Draft, p.ID); now == nil || now.Revoked && !p.Revoked {
				if err := store.MovePassOn(ctx, tx, h.id(t.Site), p.ID); err != nil {
					return err
				}
			}
		}
		for _, l := range before.Links { // so that a link of the same name never revives it
			if linkKey(t.Draft, l.ID) == nil {
				if err := store.MoveLinkOn(ctx, tx, h.id(t.Site), l.ID); err != nil {
					return err
				}
			}
		}
		var what []string
		for _, c := range t.Changes {
			what = append(what, c.Text)
		}
		err := h.ledger(ctx, tx, a.Address.String(), t.Site, "door", strings.Join(what, " "), written(*withoutMembers(before)), written(*withoutMembers(t.Draft)))
		if err != nil {
			return err
		}
		if err := store.DropRehearsal(ctx, tx, h.id(t.Site), a.Who); err != nil {
			return err
		}
		if err := h.tellOfRoles(ctx, tx, a, s, before, t.Draft); err != nil {
			return err
		}
		return next.readPasses(ctx, tx)
	})
	if err != nil {
		return fmt.Errorf("applying: %w", err)
	}
	h.swapFor(&next, t.Site)
	return nil
}

func sitePosition(s *State, address string) int {
	return slices.IndexFunc(s.Policy.Document().Sites, func(site *access.Site) bool { return site.Address == address })
}
