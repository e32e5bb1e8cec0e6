package house

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/parts"
	"velada/store"
	"velada/words"
)

// Trays hold what people rehearse: a draft of a site each, that nothing decides by.
type Trays struct{ house *House }

// tellOfRoles tells people in which entries of their own a site's team changes.
func tellOfRoles(tx *Tx, before, after *access.Site) {
	s := tx.State()
	is := words.Wording{Document: s.Policy.Document(), Site: after, Zone: s.Zone}
	was := is
	was.Site = before
	title := cmp.Or(after.Title, after.Address)
	for _, u := range parts.Changed(before, after) {
		if u.Kind != "team" {
			continue
		}
		who, _, _ := strings.Cut(u.ID, "|")
		whose := store.Who(who)
		if named := strings.Split(u.ID, "|"); who == "" && len(named) > 2 && named[2] != "" {
			whose = s.WhoHas(parts.MustAddress(named[2]))
		}
		if whose == "" || whose == tx.By().Who {
			continue
		}
		tx.Notify([]store.Who{whose}, after.Address, "role", title+": "+is.TeamChange(was, u.ID).Text, "/account")
	}
}

// freshLink, before a link's id among a rehearsal's secrets, says that the link
// gets a new token.
const freshLink = "link:"

// Tray is somebody's rehearsal of a site with everything it would do.
type Tray struct {
	Site    string
	Draft   *access.Site // the site as it would be, with what others changed meanwhile
	Secrets map[string]store.NewSecret
	Changes []words.Change
	Clashes []words.Change // what somebody else changed in the same places since it began
	Problem error          // why it cannot be applied as it is
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

// toRehearse is what it takes to change who views or who edits a site.
func toRehearse(site string) Needs {
	return Needs{Site: site, Cap: access.ChangeDoor, Or: []access.Capability{access.ManageTeam, access.ManageMembers}}
}

// requireUnits asks for the right to change everything in which two states of a site
// differ.
func requireUnits(tx *Tx, before, after *access.Site) error {
	for _, u := range parts.Changed(before, after) {
		n := Needs{Site: before.Address, Cap: access.ChangeDoor}
		switch u.Kind {
		case "team", "role":
			n.Cap = access.ManageTeam
		case "sign-up":
			n.Cap = access.ManageMembers
		}
		if err := tx.Require(n); err != nil {
			return err
		}
	}
	return nil
}

// Rehearse changes somebody's draft of a site. Nothing is applied.
func (trays *Trays) Rehearse(ctx context.Context, a Actor, site string, change func(draft *access.Site, secrets map[string]store.NewSecret) error) error {
	return trays.house.Change(ctx, a, toRehearse(site), func(tx *Tx) error {
		s := tx.State()
		now := s.SiteDocument(site)
		if now == nil {
			return ErrNoSite
		}
		r, err := store.FindRehearsal(ctx, tx, s.ID(site), a.Who)
		if err != nil {
			return err
		}
		if r == nil {
			base := WithoutMembers(now)
			r = &store.Rehearsal{Site: s.ID(site), Who: a.Who, Base: base, Draft: base, Secrets: map[string]store.NewSecret{}}
		}
		draft, clashes := parts.Merge(r.Base, r.Draft, WithoutMembers(now))
		if len(clashes) == 0 { // what others changed elsewhere on the site is taken over quietly
			r.Base, r.Draft = WithoutMembers(now), draft
		}
		copied := r.Draft.Clone()
		if err := change(copied, r.Secrets); err != nil {
			return err
		}
		r.Draft, r.Due, r.Trouble = copied, time.Time{}, "" // what is due is what was looked at
		dropUnusedSecrets(r)
		next := withMembers(r.Draft, now)
		then, err := s.Policy.Replace(next)
		if err != nil {
			return err
		}
		if err := errors.Join(requireUnits(tx, now, next), s.Policy.CheckTeam(then, site, s.Identity(a.Who), access.At(tx.Now()))); err != nil {
			return err
		}
		if err := readable(r.Draft); err != nil {
			return err
		}
		if len(parts.Changed(r.Base, r.Draft)) == 0 && len(r.Secrets) == 0 {
			return store.DropRehearsal(ctx, tx, s.ID(site), a.Who)
		}
		return store.SaveRehearsal(ctx, tx, r)
	})
}

// readable returns access.Problems where a draft could not be read again as it would be kept.
func readable(draft *access.Site) error {
	text, err := access.PartJSON(draft)
	if err != nil {
		return err
	}
	return access.ReadPart(text, &access.Site{})
}

// WithoutMembers returns a site without its members, as trays and the ledger keep it.
func WithoutMembers(s *access.Site) *access.Site {
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
		if link, ok := strings.CutPrefix(id, freshLink); ok && parts.Link(r.Draft, link) != nil {
			continue
		}
		if parts.Pass(r.Draft, id) == nil {
			delete(r.Secrets, id)
		}
	}
}

