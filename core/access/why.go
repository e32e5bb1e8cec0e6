package access

import (
	"time"

	"github.com/go-json-experiment/json/jsontext"
)

// Sign is how a step of a why stands, as a window shows it.
type Sign uint8

// The signs of a step.
const (
	SignLit    Sign = iota // lets through
	SignStep               // opens after a step
	SignShut               // turns away
	SignHidden             // looks as if it did not exist
	SignHeld               // a holding page
	SignPlain              // neither: a fact on the way
)

var signNames = [...]string{"lit", "step", "shut", "hidden", "held", "plain"}

func (s Sign) String() string { return signNames[s] }

// Ref is something that a step speaks of, so that it can be linked: a site, a
// door (by path, "" for the site's own), a person, group, pass, link, rule,
// role, page or the holding page.
type Ref struct{ Kind, ID string }

// Step is one sentence of a why.
type Step struct {
	Sign  Sign
	Text  string
	About []Ref
}

// Explain is Decide with its why: the steps up to the outcome, in order.
func (p *Policy) Explain(site, path string, v *Visitor, t Instant) (Decision, []Step) {
	w := &trace{}
	w.reset(path)
	s := p.Site(site)
	if s == nil {
		w.noSite(site)
		return Decision{}, w.list()
	}
	page, a := s.locate(path)
	d := s.decide(a, page != nil, v, t, w)
	return d, w.list()
}

// trace writes down why, step by step, while a decision is made.
type trace struct {
	path  string
	text  []byte
	refs  []Ref
	steps []tracedStep
}

type tracedStep struct {
	sign     Sign
	end, ref int // where its text and refs end
}

func (w *trace) reset(path string) {
	*w = trace{path, w.text[:0], w.refs[:0], w.steps[:0]}
}

func (w *trace) list() []Step {
	steps := make([]Step, len(w.steps))
	text, ref := 0, 0
	for i, s := range w.steps {
		steps[i] = Step{s.sign, string(w.text[text:s.end]), w.refs[ref:s.ref:s.ref]}
		text, ref = s.end, s.ref
	}
	return steps
}

func (w *trace) appendJSON(to []byte) []byte {
	to = append(to, '[')
	text, ref := 0, 0
	for i, s := range w.steps {
		if i > 0 {
			to = append(to, ',')
		}
		to = append(to, `{"sign":"`...)
		to = append(to, s.sign.String()...)
		to = append(to, `","text":`...)
		to = appendQuoted(to, w.text[text:s.end])
		to = append(to, `,"about":[`...)
		for j, r := range w.refs[ref:s.ref] {
			if j > 0 {
				to = append(to, ',')
			}
			to = append(to, `{"kind":"`...)
			to = append(to, r.Kind...)
			to = append(to, `","id":`...)
			to = appendQuoted(to, r.ID)
			to = append(to, '}')
		}
		to = append(to, `]}`...)
		text, ref = s.end, s.ref
	}
	return append(to, ']')
}

// appendQuoted writes a text as JSON; most need no escape, and are copied.
func appendQuoted[T ~string | ~[]byte](to []byte, text T) []byte {
	for i := range len(text) {
		if c := text[i]; c < 0x20 || c == '"' || c == '\\' {
			to, _ = jsontext.AppendQuote(to, text) // only invalid UTF-8 is an error, and that is replaced
			return to
		}
	}
	to = append(to, '"')
	to = append(to, text...)
	return append(to, '"')
}

func (w *trace) say(parts ...string) {
	for _, p := range parts {
		w.text = append(w.text, p...)
	}
}

func (w *trace) about(kind, id string) { w.refs = append(w.refs, Ref{kind, id}) }

func (w *trace) done(sign Sign) {
	w.steps = append(w.steps, tracedStep{sign, len(w.text), len(w.refs)})
}

// when writes an instant in the house's zone.
func (w *trace) when(s *CompiledSite, t Instant) {
	w.text = t.Time().In(s.house.zone).AppendFormat(w.text, "2 January 2006 15:04")
}

