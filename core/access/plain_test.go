package access

import (
	"net/netip"
	"slices"
	"strings"
	"time"
)

// plain answers straight from the document, without compiling anything: a slow
// and literal reading of docs/model.md to hold the compiled policy against.
type plain struct {
	doc  *Document
	site *Site
	ask  ask
}

// within reports whether an instant lies in [from, until).
func within(t, from, until Instant) bool {
	return (from.IsZero() || !t.Before(from)) && (until.IsZero() || t.Before(until))
}

// withinHolding steps through the occurrences day by day of the calendar.
func (p plain) withinHolding() bool {
	h := p.site.Holding
	if within(p.ask.at, h.From, h.Until) || h.Repeat == nil {
		return within(p.ask.at, h.From, h.Until)
	}
	zone, _ := time.LoadLocation(p.doc.House.Zone)
	days := h.Repeat.Every
	if h.Repeat.Unit == "week" {
		days *= 7
	}
	first := h.From.Time().In(zone)
	for n := 1; ; n++ {
		day := first.AddDate(0, 0, n*days)
		clock := time.Date(day.Year(), day.Month(), day.Day(), 12, 0, 0, 0, zone) // noon is never skipped
		day = time.Date(clock.Year(), clock.Month(), clock.Day(), first.Hour(), first.Minute(), first.Second(), 0, zone)
		begins := At(day)
		if !begins.Before(h.Repeat.Until) || p.ask.at.Before(begins) {
			return false
		}
		if within(p.ask.at, begins, At(day.Add(h.Until.Time().Sub(h.From.Time())))) {
			return true
		}
	}
}

// me is the address of the one who asks, "" for nobody.
func (p plain) me() string {
	if p.ask.person != "" {
		return p.personByID(p.ask.person).Address
	}
	return p.ask.address
}

func (p plain) personByID(id string) *Person {
	for i := range p.doc.People {
		if p.doc.People[i].ID == id {
			return &p.doc.People[i]
		}
	}
	return nil
}

func sameAddress(a, b string) bool {
	x, err1 := ParseAddress(a)
	y, err2 := ParseAddress(b)
	return err1 == nil && err2 == nil && x == y
}

// person is the person of the house that an address belongs to, or nil.
func (p plain) person(address string) *Person {
	for i := range p.doc.People {
		if sameAddress(p.doc.People[i].Address, address) {
			return &p.doc.People[i]
		}
	}
	return nil
}

func atDomain(address string, patterns []string) bool {
	a, err := ParseAddress(address)
	if err != nil {
		return false
	}
	for _, d := range patterns {
		whole, below := strings.CutPrefix(d, "*.")
		ascii, _ := ParseDomain(whole)
		if !below && a.Domain == ascii || below && strings.HasSuffix(a.Domain, "."+ascii) {
			return true
		}
	}
	return false
}

func (p plain) inGroup(address, id string, seen []string) bool {
	if slices.Contains(seen, id) {
		return false
	}
	for _, g := range p.doc.Groups {
		if g.ID != id || !within(p.ask.at, g.From, g.Until) {
			continue
		}
		if me := p.person(address); me != nil && slices.Contains(g.People, me.ID) || atDomain(address, g.Domains) {
			return true
		}
		for _, inner := range g.Groups {
			if p.inGroup(address, inner, append(slices.Clone(seen), id)) {
				return true
			}
		}
	}
	return false
}

func (p plain) rule(name string) bool {
	for _, r := range p.doc.Rules {
		scope := !slices.Contains(r.Sites.Except, p.site.Address)
		if r.Sites.Only != nil {
			scope = slices.Contains(r.Sites.Only, p.site.Address)
		}
		if r.Rule == name && scope && within(p.ask.at, r.From, r.Until) {
			return true
		}
	}
	return false
}

// entries are the team entries in force for an address on the path.
func (p plain) entries(address string) (list []TeamEntry) {
	if p.rule("inside-team-only") && !atDomain(address, p.doc.House.Domains) {
		return nil
	}
	for _, e := range p.site.Team {
		mine := e.Address != "" && sameAddress(e.Address, address) || e.Group != "" && p.inGroup(address, e.Group, nil)
		if me := p.person(address); me != nil && e.Person == me.ID {
			mine = true
		}
		under, _ := DocumentPath(e.Under)
		if mine && e.Accepted && within(p.ask.at, e.From, e.Until) && Covers(under, p.ask.path) {
			list = append(list, e)
		}
	}
	return list
}

