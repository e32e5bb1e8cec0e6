package access

// Decide answers whether a visitor may view the page at a normalised path (see
// [URLPath]) at an instant. It allocates nothing.
func (s *CompiledSite) Decide(path string, v *Visitor, t Instant) Decision {
	if s == nil {
		return Decision{}
	}
	p, a := s.locate(path)
	return s.decide(a, p != nil, v, t, nil)
}

// asking is one request while it is being decided.
type asking struct {
	site  *CompiledSite
	v     *Visitor
	t     Instant
	rules ruleSet

	known   bool // there is an identity that was not dropped
	dropped bool
	onTeam  bool
	capped  bool // a house rule lets no way be satisfied
	area    *area
	leftOut int // the length of the path of the hidden entry left out, 0 = none
}

// decide follows section 5 of the model step by step. Every path of an area has
// the same answer, so the area stands for the path.
func (s *CompiledSite) decide(a *area, exists bool, v *Visitor, t Instant, why *trace) Decision {
	if s.state != live {
		if why != nil {
			why.state(s)
		}
		if s.state == downGone {
			return Decision{Outcome: Gone}
		}
		return Decision{Outcome: Absent}
	}
	q := asking{site: s, v: v, t: t, area: a}
	if len(s.rules) > 0 {
		q.rules = s.rulesAt(t)
	}
	q.identify()
	if why != nil {
		why.visitor(&q)
	}
	d := q.atTheDoors(exists, why)
	if why != nil {
		why.end(&q, d)
	}
	return d
}

// atTheDoors goes on once it is known who is asking.
func (q *asking) atTheDoors(exists bool, why *trace) Decision {
	s := q.site
	if q.onTeam {
		return existing(exists, ViaTeam)
	}
	conditions, first, siteDoor, via := q.conditions(why)
	if siteDoor && s.door.hide {
		return Decision{Outcome: Absent}
	}
	held := s.holding.on && q.held()
	if why != nil {
		why.holding(q)
		if !held {
			why.doors(q, conditions)
		}
	}
	switch {
	case held:
		return Decision{Outcome: Held, Offers: q.heldOffers(), Soon: s.holding.soon}
	case first == nil:
		return existing(exists && q.leftOut == 0, via)
	}
	return q.turnedAway(first)
}

func existing(exists bool, via Via) Decision {
	if exists {
		return Decision{Outcome: Open, Via: via}
	}
	return Decision{Outcome: Missing, Via: via}
}

// identify finds out whether the identity counts and is on the team at this area.
func (q *asking) identify() {
	id, h := &q.v.Identity, q.site.house
	if id.kind == aPerson {
		switch mark := h.marks[id.index]; {
		case mark&blockedPerson != 0:
			q.dropped = true
		case mark&steward != 0, q.site.teamAt(q.area, id, q.t, q.rules):
			q.onTeam = true
		case q.site.bars && q.site.barred.Contains(id.index):
			q.dropped = true
		}
		q.known = !q.dropped
	} else if id.kind == bareAddress {
		q.known = true
		q.onTeam = q.site.teamAt(q.area, id, q.t, q.rules)
	}
	if q.rules&(signInRequired|houseDomainsOnly) == 0 {
		return
	}
	q.capped = !q.known && q.rules&(signInRequired|houseDomainsOnly) != 0 ||
		q.known && q.rules&houseDomainsOnly != 0 && !h.inside(*id)
}

// teamAt reports whether an identity has a team entry in force that covers an area.
func (s *CompiledSite) teamAt(a *area, id *Identity, t Instant, rules ruleSet) bool {
	if len(a.team) == 0 || id.kind == aPerson && !s.onTeam.Contains(id.index) || id.kind == bareAddress && !s.bareTeam {
		return false
	}
	for _, e := range a.team {
		if s.entryHolds(e, id, t, rules) {
			return true
		}
	}
	return false
}

