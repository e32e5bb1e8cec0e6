package console

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
)

// rehearsalView is everything that a rehearsal would do.
type rehearsalView struct {
	Site    string
	Changes []words.Change
	Gain    []personReach
	Lose    []personReach
	Others  []observerRows
	Pages   []pageChange
	Search  []string
	Can     []string // who may do more or less on the site than before
	Promise []promiseRow
}

// personReach is somebody by name with the pages that they gain or lose.
type personReach struct {
	Name, URL string
	Pages     []string
}

// observerRows is somebody who is no person, with the pages on which they meet
// something else.
type observerRows struct {
	Who   string
	Pages []observerRow
}

type observerRow struct {
	Title, URL    string
	Before, After window
}

// pageChange is a page with how many people gain and lose it.
type pageChange struct {
	Title, Path, URL string
	Before, After    window // as a stranger finds it
	Gain, Lose       int
}

func (c *Console) rehearsal(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	p := c.sitePage(x, "Rehearsal")
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, "/sites/"+d.site+"/rehearsal")
		if d.tray.Problem == nil {
			p.View = d.rehearsalView()
		}
	}
	c.show(x, http.StatusOK, "rehearsal", p)
}

func (d *doorContext) rehearsalView() *rehearsalView {
	v := &rehearsalView{Site: d.site, Changes: d.tray.Changes}
	sum := d.tray.Impact
	gain, lose := newReaches(d), newReaches(d)
	for _, site := range sum.Full.Sites {
		if site.Site != d.site {
			continue
		}
		said := map[string]bool{} // the same for a whole section is said once
		for _, p := range site.Pages {
			title := d.state.Title(d.site, p.Path)
			for _, can := range p.Can {
				text := d.words.Person(can.Person)
				if can.Gains != 0 {
					text += " may " + words.CapabilityWords(can.Gains)
				}
				if can.Loses != 0 {
					text += map[bool]string{true: ", and"}[can.Gains != 0] + " may no longer " + words.CapabilityWords(can.Loses)
				}
				if !said[text] {
					said[text] = true
					v.Can = append(v.Can, text+", from "+title+" on.")
				}
			}
			gain.add(p.Gains.IDs(), title)
			lose.add(p.Loses.IDs(), title)
			stranger := access.Visitor{}
			row := pageChange{
				Title: title, Path: p.Path, URL: d.doorURL(p.Path, ""), Gain: p.Gains.Count(), Lose: p.Loses.Count(),
				Before: windowOf(d.state.Policy.Site(d.site).Decide(p.Path, &stranger, d.at)), After: windowOf(d.policy.Site(d.site).Decide(p.Path, &stranger, d.at)),
			}
			v.Pages = append(v.Pages, row)
			for _, o := range p.Observers {
				who := d.words.Observer(o.Who)
				i := slices.IndexFunc(v.Others, func(r observerRows) bool { return r.Who == who })
				if i < 0 {
					i = len(v.Others)
					v.Others = append(v.Others, observerRows{Who: who})
				}
				v.Others[i].Pages = append(v.Others[i].Pages, observerRow{
					title, d.doorURL(p.Path, o.Who), windowOf(access.Decision{Outcome: o.Before}), windowOf(access.Decision{Outcome: o.After}),
				})
			}
		}
	}
	v.Gain, v.Lose = gain.list(), lose.list()
	for _, path := range sum.NewlyListed {
		v.Search = append(v.Search, fmt.Sprintf("They may list “%s” (%s).", d.state.Title(d.site, path), path))
	}
	for _, path := range sum.NoLongerListed {
		v.Search = append(v.Search, fmt.Sprintf("They are told to drop “%s” (%s).", d.state.Title(d.site, path), path))
	}
	was := d.state.Policy.Judge(access.At(d.real))
	for i, j := range d.policy.Judge(access.At(d.real)) {
		if j.Promise.Site != d.site && j.Kept == was[i].Kept {
			continue
		}
		row := d.promiseRow(j)
		row.Was = was[i].Kept
		v.Promise = append(v.Promise, row)
	}
	return v
}

// reaches gathers pages by person, in the order in which people are met.
type reaches struct {
	d     *doorContext
	order []string
	pages map[string][]string
}

func newReaches(d *doorContext) *reaches { return &reaches{d: d, pages: map[string][]string{}} }

func (r *reaches) add(ids []string, title string) {
	for _, id := range ids {
		if r.pages[id] == nil {
			r.order = append(r.order, id)
		}
		r.pages[id] = append(r.pages[id], title)
	}
}

func (r *reaches) list() (list []personReach) {
	for _, id := range r.order {
		list = append(list, personReach{r.d.words.Person(id), r.d.doorURL("", "person:"+id), r.pages[id]})
	}
	return list
}

// promiseRow puts a judged promise into words, with where its first breach is seen.
func (d *doorContext) promiseRow(j access.Judgement) promiseRow {
	row := promiseRow{ID: j.Promise.ID, Text: d.words.Promise(*j.Promise), Kept: j.Kept}
	if j.Kept {
		return row
	}
	row.Breaks = fmt.Sprintf("%s meets “%s” on %s", d.words.Observer(j.Breaks.Who), outcomeWords(j.Breaks.Outcome), j.Breaks.Path)
	at := ""
	if access.At(d.real).Before(j.Breaks.At) {
		row.Breaks += ", from " + d.words.When(j.Breaks.At)
		at = j.Breaks.At.String()
	}
	row.URL = viewURL(j.Promise.Site, "sightlines", j.Breaks.Path, j.Breaks.Who, "at", at, "promise", j.Promise.ID)
	row.URL = strings.ReplaceAll(row.URL, "&at=&", "&")
	return row
}
