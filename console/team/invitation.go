package team

import (
	"cmp"
	"errors"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/teams"
	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

// inviteForm asks addresses to join a team, or several.
type inviteForm struct {
	web.Form
	Roles   []web.Choice
	Unders  []web.Choice
	Reasons []web.Choice
	Sites   []web.Choice // others that they may be invited to as well
	Mail    bool
	Back    string

	MailWords string // what becomes of mail, where it is not sent
}

// waitingRow is an invitation that nobody has answered.
type waitingRow struct {
	ID, Address, Role, Section, Since, Ends string
	By                                      string
	Window                                  string
	Over, HandOver                          bool
	Letter                                  *web.LetterState  // nil where a link was made to hand on
	entry                                   *access.TeamEntry // that waits
}

// Says tells in a sentence what somebody is invited to, by whom, and how long it holds.
func (r waitingRow) Says() string {
	text := "asked to take the site over"
	if !r.HandOver {
		text = words.Capital(words.Role(r.Role)) + ", for " + r.Section
		if r.Window != "" {
			text += ", " + r.Window
		}
	}
	text += ", by " + r.By + ". "
	if r.Over {
		return text + "It ended on " + r.Ends + "."
	}
	return text + "Waiting " + r.Since + ", until " + r.Ends + "."
}

func waitingInvitations(c *web.Console, x *gin.Context, d *web.Site) (rows []waitingRow, err error) {
	list, err := store.WaitingInvitations(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.Site))
	now := c.House.Now()
	for _, inv := range list {
		for _, to := range inv.To {
			if d.State.SiteAddress(to.Site) != d.Site {
				continue
			}
			address := c.House.AddressText(inv.Who)
			row := waitingRow{
				ID: inv.ID, Address: c.House.NameOf(inv.Who), Role: to.Role, Section: d.Words.Section(to.Under), Since: lasting(now.Sub(inv.At)),
				Ends: words.Moment(inv.Ends.In(d.State.Zone)), Over: !now.Before(inv.Ends), HandOver: inv.Stay != "",
			}
			row.By = c.House.NameOf(inv.By)
			if inv.Mailed {
				letter, err := store.MailAbout(x.Request.Context(), c.House.Reader(), house.AboutInvitation(inv.ID))
				if err != nil {
					return nil, err
				}
				row.Letter = c.LetterState(letter)
			}
			for i := range d.Now.Team {
				e := &d.Now.Team[i]
				if !e.Accepted && e.Under == to.Under && d.State.Names(*e, inv.Who) {
					row.entry, row.Role, row.Window = e, e.Role, d.Words.Window(e.From, e.Until)
				}
			}
			if row.Address != address {
				row.Address += " (" + address + ")"
			}
			rows = append(rows, row)
		}
	}
	return rows, err
}

// lasting says how long something has lasted.
func lasting(d time.Duration) string {
	switch {
	case d < time.Minute:
		return "since just now"
	case d < time.Hour:
		return "for " + web.Count(int(d.Minutes()), "minute", "minutes")
	case d < 48*time.Hour:
		return "for " + web.Count(int(d.Hours()), "hour", "hours")
	}
	return "for " + web.Count(int(d.Hours()/24), "day", "days")
}

// mostSites is how many other sites are offered for an invitation to several.
const mostSites = 100

func newInviteForm(c *web.Console, x *gin.Context, d *web.Site, f web.Form, more []string) *inviteForm {
	me := web.Actor(x)
	if f.Values == nil {
		f.Values = map[string]string{"role": "viewer", "under": "/", "mail": "yes"}
	}
	v := &inviteForm{Form: f, Back: "/sites/" + d.Site + "/team", Mail: f.Values["mail"] == "yes"}
	v.Roles, v.Unders = rolesToGive(d, c.House.Can(me, d.Site, "/"), f.Values["role"]), d.Unders(f.Values["under"])
	v.Reasons, v.MailWords = reasonChoices(f.Values["reason"]), c.MailWords(x)
	for _, s := range d.State.Policy.Document().Sites {
		on := slices.Contains(more, s.Address)
		if s.Address != d.Site && (on || len(v.Sites) < mostSites) && c.House.Can(me, s.Address, "/").Has(access.ManageTeam) {
			v.Sites = append(v.Sites, web.Choice{ID: s.Address, Name: cmp.Or(s.Title, s.Address), On: on})
		}
	}
	return v
}

