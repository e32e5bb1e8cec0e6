package web

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/words"
)

// trayView is the rehearsal at the foot of a site's views.
type trayView struct {
	Site    string
	Changes []words.Change
	Clashes []words.Change
	Problem string
	Figures []figure
	Broken  []string
	Grave   bool
	OwnLoss bool
	Due     string
	Trouble string
	Back    string
	Sure    string // what somebody is asked to be sure of
	Traffic bool   // they may see what it would have meant for the visits of late
}

// figure is one number of the tray; Seen marks what more people can see.
type figure struct {
	Number, Text string
	Seen         bool
}

// TrayView is the tray below every view of a site while somebody rehearses there.
func TrayView(c *Console, t *house.Tray, s *house.State, back string) *trayView {
	w := words.Wording{Document: s.Policy.Document(), Site: t.Draft, Zone: s.Zone}
	v := &trayView{Site: t.Site, Changes: t.Changes, Clashes: t.Clashes, Back: back, Grave: t.Grave(), OwnLoss: t.OwnLoss, Trouble: t.Trouble}
	if !t.Due.IsZero() {
		v.Due = words.Moment(t.Due.In(s.Zone))
	}
	if t.Problem != nil {
		v.Problem = "This cannot be applied as it is: " + problemText(t.Problem, s.Zone)
		return v
	}
	sum := t.Impact
	v.Figures = append(v.Figures, peopleFigures(sum)...)
	v.Figures = append(v.Figures, keyFigures(sum)...)
	v.Figures = append(v.Figures, strangerFigures(sum)...)
	v.Figures = append(v.Figures, teamFigures(s.SiteDocument(t.Site), t.Draft, sum)...)
	if n := len(sum.NewlyListed); n > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprintf("+%d", n), "listed by search engines", true})
	} else if n := len(sum.NoLongerListed); n > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprintf("−%d", n), "no longer listed by search engines", false})
	}
	fresh := 0
	for id := range t.Secrets {
		if parts.Pass(s.SiteDocument(t.Site), id) != nil {
			fresh++
		}
	}
	if fresh > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprint(fresh), "new " + Plural(fresh, "password", "passwords") + ": who is in by the old one is out", false})
	}
	if len(v.Figures) == 0 {
		v.Figures = append(v.Figures, laterFigure(s, t, w, c.At()))
	}
	if sum.Promises > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprintf("%d of %d", sum.Kept, sum.Promises), "promises kept", false})
	}
	for _, b := range sum.Broken {
		v.Broken = append(v.Broken, strings.TrimSuffix(w.Promise(b), "."))
	}
	v.Sure = sureOf(v)
	return v
}

// problemText says why something does not go together, by the names of things.
func problemText(err error, zone *time.Location) string {
	var problems access.Problems
	if errors.As(err, &problems) {
		return words.Problems(problems, zone)
	}
	return err.Error()
}

// FiguresOf says an impact in figures: who opens more or less.
func FiguresOf(sum house.Summary) (list []string) {
	for _, f := range slices.Concat(peopleFigures(sum), keyFigures(sum), strangerFigures(sum)) {
		list = append(list, f.Number+" "+f.Text)
	}
	if n := len(sum.NewlyListed); n > 0 {
		list = append(list, fmt.Sprintf("+%d listed by search engines", n))
	}
	return list
}

// sureOf names what is grave about a rehearsal.
func sureOf(v *trayView) string {
	var parts []string
	if len(v.Broken) > 0 {
		parts = append(parts, "it breaks the promise “"+strings.Join(v.Broken, "” and “")+"”")
	}
	if v.OwnLoss {
		parts = append(parts, "it takes something from myself")
	}
	return words.And(parts) + "."
}

// peopleFigures counts people who can open more or fewer pages; none where nobody does.
func peopleFigures(sum house.Summary) (list []figure) {
	add := func(sign string, r house.Reach, more string, seen bool) {
		if n := r.People.Count(); n > 0 {
			list = append(list, figure{fmt.Sprintf("%s%d", sign, n), Plural(n, "person", "people") + " can open " + Count(r.Pages, "page", "pages") + more, seen})
		}
	}
	add("+", sum.Gain, " more", true)
	add("−", sum.Lose, " less", false)
	return list
}

