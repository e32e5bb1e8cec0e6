// Package calendar finds everything of a house that begins or ends, as lanes: one a thing,
// with the stretches of time in which it holds. It decides nothing, and puts nothing into
// words.
package calendar

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"slices"

	"velada/core/access"
	"velada/core/parts"
)

// Kind is what a lane is about.
type Kind string

// The kinds of lanes.
const (
	Way        Kind = "way"
	Password   Kind = "password"
	Link       Kind = "link"
	Holding    Kind = "holding"
	Rule       Kind = "rule"
	Promise    Kind = "promise"
	Rehearsal  Kind = "rehearsal"
	Group      Kind = "group"
	Role       Kind = "role"
	Invitation Kind = "invitation"
	JoinCode   Kind = "join-code"
	Edition    Kind = "edition"
	Preview    Kind = "preview"
)

// Look is what is to be seen of a lane.
type Look string

// The looks of lanes.
const (
	Anyone Look = "anyone" // gets in
	Some   Look = "some"   // get in
	Edit   Look = "edit"   // some may edit
	Held   Look = "held"   // a holding page
	Plain  Look = "plain"  // anything else that lasts
	Point  Look = "point"  // happens at its Until
	Broken Look = "broken" // a promise, from its From on
)

// Span is a stretch of time, [From, Until); the zero instant is open.
type Span struct{ From, Until access.Instant }

// Lane is one thing that begins or ends, or that might.
type Lane struct {
	Site  string // its address; "" is the house
	Kind  Kind
	Key   string   // tells it from the others of its site, for as long as it does not change
	Paths []string // the doors at which a way stands: "" is the site's own, parts.LetIn the holding page's
	ID    string   // of a password, link, group, rule, promise, or of a fact
	Name  string   // of a fact
	Way   *access.Way
	Entry *access.TeamEntry
	Look  Look
	Spans []Span // in order; more than one of what comes again
	Off   bool   // it has no effect, whatever the time: turned off, or the site is not live
	Moves bool   // its ends are its own, and can be moved
}

// First returns the beginning of the first stretch.
func (l Lane) First() access.Instant { return l.Spans[0].From }

// Last returns the end of the last stretch.
func (l Lane) Last() access.Instant { return l.Spans[len(l.Spans)-1].Until }

// Dated reports whether the lane begins or ends at all.
func (l Lane) Dated() bool { return !l.First().IsZero() || !l.Last().IsZero() }

// Within reports whether any of it lies between two instants.
func (l Lane) Within(from, until access.Instant) bool {
	return slices.ContainsFunc(l.Spans, func(s Span) bool {
		return (s.From.IsZero() || s.From.Before(until)) && (s.Until.IsZero() || from.Before(s.Until))
	})
}

// Fact is something dated that the policy document does not hold.
type Fact struct {
	Site        string
	Kind        Kind
	ID, Name    string
	From, Until access.Instant
}

// OfSite returns the lanes of a site: its ways, the site's own door first, its passwords,
// links, team, holding page and promises, then facts of it. Occurrences of the holding page
// are those that end after from and begin before until; judged is how the promises stand.
func OfSite(p *access.Policy, site string, facts []Fact, judged []access.Judgement, from, until access.Instant) []Lane {
	doc := p.Site(site).Document()
	if doc == nil {
		return nil
	}
	m := maker{policy: p, site: doc, off: doc.State != "live"}
	m.ways()
	for _, k := range doc.Passes {
		m.key(Password, k.ID, k.From, k.Until, k.Revoked)
	}
	for _, k := range doc.Links {
		m.key(Link, k.ID, k.From, k.Until, k.Revoked)
	}
	m.holding(from, until)
	m.team()
	m.promises(judged)
	for _, f := range facts {
		if f.Site == site {
			m.lanes = append(m.lanes, f.lane())
		}
	}
	return m.lanes
}

// OfHouse returns the lanes of a house that are no site's: its groups and rules, then facts.
func OfHouse(p *access.Policy, facts []Fact) (lanes []Lane) {
	for _, g := range p.Document().Groups {
		lanes = append(lanes, Lane{Kind: Group, Key: "group:" + g.ID, ID: g.ID, Look: Plain, Spans: []Span{{g.From, g.Until}}, Moves: true})
	}
	for _, r := range p.Document().Rules {
		lanes = append(lanes, Lane{Kind: Rule, Key: "rule:" + r.ID, ID: r.ID, Look: Plain, Spans: []Span{{r.From, r.Until}}, Moves: true})
	}
	for _, f := range facts {
		if f.Site == "" {
			lanes = append(lanes, f.lane())
		}
	}
	return lanes
}

func (f Fact) lane() Lane {
	look := Plain
	if f.From.IsZero() && f.Kind != Invitation && f.Kind != Preview && f.Kind != JoinCode {
		look = Point
	}
	return Lane{Site: f.Site, Kind: f.Kind, Key: string(f.Kind) + ":" + f.ID, ID: f.ID, Name: f.Name, Look: look, Spans: []Span{{f.From, f.Until}}}
}

type maker struct {
	policy *access.Policy
	site   *access.Site
	off    bool
	lanes  []Lane
}