// entryHolds reports whether a team entry is in force for an identity.
func (s *CompiledSite) entryHolds(e *teamEntry, id *Identity, t Instant, rules ruleSet) bool {
	return e.doc.Accepted && e.win.holds(t) && e.names(id, t) && (rules&insideTeamOnly == 0 || s.house.inside(*id))
}

// names reports whether a team entry is that of an identity, in force or not.
func (e *teamEntry) names(id *Identity, t Instant) bool {
	switch {
	case e.group == nil && id.kind == aPerson:
		return e.people.Contains(id.index)
	case e.group == nil:
		return id.address.Local != "" && e.address == id.address
	case id.kind == aPerson:
		return e.group.at(t).Contains(id.index)
	}
	return e.group.hasAddress(id.address, t)
}

// conditions works out the doors of the path, leaving hidden ones out for as
// long as one is not satisfied. It returns the first that is not satisfied,
// whether the site's own door is not, and what satisfied the last one.
func (q *asking) conditions(why *trace) (list []*condition, first *condition, siteDoor bool, via Via) {
	list = q.area.conditions
again:
	first, siteDoor = nil, false
	for _, c := range list {
		w := q.opens(c.ways)
		if w != nil {
			via = w.via
			continue
		}
		if c.hide && c.path != "" {
			q.leftOut, list = len(c.path), c.above
			if why != nil {
				why.hidden(q, c)
			}
			goto again
		}
		if first == nil {
			first = c
		}
		siteDoor = siteDoor || c.path == ""
	}
	return list, first, siteDoor, via
}

// opens returns the first of the ways that is satisfied.
func (q *asking) opens(ways []*way) *way {
	if q.capped {
		return nil
	}
	for _, w := range ways {
		if q.satisfies(w) {
			return w
		}
	}
	return nil
}

func (q *asking) satisfies(w *way) bool {
	if !w.always && !w.win.holds(q.t) {
		return false
	}
	id := &q.v.Identity
	if w.people != nil && id.kind != bareAddress {
		return q.known && w.has(id.index)
	}
	switch w.via {
	case ViaAnyone:
		return true
	case ViaSignedIn:
		return q.known
	case ViaPass:
		return q.holds(w, q.v.Passes)
	case ViaLink:
		return q.holds(w, q.v.Links)
	case ViaNetwork:
		for i := range w.networks {
			if w.networks[i].Contains(q.v.IP) {
				return true
			}
		}
		return false
	}
	switch {
	case !q.known:
		return false
	case id.kind == aPerson:
		for _, g := range w.groups {
			if g.at(q.t).Contains(id.index) {
				return true
			}
		}
		return false
	}
	switch w.via {
	case ViaDomain:
		return anyMatches(w.domains, id.address.Domain)
	case ViaPeople:
		_, named := w.bare[id.address]
		return named && id.address.Local != ""
	case ViaGroups:
		for _, g := range w.groups {
			if g.hasAddress(id.address, q.t) {
				return true
			}
		}
	}
	return false
}

// holds reports whether one of the passes or links a visitor holds counts for a way.
func (q *asking) holds(w *way, held []string) bool {
	for _, id := range held {
		k := w.allKeys[id]
		if k != nil && q.counts(k) && w.lists(k) {
			return true
		}
	}
	return false
}

func (w *way) lists(k *key) bool {
	if w.keys == nil {
		return true
	}
	for _, listed := range w.keys {
		if listed == k {
			return true
		}
	}
	return false
}

// counts reports whether a pass or link is active, not revoked and covers the path.
func (q *asking) counts(k *key) bool {
	return !k.revoked && k.win.holds(q.t) && (k.ends || q.rules&passMustEnd == 0) &&
		(q.leftOut == 0 || len(k.under) < q.leftOut) && Covers(k.under, q.area.path)
}

// held reports whether the holding page stands before this visitor.
func (q *asking) held() bool {
	return q.holdingUp() && !q.exempt() && q.opens(q.site.holding.letIn) == nil
}

