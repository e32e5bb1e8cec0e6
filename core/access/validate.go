package access

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	_ "time/tzdata" // so that a zone is known or not whatever the machine has
)

// Validate checks a document that was put together in memory as [Read] checks
// one that was read. It returns nil or [Problems].
func Validate(doc *Document) error { return problems(doc, validate(doc, nil)) }

func problems(doc *Document, list []found) error {
	var problems Problems
	for _, p := range list {
		problems = append(problems, Problem{Field: p.where.String(), Text: p.text, in: doc})
	}
	if problems == nil {
		return nil
	}
	return problems
}

type found struct {
	where *place
	text  string
}

// validator checks what the types alone do not: ids, references, paths,
// addresses, windows and what must not stand twice.
type validator struct {
	doc     *Document
	found   []found
	people  func(id string) bool // whether there is somebody of an id
	valid   []Group              // of an earlier document, whose people are all there
	sound   map[*Site]bool       // of that document, whose people and groups are all there
	groups  map[string]bool
	sites   map[string]*Site
	siteIDs map[string]map[string]bool // of the site at hand: "pass", "link"
}

var (
	validID   = regexp.MustCompile(`^[a-z0-9][a-z0-9-]*$`)
	validSite = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$`)
)

// IsSiteAddress reports whether a site could have the address.
func IsSiteAddress(s string) bool { return validSite.MatchString(s) }

// validate finds what is wrong with a document. Where it is a change of one that was compiled, of
// the people just those are looked at that are others than they were.
func validate(doc *Document, earlier *Policy) []found {
	v := &validator{doc: doc, groups: map[string]bool{}, sites: map[string]*Site{}}
	var root *place
	if doc.Velada != 1 {
		v.refuse(root.field("velada"), "version %d is not known: this is version 1", doc.Velada)
	}
	v.house(root.field("house"))
	diff, few := changedPeople(doc, earlier)
	if few {
		v.changed(diff, earlier, root.field("people"))
	} else {
		v.persons(root.field("people"))
	}
	if few && len(diff.gone) == 0 { // whom a group names is there still
		v.valid = earlier.doc.Groups
	}
	v.groupList(root.field("groups"))
	if v.valid != nil && !slices.ContainsFunc(v.valid, func(g Group) bool { return !v.groups[g.ID] }) {
		v.sound = make(map[*Site]bool, len(earlier.doc.Sites))
		for _, s := range earlier.doc.Sites {
			v.sound[s] = true
		}
	}
	for i, s := range doc.Sites {
		at := root.field("sites").at(i).field("address")
		if !validSite.MatchString(s.Address) {
			v.refuse(at, "%q is no site's address: 1 to 63 of a-z, 0-9 and -, with no hyphen at either end", s.Address)
		} else if v.sites[s.Address] != nil {
			v.refuse(at, "the address %q is taken by another site of this document", s.Address)
		}
		v.sites[s.Address] = s
	}
	v.rules(root.field("rules"))
	for i, s := range doc.Sites {
		if !v.sound[s] { // what a site names is of itself, of the people and of the groups
			v.site(s, root.field("sites").at(i))
		}
	}
	v.promises(root.field("promises"))
	return v.found
}

func (v *validator) refuse(where *place, format string, args ...any) {
	v.found = append(v.found, found{where, fmt.Sprintf(format, args...)})
}

// id checks an id and that it is not yet in seen.
func (v *validator) id(id string, seen map[string]bool, where *place) {
	switch {
	case !validID.MatchString(id):
		v.refuse(where, "%q is no id: a-z, 0-9 and -, not beginning with a hyphen", id)
	case seen[id]:
		v.refuse(where, "the id %q stands twice", id)
	}
	seen[id] = true
}

func (v *validator) window(from, until Instant, where *place) {
	if from.set && until.set && !from.Before(until) {
		v.refuse(where.field("from"), "from %s is not before until %s", from, until)
	}
}

// path checks a path and returns its normal form.
func (v *validator) path(path string, where *place) string {
	normal, err := DocumentPath(path)
	if err != nil {
		v.refuse(where, "%v", err)
		return path
	}
	return normal
}

func (v *validator) patterns(domains []string, where *place) {
	for i, d := range domains {
		if _, err := ParseDomainPattern(d); err != nil {
			v.refuse(where.at(i), "%q: %v", d, err)
		}
	}
}

func (v *validator) known(ids []string, known map[string]bool, what string, where *place) {
	for i, id := range ids {
		if !known[id] {
			v.refuse(where.at(i), "there is no %s %q", what, id)
		}
	}
}

func (v *validator) house(where *place) {
	h := v.doc.House
	if _, err := time.LoadLocation(h.Zone); err != nil || h.Zone == "" || h.Zone == "Local" {
		v.refuse(where.field("zone"), "%q is no time zone as in Europe/Madrid", h.Zone)
	}
	for i, d := range h.Domains {
		at := where.field("domains").at(i)
		if strings.HasPrefix(d, "*.") {
			v.refuse(at, "%q: %v", d, ErrWholeOnly)
		} else if _, err := ParseDomain(d); err != nil {
			v.refuse(at, "%q: %v", d, err)
		}
	}
}

func (v *validator) persons(where *place) {
	ids := make(map[string]bool, len(v.doc.People))
	v.people = func(id string) bool { return ids[id] }
	holders := make(map[Address]string, len(v.doc.People))
	for i, p := range v.doc.People {
		at := where.at(i)
		v.id(p.ID, ids, at.field("id"))
		address, err := ParseAddress(p.Address)
		if err != nil {
			v.refuse(at.field("address"), "%q is %v", p.Address, err)
			continue
		}
		if other, taken := holders[address]; taken {
			v.refuse(at.field("address"), "the address %q is already that of %q", p.Address, other)
		}
		holders[address] = p.ID
	}
	for i, p := range v.doc.People { // after those that people have now, so that the refusal names the former one
		for j, former := range p.Former {
			field := where.at(i).field("former").at(j)
			address, err := ParseAddress(former)
			if err != nil {
				v.refuse(field, "%q is %v", former, err)
				continue
			}
			if other, taken := holders[address]; taken {
				v.refuse(field, "the address %q is already that of %q", former, other)
			}
			holders[address] = p.ID
		}
	}
}

func (v *validator) groupList(where *place) {
	for i, g := range v.doc.Groups {
		v.id(g.ID, v.groups, where.at(i).field("id"))
	}
	for i, g := range v.doc.Groups {
		at := where.at(i)
		if i >= len(v.valid) || !slices.Equal(v.valid[i].People, g.People) {
			for j, id := range g.People {
				if !v.people(id) {
					v.refuse(at.field("people").at(j), "there is no person %q", id)
				}
			}
		}
		v.known(g.Groups, v.groups, "group", at.field("groups"))
		v.patterns(g.Domains, at.field("domains"))
		v.window(g.From, g.Until, at)
	}
}

func (v *validator) rules(where *place) {
	seen := map[string]bool{}
	for i, r := range v.doc.Rules {
		at := where.at(i)
		v.id(r.ID, seen, at.field("id"))
		v.window(r.From, r.Until, at)
		if r.Sites.Only != nil && r.Sites.Except != nil {
			v.refuse(at.field("sites"), "only and except together: say one of them")
		}
		for name, list := range map[string][]string{"only": r.Sites.Only, "except": r.Sites.Except} {
			for j, address := range list {
				if v.sites[address] == nil {
					v.refuse(at.field("sites").field(name).at(j), "there is no site %q", address)
				}
			}
		}
		if (r.Rule == "house-domains-only" || r.Rule == "inside-team-only") && len(v.doc.House.Domains) == 0 {
			v.refuse(at.field("rule"), "the rule speaks of the house's domains, and house.domains is empty")
		}
	}
}

func (v *validator) site(s *Site, where *place) {
	v.siteIDs = map[string]map[string]bool{"pass": {}, "link": {}}
	for i, p := range s.Passes {
		at := where.field("passes").at(i)
		v.id(p.ID, v.siteIDs["pass"], at.field("id"))
		v.path(p.Under, at.field("under"))
		v.window(p.From, p.Until, at)
	}
	for i, l := range s.Links {
		at := where.field("links").at(i)
		v.id(l.ID, v.siteIDs["link"], at.field("id"))
		v.path(l.Under, at.field("under"))
		v.window(l.From, l.Until, at)
	}
	v.patterns(s.SignUp.Domains, where.field("sign_up").field("domains"))
	v.ways(s.Door.Ways, where.field("door").field("ways"))
	pages := map[string]bool{}
	for i, p := range s.Pages {
		at := where.field("pages").at(i)
		v.onePath(p.Path, pages, at.field("path"))
		tables := map[string]bool{}
		for j, t := range p.Tables {
			v.id(t.ID, tables, at.field("tables").at(j).field("id"))
			v.ways(t.Ways, at.field("tables").at(j).field("ways"))
		}
	}
	doors := map[string]bool{}
	for i, d := range s.Doors {
		at := where.field("doors").at(i)
		v.onePath(d.Path, doors, at.field("path"))
		v.ways(d.Ways, at.field("ways"))
	}
	v.window(s.Holding.From, s.Holding.Until, where.field("holding"))
	v.repeat(&s.Holding, where.field("holding"))
	for i, path := range s.Holding.Exempt {
		v.path(path, where.field("holding").field("exempt").at(i))
	}
	v.ways(s.Holding.LetIn, where.field("holding").field("let_in"))
	members := map[string]bool{}
	for i, m := range s.Members {
		at := where.field("members").at(i).field("who")
		switch {
		case !v.people(m.Who):
			v.refuse(at, "there is no person %q", m.Who)
		case members[m.Who]:
			v.refuse(at, "%q is listed twice", m.Who)
		}
		members[m.Who] = true
	}
	v.team(s, where)
}

func (v *validator) onePath(path string, seen map[string]bool, where *place) {
	normal := v.path(path, where)
	if seen[normal] {
		v.refuse(where, "the path %q stands twice", normal)
	}
	seen[normal] = true
}

func (v *validator) team(s *Site, where *place) {
	roles := map[string]bool{}
	for i, r := range s.Roles {
		at := where.field("roles").at(i).field("id")
		if _, builtIn := BuiltInRoles[r.ID]; builtIn {
			v.refuse(at, "%q is a built-in role: choose another name", r.ID)
		}
		v.id(r.ID, roles, at)
	}
	for i, e := range s.Team {
		at := where.field("team").at(i)
		named := 0
		for _, who := range []string{e.Person, e.Group, e.Address} {
			if who != "" {
				named++
			}
		}
		if named != 1 {
			v.refuse(at, "an entry names one of person, group and address")
		}
		if e.Person != "" && !v.people(e.Person) {
			v.refuse(at.field("person"), "there is no person %q", e.Person)
		}
		if e.Group != "" && !v.groups[e.Group] {
			v.refuse(at.field("group"), "there is no group %q", e.Group)
		}
		if e.Address != "" {
			v.address(e.Address, at.field("address"))
		}
		if _, builtIn := BuiltInRoles[e.Role]; !builtIn && !roles[e.Role] {
			v.refuse(at.field("role"), "there is no role %q", e.Role)
		}
		v.path(e.Under, at.field("under"))
		v.window(e.From, e.Until, at)
	}
}

func (v *validator) address(s string, where *place) {
	if _, err := ParseAddress(s); err != nil {
		v.refuse(where, "%q is %v", s, err)
	}
}

// ways checks the ways of a door: each with the list of its kind and no other.
func (v *validator) ways(ways []Way, where *place) {
	for i, w := range ways {
		at := where.at(i)
		for _, l := range w.lists() {
			belongs := l.kind == w.Way
			optional := l.kind == "pass" || l.kind == "link"
			switch here := at.field(l.name); {
			case !belongs && l.items != nil:
				v.refuse(here, "a way %q has no %s", w.Way, l.name)
			case belongs && l.items == nil && !optional:
				v.refuse(here, "missing")
			case belongs && l.items != nil && len(l.items) == 0:
				v.refuse(here, "the list is empty")
			}
		}
		v.window(w.From, w.Until, at)
		v.patterns(w.Domains, at.field("domains"))
		v.known(w.Groups, v.groups, "group", at.field("groups"))
		v.known(w.Passes, v.siteIDs["pass"], "pass", at.field("passes"))
		v.known(w.Links, v.siteIDs["link"], "link", at.field("links"))
		for j, who := range w.People {
			here := at.field("people").at(j)
			if strings.Contains(who, "@") {
				v.address(who, here)
			} else if !v.people(who) {
				v.refuse(here, "there is no person %q", who)
			}
		}
		for j, n := range w.Networks {
			if _, err := ParseNetwork(n); err != nil {
				v.refuse(at.field("networks").at(j), "%q: %v", n, err)
			}
		}
	}
}

type wayList struct {
	kind, name string
	items      []string
}

// lists returns all lists of a way with the kind that each belongs to.
func (w *Way) lists() []wayList {
	return []wayList{
		{"domain", "domains", w.Domains}, {"people", "people", w.People}, {"groups", "groups", w.Groups},
		{"pass", "passes", w.Passes}, {"link", "links", w.Links}, {"network", "networks", w.Networks},
	}
}

func (v *validator) promises(where *place) {
	seen := map[string]bool{}
	for i, p := range v.doc.Promises {
		at := where.at(i)
		v.id(p.ID, seen, at.field("id"))
		site := v.sites[p.Site]
		if site == nil {
			v.refuse(at.field("site"), "there is no site %q", p.Site)
		}
		v.path(p.Path, at.field("path"))
		v.observer(p.Who, site, at.field("who"))
		v.window(p.From, p.Until, at)
		switch {
		case p.At.set && (p.From.set || p.Until.set):
			v.refuse(at.field("at"), "either at, or from and until")
		case p.From.set != p.Until.set:
			v.refuse(at, "from and until go together")
		}
	}
}

func (v *validator) observer(who string, site *Site, where *place) {
	kind, name, _ := strings.Cut(who, ":")
	ok := true
	switch kind {
	case "stranger", "outsider":
		ok = who == kind
	case "person":
		ok = v.people(name)
	case "group":
		ok = v.groups[name]
	case "domain":
		_, err := ParseDomainPattern(name)
		ok = err == nil
	case "address":
		_, err := ParseAddress(name)
		ok = err == nil
	case "network":
		_, err := ParseNetwork(name)
		ok = err == nil
	case "pass":
		ok = site == nil || slices.ContainsFunc(site.Passes, func(p Pass) bool { return p.ID == name })
	case "link":
		ok = site == nil || slices.ContainsFunc(site.Links, func(l Link) bool { return l.ID == name })
	default:
		ok = false
	}
	if !ok {
		v.refuse(where, "%q names no observer: stranger, outsider, person:ID, group:ID, domain:D, address:A, network:N, pass:ID or link:ID", who)
	}
}
