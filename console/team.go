package console

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"velada/app/teams"
	"velada/core/roster"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// teamView is who may edit and run a site.
type teamView struct {
	Site      string
	MayChange bool
	Entries   []entryRow
	Form      *entryForm
	RoleForm  *roleForm
	Invite    *inviteForm
	Waiting   []waitingRow
	Links     string // of invitations, to hand on, shown once
	Editors   *editorsForm
	Sections  *sectionsForm
	Teams     []sectionRow // those that have a section
	MaySplit  bool         // may give sections
	HandOver  *form
	MayOwn    bool     // may hand it over
	OnIt      bool     // the one who looks is on the team by name
	Can       []string // the columns of the table
	People    []canRow
	Roles     []roleRow
}

// entryRow is one entry of the team.
type entryRow struct {
	Who, Kind, Role, Section, Window, Means string
	New, Gone                               bool
	Edit, Key                               string
	Count                                   string // of a group
	Reason                                  string // why they are there
}

// teamForms are the forms of the view to show again because something in them
// was wrong.
type teamForms struct {
	entry    *entryForm
	role     *roleForm
	invite   *inviteForm
	sections *sectionsForm
	handOver *form
}

// canRow is what one person, or one role, may do.
type canRow struct {
	Name, URL string
	Marks     []canMark
}

// canMark is a capability of a row: on the whole site, on a part of it, or not.
type canMark struct {
	Whole, Part bool
	Text        string
}

type roleRow struct {
	ID, Text, Edit string
	Marks          []canMark
	Own, New       bool
	Holders        int
}

type entryForm struct {
	form
	Key, Back, Who string
	Invitation     string // the entry waits to be accepted
	Roles          []choice
	Unders         []choice
	Reasons        []choice
}

type roleForm struct {
	form
	ID   string
	Can  []choice
	Back string
}

func (c *Console) team(x *gin.Context) { c.showTeam(x, http.StatusOK, teamForms{}) }

func (c *Console) showTeam(x *gin.Context, status int, again teamForms) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	caps := c.House.Can(actor(x), d.site, "/")
	if caps == 0 {
		c.notFound(x)
		return
	}
	p := c.sitePage(x, "Team")
	p.Not = c.mayNotHere(x, access.ManageTeam)
	v := &teamView{Site: d.site, MayChange: caps.Has(access.ManageTeam), Form: again.entry, RoleForm: again.role, Invite: again.invite, Sections: again.sections, HandOver: again.handOver, MayOwn: caps.Has(access.Own)}
	if d.reasons, err = store.TeamReasons(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.site)); err != nil {
		c.fail(x, err)
		return
	}
	v.Entries = d.entries()
	if v.Waiting, err = c.waitingInvitations(x, d); err != nil {
		c.fail(x, err)
		return
	}
	v.Editors = d.editors()
	if v.Teams, err = c.sectionRows(x, d); err != nil {
		c.fail(x, err)
		return
	}
	v.MaySplit = v.MayChange && caps.Has(access.ChangeDoor) && caps.Has(access.Write)
	v.OnIt = slices.ContainsFunc(d.state.Policy.Site(d.site).EntriesOf(d.state.Identity(actor(x).Who), access.At(d.real)), func(e access.TeamEntry) bool { return e.Group == "" })
	if v.MayChange {
		v.Links = c.sessions.PopString(x.Request.Context(), "links")
	}
	if v.MayChange && again == (teamForms{}) {
		switch asked := x.Query("entry"); {
		case asked != "":
			v.Form = d.entryForm(asked, caps)
		case x.Query("invitation") != "":
			v.Form = d.waitingForm(x.Query("invitation"), v.Waiting, caps)
		case x.Query("sections") != "" && v.MaySplit:
			v.Sections = d.sectionsForm(form{})
		case x.Query("invite") != "":
			v.Invite = c.inviteForm(x, d, form{}, nil)
		case x.Query("role") != "":
			v.RoleForm = d.roleForm(x.Query("role"), caps)
		}
	}
	for i := access.Preview; i <= access.Own; i++ {
		v.Can = append(v.Can, i.Doing())
	}
	v.People = d.whoCan()
	v.Roles = d.roleRows()
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, "/sites/"+d.site+"/team")
	}
	p.View = v
	c.show(x, status, "team", p)
}

func marks(whole, part access.Capabilities) (list []canMark) {
	for i := access.Preview; i <= access.Own; i++ {
		m := canMark{Whole: whole.Has(i), Part: part.Has(i)}
		switch {
		case m.Whole:
			m.Text = "may " + i.Doing()
		case m.Part:
			m.Text = "may " + i.Doing() + " in a section"
		default:
			m.Text = "may not " + i.Doing()
		}
		list = append(list, m)
	}
	return list
}

