package words

import (
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/calendar"
	"velada/core/parts"
)

// Lane is what a lane of a calendar is called. title names a page of the site by its path.
func (w Wording) Lane(l calendar.Lane, title func(path string) string) string {
	switch l.Kind {
	case calendar.Way:
		return w.wayLane(l, title)
	case calendar.Password:
		return "Password “" + w.Pass(l.ID) + "”"
	case calendar.Link:
		return "Link " + w.Link(l.ID)
	case calendar.Holding:
		return w.holdingLane()
	case calendar.Rule:
		i := slices.IndexFunc(w.Document.Rules, func(r access.HouseRule) bool { return r.ID == l.ID })
		if i < 0 {
			return "House rule"
		}
		return "House rule: " + strings.ToLower(KindOfRule(w.Document.Rules[i].Rule).Name)
	case calendar.Promise:
		i := slices.IndexFunc(w.Document.Promises, func(p access.Promise) bool { return p.ID == l.ID })
		if i < 0 {
			return "Promise"
		}
		text := strings.TrimSuffix(w.Promise(w.Document.Promises[i]), ", now and later.")
		return strings.TrimSuffix(text, ".")
	case calendar.Rehearsal:
		return "Your changes are applied"
	case calendar.Group:
		return w.Group(l.ID)
	case calendar.Role:
		text := w.Entry(*l.Entry) + ", " + Role(l.Entry.Role)
		if l.Entry.Under != "/" && l.Entry.Under != "" {
			text += " of " + title(l.Entry.Under)
		}
		return text
	case calendar.Invitation:
		return "Invitation of " + l.Name
	case calendar.JoinCode:
		return "Join code of " + w.Group(l.Name)
	case calendar.Edition:
		return "Edition " + l.ID + " goes live"
	case calendar.Preview:
		return "Preview link “" + l.Name + "”"
	}
	return l.ID
}

func (w Wording) wayLane(l calendar.Lane, title func(path string) string) string {
	name := w.WayName(*l.Way)
	if l.Way.Way == "people" {
		name = "Guest list: " + And(w.People(l.Way.People))
	}
	var places []string
	for _, path := range l.Paths {
		switch _, table, is := parts.CutTable(path); {
		case is:
			places = append(places, "Table “"+table+"”")
		case path == parts.LetIn:
			places = append(places, "Past the holding page")
		case path != "":
			places = append(places, title(path))
		case len(l.Paths) > 1:
			places = append(places, "The site’s door")
		}
	}
	if len(places) == 0 {
		return name
	}
	return Joined(places, ", ") + ": " + LowerWay(name)
}

// LowerWay is a way's name within a sentence.
func LowerWay(name string) string {
	for _, begins := range []string{"Anyone", "Any ", "At ", "Guest ", "Members", "Password", "Link", "From "} {
		if strings.HasPrefix(name, begins) {
			return strings.ToLower(name[:1]) + name[1:]
		}
	}
	return name
}

func (w Wording) holdingLane() string {
	h := w.Site.Holding
	name := "Maintenance page"
	if h.Kind == "soon" {
		name = "Coming soon page"
	}
	if h.Repeat == nil || h.From.IsZero() {
		return name
	}
	from := h.From.Time().In(w.Zone)
	return strings.TrimSuffix(name, " page") + ", " + every(h.Repeat, from) + " " + from.Format("15:04") + "–" + h.Until.Time().In(w.Zone).Format("15:04")
}
