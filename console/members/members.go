package members

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/members"
	"velada/app/people"
	"velada/console/web"
	"velada/core/access"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// membersView is a part of the view of members: who waits, who is one, letters, comments, or
// what membership is like.
type membersView struct {
	At          string // where the members of the site are
	Part        string
	Parts       []web.Tab
	Lists       []memberList
	List        web.List // how members, or comments, are asked for
	Asking      []askingRow
	Comments    []commentRow
	AskingPager web.Pager
	Which       []web.Choice // of comments
	SignUp      signUpForm
	Like        web.Form
	Letter      web.Form
	Corners     []web.Choice
	Groups      []web.Choice // that members can be put into
	Standing    string       // the sentence about signing up
	Mail        string       // what becomes of letters
}

type memberList struct {
	ID, Name, Empty string
	Rows            []memberRow
	Acts            []web.Choice
	Word            bool // an answer can carry a word
	Pager           web.Pager
	Count           string
	Status          string // of those in it
}

type memberRow struct {
	ID, Name, Address, URL string
	Answers                []store.Answer
	Since                  string
}

// The parts of the view, by address.
const (
	partWaiting  = ""
	partMembers  = "list"
	partLetters  = "letters"
	partComments = "comments"
	partSettings = "settings"
)

func viewParts(at, here string, waiting, comments int) (tabs []web.Tab) {
	note := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	for _, p := range []struct{ id, name, note string }{
		{partWaiting, "Waiting", note(waiting)}, {partMembers, "Members", ""}, {partLetters, "Letters", ""},
		{partComments, "Comments", note(comments)}, {partSettings, "Membership settings", ""},
	} {
		tabs = append(tabs, web.Tab{Name: p.name, URL: strings.TrimSuffix(at+"/"+p.id, "/"), Note: p.note, On: p.id == here})
	}
	return tabs
}

// changeNames are what changes of members are called on their buttons.
var changeNames = map[members.MemberChange]string{
	members.Admit: "Approve", members.Refuse: "Decline", members.Block: "Block", members.Unblock: "Unblock", members.Remove: "Remove",
}

func acts(changes ...members.MemberChange) (list []web.Choice) {
	for _, ch := range changes {
		list = append(list, web.Choice{ID: string(ch), Name: changeNames[ch]})
	}
	return list
}

// mostWaysShown is for how many of those who ask it is worked out at once what saying
// yes would open: each takes the house through a change.
const MostWaysShown = 2

// askingRow is somebody who was turned away and asks to be let in.
type askingRow struct {
	ID                              int64
	Name, Address, Page, Word, When string
	Ways                            []yesWay
	Look                            string // where the ways are worked out; "" where they are shown
}

// yesWay is a way to let somebody in who asks, with what it opens.
type yesWay struct{ ID, Text, Says string }

func yesWays(ways []members.WayToSayYes) (rows []yesWay) {
	for _, w := range ways {
		says := "opens nothing to them"
		if len(w.Opens) > 0 {
			says = "opens " + web.ShortList(w.Opens)
			if !w.Enough {
				says += ", not the page they asked for"
			}
		}
		rows = append(rows, yesWay{w.ID, w.Text, says})
	}
	return rows
}

type commentRow struct {
	ID                     int64
	Name, Page, Text, When string
	Waits                  bool
}

type signUpForm struct {
	web.Form
	Modes []web.Choice
}

var signUpModes = []struct{ id, name string }{
	{"closed", "Nobody can sign up on their own"}, {"approval", "Whoever signs up waits until somebody approves them"}, {"instant", "Whoever signs up is a member at once"},
}

func view(c *web.Console, x *gin.Context) {
	showMembers(c, x, http.StatusOK, &membersView{Part: x.Param("part")})
}

