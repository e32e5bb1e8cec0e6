// Package words tells a house in sentences: ways, changes, promises, teams.
package words

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/parts"
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
		"members": "Members", "pass": "Password", "link": "Link", "network": "Network",
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
		return "Anyone signed in at " + Or(way.Domains)
	case "people":
		return And(w.People(way.People))
	case "groups":
		return "Everyone in " + Or(w.groups(way.Groups))
	case "members":
		return "Members of this site"
	case "pass":
		if way.Passes == nil {
			return "Any password of this site"
		}
		return And(w.passes(way.Passes))
	case "link":
		if way.Links == nil {
			return "Any link of this site"
		}
		return And(w.Links(way.Links))
	case "network":
		return "Whoever comes from " + Or(way.Networks)
	}
	return way.Way
}

// WayName is what a way is called in a list of them, as short as may be.
func (w Wording) WayName(way access.Way) string {
	switch way.Way {
	case "anyone":
		return "Anyone"
	case "domain":
		return "At " + Or(way.Domains)
	case "people":
		return "Guest list"
	case "groups":
		return Or(w.groups(way.Groups))
	case "pass":
		if way.Passes == nil {
			return "Any password"
		}
		return "Password " + Or(w.passes(way.Passes))
	case "link":
		if way.Links == nil {
			return "Any link"
		}
		return "Link " + Or(w.Links(way.Links))
	case "network":
		return "From " + Or(way.Networks)
	}
	return w.Way(way)
}

// Or lists names as alternatives, as in “a, b or c”.
func Or(names []string) string { return Joined(names, " or ") }

// And lists names, as in “a, b and c”.
func And(names []string) string { return Joined(names, " and ") }

// Joined lists names with a word before the last; of many just some, and how many more.
func Joined(names []string, last string) string {
	const most = 4
	if len(names) > most {
		return strings.Join(names[:most-1], ", ") + " and " + Thousands(len(names)-most+1) + " more"
	}
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + last + names[len(names)-1]
}

// People returns what people are called, by id.
func (w Wording) People(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = w.Person(id)
	}
	return names
}

// Person is what a person is called, by id; an address stands for itself.
func (w Wording) Person(id string) string {
	p := w.Document.Person(id)
	switch {
	case p == nil && w.Hides && !strings.Contains(id, "@"):
		return "somebody of the house"
	case p == nil || p.Name == "":
		return id
	}
	return p.Name
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
	g := w.Document.Group(id)
	switch {
	case g == nil && w.Hides:
		return "a group of the house"
	case g == nil || g.Name == "":
		return id
	}
	return g.Name
}

func (w Wording) passes(ids []string) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = "“" + w.Pass(id) + "”"
	}
	return names
}

