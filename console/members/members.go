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
		c.Complain(x, web.ListChanged)
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
		does := change
		does.People = change.Concerned(c.House.State().SiteDocument(site))
		v := web.NewChangeView(c, x, changeWords(c, x, does), would)
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
		v.Do = changeNames[change.Change] + " " + web.Count(len(does.People), "person", "people")
		p := c.SitePage(x, "Members")
		p.View = v
		c.Show(x, http.StatusOK, "house-change", p)
		return
	}
	n, err := members.ChangeMembers(web.AsSeen(x), c.House, me, change)
	if errors.Is(err, members.ErrOnTeam) {
		c.Complain(x, words.Capital(err.Error())+".")
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	c.Done(x, err, "Applied to "+web.Count(n, "person", "people")+".", to)
}

// changeWords says what a change of members does to whom.
func changeWords(c *web.Console, x *gin.Context, change members.MembersChange) string {
	known := c.Known(x)
	w := words.Wording{Document: known, Hides: known != c.House.State().Policy.Document()}
	who := words.And(w.People(change.People))
	one := len(change.People) == 1
	switch change.Change {
	case members.Admit:
		return who + web.Plural(len(change.People), " becomes a member.", " become members.") + " " + c.Told(x, change.People...)
	case members.Refuse:
		return who + map[bool]string{true: " does not become a member.", false: " do not become members."}[one] + " " + c.Told(x, change.People...)
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