func (q *asking) holdingUp() bool { return q.site.holding.on && q.site.holding.holds(q.t) }

// HoldingUp reports whether the site's holding page is up at an instant.
func (s *CompiledSite) HoldingUp(t Instant) bool {
	return s != nil && s.holding.on && s.holding.holds(t)
}

func (q *asking) exempt() bool {
	return q.area.exempt > 0 && (q.leftOut == 0 || q.area.exempt < q.leftOut)
}

// outside reports whether a house rule shuts an identity out for good.
func (q *asking) outside() bool { return q.known && q.capped }

func (q *asking) heldOffers() (o Offers) {
	if !q.known && !q.dropped {
		o |= OfferSignIn
	}
	if q.asksPassword(q.site.holding.letIn) {
		o |= OfferPassword
	}
	return o
}

// asksPassword reports whether entering a pass could satisfy one of the ways.
func (q *asking) asksPassword(ways []*way) bool {
	if q.capped {
		return false
	}
	for _, w := range ways {
		if w.via != ViaPass || !w.win.holds(q.t) {
			continue
		}
		if w.keys == nil {
			for _, k := range w.allKeys {
				if q.counts(k) {
					return true
				}
			}
		}
		for _, k := range w.keys {
			if q.counts(k) {
				return true
			}
		}
	}
	return false
}

// byIdentity is the kinds of ways that only somebody signed in satisfies.
const byIdentity = 1<<ViaSignedIn | 1<<ViaDomain | 1<<ViaPeople | 1<<ViaGroups | 1<<ViaMembers

// turnedAway is step 6: what a visitor could do about the first door that is
// not satisfied.
func (q *asking) turnedAway(c *condition) Decision {
	var o Offers
	anonymous := !q.known && !q.dropped
	if q.outside() {
		return Decision{Outcome: Refused}
	}
	kinds := c.inForce(q.t)
	members := kinds&(1<<ViaMembers) != 0
	if anonymous && (kinds&byIdentity != 0 || kinds != 0 && q.capped) {
		o |= OfferSignIn
	}
	if members && q.mayJoin(anonymous) {
		o |= OfferJoin
	}
	if kinds&(1<<ViaPass) != 0 && q.asksPassword(c.ways) {
		o |= OfferPassword
	}
	switch {
	case members && o&OfferPassword == 0 && q.known && q.v.Identity.kind == aPerson && q.site.pending.Contains(q.v.Identity.index):
		return Decision{Outcome: Pending}
	case o != 0:
		return Decision{Outcome: Challenge, Offers: o}
	}
	return Decision{Outcome: Refused}
}

func (q *asking) mayJoin(anonymous bool) bool {
	s, id := q.site, &q.v.Identity
	switch {
	case s.doc.SignUp.Mode == "closed":
		return false
	case anonymous:
		return true
	case !q.known:
		return false
	case id.kind == aPerson && (s.approved.Contains(id.index) || s.pending.Contains(id.index) || s.barred.Contains(id.index)):
		return false
	}
	return len(s.signUp) == 0 || anyMatches(s.signUp, id.address.Domain)
}

// Hides reports whether the path looks to a visitor as if it did not exist, whether
// or not something else turns them away first: a door on the way to it is hidden
// and does not open to them.
func (s *CompiledSite) Hides(path string, v *Visitor, t Instant) bool {
	if s == nil || s.state != live {
		return true
	}
	_, a := s.locate(path)
	q := asking{site: s, v: v, t: t, area: a}
	if len(s.rules) > 0 {
		q.rules = s.rulesAt(t)
	}
	q.identify()
	if q.onTeam {
		return false
	}
	_, _, siteDoor, _ := q.conditions(nil)
	return q.leftOut > 0 || siteDoor && s.door.hide
}

// IsMember reports whether somebody is an approved member of the site.
func (s *CompiledSite) IsMember(id Identity) bool {
	return s != nil && id.kind == aPerson && s.approved.Contains(id.index)
}
