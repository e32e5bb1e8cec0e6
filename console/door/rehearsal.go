package door

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/words"
)

// rehearsalView is everything that a rehearsal would do.
type rehearsalView struct {
	Site    string
	Changes []words.Change
	Gain    []web.PersonReach
	Lose    []web.PersonReach
	Others  []observerRows
	Pages   []pageChange
	Search  []string
	Can     []string // who may do more or less on the site than before
	Promise []web.PromiseRow
}

// observerRows is somebody who is no person, with the pages on which they meet
// something else.
type observerRows struct {
	Who   string
	Pages []observerRow
}

type observerRow struct {
	Title, URL    string
	Before, After web.Window
}

// pageChange is a page with how many people gain and lose it.
type pageChange struct {
	Title, Path, URL string
	Before, After    web.Window // as a stranger finds it
	Gain, Lose       int
}

func rehearsal(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Rehearsal")
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, "/sites/"+d.Site+"/rehearsal")
		if d.Tray.Problem == nil {
			p.View = newRehearsalView(d)
		}
	}
	c.Show(x, http.StatusOK, "rehearsal", p)
}

func newRehearsalView(d *web.Site) *rehearsalView {
	v := &rehearsalView{Site: d.Site, Changes: d.Tray.Changes}
	sum := d.Tray.Impact
	gain, lose := newReaches(d), newReaches(d)
	for _, site := range sum.Full.Sites {
		if site.Site != d.Site {
			continue
		}
		said := map[string]bool{} // the same for a whole section is said once
		for _, at := range site.Rights() {
			for _, can := range at.Can {
				text := d.Words.Person(can.Person)
				if can.Gains != 0 {
					text += " may " + words.CapabilityWords(can.Gains)
				}
				if can.Loses != 0 {
					text += map[bool]string{true: ", and"}[can.Gains != 0] + " may no longer " + words.CapabilityWords(can.Loses)
				}
				if !said[text] {
					said[text] = true
					v.Can = append(v.Can, text+", from "+d.State.Title(d.Site, at.Path)+" on.")
				}
			}
		}
		for _, p := range site.Pages {
			title := d.State.Title(d.Site, p.Path)
			gain.add(p.Gains.IDs(), title)
			lose.add(p.Loses.IDs(), title)
			stranger := access.Visitor{}
			row := pageChange{
				Title: title, Path: p.Path, URL: d.DoorURL(p.Path, ""), Gain: p.Gains.Count(), Lose: p.Loses.Count(),
				Before: web.WindowOf(d.State.Policy.Site(d.Site).Decide(p.Path, &stranger, d.At)), After: d.Drawn(d.Policy.Site(d.Site).Decide(p.Path, &stranger, d.At)),
			}
			v.Pages = append(v.Pages, row)
			for _, o := range p.Observers {
				who := d.Words.Observer(o.Who)
				i := slices.IndexFunc(v.Others, func(r observerRows) bool { return r.Who == who })
				if i < 0 {
					i = len(v.Others)
					v.Others = append(v.Others, observerRows{Who: who})
				}
				v.Others[i].Pages = append(v.Others[i].Pages, observerRow{
					title, d.DoorURL(p.Path, o.Who), web.WindowOf(access.Decision{Outcome: o.Before}), d.Drawn(access.Decision{Outcome: o.After}),
				})
			}
		}
	}
	v.Gain, v.Lose = gain.list(), lose.list()
	for _, path := range sum.NewlyListed {
		v.Search = append(v.Search, fmt.Sprintf("They may list “%s” (%s).", d.State.Title(d.Site, path), path))
	}
	for _, path := range sum.NoLongerListed {
		v.Search = append(v.Search, fmt.Sprintf("They are told to drop “%s” (%s).", d.State.Title(d.Site, path), path))
	}
	was := map[string]bool{}
	for _, j := range d.State.Policy.Judge(access.At(d.Real)) {
		was[j.Promise.ID] = j.Kept
	}
	for _, j := range d.Policy.Judge(access.At(d.Real)) {
		if j.Promise.Site != d.Site && j.Kept == was[j.Promise.ID] {
			continue
		}
		row := d.PromiseRow(j)
		row.Was = was[j.Promise.ID]
		v.Promise = append(v.Promise, row)
	}
	return v
}

// reaches gathers pages by person, in the order in which people are met.
type reaches struct {
	d     *web.Site
	order []string
	pages map[string][]string
}

func newReaches(d *web.Site) *reaches { return &reaches{d: d, pages: map[string][]string{}} }

func (r *reaches) add(ids []string, title string) {
	for _, id := range ids {
		if r.pages[id] == nil {
			r.order = append(r.order, id)
		}
		r.pages[id] = append(r.pages[id], title)
	}
}

func (r *reaches) list() (list []web.PersonReach) {
	for _, id := range r.order {
		list = append(list, web.PersonReach{Name: r.d.Words.Person(id), URL: r.d.DoorURL("", "person:"+id), Pages: r.pages[id]})
	}
	return list
}

// doDiscard drops the rehearsal.
func doDiscard(c *web.Console, x *gin.Context) {
	if err := c.House.Trays.Discard(x.Request.Context(), web.Actor(x), x.Param("site")); err != nil {
		c.Fail(x, err)
		return
	}
	c.Flash(x, "The changes are discarded. Nothing was applied.")
	c.Back(x)
}
