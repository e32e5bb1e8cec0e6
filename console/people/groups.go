package people

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/app/people"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// groupView is a group with its people, what hangs on it, and the ways into it.
type groupView struct {
	NoServer         bool // no mail server is set up
	List             web.List
	VCards           string // where those who are found are as vCards
	Count            int    // people in it
	ID, Name, Window string
	Steward          bool
	Form             *web.Form
	Inner            []groupLine
	People           []memberLine
	Domains          string
	Uses             []useRow
	Keepers          web.Form
	Codes            []codeRow
	CodeForm         web.Form
	Waiting          []joinRow
	Sites            []web.Choice // whose address can stand on slips
	Left             []people.RosterRow
}

type memberLine struct {
	ID, Name, Address, In, State string
	Direct                       bool
}

type useRow struct{ Title, What, URL string }

type codeRow struct{ Code, Text string }

type joinRow struct {
	ID            int64
	Name, Address string
	When          string
}

func group(c *web.Console, x *gin.Context) {
	showGroup(c, x, http.StatusOK, nil, web.Form{}, web.Form{}, nil)
}

func showGroup(c *web.Console, x *gin.Context, status int, f *web.Form, keepers, code web.Form, left []people.RosterRow) {
	s, ctx, me := c.House.State(), x.Request.Context(), web.Actor(x)
	doc := s.Policy.Document()
	g := parts.GroupAt(doc, x.Param("group"))
	w := words.Wording{Document: doc, Zone: s.Zone}
	v := &groupView{ID: g.ID, Name: cmp.Or(g.Name, g.ID), Window: w.Window(g.From, g.Until), Steward: c.House.IsSteward(me), Form: f, Keepers: keepers, CodeForm: code, Left: left, Domains: strings.Join(g.Domains, ", ")}
	if v.Form == nil && v.Steward && x.Query("change") != "" {
		v.Form = groupForm(c, g)
	}
	for _, id := range g.Groups {
		v.Inner = append(v.Inner, groupLine{id, w.Group(id), web.Count(len(s.Policy.GroupMembers(id, c.At())), "person", "people"), 0})
	}
	if err := v.list(c, x, g); err != nil {
		c.Fail(x, err)
		return
	}
	for _, u := range people.UsesOf(c.House, g.ID) {
		row := useRow{What: u.What}
		if site := s.SiteDocument(u.Site); site != nil {
			row.Title, row.URL = cmp.Or(site.Title, u.Site), web.DoorURL(u.Site, u.Path, "")
			if !slices.ContainsFunc(v.Sites, func(ch web.Choice) bool { return ch.ID == u.Site }) {
				v.Sites = append(v.Sites, web.Choice{ID: u.Site, Name: row.Title, On: len(v.Sites) == 0})
			}
			if c.House.Can(me, u.Site, "/") == 0 {
				row.URL = ""
			}
		}
		v.Uses = append(v.Uses, row)
	}
	if len(v.Sites) > 0 {
		v.Sites = append(v.Sites, web.Choice{ID: "", Name: "the console’s"})
	}
	if v.Keepers.Values == nil {
		list, err := store.Keepers(ctx, c.House.Reader(), g.ID)
		if err != nil {
			c.Fail(x, err)
			return
		}
		var names []string
		for _, who := range list {
			names = append(names, c.House.AddressText(who))
		}
		v.Keepers.Values = map[string]string{"keepers": strings.Join(names, "\n")}
	}
	codes, err1 := store.JoinCodes(ctx, c.House.Reader(), g.ID)
	waiting, err2 := store.JoinRequests(ctx, c.House.Reader(), g.ID)
	if err := errors.Join(err1, err2); err != nil {
		c.Fail(x, err)
		return
	}
	for _, code := range codes {
		text := fmt.Sprintf("%d of %d used, until %s", code.Used, code.Most, c.Moment(code.Ends))
		if !c.House.Now().Before(code.Ends) {
			text = fmt.Sprintf("ended on %s, %d of %d used", c.Moment(code.Ends), code.Used, code.Most)
		}
		if code.Approval {
			text += ", each to be approved"
		}
		v.Codes = append(v.Codes, codeRow{code.Code, text})
	}
	for _, r := range waiting {
		v.Waiting = append(v.Waiting, joinRow{r.ID, r.Name, c.House.AddressText(r.Who), c.Moment(r.At)})
	}
	p := c.Page(x, v.Name)
	p.Here, p.View = "People", v
	c.Show(x, status, "group", p)
}