// Quote puts a text in quotation marks that has none at its beginning.
func Quote(text string) string {
	if strings.HasPrefix(text, "“") {
		return text
	}
	return "“" + text + "”"
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

// Links returns what links are called, by id.
func (w Wording) Links(ids []string) []string {
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

// Window says from when until when something holds, or "no end date".
func (w Wording) Window(from, until access.Instant) string {
	switch {
	case from.IsZero() && until.IsZero():
		return "no end date"
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
func (w Wording) Link(id string) string { return w.Links([]string{id})[0] }

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

// Since says when something was, as seen from now: the time of day where it was today.
func Since(t, now time.Time) string {
	switch {
	case t.YearDay() == now.YearDay() && t.Year() == now.Year():
		return t.Format("15:04")
	case t.Year() == now.Year():
		return t.Format("2 Jan")
	}
	return t.Format("2 Jan 2006")
}

// Role is what a role is called on screen: documents keep older names.
func Role(id string) string {
	if id == "viewer" {
		return "previewer"
	}
	return id
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
	for _, u := range parts.Changed(before, after) {
		switch u.Kind {
		case "door":
			list = append(list, w.doorChanges(was, u.ID)...)
		case "pass":
			list = append(list, Change{"", w.keyChange("password", u.ID, parts.Pass(before, u.ID), parts.Pass(after, u.ID), w.Pass(u.ID), was.Pass(u.ID))})
		case "link":
			list = append(list, Change{"", w.keyChange("link", u.ID, parts.Link(before, u.ID), parts.Link(after, u.ID), w.Links([]string{u.ID})[0], was.Links([]string{u.ID})[0])})
		case "holding":
			list = append(list, w.holdingChanges(was)...)
		case "sign-up":
			list = append(list, Change{"", SignUpWords(after.SignUp)})
		case "table":
			list = append(list, w.doorChanges(was, parts.TablePrefix+u.ID)...)
		case "team":
			list = append(list, w.TeamChange(was, u.ID))
		case "role":
			list = append(list, w.roleChange(was, u.ID))
		}
	}
	return list
}

// SignUpWords says who may become a member by themselves.
func SignUpWords(s access.SignUp) string {
	text := map[string]string{
		"": "Nobody can sign up on their own.", "closed": "Nobody can sign up on their own.", "approval": "Whoever signs up waits until somebody approves them.", "instant": "Whoever signs up is a member at once.",
	}[s.Mode]
	if len(s.Domains) > 0 && s.Mode != "closed" && s.Mode != "" {
		text += " Only addresses at " + Or(s.Domains) + " can."
	}
	return text
}

func (w Wording) doorChanges(was Wording, path string) []Change {
	before, wasThere := parts.DoorAt(was.Site, path)
	after, isThere := parts.DoorAt(w.Site, path)
	where := "the site's door"
	if page, id, is := parts.CutTable(path); is {
		where = fmt.Sprintf("the table “%s” on %s", id, page)
	} else if path != "" {
		where = "the door of " + path
	}
	var list []Change
	add := func(format string, args ...any) { list = append(list, Change{path, fmt.Sprintf(format, args...)}) }
	switch {
	case !wasThere && after.Mode == "":
		add("%s gets a door of its own.", Capital(where))
	case !wasThere:
		add("%s gets a door of its own, %s.", path, modeWords(after.Mode))
	case !isThere && before.Mode == "":
		add("%s is shown to whoever the page opens to.", Capital(where))
		return list
	case !isThere:
		add("%s no longer has a door of its own.", path)
		return list
	case before.Mode != after.Mode:
		add("The door of %s counts %s.", path, modeWords(after.Mode))
	}
	if before.Hide != after.Hide {
		if after.Hide {
			add("%s is hidden from everyone who may not open it.", where)
		} else {
			add("Whoever cannot open %s is told that there is a door.", where)
		}
	}
	gone, new := waysLess(before.Ways, after.Ways), waysLess(after.Ways, before.Ways)
	for _, old := range gone {
		i := slices.IndexFunc(new, func(n access.Way) bool { return n.Way == old.Way })
		if i < 0 {
			add("%s: %s is removed.", Capital(where), Quote(was.Way(old)))
			continue
		}
		if text := w.Way(new[i]); text != was.Way(old) {
			add("%s: %s becomes %s.", Capital(where), Quote(was.Way(old)), Quote(text))
		} else {
			add("%s: %s now holds %s.", Capital(where), Quote(text), w.Window(new[i].From, new[i].Until))
		}
		new = slices.Delete(new, i, i+1)
	}
	for _, n := range new {
		add("%s: %s is let in, %s.", Capital(where), Quote(w.Way(n)), w.Window(n.From, n.Until))
	}
	if len(list) == 0 {
		add("%s: the order of its ways changes.", Capital(where))
	}
	return list
}

func modeWords(mode string) string {
	if mode == "instead" {
		return "instead of the doors above"
	}
	return "as well as the doors above"
}

// Capital begins a sentence with a capital, where it begins with a letter of ASCII; ""
// stays.
func Capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// LowerFirst begins a sentence in small letters, to follow a colon; a name in it keeps its own.
func LowerFirst(s string) string {
	for _, begins := range []string{"It ", "The ", "Only ", "Nobody ", "Search ", "Tables ", "A ", "And "} {
		if strings.HasPrefix(s, begins) {
			return strings.ToLower(s[:1]) + s[1:]
		}
	}
	return s
}

// waysLess returns the ways of a that b lacks.
func waysLess(a, b []access.Way) []access.Way {
	have := map[string]int{}
	for _, w := range b {
		have[parts.Text(w)]++
	}
	var less []access.Way
	for _, w := range a {
		if text := parts.Text(w); have[text] > 0 {
			have[text]--
		} else {
			less = append(less, w)
		}
	}
	return less
}

func (w Wording) keyChange(kind, id string, before, after *access.Link, name, oldName string) string {
	switch {
	case before == nil:
		return fmt.Sprintf("A new %s “%s”, %s.", kind, strings.Trim(name, "“”"), w.Window(after.From, after.Until))
	case after == nil:
		return fmt.Sprintf("The %s “%s” is deleted.", kind, strings.Trim(oldName, "“”"))
	case before.Revoked != after.Revoked && after.Revoked:
		return fmt.Sprintf("The %s “%s” is turned off.", kind, strings.Trim(name, "“”"))
	case before.Revoked != after.Revoked:
		return fmt.Sprintf("The %s “%s” is turned on.", kind, strings.Trim(name, "“”"))
	case before.From != after.From || before.Until != after.Until:
		return fmt.Sprintf("The %s “%s” now holds %s.", kind, strings.Trim(name, "“”"), w.Window(after.From, after.Until))
	case before.Under != after.Under:
		return fmt.Sprintf("The %s “%s” now opens %s and below only.", kind, strings.Trim(name, "“”"), after.Under)
	}
	return fmt.Sprintf("The %s “%s” is called “%s”.", kind, strings.Trim(oldName, "“”"), strings.Trim(name, "“”"))
}

func (w Wording) holdingChanges(was Wording) (list []Change) {
	before, after := was.Site.Holding, w.Site.Holding
	add := func(format string, args ...any) {
		list = append(list, Change{parts.LetIn, fmt.Sprintf(format, args...)})
	}
	name := "maintenance"
	if after.Kind == "soon" {
		name = "coming soon"
	}
	switch {
	case !before.On && after.On:
		add("The %s page is shown, %s.", name, w.HoldingTimes(after))
	case before.On && !after.On:
		add("The holding page is no longer shown.")
	default:
		if before.Kind != after.Kind {
			add("The holding page is a %s page now.", name)
		}
		if before.From != after.From || before.Until != after.Until || !before.Repeat.Equal(after.Repeat) {
			add("The %s page is now shown %s.", name, w.HoldingTimes(after))
		}
	}
	for _, path := range after.Exempt {
		if !slices.Contains(before.Exempt, path) {
			add("%s stays open while the holding page is shown.", path)
		}
	}
	for _, path := range before.Exempt {
		if !slices.Contains(after.Exempt, path) {
			add("%s no longer stays open while the holding page is shown.", path)
		}
	}
	for _, gone := range waysLess(before.LetIn, after.LetIn) {
		add("%s no longer gets the site while the holding page is shown.", Quote(was.Way(gone)))
	}
	for _, way := range waysLess(after.LetIn, before.LetIn) {
		add("%s still gets the site while the holding page is shown, %s.", Quote(w.Way(way)), w.Window(way.From, way.Until))
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
		return "Password “" + w.Pass(name) + "”"
	case "link":
		return "Link " + w.Links([]string{name})[0]
	case "person":
		return w.Person(name)
	case "group":
		return w.Group(name)
	}
	return who
}

// SecondStep says, after "everyone who", for whom a second step is called for: stewards, or whoever has a
// capability on any site.
func SecondStep(what string) string {
	if what == "steward" {
		return "is a steward"
	}
	for c := access.Preview; c <= access.Own; c++ {
		if c.String() == what {
			return "may " + CapabilityWords(1<<c)
		}
	}
	return what
}

// SecondSteps joins those for whom a second step is called for, after "everyone who".
func SecondSteps(list []string) string {
	var named []string
	for _, what := range list {
		named = append(named, SecondStep(what))
	}
	return Or(named)
}