func doInvite(c *web.Console, x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	f := web.Typed(x, "list", "role", "under", "from", "until", "reason", "mail", "word")
	from, until := f.Window(s.Zone)
	more := x.PostFormArray("sites")
	in := teams.Invitation{
		Addresses: []string{f.Values["list"]}, Sites: append([]string{site}, more...), Role: f.Values["role"], Under: f.Values["under"],
		From: from, Until: until, Reason: f.Values["reason"], Word: f.Values["word"], Mail: f.Values["mail"] == "yes",
	}
	if len(more) > 0 && in.Under != "/" && in.Under != "" {
		f.Wrong["under"] = "A section is one site's own: invite to the others separately."
	}
	if in.Reason != "" && !slices.Contains(teams.Reasons, in.Reason) {
		f.Wrong["reason"] = "Choose one of these."
	}
	var sent []teams.Sent
	if len(f.Wrong) == 0 {
		var err error
		sent, err = teams.Invite(x.Request.Context(), c.House, web.Actor(x), in)
		if err != nil && !errors.As(err, &f.Wrong) {
			c.Fail(x, err)
			return
		}
	}
	if len(f.Wrong) > 0 {
		d, err := c.Site(x)
		if err != nil {
			c.Fail(x, err)
			return
		}
		showTeam(c, x, http.StatusUnprocessableEntity, teamForms{invite: newInviteForm(c, x, d, f, more)})
		return
	}
	sayInvited(c, x, sent)
	x.Redirect(http.StatusSeeOther, "/sites/"+site+"/team#waiting")
}

// invited is the links of invitations of a site that are to be handed on by hand.
type invited struct{ Site, Links string }

// linksLife is how long links to hand on are shown to whoever made them.
const linksLife = 30 * time.Minute

// linksOf returns the links that are still to be handed on; "" where there is none.
func linksOf(c *web.Console, x *gin.Context, site string) string {
	in, _ := web.Shelved[invited](c.Shelf, c.Sessions.GetString(x.Request.Context(), "links"), web.Actor(x).Who)
	if in.Site != site {
		return ""
	}
	return in.Links
}

// hideLinks forgets the links that were to be handed on.
func hideLinks(c *web.Console, x *gin.Context) {
	web.Take[invited](c.Shelf, c.Sessions.PopString(x.Request.Context(), "links"), web.Actor(x).Who)
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/team")
}

// sayInvited says who was invited, and shows the links that are to be handed on.
func sayInvited(c *web.Console, x *gin.Context, sent []teams.Sent) {
	text := c.Sent(x, len(sent), "invitation", "invitations")
	var links []string
	for _, s := range sent {
		if s.Link != "" {
			links = append(links, s.Address+" "+s.Link)
		}
	}
	if len(links) > 0 {
		text = "Hand on what is shown below: each link works for its address alone."
		c.Sessions.Put(x.Request.Context(), "links", c.Shelf.Put(web.Actor(x).Who, invited{x.Param("site"), strings.Join(links, "\n")}, linksLife))
	}
	c.Flash(x, words.Capital(text))
}

