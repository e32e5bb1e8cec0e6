package console

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"
	"velada/app/teams"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// inviteForm asks addresses to join a team, or several.
type inviteForm struct {
	form
	Roles   []choice
	Unders  []choice
	Reasons []choice
	Sites   []choice // others that they may be invited to as well
	Mail    bool
	Back    string
}

// waitingRow is an invitation that nobody has answered.
type waitingRow struct {
	ID, Address, Role, Section, Since, Ends string
	By                                      string
	Window                                  string
	Over, Mailed, HandOver                  bool
	entry                                   *access.TeamEntry // that waits
}

func (c *Console) waitingInvitations(x *gin.Context, d *doorContext) (rows []waitingRow, err error) {
	list, err := store.WaitingInvitations(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.site))
	now := c.House.Now()
	for _, inv := range list {
		for _, to := range inv.To {
			if d.state.SiteAddress(to.Site) != d.site {
				continue
			}
			address := c.House.AddressText(inv.Who)
			row := waitingRow{
				ID: inv.ID, Address: c.House.NameOf(inv.Who), Role: to.Role, Section: d.words.Section(to.Under), Since: lasting(now.Sub(inv.At)),
				Ends: words.Moment(inv.Ends.In(d.state.Zone)), Over: !now.Before(inv.Ends), Mailed: inv.Mailed, HandOver: inv.Stay != "",
			}
			row.By = c.House.NameOf(inv.By)
			for i := range d.now.Team {
				e := &d.now.Team[i]
				if !e.Accepted && e.Under == to.Under && d.state.Names(*e, inv.Who) {
					row.entry, row.Role, row.Window = e, e.Role, d.words.Window(e.From, e.Until)
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
		return "for " + count(int(d.Minutes()), "minute", "minutes")
	case d < 48*time.Hour:
		return "for " + count(int(d.Hours()), "hour", "hours")
	}
	return "for " + count(int(d.Hours()/24), "day", "days")
}

func (c *Console) inviteForm(x *gin.Context, d *doorContext, f form, more []string) *inviteForm {
	me := actor(x)
	if f.Values == nil {
		f.Values = map[string]string{"role": "viewer", "under": "/", "mail": "yes"}
	}
	v := &inviteForm{form: f, Back: "/sites/" + d.site + "/team", Mail: f.Values["mail"] == "yes"}
	v.Roles, v.Unders = d.rolesToGive(c.House.Can(me, d.site, "/"), f.Values["role"]), d.unders(f.Values["under"])
	for _, r := range teams.Reasons {
		v.Reasons = append(v.Reasons, choice{r, r, f.Values["reason"] == r})
	}
	for _, s := range d.state.Policy.Document().Sites {
		if s.Address != d.site && c.House.Can(me, s.Address, "/").Has(access.ManageTeam) {
			v.Sites = append(v.Sites, choice{s.Address, cmp.Or(s.Title, s.Address), slices.Contains(more, s.Address)})
		}
	}
	return v
}

func (c *Console) doInvite(x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	f := typed(x, "list", "role", "under", "from", "until", "reason", "mail", "word")
	from, until := f.window(s.Zone)
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
		sent, err = teams.Invite(x.Request.Context(), c.House, actor(x), in)
		if err != nil && !errors.As(err, &f.Wrong) {
			c.fail(x, err)
			return
		}
	}
	if len(f.Wrong) > 0 {
		d, err := c.doorContext(x)
		if err != nil {
			c.fail(x, err)
			return
		}
		c.showTeam(x, http.StatusUnprocessableEntity, teamForms{invite: c.inviteForm(x, d, f, more)})
		return
	}
	c.sayInvited(x, sent)
	x.Redirect(http.StatusSeeOther, "/sites/"+site+"/team#waiting")
}

// sayInvited says who was invited, and shows the links that are to be handed on.
func (c *Console) sayInvited(x *gin.Context, sent []teams.Sent) {
	text := count(len(sent), "invitation is", "invitations are") + " on the way."
	var links []string
	for _, s := range sent {
		if s.Link != "" {
			links = append(links, s.Address+" "+s.Link)
		}
	}
	if len(links) > 0 {
		text = "Hand this on; it is shown once:"
		c.sessions.Put(x.Request.Context(), "links", strings.Join(links, "\n"))
	}
	c.flash(x, capital(text))
}

func (c *Console) doInvitation(x *gin.Context) {
	ctx, me, site := x.Request.Context(), actor(x), x.Param("site")
	id, to := x.PostForm("id"), "/sites/"+site+"/team#waiting"
	switch x.PostForm("action") {
	case "change":
		f := &entryForm{form: typed(x, "role", "under", "from", "until"), Key: x.PostForm("key"), Invitation: id, Back: "/sites/" + site + "/team"}
		from, until := f.window(c.House.State().Zone)
		var err error
		if len(f.Wrong) == 0 {
			err = teams.ChangeInvitation(ctx, c.House, me, site, id, access.TeamEntry{Role: f.Values["role"], Under: f.Values["under"], From: from, Until: until})
		}
		if errors.As(err, &f.Wrong) || len(f.Wrong) > 0 {
			c.againWithEntry(x, f)
			return
		}
		c.done(x, err, "Changed. They find it when they look at the invitation.", to)
	case "withdraw":
		c.done(x, teams.Withdraw(ctx, c.House, me, site, id), "The invitation is withdrawn; its link leads nowhere now.", to)
	default:
		sent, err := teams.SendAgain(ctx, c.House, me, site, id, x.PostForm("action") == "again")
		if errors.Is(err, teams.ErrUnreachable) {
			c.complain(x, capital(err.Error())+".")
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		if err != nil {
			c.done(x, err, "", to)
			return
		}
		c.sayInvited(x, []teams.Sent{sent})
		x.Redirect(http.StatusSeeOther, to)
	}
}

// offerView is an invitation as the one who is invited meets it.
type offerView struct {
	form
	*teams.Offer
	House, Token  string
	Me, MyAddress string // who is signed in
	Yours         bool   // with the address that it is for
	Until         string
	Asked         bool
}

func (c *Console) showOffer(x *gin.Context) { c.offer(x, http.StatusOK, form{}, false) }

func (c *Console) offer(x *gin.Context, status int, f form, askedFor bool) {
	o, err := teams.FindOffer(x.Request.Context(), c.House, x.Param("token"))
	if err != nil {
		c.fail(x, err)
		return
	}
	if o == nil || o.Over {
		c.refuse(x, http.StatusGone, capital(teams.ErrInvitationEnded.Error())+".")
		return
	}
	v := &offerView{form: f, Offer: o, House: c.House.State().Policy.Document().House.Name, Token: x.Param("token"), Until: c.moment(o.Ends), Asked: askedFor}
	if me, ok := c.whoIsIn(x); ok {
		if to := c.unfinished(x, me); to != "" {
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		v.Me, v.MyAddress, v.Yours = me.Name, me.Address.String(), me.Who == o.Who
		x.Set("actor", me)
	}
	p := c.page(x, "An invitation")
	p.View = v
	c.show(x, status, "invitation", p)
}

func (c *Console) doOffer(x *gin.Context) {
	ctx, token := x.Request.Context(), x.Param("token")
	here := "/invitations/" + token
	me, in := c.whoIsIn(x)
	if in && c.unfinished(x, me) != "" {
		x.Redirect(http.StatusSeeOther, here)
		return
	}
	switch x.PostForm("action") {
	case "switch": // to the address that it is for
		o, err := teams.FindOffer(ctx, c.House, token)
		if err == nil {
			err = c.leave(x)
		}
		if err != nil || o == nil {
			c.fail(x, errors.Join(err, house.ErrNoSite))
			return
		}
		x.Redirect(http.StatusSeeOther, here)
	case "account":
		f := typed(x, "name")
		who, made, err := teams.BeginAccount(ctx, c.House, token, f.Values["name"], x.PostForm("password"))
		if errors.As(err, &f.Wrong) {
			c.offer(x, http.StatusUnprocessableEntity, f, false)
			return
		}
		switch {
		case errors.Is(err, teams.ErrInvitationEnded):
			c.refuse(x, http.StatusGone, capital(err.Error())+".")
		case err != nil:
			c.fail(x, err)
		case made:
			c.enter(x, who, "password", false, map[string]string{"then": here})
		default:
			p := c.page(x, "A letter is on its way")
			p.Problem = fmt.Sprintf("A letter is on its way to %s. The link in it proves that the address is yours; then the invitation is accepted.", c.House.AddressText(who))
			c.show(x, http.StatusOK, "problem", p)
		}
	case "ask":
		if !in {
			x.Redirect(http.StatusSeeOther, here)
			return
		}
		if err := teams.AskForOwnInvitation(ctx, c.House, me, token); err != nil {
			c.answered(x, err, "")
			return
		}
		c.offer(x, http.StatusOK, form{}, true)
	default:
		o, err := teams.FindOffer(ctx, c.House, token)
		if err != nil || o == nil || !in {
			x.Redirect(http.StatusSeeOther, here)
			return
		}
		c.answer(x, me, o.ID)
	}
}

// answerInvitation answers one that somebody finds in their account.
func (c *Console) answerInvitation(x *gin.Context) { c.answer(x, actor(x), x.PostForm("id")) }

func (c *Console) answer(x *gin.Context, me house.Actor, id string) {
	if x.PostForm("action") == "decline" {
		c.answered(x, teams.Decline(x.Request.Context(), c.House, me, id), "/account")
		return
	}
	site, err := teams.Accept(x.Request.Context(), c.House, me, id)
	if err == nil {
		c.flash(x, "You are on the team.")
	}
	c.answered(x, err, "/sites/"+site)
}

func (c *Console) answered(x *gin.Context, err error, to string) {
	var refusal access.TeamRefusal
	switch {
	case errors.As(err, &refusal):
		c.refuse(x, http.StatusConflict, refusal.Text)
	case errors.Is(err, teams.ErrInvitationEnded), errors.Is(err, teams.ErrInvitationNotYours):
		c.refuse(x, http.StatusGone, capital(err.Error())+".")
	case err != nil:
		c.fail(x, err)
	default:
		x.Redirect(http.StatusSeeOther, to)
	}
}

func (c *Console) doHandOver(x *gin.Context) {
	site := x.Param("site")
	f := typed(x, "to", "stay")
	err := teams.HandOver(x.Request.Context(), c.House, actor(x), site, f.Values["to"], f.Values["stay"])
	if errors.As(err, &f.Wrong) {
		c.showTeam(x, http.StatusUnprocessableEntity, teamForms{handOver: &f})
		return
	}
	c.done(x, err, "They are asked. Nothing changes until they accept.", "/sites/"+site+"/team#waiting")
}

// doLeave takes the one who asks off the team.
func (c *Console) doLeave(x *gin.Context) {
	site := x.Param("site")
	err := teams.LeaveTeam(x.Request.Context(), c.House, actor(x), site)
	var refusal access.TeamRefusal
	to := "/account"
	if errors.As(err, &refusal) && c.House.Can(actor(x), site, "/") != 0 {
		to = "/sites/" + site + "/team"
	}
	c.done(x, err, "You have left the team.", to)
}