// keyFigures counts what is no person of the house and opens more or fewer pages: passwords,
// links, domains, addresses from outside, networks, any account.
func keyFigures(sum house.Summary) (list []figure) {
	for _, kind := range []struct{ name, one, many string }{
		{"pass", "password opens", "passwords open"}, {"link", "link opens", "links open"},
		{"address", "address from outside opens", "addresses from outside open"}, {"network", "network opens", "networks open"},
		{"domain", "domain opens", "domains open"}, {"outsider", "any account opens", "any account opens"},
	} {
		opens, shuts := 0, 0
		for _, o := range sum.Observers {
			if o.Who != kind.name && !strings.HasPrefix(o.Who, kind.name+":") {
				continue
			}
			if o.Gains > 0 {
				opens++
			}
			if o.Loses > 0 {
				shuts++
			}
		}
		if opens > 0 {
			list = append(list, figure{fmt.Sprintf("+%d", opens), Plural(opens, kind.one, kind.many) + " more", true})
		}
		if shuts > 0 {
			list = append(list, figure{fmt.Sprintf("−%d", shuts), Plural(shuts, kind.one, kind.many) + " less", false})
		}
	}
	return list
}

// Plural chooses the word for a number.
func Plural(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// strangerFigures counts on how many pages strangers get something else.
func strangerFigures(sum house.Summary) (list []figure) {
	held, back, otherwise := 0, 0, 0
	for _, site := range sum.Full.Sites {
		for _, p := range site.Pages {
			for _, o := range p.Observers {
				switch {
				case o.Who != "stranger":
				case o.After == access.Held:
					held++
				case o.Before == access.Held:
					back++
				case o.Before != access.Open && o.After != access.Open:
					otherwise++
				}
			}
		}
	}
	if n := sum.StrangersGain; n > 0 {
		list = append(list, figure{fmt.Sprintf("+%d", n), Plural(n, "page opens", "pages open") + " to strangers", true})
	}
	if n := sum.StrangersLose; n > 0 {
		list = append(list, figure{fmt.Sprintf("−%d", n), Plural(n, "page is", "pages are") + " no longer open to strangers", false})
	}
	if held > 0 {
		list = append(list, figure{fmt.Sprint(held), Plural(held, "page shows", "pages show") + " the holding page", false})
	}
	if back > 0 {
		list = append(list, figure{fmt.Sprint(back), Plural(back, "page no longer shows", "pages no longer show") + " the holding page", false})
	}
	if otherwise > 0 {
		list = append(list, figure{fmt.Sprint(otherwise), Plural(otherwise, "page asks", "pages ask") + " strangers for something else", false})
	}
	return list
}

// teamFigures counts who can do more or less on the site, and says whose role changes.
func teamFigures(now, then *access.Site, sum house.Summary) (list []figure) {
	more, less := map[string]bool{}, map[string]bool{}
	for _, site := range sum.Full.Sites {
		for _, at := range site.Rights() {
			for _, can := range at.Can {
				if can.Gains != 0 {
					more[can.Person] = true
				}
				if can.Loses != 0 {
					less[can.Person] = true
				}
			}
		}
	}
	roles := map[string]int{}
	var order []string
	for _, e := range then.Team {
		for _, old := range now.Team {
			if old.Person == e.Person && old.Group == e.Group && old.Address == e.Address && old.Under == e.Under && old.Role != e.Role {
				change := words.Role(old.Role) + " → " + words.Role(e.Role)
				if roles[change] == 0 {
					order = append(order, change)
				}
				roles[change]++
			}
		}
	}
	for _, change := range order {
		list = append(list, figure{fmt.Sprint(roles[change]), change, false})
	}
	if n := len(more); n > 0 {
		list = append(list, figure{fmt.Sprintf("+%d", n), Plural(n, "person", "people") + " can do more", true})
	}
	if n := len(less); n > 0 {
		list = append(list, figure{fmt.Sprintf("−%d", n), Plural(n, "person", "people") + " can do less", false})
	}
	return list
}

// laterFigure says of a rehearsal that changes nothing for anybody now when it first does.
func laterFigure(s *house.State, t *house.Tray, w words.Wording, now access.Instant) figure {
	if at, _, there := house.FirstEffect(s.Policy, t.Then, now); there {
		return figure{"From " + w.When(at), "somebody can open more or less; nobody now", false}
	}
	return figure{"Nobody", "can open or do more or less by it", false}
}