func doInvitation(c *web.Console, x *gin.Context) {
	ctx, me, site := x.Request.Context(), web.Actor(x), x.Param("site")
	id, to := x.PostForm("id"), "/sites/"+site+"/team#waiting"
	switch x.PostForm("action") {
	case "change":
		f := &entryForm{Form: web.Typed(x, "role", "under", "from", "until"), Key: x.PostForm("key"), Invitation: id, Back: "/sites/" + site + "/team"}
		from, until := f.Window(c.House.State().Zone)
		var err error
		if len(f.Wrong) == 0 {
			err = teams.ChangeInvitation(ctx, c.House, me, site, id, access.TeamEntry{Role: f.Values["role"], Under: f.Values["under"], From: from, Until: until})
		}
		if errors.As(err, &f.Wrong) || len(f.Wrong) > 0 {
			againWithEntry(c, x, f)
			return
		}
		c.Done(x, err, "Saved. They see it when they open the invitation.", to)
	case "withdraw":
		c.Done(x, teams.Withdraw(ctx, c.House, me, site, id), "The invitation is withdrawn; its link leads nowhere now.", to)
	default:
		sent, err := teams.SendAgain(ctx, c.House, me, site, id, x.PostForm("action") == "again")
		if errors.Is(err, teams.ErrUnreachable) {
			c.Complain(x, words.Capital(err.Error())+".")
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		if err != nil {
			c.Done(x, err, "", to)
			return
		}
		sayInvited(c, x, []teams.Sent{sent})
		x.Redirect(http.StatusSeeOther, to)
	}
}

// offerView is an invitation as the one who is invited meets it.
type offerView struct {
	web.Form
	*teams.Offer
	House, Token  string
	Me, MyAddress string // who is signed in
	Yours         bool   // with the address that it is for
	Until         string
	Asked         bool
}

func showOffer(c *web.Console, x *gin.Context) { offer(c, x, http.StatusOK, web.Form{}, false) }

func offer(c *web.Console, x *gin.Context, status int, f web.Form, askedFor bool) {
	o, err := teams.FindOffer(x.Request.Context(), c.House, x.Param("token"))
	if err != nil {
		c.Fail(x, err)
		return
	}
	if o == nil || o.Over {
		c.Refuse(x, http.StatusGone, words.Capital(teams.ErrInvitationEnded.Error())+".")
		return
	}
	v := &offerView{Form: f, Offer: o, House: c.House.State().Policy.Document().House.Name, Token: x.Param("token"), Until: c.Moment(o.Ends), Asked: askedFor}
	if me, ok := c.WhoIsIn(x); ok {
		if to := c.Unfinished(x, me); to != "" {
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		v.Me, v.MyAddress, v.Yours = me.Name, me.Address.String(), me.Who == o.Who
		x.Set("actor", me)
	}
	p := c.Page(x, "An invitation")
	p.View = v
	c.Show(x, status, "invitation", p)
}

func doOffer(c *web.Console, x *gin.Context) {
	ctx, token := x.Request.Context(), x.Param("token")
	here := "/invitations/" + token
	me, in := c.WhoIsIn(x)
	if in && c.Unfinished(x, me) != "" {
		x.Redirect(http.StatusSeeOther, here)
		return
	}
	switch x.PostForm("action") {
	case "switch": // to the address that it is for
		o, err := teams.FindOffer(ctx, c.House, token)
		if err == nil {
			err = c.Leave(x)
		}
		if err != nil || o == nil {
			c.Fail(x, errors.Join(err, house.ErrNoSite))
			return
		}
		x.Redirect(http.StatusSeeOther, here)
	case "account":
		f := web.Typed(x, "name", "password")
		who, made, err := teams.BeginAccount(ctx, c.House, token, f.Values["name"], x.PostForm("password"))
		if errors.As(err, &f.Wrong) {
			offer(c, x, http.StatusUnprocessableEntity, f, false)
			return
		}
		switch {
		case errors.Is(err, teams.ErrInvitationEnded):
			c.Refuse(x, http.StatusGone, words.Capital(err.Error())+".")
		case err != nil:
			c.Fail(x, err)
		case made:
			c.Enter(x, who, "password", false, map[string]string{"then": here})
		default:
			p := c.Page(x, "Check your mail")
			p.Problem = c.House.LetterSays(c.House.AddressText(who)) + " The link in it proves that the address is yours; then the invitation is accepted."
			c.Show(x, http.StatusOK, "problem", p)
		}
	case "ask":
		if !in {
			x.Redirect(http.StatusSeeOther, here)
			return
		}
		if err := teams.AskForOwnInvitation(ctx, c.House, me, token); err != nil {
			answered(c, x, err, "")
			return
		}
		offer(c, x, http.StatusOK, web.Form{}, true)
	default:
		o, err := teams.FindOffer(ctx, c.House, token)
		if err != nil || o == nil || !in {
			x.Redirect(http.StatusSeeOther, here)
			return
		}
		answer(c, x, me, o.ID)
	}
}

// answerInvitation answers one that somebody finds in their account.
func answerInvitation(c *web.Console, x *gin.Context) { answer(c, x, web.Actor(x), x.PostForm("id")) }

func answer(c *web.Console, x *gin.Context, me house.Actor, id string) {
	if x.PostForm("action") == "decline" {
		answered(c, x, teams.Decline(x.Request.Context(), c.House, me, id), "/account")
		return
	}
	site, err := teams.Accept(x.Request.Context(), c.House, me, id)
	if err == nil {
		c.Flash(x, "You are on the team.")
	}
	answered(c, x, err, "/sites/"+site)
}

func answered(c *web.Console, x *gin.Context, err error, to string) {
	var refusal access.TeamRefusal
	switch {
	case errors.As(err, &refusal):
		c.Refuse(x, http.StatusConflict, refusal.Text)
	case errors.Is(err, teams.ErrInvitationEnded), errors.Is(err, teams.ErrInvitationNotYours):
		c.Refuse(x, http.StatusGone, words.Capital(err.Error())+".")
	case err != nil:
		c.Fail(x, err)
	default:
		x.Redirect(http.StatusSeeOther, to)
	}
}

func doHandOver(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := web.Typed(x, "to", "stay")
	err := teams.HandOver(x.Request.Context(), c.House, web.Actor(x), site, f.Values["to"], f.Values["stay"])
	if errors.As(err, &f.Wrong) {
		showTeam(c, x, http.StatusUnprocessableEntity, teamForms{handOver: &f})
		return
	}
	c.Done(x, err, "They are asked. Nothing changes until they accept.", "/sites/"+site+"/team#waiting")
}

// doLeave takes the one who asks off the team.
func doLeave(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	err := teams.LeaveTeam(x.Request.Context(), c.House, web.Actor(x), site)
	var refusal access.TeamRefusal
	to := "/account"
	if errors.As(err, &refusal) && c.House.Can(web.Actor(x), site, "/") != 0 {
		to = "/sites/" + site + "/team/hand-over"
	}
	c.Done(x, err, "You have left the team.", to)
}