// listedIn are those of the people of a group in whom words are found, and how many people it has. A group
// that is over still has those who are listed in it.
func listedIn(c *web.Console, g *access.Group, words string) (listed []*access.Person, count int) {
	policy := c.House.State().Policy
	members := policy.GroupMembers(g.ID, c.At())
	if len(members) == 0 {
		members = g.People
	}
	is := make(map[string]bool, len(members))
	for _, id := range members {
		is[id] = true
	}
	find, doc := strings.ToLower(words), policy.Document()
	for i := range doc.People {
		if p := &doc.People[i]; is[p.ID] && (find == "" || holds(p.Name, find) || holds(p.Address, find)) {
			listed = append(listed, p)
		}
	}
	return listed, len(members)
}

// list fills in the people of a group that are asked for.
func (v *groupView) list(c *web.Console, x *gin.Context, g *access.Group) error {
	s, ctx := c.House.State(), x.Request.Context()
	in := map[string]string{}
	for _, p := range people.GroupPeople(c.House, g.ID) {
		in[p.Address] = p.Group
	}
	v.List = web.NewList(x, peopleSorts...)
	v.List.At = "/groups/" + g.ID
	v.List.Table(v.List.At+"/out", "as", "csv")
	v.VCards = v.List.AskedAs(v.List.At+"/out", "as", "vcard")
	listed, count := listedIn(c, g, v.List.Words)
	v.Count, v.NoServer = count, s.Settings.Mail == nil
	from, to := v.List.Found(x, len(listed), "person", "people")
	direct := map[string]bool{}
	for _, id := range g.People {
		direct[id] = true
	}
	for _, p := range inOrder(listed, v.List.Sort, to)[from:to] {
		line := memberLine{ID: p.ID, Name: cmp.Or(p.Name, p.ID), Address: p.Address, In: in[p.Address], Direct: direct[p.ID]}
		if a, err := access.ParseAddress(p.Address); err == nil && (s.Settings.Mail == nil || !s.Settings.Reaches(a)) {
			account, err := accounts.Account(ctx, c.House, store.Who(p.ID))
			if err != nil {
				return err
			}
			switch {
			case account.Password == "":
				line.State = "has not been in yet: needs a slip"
			case account.MustChange:
				line.State = "has a slip, and has not been in yet"
			default:
				line.State = "signs in with a password of their own"
			}
		}
		v.People = append(v.People, line)
	}
	return nil
}

func groupForm(c *web.Console, g *access.Group) *web.Form {
	s := c.House.State()
	f := &web.Form{Values: map[string]string{}}
	if g != nil {
		w := words.Wording{Document: s.Policy.Document()}
		var inner []string
		for _, id := range g.Groups {
			inner = append(inner, w.Group(id))
		}
		d := web.Site{State: s}
		f.Values = map[string]string{"name": cmp.Or(g.Name, g.ID), "groups": strings.Join(inner, "\n"), "domains": strings.Join(g.Domains, "\n"), "from": d.Local(g.From), "until": d.Local(g.Until)}
	}
	return f
}

func readGroupForm(c *web.Console, x *gin.Context, id string) (web.Form, people.GroupForm) {
	s := c.House.State()
	f := web.Typed(x, "name", "groups", "domains", "from", "until")
	from, until := f.Window(s.Zone)
	inner, unknown := web.ReadGroups(f.Values["groups"], s.Policy.Document())
	if len(unknown) > 0 {
		f.Wrong["groups"] = fmt.Sprintf("There is no group “%s”.", strings.Join(unknown, "”, “"))
	}
	if id != "" && slices.Contains(inner, id) {
		f.Wrong["groups"] = "A group cannot be in itself."
	}
	return f, people.GroupForm{ID: id, Name: f.Values["name"], Groups: inner, Domains: web.EachWord(f.Values["domains"]), From: from, Until: until}
}

