package members

import (
	"cmp"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/members"
	"velada/console/web"
	"velada/store"
	"velada/words"
)

// said is a comment with the page that it stands on.
type said struct {
	path string
	store.Comment
}

// commentSorts are the orders that comments may be listed in.
var commentSorts = []web.Choice{{ID: "", Name: "those that wait first"}, {ID: "new", Name: "the newest first"}, {ID: "old", Name: "the oldest first"}, {ID: "page", Name: "by page"}}

// foundComments lists the comments of a site of a kind, with words in them, their page or
// their author's name, in an order.
func foundComments(d *web.Site, find, which, sort string) (all []said) {
	find = strings.ToLower(find)
	for path, list := range d.State.Site(d.Site).Comments {
		for _, one := range list {
			if which != "" && one.Status != which ||
				find != "" && !strings.Contains(strings.ToLower(one.Text+" "+d.Words.Person(one.Person)+" "+d.State.Title(d.Site, path)), find) {
				continue
			}
			all = append(all, said{path, one})
		}
	}
	slices.SortFunc(all, func(a, b said) int {
		newest := cmp.Compare(b.ID, a.ID)
		switch sort {
		case "new":
			return newest
		case "old":
			return -newest
		case "page":
			return cmp.Or(cmp.Compare(a.path, b.path), newest)
		}
		if a.Status != b.Status && (a.Status == "held" || b.Status == "held") {
			return map[bool]int{true: -1, false: 1}[a.Status == "held"]
		}
		return newest
	})
	return all
}

// comments fills in what members wrote, where that is shown; it returns how many wait.
func (v *membersView) comments(c *web.Console, x *gin.Context, d *web.Site) (held int) {
	for _, list := range d.State.Site(d.Site).Comments {
		for _, one := range list {
			if one.Status == "held" {
				held++
			}
		}
	}
	if v.Part != partComments {
		return held
	}
	for _, w := range []web.Choice{{ID: "", Name: "all"}, {ID: "held", Name: "wait to be approved"}, {ID: "shown", Name: "are shown"}} {
		w.On = w.ID == x.Query("which")
		v.Which = append(v.Which, w)
	}
	v.List = web.NewList(x, commentSorts...)
	v.List.At = v.At + "/" + partComments
	all := foundComments(d, v.List.Words, x.Query("which"), v.List.Sort)
	from, to := v.List.Found(x, len(all), "comment", "comments")
	v.List.Table(v.At+".csv", "of", "comments")
	for _, one := range all[from:to] {
		v.Comments = append(v.Comments, commentRow{one.ID, d.Words.Person(one.Person), d.State.Title(d.Site, one.path), one.Text, c.Moment(one.At), one.Status == "held"})
	}
	return held
}

// doModerate approves or removes a comment, or those that were ticked, or all that were
// found; what it does to several is shown first.
func doModerate(c *web.Console, x *gin.Context) {
	site, show := x.Param("site"), x.PostForm("action") == "show"
	to := web.AskedAgain(x, web.MembersURL(site)+"/"+partComments, "find", "which", "sort")
	if one, err := web.ReadNumber(x.PostForm("id")); err == nil {
		_, err := members.ModerateComments(x.Request.Context(), c.House, web.Actor(x), site, []int64{one}, show)
		c.Done(x, err, "Applied.", to)
		return
	}
	ids, err := commentsChosen(c, x, show)
	if err != nil {
		c.Fail(x, err)
		return
	}
	texts := make([]string, len(ids))
	for i, id := range ids {
		texts[i] = strconv.FormatInt(id, 10)
	}
	switch seen := x.PostForm("seen"); {
	case len(ids) == 0:
		c.Complain(x, "Choose at least one of them.")
	case seen == "":
		what, do := "are removed: nobody reads them any more, and they do not come back.", "Remove "
		if show {
			what, do = "are approved: whoever reads their pages reads them too.", "Approve "
		}
		many := web.Count(len(ids), "comment", "comments")
		v := &web.ChangeView{What: words.Capital(many) + " " + what, To: web.MembersURL(site) + "/comments", Back: to, Do: do + many, Nothing: true}
		for _, name := range []string{"all", "find", "which", "sort", "action"} {
			v.Hide(name, x.PostForm(name))
		}
		if x.PostForm("all") != "yes" {
			for _, id := range texts {
				v.Hide("ids", id)
			}
		}
		v.Hide("seen", web.SeenMark(texts))
		p := c.SitePage(x, "Members")
		p.View = v
		c.Show(x, http.StatusOK, "house-change", p)
		return
	case seen != web.SeenMark(texts):
		c.Complain(x, web.ListChanged)
	default:
		n, err := members.ModerateComments(x.Request.Context(), c.House, web.Actor(x), site, ids, show)
		c.Done(x, err, "Applied to "+web.Count(n, "comment", "comments")+".", to)
		return
	}
	x.Redirect(http.StatusSeeOther, to)
}

// commentsChosen are the comments that were ticked, or all that were found and that an
// action is for.
func commentsChosen(c *web.Console, x *gin.Context, show bool) (ids []int64, err error) {
	if x.PostForm("all") != "yes" {
		for _, text := range x.PostFormArray("ids") {
			if id, err := web.ReadNumber(text); err == nil {
				ids = append(ids, id)
			}
		}
		return ids, nil
	}
	d, err := c.Site(x)
	if err != nil {
		return nil, err
	}
	for _, one := range foundComments(d, x.PostForm("find"), x.PostForm("which"), x.PostForm("sort")) {
		if !show || one.Status == "held" {
			ids = append(ids, one.ID)
		}
	}
	return ids, nil
}