func showMembers(c *web.Console, x *gin.Context, status int, v *membersView) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if !c.House.Can(web.Actor(x), d.Site, "/").Has(access.ManageMembers) {
		c.Refuse(x, http.StatusForbidden, "Members of this site are looked after by others.")
		return
	}
	ctx := x.Request.Context()
	p := c.SitePage(x, "Members")
	v.At, v.Standing = web.MembersURL(d.Site), words.SignUpWords(d.Then.SignUp)
	asks, err := store.LetIns(ctx, c.House.Reader(), c.House.State().ID(d.Site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	waiting, err := v.list(c, x, d)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.Parts = viewParts(v.At, v.Part, len(asks)+waiting, v.comments(c, x, d))
	if !slices.ContainsFunc(v.Parts, func(t web.Tab) bool { return t.On }) {
		c.NotFound(x)
		return
	}
	if v.Part == partWaiting {
		v.asking(c, x, d, asks)
	}
	v.Mail = c.MailWords(x)
	for _, g := range d.Words.Document.Groups {
		if v.Part == partMembers && len(v.Groups) < mostGroups && c.House.MayKeep(ctx, web.Actor(x), g.ID) {
			v.Groups = append(v.Groups, web.Choice{ID: g.ID, Name: cmp.Or(g.Name, g.ID), On: false})
		}
	}
	v.settings(d)
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, v.At)
	}
	p.View = v
	c.Show(x, status, "members", p)
}

// memberSorts are the orders that members may be listed in.
var memberSorts = []web.Choice{{ID: "", Name: "as they joined"}, {ID: "new", Name: "joined last first"}, {ID: "name", Name: "by name"}, {ID: "address", Name: "by address"}}

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
	v.List.Table(v.At + ".csv")
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

// asking fills in those who were turned away and ask to be let in.
func (v *membersView) asking(c *web.Console, x *gin.Context, d *web.Site, asks []store.LetIn) {
	from, to := v.AskingPager.Cut(x, len(asks))
	for _, l := range asks[from:to] {
		row := askingRow{ID: l.ID, Name: c.House.NameOf(l.Who), Address: c.House.AddressText(l.Who), Page: d.State.Title(d.Site, l.Path), Word: l.Word, When: c.Moment(l.At)}
		if look := strconv.FormatInt(l.ID, 10); len(v.Asking) < MostWaysShown && x.Query("asking") == "" || x.Query("asking") == look {
			row.Ways = yesWays(members.WaysToSayYes(x.Request.Context(), c.House, web.Actor(x), l))
		} else {
			row.Look = v.At + "?asking=" + look + "&rows=" + strconv.Itoa(1+from/web.MostRows) + "#asking-" + look
		}
		v.Asking = append(v.Asking, row)
	}
}

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

// mostGroups is how many groups are offered for members to be put into; any can be named.
const mostGroups = 60

// settings fills in what membership is like, as it stands where nothing was typed.
func (v *membersView) settings(d *web.Site) {
	if v.SignUp.Values == nil {
		v.SignUp.Values = map[string]string{"mode": cmp.Or(d.Then.SignUp.Mode, "closed"), "domains": strings.Join(d.Then.SignUp.Domains, "\n")}
	}
	for _, m := range signUpModes {
		v.SignUp.Modes = append(v.SignUp.Modes, web.Choice{ID: m.id, Name: m.name, On: v.SignUp.Values["mode"] == m.id})
	}
	if v.Like.Values == nil {
		v.Like.Values = likeValues(d.State.Site(d.Site).Membership)
	}
	for _, place := range []web.Choice{{ID: "", Name: "strangers see none", On: false}, {ID: "head", Name: "in the head of every page", On: false}, {ID: "foot", Name: "at the foot of every page", On: false}} {
		place.On = v.Like.Values["corner"] == place.ID
		v.Corners = append(v.Corners, place)
	}
}

func likeValues(m house.Membership) map[string]string {
	yes := func(b bool) string { return map[bool]string{true: "yes"}[b] }
	return map[string]string{
		"questions": strings.Join(m.Questions, "\n"), "terms": m.Terms, "corner": m.Corner, "sign_in": m.SignIn, "yours": m.Yours, "first": m.First,
		"list": yes(m.List), "asking": yes(!m.NoAsking), "comments": strings.Join(m.Comments, "\n"), "held": yes(m.Held),
	}
}