func newGroup(c *web.Console, x *gin.Context) { showNewGroup(c, x, http.StatusOK, *groupForm(c, nil)) }

func showNewGroup(c *web.Console, x *gin.Context, status int, f web.Form) {
	p := c.Page(x, "Add a group")
	p.Here, p.View = "People", f
	c.Show(x, status, "new-group", p)
}

func doGroup(c *web.Console, x *gin.Context) {
	id := x.Param("group")
	f, gf := readGroupForm(c, x, id)
	var change house.PeopleChange
	if len(f.Wrong) == 0 {
		var err error
		if change, err = people.ChangeGroup(c.House, gf); err != nil && !errors.As(err, &f.Wrong) {
			c.Fail(x, err)
			return
		}
	}
	switch {
	case len(f.Wrong) > 0 && id == "":
		showNewGroup(c, x, http.StatusUnprocessableEntity, f)
	case len(f.Wrong) > 0:
		showGroup(c, x, http.StatusUnprocessableEntity, &f, web.Form{}, web.Form{}, nil)
	case id == "":
		web.MadeHouseChange(c, x, change, "/people", "The group is there. Put people into it, or let a roster come in.") // nothing hangs on a new group
	default:
		web.HouseChange(c, x, change, "/groups/"+id, "/groups/"+id, "Changed, from the next request on.")
	}
}

func doDeleteGroup(c *web.Console, x *gin.Context) {
	id := x.Param("group")
	web.HouseChange(c, x, people.DeleteGroup(c.House, id), "/groups/"+id, "/people", "The group is deleted, with what hung on it.", people.UsesOf(c.House, id)...)
}

func doGroupPeople(c *web.Console, x *gin.Context) {
	id := x.Param("group")
	here := "/groups/" + id
	if out := x.PostForm("out"); out != "" {
		web.HouseChange(c, x, people.TakeOut(c.House, id, []string{out}), here, here, "Taken out, from their next request on.")
		return
	}
	guests := roster.ReadGuests(x.PostForm("list"), c.House.State().Policy.Document())
	chosen := slices.DeleteFunc(guests.People, func(who string) bool { return strings.Contains(who, "@") })
	if len(guests.Problems) > 0 || len(chosen) == 0 {
		c.Complain(x, cmp.Or(strings.Join(guests.Problems, " "), "Name people of the house. Add a person comes by a roster, a join code or a steward."))
		x.Redirect(http.StatusSeeOther, here)
		return
	}
	web.HouseChange(c, x, people.PutIn(c.House, id, chosen), here, here, "They are in the group now.")
}

func doKeepers(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "keepers")
	err := people.SetKeepers(x.Request.Context(), c.House, web.Actor(x), x.Param("group"), f.Values["keepers"])
	if errors.As(err, &f.Wrong) {
		showGroup(c, x, http.StatusUnprocessableEntity, nil, f, web.Form{}, nil)
		return
	}
	c.Done(x, err, "Kept.", "/groups/"+x.Param("group"))
}

func doJoinCode(c *web.Console, x *gin.Context) {
	group, ctx, me := x.Param("group"), x.Request.Context(), web.Actor(x)
	here := "/groups/" + group + "#codes"
	if code := x.PostForm("drop"); code != "" {
		c.Done(x, people.DropJoinCode(ctx, c.House, me, group, code), "The code is turned off.", here)
		return
	}
	f := web.Typed(x, "ends", "most", "approval")
	ends, ok := web.InstantAsked(f.Values["ends"], c.House.State().Zone)
	most, err := strconv.Atoi(f.Values["most"])
	if !ok || err != nil {
		most = 0
	}
	if !ok {
		f.Wrong["ends"] = "Enter the date on which it ends."
	} else if code, err := people.NewJoinCode(ctx, c.House, me, group, ends.Time(), most, f.Values["approval"] == "yes"); err == nil {
		c.Flash(x, "The code is "+code.Code+". It is said at "+c.House.ConsoleURL+"/join")
		x.Redirect(http.StatusSeeOther, here)
		return
	} else if refusal := (access.TeamRefusal{}); errors.As(err, &refusal) {
		f.Wrong["ends"] = refusal.Text
	} else if !errors.As(err, &f.Wrong) {
		c.Fail(x, err)
		return
	}
	showGroup(c, x, http.StatusUnprocessableEntity, nil, web.Form{}, f, nil)
}

