package app

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"velada/core/access"
)

// Wording puts parts of a site's policy into words for the people who set them.
type Wording struct {
	Document *access.Document
	Site     *access.Site
	Zone     *time.Location
	Hides    bool // whom the document does not name is not named by id either
}

// KindLabel is what a way of a kind is called.
func KindLabel(kind string) string {
	return map[string]string{
		"anyone": "Anyone", "signed-in": "Signed in", "domain": "Domain", "people": "Guest list", "groups": "Group",
		"members": "Members", "pass": "Pass", "link": "Link", "network": "Network",
	}[kind]
}

// Way says whom a way lets in.
func (w Wording) Way(way access.Way) string {
	switch way.Way {
	case "anyone":
		return "Anyone, without a further step"
	case "signed-in":
		return "Anyone who signs in"
	case "domain":
		return "Anyone signed in at " + alternatives(way.Domains)
	case "people":
		return alternativesAnd(w.people(way.People))
	case "groups":
		return "Everyone in " + alternatives(w.groups(way.Groups))
	case "members":
		return "Members of this site"
	case "pass":
		if way.Passes == nil {
			return "Any pass of this site"
		}
		return alternativesAnd(w.passes(way.Passes))
	case "link":
		if way.Links == nil {
			return "Any link of this site"
		}
		return alternativesAnd(w.links(way.Links))
	case "network":
		return "Whoever comes from " + alternatives(way.Networks)
	}
	return way.Way
}

func alternatives(names []string) string    { return joined(names, " or ") }
func alternativesAnd(names []string) string { return joined(names, " and ") }

func joined(names []string, last string) string {
	const most = 4
	if len(names) > most {
		return strings.Join(names[:most-1], ", ") + fmt.Sprintf(" and %d more", len(names)-most+1)
	}
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + last + names[len(names)-1]
}

func (w Wording) people(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = w.Person(id)
	}
	return names
}

// Person is what a person is called, by id; an address stands for itself.
func (w Wording) Person(id string) string {
	i := slices.IndexFunc(w.Document.People, func(p access.Person) bool { return p.ID == id })
	if i < 0 && w.Hides && !strings.Contains(id, "@") {
		return "somebody of the house"
	}
	if i < 0 || w.Document.People[i].Name == "" {
		return id
	}
	return w.Document.People[i].Name
}

func (w Wording) groups(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = w.Group(id)
	}
	return names
}

// Group is what a group is called, by id.
func (w Wording) Group(id string) string {
	for _, g := range w.Document.Groups {
		if g.ID == id && g.Name != "" {
			return g.Name
		}
	}
	if w.Hides && !slices.ContainsFunc(w.Document.Groups, func(g access.Group) bool { return g.ID == id }) {
		return "a group of the house"
	}
	return id
}

func (w Wording) passes(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = "“" + w.Pass(id) + "”"
	}
	return names
}

// Pass is what a pass is called, by id.
func (w Wording) Pass(id string) string {
	for _, p := range w.Site.Passes {
		if p.ID == id && p.Label != "" {
			return p.Label
		}
	}
	return id
}

func (w Wording) links(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = "“" + id + "”"
		for _, l := range w.Site.Links {
			if l.ID == id && l.Label != "" {
				names[i] = "“" + l.Label + "”"
			}
		}
	}
	return names
}

// Window says from when until when something holds, or "no end".
func (w Wording) Window(from, until access.Instant) string {
	switch {
	case from.IsZero() && until.IsZero():
		return "no end"
	case from.IsZero():
		return "until " + w.When(until)
	case until.IsZero():
		return "from " + w.When(from)
	}
	return w.When(from) + " to " + w.When(until)
}

// Day is When without the time of day and the year.
func (w Wording) Day(i access.Instant) string { return i.Time().In(w.Zone).Format("2 Jan") }

// Link is what a link is called, by id, in quotation marks.
func (w Wording) Link(id string) string { return w.links([]string{id})[0] }

// When says an instant in the house's zone, the time of day only where it is
// not midnight.
func (w Wording) When(i access.Instant) string { return Moment(i.Time().In(w.Zone)) }

// Moment says a time as people write it.
func Moment(t time.Time) string {
	if t.Hour() == 0 && t.Minute() == 0 {
		return t.Format("2 Jan 2006")
	}
	return t.Format("2 Jan 2006 15:04")
}

// Change is one thing that a rehearsal would change, in words.
type Change struct {
	Path string // where it is set: "" for the whole site
	Text string
}

