package web

import (
	"fmt"
	"strings"

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
		v.Problem = "This cannot be applied as it is: " + t.Problem.Error()
		return v
	}
	sum := t.Impact
	v.Figures = []figure{
		peopleFigure("+", sum.Gain, "gain", "gains"),
		peopleFigure("−", sum.Lose, "lose", "loses"),
	}
	v.Figures = append(v.Figures, keyFigures(sum)...)
	v.Figures = append(v.Figures, strangerFigure(sum))
	if n := len(sum.NewlyListed); n > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprintf("+%d", n), "listed by search engines", true})
	} else if n := len(sum.NoLongerListed); n > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprintf("−%d", n), "no longer listed by search engines", false})
	}
	if sum.Promises > 0 {
		v.Figures = append(v.Figures, figure{fmt.Sprintf("%d of %d", sum.Kept, sum.Promises), "promises kept", false})
	}
	for _, b := range sum.Broken {
		v.Broken = append(v.Broken, strings.TrimSuffix(w.Promise(b), "."))
	}
	return v
}

func peopleFigure(sign string, r house.Reach, verb, verbs string) figure {
	n := r.People.Count()
	switch n {
	case 0:
		return figure{"0", "people " + verb, false}
	case 1:
		return figure{sign + "1", "person " + verbs + " " + Count(r.Pages, "page", "pages"), sign == "+"}
	}
	return figure{fmt.Sprintf("%s%d", sign, n), "people " + verb + " " + Count(r.Pages, "page", "pages"), sign == "+"}
}

// keyFigures counts what is no person of the house and opens more or fewer
// pages: passes, links, addresses from outside, networks.
func keyFigures(sum house.Summary) (list []figure) {
	for _, kind := range []struct{ name, one, many string }{
		{"pass", "pass opens", "passes open"}, {"link", "link opens", "links open"},
		{"address", "address from outside opens", "addresses from outside open"}, {"network", "network opens", "networks open"},
	} {
		opens, shuts := 0, 0
		for _, o := range sum.Observers {
			if !strings.HasPrefix(o.Who, kind.name+":") {
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

func strangerFigure(sum house.Summary) figure {
	switch {
	case sum.StrangersGain > 0:
		return figure{fmt.Sprintf("+%d", sum.StrangersGain), "pages open to strangers", true}
	case sum.StrangersLose > 0:
		return figure{fmt.Sprintf("−%d", sum.StrangersLose), "pages open to strangers", false}
	case sum.StrangersOtherwise > 0:
		return figure{"no page", "opens or shuts for strangers", false}
	}
	return figure{"no change", "for strangers", false}
}