// ways makes a lane of each way; the same way at several doors is one.
func (m *maker) ways() {
	at := map[string]int{}
	m.site.EachWays(func(o access.Opening, ways []access.Way) bool {
		path := doorOf(o)
		for i := range ways {
			w := &ways[i]
			if (w.Passes != nil || w.Links != nil) && w.From.IsZero() && w.Until.IsZero() {
				continue // the passwords and links have lanes of their own
			}
			key := "way:" + keyOf(*w)
			if k, there := at[key]; there {
				m.lanes[k].Paths = append(m.lanes[k].Paths, path)
				continue
			}
			at[key] = len(m.lanes)
			l := Lane{Site: m.site.Address, Kind: Way, Key: key, Paths: []string{path}, Way: w, Look: Some, Spans: []Span{{w.From, w.Until}}, Off: m.off, Moves: true}
			if w.Way == "anyone" {
				l.Look = Anyone
			}
			m.withGroups(&l)
			m.lanes = append(m.lanes, l)
		}
		return true
	})
}

// withGroups ends the lane of a way without an end of its own when the last of its groups
// ends.
func (m *maker) withGroups(l *Lane) {
	if l.Way.Way != "groups" || !l.Way.Until.IsZero() {
		return
	}
	var last access.Instant
	for _, g := range m.policy.Document().Groups {
		if !slices.Contains(l.Way.Groups, g.ID) {
			continue
		}
		if g.Until.IsZero() {
			return
		}
		if last.Before(g.Until) {
			last = g.Until
		}
	}
	l.Spans[0].Until, l.Moves = last, false
}

// doorOf names a place where ways stand as forms do.
func doorOf(o access.Opening) string {
	switch o.Kind {
	case "site":
		return ""
	case "holding":
		return parts.LetIn
	case "table":
		return parts.TablePrefix + o.Path + "#" + o.ID
	}
	return o.Path
}

func (m *maker) key(kind Kind, id string, from, until access.Instant, revoked bool) {
	m.lanes = append(m.lanes, Lane{
		Site: m.site.Address, Kind: kind, Key: string(kind) + ":" + id, ID: id, Look: Some, Spans: []Span{{from, until}}, Off: m.off || revoked, Moves: true,
	})
}

func (m *maker) holding(from, until access.Instant) {
	h := m.site.Holding
	if !h.On {
		return
	}
	l := Lane{Site: m.site.Address, Kind: Holding, Key: "holding", Look: Held, Spans: []Span{{h.From, h.Until}}, Off: m.off, Moves: h.Repeat == nil}
	if h.Repeat != nil {
		l.Spans = nil
		for _, d := range m.policy.Site(m.site.Address).HoldingDates(from, mostOccurrences) {
			if d[0].Before(until) {
				l.Spans = append(l.Spans, Span{d[0], d[1]})
			}
		}
		if l.Spans == nil {
			return
		}
	}
	m.lanes = append(m.lanes, l)
}

// mostOccurrences is how many occurrences of a holding page are shown: each day of a term.
const mostOccurrences = 200

func (m *maker) team() {
	for i := range m.site.Team {
		e := &m.site.Team[i]
		if !e.Accepted {
			continue // an invitation
		}
		m.lanes = append(m.lanes, Lane{Site: m.site.Address, Kind: Role, Key: "role:" + parts.EntryName(m.site.Team, i), Entry: e, Look: Edit, Spans: []Span{{e.From, e.Until}}, Moves: true})
	}
}

// promises makes a lane of each promise about the site; of a broken one, from where it breaks.
func (m *maker) promises(judged []access.Judgement) {
	for _, j := range judged {
		p := j.Promise
		if p.Site != m.site.Address {
			continue
		}
		l := Lane{Site: p.Site, Kind: Promise, Key: "promise:" + p.ID, ID: p.ID, Look: Plain, Spans: []Span{{p.From, p.Until}}}
		switch {
		case !j.Kept:
			l.Look, l.Spans = Broken, []Span{{j.Breaks.At, access.Instant{}}}
		case !p.At.IsZero():
			l.Look, l.Spans = Point, []Span{{access.Instant{}, p.At}}
		}
		m.lanes = append(m.lanes, l)
	}
}

// keyOf names a part of a document by its contents.
func keyOf(part any) string {
	sum := sha256.Sum256([]byte(parts.Text(part)))
	return hex.EncodeToString(sum[:6])
}

// Filter is what lanes are chosen by.
type Filter string

// The groups of kinds that a calendar shows.
const (
	All    Filter = ""
	Doors  Filter = "doors"
	People Filter = "people"
	Pages  Filter = "pages"
)

// Shows reports whether a filter lets a lane through.
func (f Filter) Shows(l Lane) bool {
	switch l.Kind {
	case Group, Role, Invitation, JoinCode:
		return f == All || f == People
	case Edition, Preview:
		return f == All || f == Pages
	}
	return f == All || f == Doors
}

// Edge is an end of a lane, at an instant: where its only stretch, or one of those of what
// comes again, begins or ends.
type Edge struct {
	At     access.Instant
	Lane   int // in the list
	Begins bool
}

// Edges lists the ends of lanes from one instant on and before another, by time.
func Edges(lanes []Lane, from, until access.Instant) (list []Edge) {
	within := func(i access.Instant) bool { return !i.IsZero() && !i.Before(from) && i.Before(until) }
	for n, l := range lanes {
		for _, s := range l.Spans {
			if within(s.From) {
				list = append(list, Edge{s.From, n, true})
			}
			if within(s.Until) {
				list = append(list, Edge{s.Until, n, false})
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Edge) int { return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.Lane, b.Lane)) })
	return list
}