// entries lists the team as rehearsed, and what the rehearsal takes away.
func (d *doorContext) entries() (rows []entryRow) {
	site := d.policy.Site(d.site)
	row := func(e access.TeamEntry, w words.Wording) entryRow {
		r := entryRow{
			Who: w.Entry(e), Role: e.Role, Section: capital(w.Section(e.Under)), Window: w.Window(e.From, e.Until), Key: entryKey(e),
			Means: "May " + words.CapabilityWords(site.RoleCapabilities(e.Role)) + ".",
		}
		switch {
		case e.Group != "":
			r.Kind = "group"
			r.Count = count(d.policy.Shares(d.site, "group:"+e.Group, []string{"/"}, d.at)[0].Of, "person", "people")
		case e.Address != "":
			r.Kind = "from outside"
		}
		r.Reason = d.reasons[reasonKey(d.state, e)]
		if !e.From.IsZero() && d.at.Before(e.From) {
			r.Kind = "not yet"
		} else if !e.Until.IsZero() && !d.at.Before(e.Until) {
			r.Kind = "ended"
		}
		return r
	}
	for _, e := range d.then.Team {
		if !e.Accepted { // it stands among the invitations
			continue
		}
		r := row(e, d.words)
		r.New = !slices.Contains(d.now.Team, e)
		r.Edit = "/sites/" + d.site + "/team?entry=" + r.Key
		rows = append(rows, r)
	}
	was := d.words
	was.Site = d.now
	for _, e := range d.now.Team {
		if e.Accepted && !slices.ContainsFunc(d.then.Team, func(t access.TeamEntry) bool {
			return t.Person == e.Person && t.Group == e.Group && t.Address == e.Address && t.Under == e.Under
		}) {
			r := row(e, was)
			r.Gone = true
			rows = append(rows, r)
		}
	}
	return rows
}

// reasonKey is how the reason why somebody is on the team is kept.
func reasonKey(s *house.State, e access.TeamEntry) string {
	if e.Group != "" {
		return "group:" + e.Group
	}
	if a, err := access.ParseAddress(e.Address); err == nil {
		return string(s.WhoHas(a))
	}
	return e.Person
}

// entryKey names an entry in a form by its contents.
func entryKey(e access.TeamEntry) string { return keyOf(e) }

func (d *doorContext) whoCan() (rows []canRow) {
	for _, m := range d.policy.TeamMembers(d.site, d.at) {
		var parts access.Capabilities
		for _, c := range m.Parts {
			parts |= c
		}
		rows = append(rows, canRow{d.words.Person(m.Person), d.doorURL("", "person:"+m.Person), marks(m.Whole, parts)})
	}
	return rows
}

// roleOrder is the built-in roles, the most powerful first.
var roleOrder = []string{"owner", "admin", "publisher", "editor", "usher", "analyst", "viewer"}

func (d *doorContext) roles() []string {
	roles := slices.Clone(roleOrder)
	for _, r := range d.then.Roles {
		roles = append(roles, r.ID)
	}
	return roles
}

func (d *doorContext) roleRows() (rows []roleRow) {
	for _, role := range d.roles() {
		caps := d.policy.Site(d.site).RoleCapabilities(role)
		r := roleRow{ID: role, Text: "May " + words.CapabilityWords(caps) + ".", Marks: marks(caps, 0), Own: !slices.Contains(roleOrder, role)}
		if r.Own {
			r.Edit = "/sites/" + d.site + "/team?role=" + role
			r.New = !slices.ContainsFunc(d.now.Roles, func(old access.Role) bool {
				return old.ID == role && slices.Equal(old.Can, caps.Names())
			})
		}
		for _, e := range d.then.Team {
			if e.Role == role {
				r.Holders++
			}
		}
		rows = append(rows, r)
	}
	return rows
}

// rolesToGive are the roles that somebody may give: none lets do what they may not.
func (d *doorContext) rolesToGive(mine access.Capabilities, chosen string) (list []choice) {
	roles := d.roles()
	slices.Reverse(roles)
	for _, role := range roles {
		caps := d.policy.Site(d.site).RoleCapabilities(role)
		if caps&^mine == 0 || role == chosen {
			list = append(list, choice{role, role + ": may " + words.CapabilityWords(caps), role == chosen})
		}
	}
	slices.SortStableFunc(list, func(a, b choice) int {
		return cmp.Compare(d.policy.Site(d.site).RoleCapabilities(a.ID).Count(), d.policy.Site(d.site).RoleCapabilities(b.ID).Count())
	})
	return list
}