// Changes puts what differs between two states of a site into words.
func (w Wording) Changes(before, after *access.Site) []Change {
	var list []Change
	was := Wording{Document: w.Document, Site: before, Zone: w.Zone}
	w.Site = after
	for _, u := range changedUnits(before, after) {
		switch u.kind {
		case "door":
			list = append(list, w.doorChanges(was, u.id)...)
		case "pass":
			list = append(list, Change{"", w.keyChange("pass", u.id, passKey(before, u.id), passKey(after, u.id), w.Pass(u.id), was.Pass(u.id))})
		case "link":
			list = append(list, Change{"", w.keyChange("link", u.id, linkKey(before, u.id), linkKey(after, u.id), w.links([]string{u.id})[0], was.links([]string{u.id})[0])})
		case "holding":
			list = append(list, w.holdingChanges(was)...)
		case "sign-up":
			list = append(list, Change{"", SignUpWords(after.SignUp)})
		case "table":
			list = append(list, w.doorChanges(was, TablePrefix+u.id)...)
		case "team":
			list = append(list, w.teamChange(was, u.id))
		case "role":
			list = append(list, w.roleChange(was, u.id))
		}
	}
	return list
}

// SignUpWords says who may become a member by themselves.
func SignUpWords(s access.SignUp) string {
	text := map[string]string{
		"": "Nobody can sign up on their own.", "closed": "Nobody can sign up on their own.", "approval": "Whoever signs up waits until somebody admits them.", "instant": "Whoever signs up is a member at once.",
	}[s.Mode]
	if len(s.Domains) > 0 && s.Mode != "closed" && s.Mode != "" {
		text += " Only addresses at " + alternatives(s.Domains) + " can."
	}
	return text
}

// LetIn stands where a door's path does for the ways past the holding page.
const LetIn = "let-in"

// DoorAt gives the ways, mode and hide of the door at a path; "" is the site's own.
func DoorAt(s *access.Site, path string) (door access.PageDoor, there bool) {
	if path == LetIn {
		return access.PageDoor{Ways: s.Holding.LetIn}, true
	}
	if page, id, is := CutTable(path); is {
		if t := tableAt(s, page, id); t != nil && t.Ways != nil {
			return access.PageDoor{Ways: t.Ways}, true
		}
		return access.PageDoor{Path: path}, false
	}
	if path == "" {
		return access.PageDoor{Ways: s.Door.Ways, Hide: s.Door.Hide}, true
	}
	for _, d := range s.Doors {
		if d.Path == path {
			return d, true
		}
	}
	return access.PageDoor{Path: path, Mode: "also"}, false
}

func (w Wording) doorChanges(was Wording, path string) []Change {
	before, wasThere := DoorAt(was.Site, path)
	after, isThere := DoorAt(w.Site, path)
	where := "the site's door"
	if page, id, is := CutTable(path); is {
		where = fmt.Sprintf("the table “%s” on %s", id, page)
	} else if path != "" {
		where = "the door of " + path
	}
	var list []Change
	add := func(format string, args ...any) { list = append(list, Change{path, fmt.Sprintf(format, args...)}) }
	switch {
	case !wasThere && after.Mode == "":
		add("%s gets a door of its own.", capital(where))
	case !wasThere:
		add("%s gets a door of its own, %s.", path, modeWords(after.Mode))
	case !isThere && before.Mode == "":
		add("%s is shown to whoever the page opens to.", capital(where))
		return list
	case !isThere:
		add("%s no longer has a door of its own.", path)
		return list
	case before.Mode != after.Mode:
		add("The door of %s counts %s.", path, modeWords(after.Mode))
	}
	if before.Hide != after.Hide {
		if after.Hide {
			add("Whoever cannot open %s finds nothing there.", where)
		} else {
			add("Whoever cannot open %s is told that there is a door.", where)
		}
	}
	gone, new := waysLess(before.Ways, after.Ways), waysLess(after.Ways, before.Ways)
	for _, old := range gone {
		i := slices.IndexFunc(new, func(n access.Way) bool { return n.Way == old.Way })
		if i < 0 {
			add("%s: “%s” is taken away.", capital(where), was.Way(old))
			continue
		}
		if text := w.Way(new[i]); text != was.Way(old) {
			add("%s: “%s” becomes “%s”.", capital(where), was.Way(old), text)
		} else {
			add("%s: “%s” now holds %s.", capital(where), text, w.Window(new[i].From, new[i].Until))
		}
		new = slices.Delete(new, i, i+1)
	}
	for _, n := range new {
		add("%s: “%s” is let in, %s.", capital(where), w.Way(n), w.Window(n.From, n.Until))
	}
	if len(list) == 0 {
		add("%s: the order of its ways changes.", capital(where))
	}
	return list
}