// members are those of the site asked for.
func (p plain) members() []Member { s := p.site; return s.Members }

// identity returns the address that counts, and whether one was dropped.
func (p plain) identity() (address string, dropped bool) {
	address = p.me()
	me := p.person(address)
	if address == "" || me == nil {
		return address, false
	}
	barred := slices.Contains(p.members(), Member{me.ID, "blocked"})
	if me.Blocked || barred && !me.Steward && len(p.entries(address)) == 0 {
		return "", true
	}
	return address, false
}

type plainCondition struct {
	door  *PageDoor // nil for the site's own
	ways  []Way
	under string
}

// conditions lists the conditions of the path with some doors left out.
func (p plain) conditions(leftOut string) []plainCondition {
	list := []plainCondition{{nil, p.site.Door.Ways, ""}}
	doors := slices.Clone(p.site.Doors)
	slices.SortFunc(doors, func(a, b PageDoor) int { return len(normal(a.Path)) - len(normal(b.Path)) })
	for i, d := range doors {
		path := normal(d.Path)
		if !Covers(path, p.ask.path) || leftOut != "" && Covers(leftOut, path) {
			continue
		}
		c := plainCondition{&doors[i], d.Ways, path}
		if d.Mode == "instead" {
			list = nil
		}
		list = append(list, c)
	}
	return list
}

func (p plain) satisfied(w Way, leftOut string) bool {
	me, _ := p.identity()
	if me == "" && (p.rule("sign-in-required") || p.rule("house-domains-only")) ||
		p.rule("house-domains-only") && !atDomain(me, p.doc.House.Domains) || !within(p.ask.at, w.From, w.Until) {
		return false
	}
	switch w.Way {
	case "anyone":
		return true
	case "signed-in":
		return me != ""
	case "domain":
		return me != "" && atDomain(me, w.Domains)
	case "people":
		return me != "" && slices.ContainsFunc(w.People, func(who string) bool {
			if strings.Contains(who, "@") {
				return sameAddress(who, me)
			}
			return p.person(me) != nil && p.person(me).ID == who
		})
	case "groups":
		return me != "" && slices.ContainsFunc(w.Groups, func(id string) bool { return p.inGroup(me, id, nil) })
	case "members":
		return p.person(me) != nil && slices.Contains(p.members(), Member{p.person(me).ID, "approved"})
	case "network":
		return slices.ContainsFunc(w.Networks, func(n string) bool { return netip.MustParsePrefix(n).Contains(p.ask.ip) })
	}
	for _, k := range p.keys(w, leftOut) {
		if w.Way == "pass" && slices.Contains(p.ask.passes, k) || w.Way == "link" && slices.Contains(p.ask.links, k) {
			return true
		}
	}
	return false
}

// keys lists the passes or links that count for a way on the path now.
func (p plain) keys(w Way, leftOut string) (list []string) {
	links, listed := p.site.Links, w.Links
	if w.Way == "pass" {
		links, listed = nil, w.Passes
		for _, k := range p.site.Passes {
			links = append(links, Link{ID: k.ID, Under: k.Under, From: k.From, Until: k.Until, Revoked: k.Revoked})
		}
	}
	for _, k := range links {
		under := normal(k.Under)
		switch {
		case listed != nil && !slices.Contains(listed, k.ID), k.Revoked, !within(p.ask.at, k.From, k.Until), !Covers(under, p.ask.path),
			k.Until.IsZero() && p.rule("pass-must-end"), leftOut != "" && Covers(leftOut, under):
		default:
			list = append(list, k.ID)
		}
	}
	return list
}

func (p plain) opens(ways []Way, leftOut string) (Way, bool) {
	for _, w := range ways {
		if p.satisfied(w, leftOut) {
			return w, true
		}
	}
	return Way{}, false
}