func (d *doorContext) entryForm(asked string, mine access.Capabilities) *entryForm {
	f := &entryForm{form: form{Values: map[string]string{"role": "viewer", "under": "/"}}, Back: "/sites/" + d.site + "/team"}
	if asked != "new" {
		i := slices.IndexFunc(d.then.Team, func(e access.TeamEntry) bool { return entryKey(e) == asked })
		if i < 0 {
			return nil
		}
		e := d.then.Team[i]
		f.Key, f.Who = asked, d.words.Entry(e)
		f.Values = map[string]string{"role": e.Role, "under": e.Under, "from": d.local(e.From), "until": d.local(e.Until), "reason": d.reasons[reasonKey(d.state, e)]}
	}
	f.Reasons = reasonChoices(f.Values["reason"])
	f.Roles, f.Unders = d.rolesToGive(mine, f.Values["role"]), d.unders(f.Values["under"])
	return f
}

// waitingForm changes what somebody is invited to who has not answered yet.
func (d *doorContext) waitingForm(id string, waiting []waitingRow, mine access.Capabilities) *entryForm {
	for _, w := range waiting {
		if w.ID != id || w.HandOver || w.entry == nil {
			continue
		}
		f := d.entryForm(entryKey(*w.entry), mine)
		if f != nil {
			f.Invitation, f.Who = id, w.Address
		}
		return f
	}
	return nil
}

func reasonChoices(chosen string) (list []choice) {
	for _, r := range teams.Reasons {
		list = append(list, choice{r, r, r == chosen})
	}
	return list
}

func (d *doorContext) roleForm(asked string, mine access.Capabilities) *roleForm {
	f := &roleForm{form: form{Values: map[string]string{}}, Back: "/sites/" + d.site + "/team"}
	has := access.CapabilitiesOf("preview")
	if asked != "new" {
		i := slices.IndexFunc(d.then.Roles, func(r access.Role) bool { return r.ID == asked })
		if i < 0 {
			return nil
		}
		f.ID = asked
		f.Values["id"] = asked
		has = access.CapabilitiesOf(d.then.Roles[i].Can...)
	}
	for i := access.Preview; i <= access.Own; i++ {
		if mine.Has(i) || has.Has(i) {
			f.Can = append(f.Can, choice{i.String(), i.Doing(), has.Has(i)})
		}
	}
	return f
}

// doEntry adds somebody to the team, or changes their entry: rehearsed.
func (c *Console) doEntry(x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	f := &entryForm{form: typed(x, "list", "role", "under", "from", "until", "reason"), Key: x.PostForm("key"), Back: "/sites/" + site + "/team"}
	from, until := f.window(s.Zone)
	entry := access.TeamEntry{Role: f.Values["role"], Under: cmp.Or(f.Values["under"], "/"), From: from, Until: until, Accepted: true}
	var who []access.TeamEntry
	if f.Key == "" {
		who = f.readWho(c.known(x))
	}
	if len(f.Wrong) > 0 {
		c.againWithEntry(x, f)
		return
	}
	if f.Values["reason"] != "" && !slices.Contains(teams.Reasons, f.Values["reason"]) {
		f.Values["reason"] = ""
	}
	var whose []string // entries that the reason is of
	c.rehearseTeam(x, f, func(draft *access.Site) error {
		if f.Key != "" {
			i := slices.IndexFunc(draft.Team, func(e access.TeamEntry) bool { return entryKey(e) == f.Key })
			if i < 0 {
				return errMoved
			}
			e := &draft.Team[i]
			whose = append(whose, reasonKey(s, *e))
			e.Role, e.Under, e.From, e.Until = entry.Role, entry.Under, entry.From, entry.Until
			return nil
		}
		for _, w := range who {
			e := entry
			e.Person, e.Group, e.Address = w.Person, w.Group, w.Address
			whose = append(whose, reasonKey(s, e))
			draft.Team = append(draft.Team, e)
		}
		return nil
	}, func() error { // once the rehearsal was not refused
		for _, who := range whose {
			if err := teams.SetReason(x.Request.Context(), c.House, actor(x), site, who, f.Values["reason"]); err != nil {
				return err
			}
		}
		return nil
	})
}