func (w *trace) noSite(address string) {
	w.say("There is no site at the address “", address, "”.")
	w.done(SignHidden)
}

// state tells of a site that is not live.
func (w *trace) state(s *CompiledSite) {
	w.about("site", s.doc.Address)
	switch s.state {
	case draft:
		w.say("The site has never been published: it looks as if it did not exist.")
		w.done(SignHidden)
	case downGone:
		w.say("The site is unpublished, and says so.")
		w.done(SignShut)
	default:
		w.say("The site is unpublished and looks as if it did not exist.")
		w.done(SignHidden)
	}
}

// visitor tells who is asking, and what the team and the house rules make of it.
func (w *trace) visitor(q *asking) {
	s, id := q.site, &q.v.Identity
	w.about("site", s.doc.Address)
	if q.holdingUp() {
		w.say("The site is live.")
	} else {
		w.say("The site is live and no holding page is up.")
	}
	w.done(SignLit)
	if !id.Known() {
		w.say("Not on the team: nobody is signed in.")
		w.done(SignPlain)
		w.capped(q)
		return
	}
	switch {
	case q.dropped:
		w.identity(q)
		if s.house.marks[id.index]&blockedPerson != 0 {
			w.say(" is blocked in the house: their sign-in does not count.")
		} else {
			w.say(" is blocked as a member of this site: their sign-in does not count here.")
		}
		w.done(SignShut)
	case q.onTeam && id.kind == aPerson && s.house.marks[id.index]&steward != 0:
		w.identity(q)
		w.say(" is a steward of the house: every door is open to them.")
		w.done(SignLit)
	case q.onTeam:
		for _, e := range q.area.team {
			if s.entryHolds(e, id, q.t, q.rules) {
				w.identity(q)
				w.say(" is on the team")
				w.entry(e)
				w.say(": every door there is open to them.")
				w.done(SignLit)
				break
			}
		}
	default:
		w.offTeam(q)
	}
	if !q.onTeam {
		w.capped(q)
	}
}

// identity names who is signed in.
func (w *trace) identity(q *asking) {
	id := &q.v.Identity
	switch {
	case id.kind == aPerson:
		p := &q.site.house.people.entries[id.index]
		w.about("person", p.ID)
		if p.Name != "" {
			w.say(p.Name)
		} else {
			w.say(p.Address)
		}
	case id.address.Local == "" && id.address.Domain == "":
		w.say("Somebody with an address that nobody here knows")
	case id.address.Local == "":
		w.say("Somebody at ", id.address.Domain)
	default:
		w.say(id.address.Local, "@", id.address.Domain)
	}
}

// entry tells of a team entry: its role, through whom, and where.
func (w *trace) entry(e *teamEntry) {
	w.say(" as ", e.doc.Role)
	w.about("role", e.doc.Role)
	if e.group != nil {
		w.say(" through the group ", e.group.name)
		w.about("group", e.group.id)
	}
	if under := normal(e.doc.Under); under != "/" {
		w.say(" under ", under)
	}
}

// offTeam tells why nobody is on the team here, entries that do not count included.
func (w *trace) offTeam(q *asking) {
	s, id := q.site, &q.v.Identity
	told := false
	for _, e := range s.team {
		if !e.names(id, q.t) {
			continue
		}
		told = true
		w.identity(q)
		w.say(" has a team entry")
		w.entry(e)
		switch {
		case !e.doc.Accepted:
			w.say(", but has not accepted it yet.")
		case q.t.Before(e.win.from):
			w.say(", but it begins on ")
			w.when(s, e.win.from)
			w.say(".")
		case !q.t.Before(e.win.until):
			w.say(", but it ended on ")
			w.when(s, e.win.until)
			w.say(".")
		case q.rules&insideTeamOnly != 0 && !s.house.inside(*id):
			w.say(", but a house rule (")
			w.rule(s, insideTeamOnly, q.t)
			w.say(") keeps the team to the house's own domains.")
		default:
			w.say(", but not for this page.")
		}
		w.done(SignPlain)
	}
	if !told {
		w.identity(q)
		w.say(" is signed in, and not on the team.")
		w.done(SignPlain)
	}
}

