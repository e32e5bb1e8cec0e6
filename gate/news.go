package gate

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"
	"slices"

	"velada/app/news"
	"velada/core/access"
	"velada/house"
)

// newsSight is the page on which somebody chooses what they are told of the site.
type newsSight struct {
	All, Answers bool
	Comments     bool     // members write comments somewhere on the site
	Follows      []follow // pages
	Here         *follow  // the page that they came from, if it can be followed
	Address      string   // their own address of news, just made
	Has          bool     // they have one
	NoFeed       string   // why nobody has an address of their own here
	Says, Wrong  string
	Letters      string // what becomes of letters, where no mail server sends them
}

type follow struct {
	ID, Path, Title string
	On              bool
}

// news shows what somebody is told of the site. address is one of their own that was just made.
func (q memberPages) news(status int, address string) {
	q.newsWith(status, &newsSight{Address: address})
}

func (q memberPages) newsWith(status int, v *newsSight) {
	if q.who == "" {
		headers(q.w)
		q.w.Header().Set("Cache-Control", "private, no-store")
		http.Redirect(q.w, q.Request, signInAt("/velada/news"), http.StatusSeeOther)
		return
	}
	c, err := news.ChoiceOf(q.Context(), q.gate.House, q.address, q.who)
	if err != nil {
		panic(err)
	}
	v.All, v.Answers, v.Has = c.News, c.Answer, c.Feed
	v.NoFeed = q.noOwnFeed()
	v.Comments = len(q.state.Site(q.address).Membership.Comments) > 0
	if q.state.Settings.Mail == nil {
		v.Letters = house.NoMailServer
	}
	e := q.edition()
	for _, id := range c.Pages {
		if p := e.ByID(id); p != nil && q.site.Decide(p.Path, &q.visitor, q.at).Outcome == access.Open {
			v.Follows = append(v.Follows, follow{ID: id, Path: e.URLPath(p.Path), Title: p.Title, On: true})
		}
	}
	at := cmp.Or(q.URL.Query().Get("path"), q.PostFormValue("path"))
	if path, err := access.DocumentPath(at); err == nil {
		if p := e.Page(path); p != nil && q.site.Decide(p.Path, &q.visitor, q.at).Outcome == access.Open {
			v.Here = &follow{ID: p.ID, Path: p.Path, Title: p.Title, On: slices.Contains(c.Pages, p.ID)}
		}
	}
	s := q.meeting().sight("News")
	s.NoIndex, s.Reader = true, v
	q.meeting().send("news.html", status, s)
}

// chooseNews keeps what somebody wants to be told.
func (q memberPages) chooseNews() {
	if q.who == "" || !q.form(mostSmallForm) {
		q.again()
		return
	}
	err := news.Choose(q.Context(), q.gate.House, q.address, q.who, q.PostFormValue("all") == "yes", q.PostFormValue("answers") == "yes")
	q.afterNews(err)
}

// follows has somebody follow a page, or no longer.
func (q memberPages) follows() {
	if q.who == "" || !q.form(mostSmallForm) {
		q.again()
		return
	}
	page := q.PostFormValue("page")
	if path, err := access.DocumentPath(page); err == nil {
		page = path
	}
	q.afterNews(news.Follow(q.Context(), q.gate.House, q.address, q.who, page, q.PostFormValue("on") == "yes"))
}

// feedAddress makes somebody an address of their own, or takes it back.
func (q memberPages) feedAddress() {
	if q.who == "" || !q.form(mostSmallForm) {
		q.again()
		return
	}
	if q.PostFormValue("drop") == "yes" {
		q.afterNews(news.TakeBack(q.Context(), q.gate.House, q.address, q.who))
		return
	}
	if q.noOwnFeed() != "" {
		q.news(http.StatusUnprocessableEntity, "")
		return
	}
	secret, err := news.Address(q.Context(), q.gate.House, q.address, q.who)
	if err != nil {
		q.afterNews(err)
		return
	}
	q.news(http.StatusOK, q.gate.SiteURL(q.address)+feedAt("/", secret))
}

// again leads somebody who is signed in no more to where they sign in.
func (q memberPages) again() {
	if q.who == "" {
		q.news(http.StatusOK, "")
	}
}

func (q memberPages) afterNews(err error) {
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		q.newsWith(http.StatusUnprocessableEntity, &newsSight{Wrong: wrong["follow"]})
	case err != nil && !errors.Is(err, house.ErrMayNot):
		panic(err)
	default:
		headers(q.w)
		q.w.Header().Set("Cache-Control", "private, no-store")
		http.Redirect(q.w, q.Request, "/velada/news?"+url.Values{"path": {q.PostFormValue("path")}, "saved": {"yes"}}.Encode(), http.StatusSeeOther)
	}
}