// readWho reads whom to put on the team: people, groups and addresses.
func (f *entryForm) readWho(doc *access.Document) (who []access.TeamEntry) {
	groups, rest := readGroups(f.Values["list"], doc)
	for _, id := range groups {
		who = append(who, access.TeamEntry{Group: id})
	}
	guests := roster.ReadGuests(strings.Join(rest, "\n"), doc)
	for _, g := range guests.People {
		if strings.Contains(g, "@") {
			who = append(who, access.TeamEntry{Address: g})
		} else {
			who = append(who, access.TeamEntry{Person: g})
		}
	}
	switch {
	case len(guests.Problems) > 0:
		f.Wrong["list"] = strings.Join(guests.Problems, " ")
	case len(who) == 0:
		f.Wrong["list"] = "Name at least one person, group or address."
	}
	return who
}

// rehearseTeam rehearses a change of the team; what is not for the one who makes
// it is said on the form.
func (c *Console) rehearseTeam(x *gin.Context, f *entryForm, change func(draft *access.Site) error, then ...func() error) {
	err := c.House.Rehearse(x.Request.Context(), actor(x), x.Param("site"), func(draft *access.Site, _ map[string]store.NewSecret) error {
		return change(draft)
	})
	for _, f := range then {
		if err == nil {
			err = f()
		}
	}
	var refusal access.TeamRefusal
	if asTeamRefusal(err, &refusal) && f != nil {
		f.Wrong["role"] = refusal.Text
		c.againWithEntry(x, f)
		return
	}
	c.afterRehearsing(x, err, "/sites/"+x.Param("site")+"/team")
}

func (c *Console) againWithEntry(x *gin.Context, f *entryForm) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	f.Roles, f.Unders = d.rolesToGive(c.House.Can(actor(x), d.site, "/"), f.Values["role"]), d.unders(f.Values["under"])
	f.Reasons = reasonChoices(f.Values["reason"])
	if i := slices.IndexFunc(d.then.Team, func(e access.TeamEntry) bool { return entryKey(e) == f.Key }); i >= 0 {
		f.Who = d.words.Entry(d.then.Team[i])
	}
	c.showTeam(x, http.StatusUnprocessableEntity, teamForms{entry: f})
}

// doLeaveTeam takes somebody off the team: rehearsed.
func (c *Console) doLeaveTeam(x *gin.Context) {
	key := x.PostForm("key")
	c.rehearseTeam(x, nil, func(draft *access.Site) error {
		i := slices.IndexFunc(draft.Team, func(e access.TeamEntry) bool { return entryKey(e) == key })
		if i < 0 {
			return errMoved
		}
		draft.Team = slices.Delete(draft.Team, i, i+1)
		return nil
	})
}

// doRole makes a role of the site's own, changes or deletes it: rehearsed.
func (c *Console) doRole(x *gin.Context) {
	site := x.Param("site")
	f := &roleForm{form: typed(x, "id"), ID: x.PostForm("role"), Back: "/sites/" + site + "/team"}
	can := access.CapabilitiesOf(x.PostFormArray("can")...).Names()
	id := f.ID
	if id == "" {
		id = strings.Trim(notInID.ReplaceAllString(strings.ToLower(f.Values["id"]), "-"), "-")
		switch {
		case id == "":
			f.Wrong["id"] = "Call it by what its holder does, as in proofreader."
		case slices.Contains(roleOrder, id):
			f.Wrong["id"] = fmt.Sprintf("There is a role %s already.", id)
		}
	}
	if len(can) == 0 {
		f.Wrong["can"] = "Choose at least one thing that its holder may do."
	}
	remove := x.PostForm("action") == "delete"
	err := error(nil)
	if len(f.Wrong) == 0 || remove {
		err = c.House.Rehearse(x.Request.Context(), actor(x), site, func(draft *access.Site, _ map[string]store.NewSecret) error {
			i := slices.IndexFunc(draft.Roles, func(r access.Role) bool { return r.ID == id })
			switch {
			case remove && i >= 0:
				draft.Roles = slices.Delete(draft.Roles, i, i+1)
			case i >= 0:
				draft.Roles[i].Can = can
			default:
				draft.Roles = append(draft.Roles, access.Role{ID: id, Can: can})
			}
			return nil
		})
		var refusal access.TeamRefusal
		if asTeamRefusal(err, &refusal) {
			f.Wrong["can"], err = refusal.Text, nil
		}
	}
	if len(f.Wrong) > 0 && !remove {
		mine := c.House.Can(actor(x), site, "/")
		for i := access.Preview; i <= access.Own; i++ {
			if mine.Has(i) {
				f.Can = append(f.Can, choice{i.String(), i.Doing(), slices.Contains(can, i.String())})
			}
		}
		c.showTeam(x, http.StatusUnprocessableEntity, teamForms{role: f})
		return
	}
	c.afterRehearsing(x, err, "/sites/"+site+"/team")
}