func (w *trace) rule(s *CompiledSite, kind ruleSet, t Instant) {
	id := s.ruleOf(kind, t)
	w.say(id)
	w.about("rule", id)
}

// capped tells of the house rules under which no way counts for this visitor.
func (w *trace) capped(q *asking) {
	if !q.capped {
		return
	}
	w.say("A house rule (")
	if !q.known && q.rules&signInRequired != 0 {
		w.rule(q.site, signInRequired, q.t)
		w.say(") requires signing in: no way in counts without it.")
	} else {
		w.rule(q.site, houseDomainsOnly, q.t)
		w.say(") lets in the house's own domains alone: no way in counts for anybody else.")
	}
	w.done(SignShut)
}

// hidden tells of a hidden door that makes its pages look as if they did not exist.
func (w *trace) hidden(q *asking, c *condition) {
	w.say("The door of ", c.path, " is hidden and ")
	w.about("door", c.path)
	w.unsatisfied(q, c)
	w.say(" What it covers looks as if it did not exist.")
	w.done(SignHidden)
}

// holding tells of the holding page, where it is up.
func (w *trace) holding(q *asking) {
	if !q.holdingUp() {
		return
	}
	h := &q.site.holding
	w.about("holding", q.site.doc.Address)
	if h.soon {
		w.say("The coming soon page is up")
	} else {
		w.say("The maintenance page is up")
	}
	if until := h.until(q.t); until != everAfter {
		w.say(" until ")
		w.when(q.site, until)
	}
	if q.exempt() {
		w.say(", but this page stays open.")
		w.done(SignLit)
		return
	}
	if by := q.opens(h.letIn); by != nil {
		w.say("; ")
		w.way(q, by)
		w.say(" still gets the site.")
		w.done(SignLit)
		return
	}
	w.say(" instead of the site.")
	w.done(SignHeld)
}

// doors tells of every condition of the path.
func (w *trace) doors(q *asking, conditions []*condition) {
	for _, c := range conditions {
		w.doorName(c)
		if by := q.opens(c.ways); by != nil {
			w.say(" opens by ")
			w.way(q, by)
			w.say(".")
			w.done(SignLit)
			continue
		}
		w.say(" stays shut: ")
		w.unsatisfied(q, c)
		if d := q.turnedAway(c); d.Offers != 0 {
			w.done(SignStep)
		} else {
			w.done(SignShut)
		}
	}
	if own := conditions[len(conditions)-1].path; own != w.path && w.path != "/" && own == "" {
		w.say(w.path, " has no door of its own.")
		w.about("page", w.path)
		w.done(SignPlain)
	}
}

func (w *trace) doorName(c *condition) {
	if c.path == "" {
		w.say("The site's door")
	} else {
		w.say("The door of ", c.path)
	}
	w.about("door", c.path)
}

// unsatisfied tells what a door would need, and why what the visitor holds does not do.
func (w *trace) unsatisfied(q *asking, c *condition) {
	if len(c.ways) == 0 {
		w.say("it has no way in.")
		return
	}
	if q.capped {
		w.say("under the house rule none of its ways counts: ")
	} else {
		w.say("it needs ")
	}
	for i, by := range c.ways {
		switch {
		case i > 0 && i == len(c.ways)-1:
			w.say(" or ")
		case i > 0:
			w.say(", ")
		}
		w.way(q, by)
		if q.t.Before(by.win.from) {
			w.say(" (from ")
			w.when(q.site, by.win.from)
			w.say(")")
		} else if !q.t.Before(by.win.until) {
			w.say(" (ended on ")
			w.when(q.site, by.win.until)
			w.say(")")
		}
	}
	w.say(".")
	for _, by := range c.ways {
		switch by.via {
		case ViaPass:
			w.held(q, by, q.v.Passes, "pass")
		case ViaLink:
			w.held(q, by, q.v.Links, "link")
		}
	}
}

