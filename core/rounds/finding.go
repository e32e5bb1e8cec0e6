// Package rounds looks through a house as a careful person would: a policy, facts that it does
// not hold, and an instant, to findings. It computes; it changes nothing, and puts nothing
// into words.
package rounds

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"time"

	"velada/core/access"
)

// Kind is what is wrong.
type Kind string

// The kinds of findings.
const (
	PromiseBroken    Kind = "promise-broken"    // now or later
	StrangersBelow   Kind = "strangers-below"   // they open pages of a site that is shut to them
	DoorForNobody    Kind = "door-for-nobody"   // it has ways, and nobody can pass
	WayWithout       Kind = "way-without"       // effect: another is wider
	ListingShut      Kind = "listing-shut"      // asked for where strangers can read nothing
	ListingForbidden Kind = "listing-forbidden" // by a house rule
	RobotsAgainst    Kind = "robots-against"    // lines of the site's own in robots.txt contradict its pages
	DomainLost       Kind = "domain-lost"       // a domain leads elsewhere, or is about to be lost
	EndlessPassword  Kind = "endless-password"
	WeakPassword     Kind = "weak-password"
	SharedPassword   Kind = "shared-password" // on two sites
	UnusedPassword   Kind = "unused-password"
	UnusedLink       Kind = "unused-link"
	SpreadLink       Kind = "spread-link" // used from very many addresses
	Leftovers        Kind = "leftovers"   // whose end has passed
	LeftoverGroup    Kind = "leftover-group"
	EndlessHolding   Kind = "endless-holding"
	LongHolding      Kind = "long-holding"
	EndlessOutsider  Kind = "endless-outsider"
	NoOwner          Kind = "no-owner"
	OwnerEnds        Kind = "owner-ends"
	OneSteward       Kind = "one-steward"
	OldInvitation    Kind = "old-invitation"
	OldRequest       Kind = "old-request"
	ChangesNotLive   Kind = "changes-not-live"
	BrokenLink       Kind = "broken-link"
	LonelyPage       Kind = "lonely-page" // no menu and no link leads there
	DoorWithoutPage  Kind = "door-without-page"
	BlockedInside    Kind = "blocked-inside"
	NobodysAddress   Kind = "nobodys-address"
	NoSecondStep     Kind = "no-second-step"
	MailFailed       Kind = "mail-failed"
)

// Kinds are all of them, the most pressing of equal gravity first.
var Kinds = []Kind{
	PromiseBroken, BlockedInside, WeakPassword, NoOwner, DomainLost, SharedPassword, StrangersBelow, DoorForNobody, SpreadLink, OwnerEnds, MailFailed, EndlessHolding,
	ListingShut, RobotsAgainst, OldRequest, NoSecondStep, LongHolding, EndlessOutsider, EndlessPassword, OldInvitation, ChangesNotLive, BrokenLink, LonelyPage, UnusedPassword,
	UnusedLink, ListingForbidden, WayWithout, Leftovers, LeftoverGroup, DoorWithoutPage, NobodysAddress, OneSteward,
}

// Gravity is how pressing a finding is.
type Gravity int

// The gravities, the most pressing first.
const (
	Now Gravity = iota
	Soon
	WhenYouCan
)

// gravities are those of the kinds; the rest can wait.
var gravities = map[Kind]Gravity{
	PromiseBroken: Now, BlockedInside: Now, WeakPassword: Now, NoOwner: Now, DomainLost: Now, SharedPassword: Soon, StrangersBelow: Soon, DoorForNobody: Soon, SpreadLink: Soon,
	OwnerEnds: Soon, MailFailed: Soon, EndlessHolding: Soon, ListingShut: Soon, RobotsAgainst: Soon, OldRequest: Soon, NoSecondStep: Soon,
}

// How long things may last before they are found.
const (
	week          = 7 * 24 * time.Hour
	unusedAfter   = 90 * 24 * time.Hour
	linkUnused    = 30 * 24 * time.Hour
	heldLong      = 30 * 24 * time.Hour
	notLiveLong   = 2 * week
	soonFor       = 30 * 24 * time.Hour // how far ahead an owner's end is told of
	manyAddresses = 40                  // from which a link is used
)

// Finding is one thing that needs attention.
type Finding struct {
	Kind    Kind
	Gravity Gravity
	Site    string   // its address; "" is the house
	Thing   string   // what it is about: an id, a path, a key; tells it from others of its kind and site
	Paths   []string // the pages concerned, in order
	At      access.Instant
	Who     []string // people by id, or addresses
	Count   int
	Name    string // of a fact
	Breach  access.Judgement
	Way     *access.Way

	// What mends it. Mend changes the site, House the document; where both are nil somebody
	// has to look themselves.
	Mend  func(site *access.Site)
	House func(doc *access.Document)
	Until access.Instant // the end that mending sets; the zero instant where it sets none
	Adds  string         // the group or person whom mending lets in; "" is nobody

	state []string
}