func modeWords(mode string) string {
	if mode == "instead" {
		return "instead of the doors above"
	}
	return "as well as the doors above"
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// waysLess gives the ways of a that b lacks.
func waysLess(a, b []access.Way) []access.Way {
	have := map[string]int{}
	for _, w := range b {
		have[written(w)]++
	}
	var less []access.Way
	for _, w := range a {
		if text := written(w); have[text] > 0 {
			have[text]--
		} else {
			less = append(less, w)
		}
	}
	return less
}

func passKey(s *access.Site, id string) *access.Link {
	for _, p := range s.Passes {
		if p.ID == id {
			return &access.Link{ID: p.ID, Label: p.Label, Under: p.Under, From: p.From, Until: p.Until, Revoked: p.Revoked}
		}
	}
	return nil
}

func linkKey(s *access.Site, id string) *access.Link {
	for i := range s.Links {
		if s.Links[i].ID == id {
			return &s.Links[i]
		}
	}
	return nil
}

func (w Wording) keyChange(kind, id string, before, after *access.Link, name, oldName string) string {
	switch {
	case before == nil:
		return fmt.Sprintf("A new %s “%s”, %s.", kind, strings.Trim(name, "“”"), w.Window(after.From, after.Until))
	case after == nil:
		return fmt.Sprintf("The %s “%s” is deleted.", kind, strings.Trim(oldName, "“”"))
	case before.Revoked != after.Revoked && after.Revoked:
		return fmt.Sprintf("The %s “%s” is revoked.", kind, strings.Trim(name, "“”"))
	case before.Revoked != after.Revoked:
		return fmt.Sprintf("The %s “%s” counts again.", kind, strings.Trim(name, "“”"))
	case before.From != after.From || before.Until != after.Until:
		return fmt.Sprintf("The %s “%s” now holds %s.", kind, strings.Trim(name, "“”"), w.Window(after.From, after.Until))
	case before.Under != after.Under:
		return fmt.Sprintf("The %s “%s” now counts for %s and below.", kind, strings.Trim(name, "“”"), after.Under)
	}
	return fmt.Sprintf("The %s “%s” is called “%s”.", kind, strings.Trim(oldName, "“”"), strings.Trim(name, "“”"))
}

func (w Wording) holdingChanges(was Wording) (list []Change) {
	before, after := was.Site.Holding, w.Site.Holding
	add := func(format string, args ...any) { list = append(list, Change{LetIn, fmt.Sprintf(format, args...)}) }
	name := "maintenance"
	if after.Kind == "soon" {
		name = "coming soon"
	}
	switch {
	case !before.On && after.On:
		add("The %s page goes up, %s.", name, w.Window(after.From, after.Until))
	case before.On && !after.On:
		add("The holding page comes down.")
	default:
		if before.Kind != after.Kind {
			add("The holding page is a %s page now.", name)
		}
		if before.From != after.From || before.Until != after.Until {
			add("The %s page now stands %s.", name, w.Window(after.From, after.Until))
		}
	}
	for _, path := range after.Exempt {
		if !slices.Contains(before.Exempt, path) {
			add("%s stays reachable while the holding page stands.", path)
		}
	}
	for _, path := range before.Exempt {
		if !slices.Contains(after.Exempt, path) {
			add("%s no longer stays reachable while the holding page stands.", path)
		}
	}
	for _, gone := range waysLess(before.LetIn, after.LetIn) {
		add("Past the holding page: “%s” is taken away.", was.Way(gone))
	}
	for _, way := range waysLess(after.LetIn, before.LetIn) {
		add("Past the holding page: “%s” is let in, %s.", w.Way(way), w.Window(way.From, way.Until))
	}
	return list
}

// Observer is what an observer is called.
func (w Wording) Observer(who string) string {
	kind, name, _ := strings.Cut(who, ":")
	switch kind {
	case "stranger":
		return "A stranger"
	case "search":
		return "Search engine"
	case "outsider":
		return "Somebody from elsewhere, signed in"
	case "domain":
		return "At " + name
	case "address":
		return name
	case "network":
		return "From " + name
	case "pass":
		return "“" + w.Pass(name) + "” pass"
	case "link":
		return w.links([]string{name})[0] + " link"
	case "person":
		return w.Person(name)
	case "group":
		return w.Group(name)
	}
	return who
}

// plainLetters takes the marks off letters, as in Ortuño.
func plainLetters(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, norm.NFD.String(text))
}