// Tray works out somebody's rehearsal of a site, at this instant; nil where
// there is none.
func (trays *Trays) Tray(ctx context.Context, a Actor, site string) (*Tray, error) {
	r, err := store.FindRehearsal(ctx, trays.house.db, trays.house.SiteID(site), a.Who)
	if err != nil || r == nil {
		return nil, err
	}
	return trays.tray(ctx, trays.house.State(), r), nil
}

// Pending returns how many things somebody's rehearsal on a site changes; 0 where they rehearse nothing.
func (trays *Trays) Pending(ctx context.Context, a Actor, site string) (int, error) {
	r, err := store.FindRehearsal(ctx, trays.house.db, trays.house.SiteID(site), a.Who)
	if err != nil || r == nil {
		return 0, err
	}
	return len(parts.Changed(r.Base, r.Draft)), nil
}

func (trays *Trays) tray(ctx context.Context, s *State, r *store.Rehearsal) *Tray {
	site := s.SiteAddress(r.Site)
	now := s.SiteDocument(site)
	if now == nil {
		return nil
	}
	draft, clashes := parts.Merge(r.Base, r.Draft, WithoutMembers(now))
	w := words.Wording{Document: s.Policy.Document(), Site: now, Zone: s.Zone}
	t := &Tray{Site: site, Draft: withMembers(draft, now), Secrets: r.Secrets, Changes: w.Changes(WithoutMembers(now), draft), Due: r.Due, Trouble: r.Trouble}
	for id := range r.Secrets {
		if link, ok := strings.CutPrefix(id, freshLink); ok && parts.Link(now, link) != nil {
			t.Changes = append(t.Changes, words.Change{Text: fmt.Sprintf("The link %s gets a new address; whoever came by the old one is out.", w.Links([]string{link})[0])})
		}
		if parts.Pass(now, id) != nil {
			t.Changes = append(t.Changes, words.Change{Text: fmt.Sprintf("“%s” gets a new password; whoever is in by the old one is out.", w.Pass(id))})
		}
	}
	if len(clashes) > 0 {
		theirs, _ := parts.Merge(r.Base, WithoutMembers(now), r.Base)
		for _, c := range w.Changes(r.Base, theirs) {
			if slices.ContainsFunc(clashes, func(u parts.Unit) bool { return u.Kind != "door" || u.ID == c.Path }) {
				t.Clashes = append(t.Clashes, c)
			}
		}
	}
	would, err := trays.house.previewOf(ctx, s, Velada, Needs{}, func(tx *Tx) error {
		tx.PutSite(t.Draft)
		return nil
	})
	if err != nil {
		t.Problem, t.Then = err, s.Policy
		return t
	}
	t.Then, t.Impact = would.Then, would.Impact
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
		}
		for _, at := range site.Rights() {
			for _, c := range at.Can {
				if c.Person == me && c.Loses != 0 {
					return true
				}
			}
		}
	}
	return false
}

// without returns what one list has and another has not.
func without(list, other []string) (rest []string) {
	for _, path := range list {
		if !slices.Contains(other, path) {
			rest = append(rest, path)
		}
	}
	return rest
}

// Compare returns what one policy does at an instant that another does not, in figures.
func Compare(before, after *access.Policy, at access.Instant) Summary {
	return summarise(before, after, at)
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
		}
		// what is listed, not what is told: behind a maintenance page search engines keep what they had
		was, is := before.Site(site.Site).Listed(at), after.Site(site.Site).Listed(at)
		sum.NewlyListed = append(sum.NewlyListed, without(is, was)...)
		sum.NoLongerListed = append(sum.NoLongerListed, without(was, is)...)
	}
	for _, who := range order {
		if who == "stranger" {
			sum.StrangersGain, sum.StrangersLose, sum.StrangersOtherwise = observers[who].Gains, observers[who].Loses, observers[who].Otherwise
		}
		sum.Observers = append(sum.Observers, *observers[who])
	}
	broken := map[string]bool{} // before, by promise: a change may add some and take others away
	for _, j := range before.Judge(at) {
		broken[j.Promise.ID] = !j.Kept
	}
	is := after.Judge(at)
	sum.Promises = len(is)
	for _, j := range is {
		if j.Kept {
			sum.Kept++
		} else if !broken[j.Promise.ID] {
			sum.Broken = append(sum.Broken, *j.Promise)
		}
	}
	return sum
}