// Key tells a finding from all others, for as long as its thing is there.
func (f *Finding) Key() string { return string(f.Kind) + " " + f.Site + " " + f.Thing }

// KindOf returns the kind of the finding that has a key.
func KindOf(key string) Kind {
	kind, _, _ := strings.Cut(key, " ")
	return Kind(kind)
}

// remedies are the capabilities that the remedies of kinds need, where that is not to change doors.
var remedies = map[Kind]access.Capability{
	BlockedInside: access.ManageTeam, NoOwner: access.ManageTeam, OwnerEnds: access.ManageTeam, NoSecondStep: access.ManageTeam, EndlessOutsider: access.ManageTeam, OldInvitation: access.ManageTeam,
	ChangesNotLive: access.Publish, BrokenLink: access.Publish, LonelyPage: access.Publish,
	OldRequest: access.ManageMembers, MailFailed: access.ManageMembers,
	ListingShut: access.ManageListing, ListingForbidden: access.ManageListing, RobotsAgainst: access.ManageListing, DomainLost: access.ManageListing,
}

// Needs returns the capability that mending a finding of a kind takes.
func (k Kind) Needs() access.Capability {
	if c, other := remedies[k]; other {
		return c
	}
	return access.ChangeDoor
}

// State changes when the thing does that a finding is about: what was left as it is counts
// no longer then.
func (f *Finding) State() string {
	sum := sha256.Sum256([]byte(strings.Join(slices.Concat(f.state, f.Paths, f.Who), "\n")))
	return hex.EncodeToString(sum[:8])
}

// Facts is what the policy does not hold. Sites are named by address.
type Facts struct {
	Keys       map[string]map[string]Key // of a site, by pass:ID and link:ID
	Held       map[string]access.Instant // since when the holding page is shown, where that is known
	Drafts     map[string]Draft
	Webs       map[string]Web
	Waiting    []Waiting
	SecondStep map[string]bool // people who sign in with a second step
	MailFailed int
	Domains    map[string][]string // of a site, what is the matter with its domains, in sentences
	Robots     map[string][]string // of a site, what contradicts its pages in robots.txt, in sentences
}

// Key is what is known of a password or link.
type Key struct {
	Made, Last access.Instant // the zero instant where that is not known, or it was never used
	Uses       int
	From       int    // how many addresses it was used from, as far as they are counted
	Weak       bool   // too easy to guess
	Shared     string // the title of another site that has the same password
}

// Draft is what of a site is not live.
type Draft struct {
	Changes int
	Since   access.Instant
}

// Web is how the pages of the live edition hang together.
type Web struct {
	Menu  []string            // paths of the pages in the menu
	Links map[string][]string // by page, paths within the site, of pages and files alike
	Other map[string]bool     // paths that lead somewhere and are no page: files, pages that moved
}

// Waiting is an invitation or a request that nobody has answered.
type Waiting struct {
	Site, ID   string
	Name       string
	Invitation bool
	At         access.Instant
}

// Find goes through a house at an instant, the most pressing first, then by site.
func Find(p *access.Policy, facts *Facts, at access.Instant) []Finding {
	r := &round{policy: p, doc: p.Document(), facts: facts, at: at}
	r.promises()
	r.house()
	for _, doc := range r.doc.Sites {
		s := &siteRound{round: r, doc: doc, site: p.Site(doc.Address)}
		s.look()
	}
	for i := range r.found {
		f := &r.found[i]
		f.Gravity = WhenYouCan
		if g, is := gravities[f.Kind]; is {
			f.Gravity = g
		}
	}
	slices.SortStableFunc(r.found, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Gravity, b.Gravity), cmp.Compare(slices.Index(Kinds, a.Kind), slices.Index(Kinds, b.Kind)), cmp.Compare(a.Site, b.Site))
	})
	return r.found
}

// round is one going through.
type round struct {
	policy *access.Policy
	doc    *access.Document
	facts  *Facts
	at     access.Instant
	found  []Finding
}

// tell adds a finding; state is what it is about, besides its pages and people.
func (r *round) tell(f Finding, state ...string) {
	f.state = state
	r.found = append(r.found, f)
}

// ago returns the instant so long before now.
func (r *round) ago(d time.Duration) access.Instant { return access.At(r.at.Time().Add(-d)) }

// passed reports whether an end has passed.
func (r *round) passed(until access.Instant) bool { return !until.IsZero() && !r.at.Before(until) }

// ahead returns the instant so many days from now.
func (r *round) ahead(days int) access.Instant { return access.At(r.at.Time().AddDate(0, 0, days)) }