// way names a way in so that a sentence can go around it.
func (w *trace) way(q *asking, by *way) {
	switch by.via {
	case ViaAnyone:
		w.say("being open to anyone")
	case ViaSignedIn:
		w.say("signing in")
	case ViaDomain:
		w.say("an account at ")
		w.names(by.doc.Domains)
	case ViaPeople:
		w.say("the guest list")
	case ViaGroups:
		w.say("the group ")
		for i, g := range by.groups {
			if i > 0 {
				w.say(" or ")
			}
			w.say(g.name)
			w.about("group", g.id)
		}
	case ViaMembers:
		w.say("membership of the site")
	case ViaPass:
		w.keys(by, "a password", "the password ", "pass")
	case ViaLink:
		w.keys(by, "a link", "the link ", "link")
	case ViaNetwork:
		w.say("the network ")
		w.names(by.doc.Networks)
	}
}

func (w *trace) names(names []string) {
	for i, n := range names {
		if i > 0 {
			w.say(" or ")
		}
		w.say(n)
	}
}

func (w *trace) keys(by *way, anyOne, named, kind string) {
	if by.keys == nil {
		w.say(anyOne)
		return
	}
	w.say(named)
	for i, k := range by.keys {
		if i > 0 {
			w.say(" or ")
		}
		w.key(k, kind)
	}
}

func (w *trace) key(k *key, kind string) {
	w.about(kind, k.id)
	if k.label == "" {
		w.say("“", k.id, "”")
	} else {
		w.say("“", k.label, "”")
	}
}

// held tells why a pass or link that the visitor holds does not open a way.
func (w *trace) held(q *asking, by *way, ids []string, kind string) {
	for _, id := range ids {
		k := by.allKeys[id]
		if k == nil || !by.lists(k) || q.counts(k) {
			continue
		}
		w.say(" The ", kind, " ")
		w.key(k, kind)
		switch {
		case k.revoked:
			w.say(" is turned off.")
		case q.t.Before(k.win.from):
			w.say(" begins on ")
			w.when(q.site, k.win.from)
			w.say(".")
		case !q.t.Before(k.win.until):
			w.say(" ended on ")
			w.when(q.site, k.win.until)
			w.say(".")
		case !k.ends && q.rules&passMustEnd != 0:
			w.say(" has no end, and a house rule (")
			w.rule(q.site, passMustEnd, q.t)
			w.say(") wants one.")
		default:
			w.say(" is for ", k.under, " only.")
		}
	}
}

// end tells the outcome.
func (w *trace) end(q *asking, d Decision) {
	switch d.Outcome {
	case Open:
		w.say("The page exists: it opens.")
		w.about("page", w.path)
		w.done(SignLit)
	case Missing:
		w.say("There is no such page here.")
		w.done(SignHidden)
	case Absent:
		w.say("The site's own door is hidden and ")
		w.about("door", "")
		w.unsatisfied(q, q.site.door)
		w.say(" The whole site looks as if it did not exist.")
		w.done(SignHidden)
	case Pending:
		w.say("Their wish to join is waiting for an answer.")
		w.done(SignShut)
	case Refused:
		w.say("Nothing this visitor could do here opens it: they are turned away.")
		w.done(SignShut)
	case Challenge:
		w.offers(d.Offers)
		w.say(" could help.")
		w.done(SignStep)
	case Held:
		if d.Offers != 0 {
			w.offers(d.Offers)
			w.say(" could get the site.")
			w.done(SignHeld)
		}
	}
}

func (w *trace) offers(o Offers) {
	names := [...]string{"signing in", "asking to join", "entering a password"}
	first := true
	for i, name := range names {
		if o&(1<<i) == 0 {
			continue
		}
		if first {
			w.text = append(w.text, name[0]-'a'+'A')
			w.say(name[1:])
		} else {
			w.say(" or ", name)
		}
		first = false
	}
}

// loadZone returns the house's zone, for showing times; validated before.
func loadZone(name string) *time.Location {
	zone, err := time.LoadLocation(name)
	if err != nil {
		return time.UTC
	}
	return zone
}