func doMember(c *web.Console, x *gin.Context) {
	site, ctx, me := x.Param("site"), x.Request.Context(), web.Actor(x)
	chosen := x.PostFormArray("who")
	to := web.MembersURL(site)
	if x.PostForm("all") == "yes" && slices.Contains(statuses, x.PostForm("status")) {
		d, err := c.Site(x)
		if err != nil {
			c.Fail(x, err)
			return
		}
		chosen = nil
		for _, one := range found(d, x.PostForm("status"), x.PostForm("find")) {
			chosen = append(chosen, one.id)
		}
	}
	if seen := x.PostForm("seen"); seen != "" && seen != web.SeenMark(chosen) {
		c.Complain(x, "The list is another by now. Look again whom it names.")
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	if len(chosen) == 0 {
		c.Complain(x, "Choose at least one of them.")
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	if x.PostForm("change") == "group" {
		groups, _ := web.ReadGroups(x.PostForm("group"), c.Known(x))
		if len(groups) != 1 {
			c.Complain(x, "Name one group of the house.")
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		x.Request.PostForm.Set("seen", web.SeenMark(chosen)) // what is shown is what is done
		web.HouseChange(c, x, people.PutIn(c.House, groups[0], chosen), to, to, "They are in the group now.")
		return
	}
	change := members.MembersChange{Site: site, People: chosen, Change: members.MemberChange(x.PostForm("change")), Word: x.PostForm("word")}
	if x.PostForm("back") == "list" || change.Change == members.Unblock || change.Change == members.Remove {
		to += "/" + partMembers
	}
	if x.PostForm("meant") != "yes" {
		would, err := members.PreviewMembers(ctx, c.House, me, change)
		if err != nil {
			c.Done(x, err, "", to)
			return
		}
		v := web.NewChangeView(c, changeWords(c, x, change), would)
		v.To, v.Back = web.MembersURL(site), to
		if x.PostForm("all") == "yes" {
			for _, name := range []string{"all", "status", "find", "sort"} {
				v.Hide(name, x.PostForm(name))
			}
			v.Hide("seen", web.SeenMark(chosen))
		} else {
			for _, who := range chosen {
				v.Hide("who", who)
			}
		}
		v.Hide("change", string(change.Change))
		v.Hide("word", change.Word)
		v.Hide("back", x.PostForm("back"))
		v.Do = changeNames[change.Change] + " " + web.Count(len(chosen), "person", "people")
		p := c.SitePage(x, "Members")
		p.View = v
		c.Show(x, http.StatusOK, "house-change", p)
		return
	}
	n, err := members.ChangeMembers(ctx, c.House, me, change)
	if errors.Is(err, members.ErrOnTeam) {
		c.Complain(x, words.Capital(err.Error())+".")
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	c.Done(x, err, "Applied to "+web.Count(n, "person", "people")+".", to)
}

// changeWords says what a change of members does to whom.
func changeWords(c *web.Console, x *gin.Context, change members.MembersChange) string {
	w := words.Wording{Document: c.House.State().Policy.Document()}
	who := words.And(w.People(change.People))
	one := len(change.People) == 1
	switch change.Change {
	case members.Admit:
		return who + web.Plural(len(change.People), " becomes a member.", " become members.") + " " + c.Told(x)
	case members.Refuse:
		return who + map[bool]string{true: " does not become a member.", false: " do not become members."}[one] + " " + c.Told(x)
	case members.Block:
		return who + map[bool]string{true: " is", false: " are"}[one] + " blocked: they get in by no way in for members, and cannot sign up again."
	case members.Unblock:
		return who + map[bool]string{true: " is a member again.", false: " are members again."}[one]
	}
	return who + map[bool]string{true: " is no longer a member.", false: " are no longer members."}[one]
}

// doSignUp sets who may become a member by themselves: rehearsed.
func doSignUp(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "mode", "domains")
	domains := web.EachWord(f.Values["domains"])
	for _, d := range domains {
		if _, err := access.ParseDomainPattern(d); err != nil {
			f.Wrong["domains"] = fmt.Sprintf("“%s” is %v.", d, err)
		}
	}
	if !slices.ContainsFunc(signUpModes, func(m struct{ id, name string }) bool { return m.id == f.Values["mode"] }) {
		f.Wrong["mode"] = "Choose one of these."
	}
	if len(f.Wrong) > 0 {
		showMembers(c, x, http.StatusUnprocessableEntity, &membersView{Part: partSettings, SignUp: signUpForm{Form: f}})
		return
	}
	err := c.House.Trays.Rehearse(x.Request.Context(), web.Actor(x), x.Param("site"), func(draft *access.Site, _ map[string]store.NewSecret) error {
		draft.SignUp = access.SignUp{Mode: f.Values["mode"], Domains: domains}
		return nil
	})
	c.AfterRehearsing(x, err, web.MembersURL(x.Param("site"))+"/"+partSettings)
}

// doLike sets what membership of the site is like.
func doLike(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := web.Typed(x, "questions", "terms", "corner", "sign_in", "yours", "first", "list", "asking", "comments", "held")
	m := house.Membership{
		Questions: nonEmpty(f.Values["questions"]), Terms: f.Values["terms"], Corner: f.Values["corner"], SignIn: f.Values["sign_in"], Yours: f.Values["yours"], First: f.Values["first"],
		List: f.Values["list"] == "yes", NoAsking: f.Values["asking"] != "yes", Comments: nonEmpty(f.Values["comments"]), Held: f.Values["held"] == "yes",
	}
	if !slices.Contains([]string{"", "head", "foot"}, m.Corner) {
		m.Corner = ""
	}
	err := members.SetMembership(x.Request.Context(), c.House, web.Actor(x), site, m)
	if errors.As(err, &f.Wrong) {
		showMembers(c, x, http.StatusUnprocessableEntity, &membersView{Part: partSettings, Like: f})
		return
	}
	c.Done(x, err, "Saved. It holds from now on.", web.MembersURL(site)+"/"+partSettings)
}

// nonEmpty returns the lines of a text that say something.
func nonEmpty(text string) (lines []string) {
	for _, line := range strings.Split(text, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			lines = append(lines, line)
		}
	}
	return lines
}

func doMemberLetter(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := web.Typed(x, "subject", "text", "to")
	var to []string
	if f.Values["to"] != "" {
		guests := roster.ReadGuests(f.Values["to"], c.Known(x))
		if to = guests.People; len(guests.Problems) > 0 {
			f.Wrong["to"] = strings.Join(guests.Problems, " ")
		}
	}
	if len(f.Wrong) == 0 {
		sent, unwanted, err := members.WriteToMembers(x.Request.Context(), c.House, web.Actor(x), site, to, f.Values["subject"], f.Values["text"])
		if !errors.As(err, &f.Wrong) {
			text := c.Sent(x, sent, "letter", "letters")
			if unwanted > 0 {
				text += " " + words.Capital(web.Count(unwanted, "member wants", "members want")) + " none, or have no mailbox."
			}
			c.Done(x, err, text, web.MembersURL(site)+"/"+partLetters)
			return
		}
	}
	showMembers(c, x, http.StatusUnprocessableEntity, &membersView{Part: partLetters, Letter: f})
}

func doAnswerAsking(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	id, err := web.ReadNumber(x.PostForm("id"))
	if err != nil {
		err = house.ErrNothing
	} else {
		err = members.AnswerLetIn(x.Request.Context(), c.House, web.Actor(x), site, id, x.PostForm("way"), x.PostForm("word"))
	}
	c.Done(x, err, c.Told(x), web.MembersURL(site)+"#asking")
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
		c.Complain(x, "The list is another by now. Look again what it names.")
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

// stop shows where letters of a site are stopped, by the link at their foot.
func stop(c *web.Console, x *gin.Context) {
	meant := x.Request.Method == http.MethodPost
	site, address, err := members.Stop(x.Request.Context(), c.House, x.Param("token"), meant)
	if errors.Is(err, house.ErrLinkSpent) {
		c.Refuse(x, http.StatusNotFound, "This link stops nothing. Take it whole from the foot of a letter.")
		return
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.Page(x, "No more letters")
	title := site
	if doc := c.House.State().SiteDocument(site); doc != nil {
		title = cmp.Or(doc.Title, site)
	}
	p.View = struct {
		Token, Title, Address string
		Done                  bool
	}{x.Param("token"), title, address, meant}
	c.Show(x, http.StatusOK, "stop", p)
}