func doAnswerJoin(c *web.Console, x *gin.Context) {
	group := x.Param("group")
	id, err := web.ReadNumber(x.PostForm("id"))
	if err == nil {
		err = people.AnswerJoin(x.Request.Context(), c.House, web.Actor(x), group, id, x.PostForm("answer") == "admit")
	} else {
		err = house.ErrNothing
	}
	c.Done(x, err, "Answered.", "/groups/"+group)
}

// groupOut returns the people of a group that are asked for as CSV or vCard.
func groupOut(c *web.Console, x *gin.Context) {
	name := x.Param("group")
	g := parts.GroupAt(c.House.State().Policy.Document(), name)
	if g == nil {
		c.NotFound(x)
		return
	}
	in := map[string]string{}
	for _, p := range people.GroupPeople(c.House, name) {
		in[p.Address] = p.Group
	}
	l := web.NewList(x, peopleSorts...)
	listed, _ := listedIn(c, g, l.Words)
	var chosen []roster.Person
	for _, p := range inOrder(listed, l.Sort, len(listed)) {
		chosen = append(chosen, roster.Person{Name: p.Name, Address: p.Address, Group: in[p.Address]})
	}
	if x.Query("as") == "vcard" {
		x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".vcf"))
		x.Header("Content-Type", "text/vcard; charset=utf-8")
		_ = roster.WriteVCard(x.Writer, chosen) // whoever hung up does not matter
		return
	}
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".csv"))
	x.Header("Content-Type", "text/csv; charset=utf-8")
	_ = roster.WriteCSV(x.Writer, chosen) // whoever hung up does not matter
}

// joinView is where somebody says a join code.
type joinView struct {
	web.Form
	Group  string // that the code is for; "" until it is said
	Me     string
	Domain string // at which an account would be made
	Done   *people.Joined
}

func showJoin(c *web.Console, x *gin.Context) {
	f := web.Form{Values: map[string]string{"code": x.Query("code")}, Wrong: house.FieldErrors{}}
	joinPage(c, x, http.StatusOK, f, nil)
}

func joinPage(c *web.Console, x *gin.Context, status int, f web.Form, done *people.Joined) {
	v := &joinView{Form: f, Done: done}
	if me, ok := c.WhoIsIn(x); ok {
		v.Me = me.Name
		x.Set("actor", me)
	}
	if f.Values["code"] != "" && done == nil {
		code, err := people.AskJoinCode(x.Request.Context(), c.House, f.Values["code"], c.From(x))
		var later identity.TryLater
		var wrong house.FieldErrors
		switch {
		case err == nil:
			v.Group = words.Wording{Document: c.House.State().Policy.Document()}.Group(code.Group)
		case errors.As(err, &later):
			f.Wrong["code"] = later.Error()
		case errors.As(err, &wrong):
			f.Wrong["code"], status = wrong["code"], http.StatusUnprocessableEntity
		default:
			c.Fail(x, err)
			return
		}
	}
	p := c.Page(x, "Join a group")
	p.View = v
	c.Show(x, status, "join", p)
}

func doJoin(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "code", "name")
	if x.PostForm("step") == "say" {
		joinPage(c, x, http.StatusOK, f, nil)
		return
	}
	f.Values["password"] = x.PostForm("password")
	j := people.Joining{Code: f.Values["code"], Name: f.Values["name"], Password: x.PostForm("password")}
	if me, ok := c.WhoIsIn(x); ok {
		j.Me = &me
	}
	done, err := people.Join(x.Request.Context(), c.House, j, c.From(x))
	var later identity.TryLater
	switch {
	case errors.As(err, &f.Wrong):
		joinPage(c, x, http.StatusUnprocessableEntity, f, nil)
	case errors.As(err, &later):
		c.Refuse(x, http.StatusTooManyRequests, later.Error())
	case err != nil:
		web.HouseRefused(c, x, err, "/join")
	default:
		joinPage(c, x, http.StatusOK, f, done)
	}
}