// decide follows section 5 to the letter.
func (p plain) decide() (outcome string, offers []string, via string) {
	if p.site.State != "live" {
		if p.site.State == "down" && p.site.SayGone {
			return "gone", nil, ""
		}
		return "absent", nil, ""
	}
	me, dropped := p.identity()
	exists := slices.ContainsFunc(p.site.Pages, func(pg Page) bool { return normal(pg.Path) == p.ask.path })
	if me != "" && (p.person(me) != nil && p.person(me).Steward || len(p.entries(me)) > 0) {
		return end(exists), nil, "team"
	}
	leftOut, list := "", p.conditions("")
	for {
		i := slices.IndexFunc(list, func(c plainCondition) bool {
			_, open := p.opens(c.ways, leftOut)
			return !open && c.door != nil && c.door.Hide
		})
		if i < 0 {
			break
		}
		leftOut, exists = list[i].under, false
		list = p.conditions(leftOut)
	}
	shut := slices.DeleteFunc(slices.Clone(list), func(c plainCondition) bool { _, open := p.opens(c.ways, leftOut); return open })
	if p.site.Door.Hide && slices.ContainsFunc(shut, func(c plainCondition) bool { return c.door == nil }) {
		return "absent", nil, ""
	}
	h := p.site.Holding
	exempt := slices.ContainsFunc(h.Exempt, func(path string) bool {
		return Covers(normal(path), p.ask.path) && (leftOut == "" || !Covers(leftOut, normal(path)))
	})
	if _, past := p.opens(h.LetIn, leftOut); h.On && p.withinHolding() && !exempt && !past {
		if me == "" && !dropped {
			offers = append(offers, "sign-in")
		}
		return "held", append(offers, p.offersPassword(h.LetIn, leftOut)...), ""
	}
	if len(shut) == 0 {
		w, _ := p.opens(list[len(list)-1].ways, leftOut)
		return end(exists), nil, w.Way
	}
	return p.turnedAway(shut[0].ways, leftOut)
}

func end(exists bool) string {
	if exists {
		return "open"
	}
	return "missing"
}

func (p plain) offersPassword(ways []Way, leftOut string) []string {
	me, _ := p.identity()
	outside := p.rule("house-domains-only") && !atDomain(me, p.doc.House.Domains)
	if me == "" && (p.rule("sign-in-required") || p.rule("house-domains-only")) || outside {
		return nil
	}
	for _, w := range ways {
		if w.Way == "pass" && within(p.ask.at, w.From, w.Until) && len(p.keys(w, leftOut)) > 0 {
			return []string{"password"}
		}
	}
	return nil
}

func (p plain) turnedAway(ways []Way, leftOut string) (string, []string, string) {
	me, dropped := p.identity()
	if me != "" && p.rule("house-domains-only") && !atDomain(me, p.doc.House.Domains) {
		return "refused", nil, ""
	}
	ways = slices.DeleteFunc(slices.Clone(ways), func(w Way) bool { return !within(p.ask.at, w.From, w.Until) })
	has := func(kinds ...string) bool {
		return slices.ContainsFunc(ways, func(w Way) bool { return slices.Contains(kinds, w.Way) })
	}
	var offers []string
	anonymous := me == "" && !dropped
	ruled := p.rule("sign-in-required") || p.rule("house-domains-only")
	if anonymous && (has("signed-in", "domain", "people", "groups", "members") || ruled && len(ways) > 0) {
		offers = append(offers, "sign-in")
	}
	status := ""
	if who := p.person(me); who != nil {
		for _, m := range p.members() {
			if m.Who == who.ID {
				status = m.Status
			}
		}
	}
	may := me != "" && status == "" && (len(p.site.SignUp.Domains) == 0 || atDomain(me, p.site.SignUp.Domains))
	if has("members") && p.site.SignUp.Mode != "closed" && (anonymous || may) {
		offers = append(offers, "join")
	}
	password := p.offersPassword(ways, leftOut)
	offers = append(offers, password...)
	switch {
	case has("members") && status == "pending" && me != "" && password == nil:
		return "pending", nil, ""
	case len(offers) > 0:
		return "challenge", offers, ""
	}
	return "refused", nil, ""
}

// can follows section 7 to the letter.
func (p plain) can() Capabilities {
	me, _ := p.identity()
	if me == "" {
		return 0
	}
	if who := p.person(me); who != nil && who.Steward {
		return allCapabilities
	}
	var caps Capabilities
	for _, e := range p.entries(me) {
		role := BuiltInRoles[e.Role]
		for _, r := range p.site.Roles {
			if r.ID == e.Role {
				role = CapabilitiesOf(r.Can...)
			}
		}
		if normal(e.Under) != "/" {
			role &= CapabilitiesOf("preview", "write")
		}
		caps |= role
	}
	return caps
}