// Discard forgets somebody's rehearsal of a site.
func (trays *Trays) Discard(ctx context.Context, a Actor, site string) error {
	return trays.house.Change(ctx, a, toRehearse(site), func(tx *Tx) error {
		return store.DropRehearsal(ctx, tx, tx.State().ID(site), a.Who)
	})
}

// ErrClash says that somebody else changed the same places meanwhile.
var ErrClash = errors.New("somebody else changed the same door meanwhile: look at what they changed, then apply again")

// ErrGrave says that a change breaks a promise or shuts its own author out, and
// that this was not said to be meant.
var ErrGrave = errors.New("this breaks a promise or takes something from yourself: say that you mean it")

// Apply puts somebody's rehearsal of a site in force for the very next request.
// Where somebody else changed the same places since it began, it is refused
// once, and the rehearsal goes on from the site as it is now. What is grave is
// refused unless it is meant.
func (trays *Trays) Apply(ctx context.Context, a Actor, site string, meant bool) error {
	clash := false
	err := trays.house.Change(ctx, a, toRehearse(site), func(tx *Tx) error {
		s := tx.State()
		r, err := store.FindRehearsal(ctx, tx, s.ID(site), a.Who)
		if err != nil {
			return err
		}
		if r == nil {
			return ErrNothing
		}
		t := trays.tray(ctx, s, r)
		switch {
		case t == nil:
			return ErrNoSite
		case t.Problem != nil:
			return t.Problem
		}
		if err := requireUnits(tx, s.SiteDocument(site), t.Draft); err != nil {
			return err
		}
		switch {
		case len(t.Clashes) > 0:
			clash = true
			r.Base, r.Draft = WithoutMembers(s.SiteDocument(site)), WithoutMembers(t.Draft)
			if err := s.Policy.CheckTeam(t.Then, site, s.Identity(a.Who), access.At(tx.Now())); err != nil {
				return err
			}
			return store.SaveRehearsal(ctx, tx, r)
		case t.Grave() && !meant:
			return ErrGrave
		}
		return apply(tx, t)
	})
	if err == nil && clash {
		return ErrClash
	}
	return err
}

// apply makes what a tray holds the change: the site, its new passwords and tokens,
// and the end of the visits that what it ends had let in.
func apply(tx *Tx, t *Tray) error {
	s := tx.State()
	before, id := s.SiteDocument(t.Site), s.ID(t.Site)
	tx.PutSite(t.Draft)
	tx.Renew(id, PassesAndLinks)
	for key, secret := range t.Secrets {
		if link, ok := strings.CutPrefix(key, freshLink); ok {
			tx.Try(store.MoveLinkOn(tx.ctx, tx, id, link))
			continue
		}
		tx.Try(store.SavePassSecret(tx.ctx, tx, id, key, secret))
	}
	for _, p := range before.Passes { // ending a pass ends the visits it let in
		if now := parts.Pass(t.Draft, p.ID); now == nil || now.Revoked && !p.Revoked {
			tx.Try(store.MovePassOn(tx.ctx, tx, id, p.ID))
		}
	}
	for _, l := range before.Links { // so that a link of the same name never revives it
		if parts.Link(t.Draft, l.ID) == nil {
			tx.Try(store.MoveLinkOn(tx.ctx, tx, id, l.ID))
		}
	}
	noteMade(tx, id, before, t)
	var what []string
	for _, c := range t.Changes {
		what = append(what, c.Text)
	}
	tx.Log(t.Site, "door", strings.Join(what, " "), parts.Text(*WithoutMembers(before)), parts.Text(*WithoutMembers(t.Draft)))
	tellOfRoles(tx, before, t.Draft)
	return store.DropRehearsal(tx.ctx, tx, id, tx.By().Who)
}

// noteMade writes since when passwords and links are as they are, and a holding page is shown.
func noteMade(tx *Tx, id store.SiteID, before *access.Site, t *Tray) {
	made := func(thing string) { tx.Try(store.SaveMade(tx.ctx, tx, id, thing, tx.at)) }
	for _, p := range t.Draft.Passes {
		if _, fresh := t.Secrets[p.ID]; fresh || parts.Pass(before, p.ID) == nil {
			made("pass:" + p.ID)
		}
	}
	for _, l := range t.Draft.Links {
		if _, fresh := t.Secrets[freshLink+l.ID]; fresh || parts.Link(before, l.ID) == nil {
			made("link:" + l.ID)
			tx.Try(store.ForgetLinkSources(tx.ctx, tx, id, l.ID))
		}
	}
	if t.Draft.Holding.On && !before.Holding.On {
		made("holding")
	}
}
