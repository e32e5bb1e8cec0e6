package members

import (
	"cmp"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/members"
	"velada/console/web"
	"velada/store"
)

// memberSorts are the orders that members may be listed in.
var memberSorts = []web.Choice{{ID: "", Name: "as they joined"}, {ID: "new", Name: "the newest first"}, {ID: "name", Name: "by name"}, {ID: "address", Name: "by address"}}

// ofWaiting asks the table for those who wait.
const ofWaiting = "waiting"

// statuses are those of members, in the order of their lists.
var statuses = []string{"pending", "approved", "blocked"}

// listedMember is a member as they are searched and sorted.
type listedMember struct{ id, name, address string }

// found lists the members of a site with a status and words in their name or address.
func found(d *web.Site, status, find string) (list []listedMember) {
	doc := d.State.Policy.Document()
	find = strings.ToLower(find)
	for _, m := range d.Now.Members {
		if m.Status != status {
			continue
		}
		one := listedMember{id: m.Who, name: d.Words.Person(m.Who)}
		if p := doc.Person(m.Who); p != nil {
			one.address = p.Address
		}
		if find == "" || one.address != "" && strings.Contains(strings.ToLower(one.name+" "+one.address), find) {
			list = append(list, one)
		}
	}
	return list
}

// inOrder returns the first of some members in an order: all that stand before to.
func inOrder(list []listedMember, sort string, to int) []listedMember {
	switch sort {
	case "new":
		last := slices.Clone(list[len(list)-min(to, len(list)):])
		slices.Reverse(last)
		return last
	case "name":
		return web.FirstOf(list, to, func(a, b listedMember) int { return web.CompareFold(a.name, b.name) })
	case "address":
		return web.FirstOf(list, to, func(a, b listedMember) int { return web.CompareFold(a.address, b.address) })
	}
	return list[:min(to, len(list))]
}

// list fills in the members of the part that is shown, by what they are; it returns how
// many wait to be approved.
func (v *membersView) list(c *web.Console, x *gin.Context, d *web.Site) (waiting int, err error) {
	lists := []memberList{
		{ID: "waiting", Name: "Waiting to be approved", Empty: "Nobody waits to be approved.", Acts: acts(members.Admit, members.Refuse, members.Block), Word: true},
		{ID: "approved", Name: "Members", Empty: "There is no member yet. A door with the way in “Members” opens to those who are listed here.", Acts: acts(members.Block, members.Remove)},
		{ID: "blocked", Name: "Blocked", Empty: "Nobody is blocked.", Acts: acts(members.Unblock, members.Remove)},
	}
	for _, m := range d.Now.Members {
		if m.Status == "pending" {
			waiting++
		}
	}
	v.List = web.NewList(x, memberSorts...)
	v.List.At = v.At + "/" + partMembers
	v.List.Table(v.At+".csv", "of", cmp.Or(v.Part, ofWaiting))
	from, until := 0, 1
	switch v.Part {
	case partWaiting:
	case partMembers:
		from, until = 1, len(lists)
	default:
		return waiting, nil
	}
	for i := from; i < until; i++ {
		all := found(d, statuses[i], v.List.Words)
		first, last := lists[i].Pager.CutBy(x, []string{"rows", "rows", "blocked-rows"}[i], len(all))
		lists[i].Count, lists[i].Status = web.Thousands(len(all)), statuses[i]
		if err := lists[i].fill(c, x, d, inOrder(all, v.List.Sort, last)[first:last]); err != nil {
			return 0, err
		}
	}
	v.Lists = lists[from:until]
	return waiting, nil
}

// fill puts the members who are shown into a list: what nobody sees is not worked out.
func (l *memberList) fill(c *web.Console, x *gin.Context, d *web.Site, shown []listedMember) error {
	ids := make([]string, len(shown))
	for i, one := range shown {
		ids[i] = one.id
	}
	profiles, err := store.ProfilesOf(x.Request.Context(), c.House.Reader(), d.State.ID(d.Site), ids)
	if err != nil {
		return err
	}
	for _, one := range shown {
		row := memberRow{ID: one.id, Name: one.name, Address: one.address, URL: d.DoorURL("", "person:"+one.id), Answers: profiles[one.id].Answers}
		if since := profiles[one.id].Since; !since.IsZero() {
			row.Since = c.Moment(since)
		}
		l.Rows = append(l.Rows, row)
	}
	return nil
}

// membersOut returns what the list of members, or of comments, shows as a table.
func membersOut(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	l := web.NewList(x, memberSorts...)
	if x.Query("of") == "comments" {
		l = web.NewList(x, commentSorts...)
		row, end := web.SendTable(x, "comments-on-"+d.Site, "Page", "Name", "When", "Status", "Text")
		for _, one := range foundComments(d, l.Words, x.Query("which"), l.Sort) {
			if !row(one.path, d.Words.Person(one.Person), one.At.In(d.State.Zone).Format("2006-01-02 15:04"), one.Status, one.Text) {
				return
			}
		}
		end()
		return
	}
	profiles, err := store.Profiles(x.Request.Context(), c.House.Reader(), d.State.ID(d.Site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	questions := d.State.Site(d.Site).Membership.Questions
	row, end := web.SendTable(x, "members-of-"+d.Site, append([]string{"Name", "Address", "Status", "Since", "Wants letters"}, questions...)...)
	for _, status := range statuses {
		if of := x.Query("of"); of == ofWaiting && status != "pending" || of == partMembers && status == "pending" {
			continue
		}
		all := found(d, status, l.Words)
		for _, one := range inOrder(all, l.Sort, len(all)) {
			p := profiles[one.id]
			cells := []string{one.name, one.address, status, "", map[bool]string{true: "no", false: "yes"}[p.NoMail]}
			if !p.Since.IsZero() {
				cells[3] = p.Since.In(d.State.Zone).Format("2006-01-02")
			}
			for _, q := range questions {
				i := slices.IndexFunc(p.Answers, func(a store.Answer) bool { return a.Question == q })
				if i < 0 {
					cells = append(cells, "")
				} else {
					cells = append(cells, p.Answers[i].Answer)
				}
			}
			if !row(cells...) {
				return
			}
		}
	}
	end()
}
