package team

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/teams"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// teamView is who may edit and run a site.
type teamView struct {
	Site      string
	Part      string // people (""), roles, sections or hand-over
	Parts     []web.Tab
	Pager     web.Pager
	MayChange bool
	Entries   []entryRow
	Rule      *web.RuleNote // that keeps the team to the house's own domains
	Form      *entryForm
	RoleForm  *roleForm
	Invite    *inviteForm
	Waiting   []waitingRow
	Links     string // of invitations, to hand on, shown once
	Editors   *editorsForm
	Sections  *sectionsForm
	Teams     []sectionRow // those that have a section
	MaySplit  bool         // may give sections
	HandOver  *web.Form
	Stays     []web.Choice // what becomes of whoever hands it over
	MayOwn    bool         // may hand it over
	OnIt      bool         // the one who looks is on the team by name
	Can       []string     // the columns of the table
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
	handOver *web.Form
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
	ID, Name, Text, Edit string
	Marks                []canMark
	Own, New             bool
	Holders              int
}

type entryForm struct {
	web.Form
	Key, Back, Who string
	Invitation     string // the entry waits to be accepted
	Roles          []web.Choice
	Unders         []web.Choice
	Reasons        []web.Choice
}

type roleForm struct {
	web.Form
	ID   string
	Can  []web.Choice
	Back string
}

// The parts of the view, by address.
const (
	partPeople   = ""
	partRoles    = "roles"
	partSections = "sections"
	partHandOver = "hand-over"
)

func viewParts(site, here string) (tabs []web.Tab) {
	for _, p := range []struct{ id, name string }{{partPeople, "People"}, {partRoles, "Roles"}, {partSections, "Sections"}, {partHandOver, "Hand over"}} {
		tabs = append(tabs, web.Tab{Name: p.name, URL: strings.TrimSuffix("/sites/"+site+"/team/"+p.id, "/"), On: p.id == here})
	}
	return tabs
}

// part is the part of the view that a form stands on, or that the address asks for.
func (f teamForms) part(x *gin.Context) string {
	switch {
	case f.role != nil:
		return partRoles
	case f.sections != nil:
		return partSections
	case f.handOver != nil:
		return partHandOver
	case f.entry != nil, f.invite != nil:
		return partPeople
	}
	return x.Param("part")
}

func team(c *web.Console, x *gin.Context) { showTeam(c, x, http.StatusOK, teamForms{}) }

func showTeam(c *web.Console, x *gin.Context, status int, again teamForms) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	caps := c.House.Can(web.Actor(x), d.Site, "/")
	if caps == 0 {
		c.NotFound(x)
		return
	}
	p := c.SitePage(x, "Team")
	p.Not = c.MayNotHere(x, access.ManageTeam)
	part := again.part(x)
	v := &teamView{Site: d.Site, Part: part, Parts: viewParts(d.Site, part), MayChange: caps.Has(access.ManageTeam), Form: again.entry, RoleForm: again.role, Invite: again.invite, Sections: again.sections, HandOver: again.handOver, MayOwn: caps.Has(access.Own)}
	if !slices.ContainsFunc(v.Parts, func(t web.Tab) bool { return t.On }) {
		c.NotFound(x)
		return
	}
	if d.Reasons, err = store.TeamReasons(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.Site)); err != nil {
		c.Fail(x, err)
		return
	}
	v.Rule = c.RuleOfKind(x, "inside-team-only", "only addresses at the house’s own domains count on a team.")
	v.Entries = entries(d)
	first, last := v.Pager.Cut(x, len(v.Entries))
	v.Entries = v.Entries[first:last]
	if v.HandOver == nil {
		v.HandOver = &web.Form{Values: map[string]string{}}
	}
	v.Stays = []web.Choice{{ID: "leave", Name: "leave the team"}, {ID: "admin", Name: "stay as admin"}, {ID: "owner", Name: "stay an owner beside them"}}
	if v.Waiting, err = waitingInvitations(c, x, d); err != nil {
		c.Fail(x, err)
		return
	}
	v.Editors = editors(d)
	if v.Teams, err = sectionRows(c, x, d); err != nil {
		c.Fail(x, err)
		return
	}
	v.MaySplit = v.MayChange && caps.Has(access.ChangeDoor) && caps.Has(access.Write)
	v.OnIt = slices.ContainsFunc(d.State.Policy.Site(d.Site).EntriesOf(d.State.Identity(web.Actor(x).Who), access.At(d.Real)), func(e access.TeamEntry) bool { return e.Group == "" })
	if v.MayChange {
		v.Links = linksOf(c, x, d.Site)
	}
	if v.MayChange && again == (teamForms{}) {
		switch asked := x.Query("entry"); {
		case asked != "":
			v.Form = newEntryForm(d, asked, caps)
		case x.Query("invitation") != "":
			v.Form = waitingForm(d, x.Query("invitation"), v.Waiting, caps)
		case x.Query("sections") != "" && v.MaySplit:
			v.Sections = newSectionsForm(d, web.Form{})
		case x.Query("invite") != "":
			v.Invite = newInviteForm(c, x, d, web.Form{}, nil)
		case x.Query("role") != "":
			v.RoleForm = newRoleForm(d, x.Query("role"), caps)
		}
	}
	for i := access.Preview; i <= access.Own; i++ {
		v.Can = append(v.Can, i.Doing())
	}
	v.People = whoCan(d)
	v.Roles = roleRows(d)
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, v.Parts[0].URL)
	}
	p.View = v
	c.Show(x, status, "team", p)
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
func entries(d *web.Site) (rows []entryRow) {
	site, sight := d.Policy.Site(d.Site), d.Policy.Sight(d.Site, d.At)
	row := func(e access.TeamEntry, w words.Wording) entryRow {
		r := entryRow{
			Who: w.Entry(e), Role: words.Role(e.Role), Section: words.Capital(w.Section(e.Under)), Window: w.Window(e.From, e.Until), Key: EntryKey(e),
			Means: "May " + words.CapabilityWords(site.RoleCapabilities(e.Role)) + ".",
		}
		switch {
		case e.Group != "":
			r.Kind = "group"
			r.Count = web.Count(sight.Count("group:"+e.Group), "person", "people")
		case e.Address != "":
			r.Kind = "from outside"
		}
		r.Reason = d.Reasons[reasonKey(d.State, e)]
		if !e.From.IsZero() && d.At.Before(e.From) {
			r.Kind = "not yet"
		} else if !e.Until.IsZero() && !d.At.Before(e.Until) {
			r.Kind = "ended"
		}
		return r
	}
	for _, e := range d.Then.Team {
		if !e.Accepted { // it stands among the invitations
			continue
		}
		r := row(e, d.Words)
		r.New = !slices.Contains(d.Now.Team, e)
		r.Edit = "/sites/" + d.Site + "/team?entry=" + r.Key
		rows = append(rows, r)
	}
	was := d.Words
	was.Site = d.Now
	for _, e := range d.Now.Team {
		if e.Accepted && !slices.ContainsFunc(d.Then.Team, func(t access.TeamEntry) bool {
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

// EntryKey names an entry in a form by its contents.
func EntryKey(e access.TeamEntry) string { return web.KeyOf(e) }

func whoCan(d *web.Site) (rows []canRow) {
	for _, m := range d.Policy.TeamMembers(d.Site, d.At) {
		var parts access.Capabilities
		for _, c := range m.Parts {
			parts |= c
		}
		rows = append(rows, canRow{d.Words.Person(m.Person), d.DoorURL("", "person:"+m.Person), marks(m.Whole, parts)})
	}
	return rows
}

func roles(d *web.Site) []string {
	roles := slices.Clone(web.RoleOrder)
	for _, r := range d.Then.Roles {
		roles = append(roles, r.ID)
	}
	return roles
}

func roleRows(d *web.Site) (rows []roleRow) {
	for _, role := range roles(d) {
		caps := d.Policy.Site(d.Site).RoleCapabilities(role)
		r := roleRow{ID: role, Name: words.Role(role), Text: "May " + words.CapabilityWords(caps) + ".", Marks: marks(caps, 0), Own: !slices.Contains(web.RoleOrder, role)}
		if r.Own {
			r.Edit = "/sites/" + d.Site + "/team/roles?role=" + role
			r.New = !slices.ContainsFunc(d.Now.Roles, func(old access.Role) bool {
				return old.ID == role && slices.Equal(old.Can, caps.Names())
			})
		}
		for _, e := range d.Then.Team {
			if e.Role == role {
				r.Holders++
			}
		}
		rows = append(rows, r)
	}
	return rows
}

// rolesToGive are the roles that somebody may give: none lets do what they may not.
func rolesToGive(d *web.Site, mine access.Capabilities, chosen string) (list []web.Choice) {
	roles := roles(d)
	slices.Reverse(roles)
	for _, role := range roles {
		caps := d.Policy.Site(d.Site).RoleCapabilities(role)
		if caps&^mine == 0 || role == chosen {
			list = append(list, web.Choice{ID: role, Name: words.Role(role) + ": may " + words.CapabilityWords(caps), On: role == chosen})
		}
	}
	slices.SortStableFunc(list, func(a, b web.Choice) int {
		return cmp.Compare(d.Policy.Site(d.Site).RoleCapabilities(a.ID).Count(), d.Policy.Site(d.Site).RoleCapabilities(b.ID).Count())
	})
	return list
}

func newEntryForm(d *web.Site, asked string, mine access.Capabilities) *entryForm {
	f := &entryForm{Form: web.Form{Values: map[string]string{"role": "viewer", "under": "/"}}, Back: "/sites/" + d.Site + "/team"}
	if asked != "new" {
		i := slices.IndexFunc(d.Then.Team, func(e access.TeamEntry) bool { return EntryKey(e) == asked })
		if i < 0 {
			return nil
		}
		e := d.Then.Team[i]
		f.Key, f.Who = asked, d.Words.Entry(e)
		f.Values = map[string]string{"role": e.Role, "under": e.Under, "from": d.Local(e.From), "until": d.Local(e.Until), "reason": d.Reasons[reasonKey(d.State, e)]}
	}
	f.Reasons = reasonChoices(f.Values["reason"])
	f.Roles, f.Unders = rolesToGive(d, mine, f.Values["role"]), d.Unders(f.Values["under"])
	return f
}

// waitingForm changes what somebody is invited to who has not answered yet.
func waitingForm(d *web.Site, id string, waiting []waitingRow, mine access.Capabilities) *entryForm {
	for _, w := range waiting {
		if w.ID != id || w.HandOver || w.entry == nil {
			continue
		}
		f := newEntryForm(d, EntryKey(*w.entry), mine)
		if f != nil {
			f.Invitation, f.Who = id, w.Address
		}
		return f
	}
	return nil
}

func reasonChoices(chosen string) []web.Choice {
	list := []web.Choice{{ID: "", Name: "not said", On: chosen == ""}}
	for _, r := range teams.Reasons {
		list = append(list, web.Choice{ID: r, Name: r, On: r == chosen})
	}
	return list
}

func newRoleForm(d *web.Site, asked string, mine access.Capabilities) *roleForm {
	f := &roleForm{Form: web.Form{Values: map[string]string{}}, Back: "/sites/" + d.Site + "/team/roles"}
	has := access.CapabilitiesOf("preview")
	if asked != "new" {
		i := slices.IndexFunc(d.Then.Roles, func(r access.Role) bool { return r.ID == asked })
		if i < 0 {
			return nil
		}
		f.ID = asked
		f.Values["id"] = asked
		has = access.CapabilitiesOf(d.Then.Roles[i].Can...)
	}
	for i := access.Preview; i <= access.Own; i++ {
		if mine.Has(i) || has.Has(i) {
			f.Can = append(f.Can, web.Choice{ID: i.String(), Name: i.Doing(), On: has.Has(i)})
		}
	}
	return f
}

// doEntry adds somebody to the team, or changes their entry: rehearsed.
func doEntry(c *web.Console, x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	f := &entryForm{Form: web.Typed(x, "list", "role", "under", "from", "until", "reason"), Key: x.PostForm("key"), Back: "/sites/" + site + "/team"}
	from, until := f.Window(s.Zone)
	entry := access.TeamEntry{Role: f.Values["role"], Under: cmp.Or(f.Values["under"], "/"), From: from, Until: until, Accepted: true}
	var who []access.TeamEntry
	if f.Key == "" {
		who = f.readWho(c.Known(x))
	}
	if len(f.Wrong) > 0 {
		againWithEntry(c, x, f)
		return
	}
	if f.Values["reason"] != "" && !slices.Contains(teams.Reasons, f.Values["reason"]) {
		f.Values["reason"] = ""
	}
	var whose []string // entries that the reason is of
	rehearseTeam(c, x, f, func(draft *access.Site) error {
		if f.Key != "" {
			i := slices.IndexFunc(draft.Team, func(e access.TeamEntry) bool { return EntryKey(e) == f.Key })
			if i < 0 {
				return web.ErrMoved
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
			if err := teams.SetReason(x.Request.Context(), c.House, web.Actor(x), site, who, f.Values["reason"]); err != nil {
				return err
			}
		}
		return nil
	})
}

// readWho reads whom to put on the team: people, groups and addresses.
func (f *entryForm) readWho(doc *access.Document) (who []access.TeamEntry) {
	groups, rest := web.ReadGroups(f.Values["list"], doc)
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
func rehearseTeam(c *web.Console, x *gin.Context, f *entryForm, change func(draft *access.Site) error, then ...func() error) {
	err := c.House.Trays.Rehearse(x.Request.Context(), web.Actor(x), x.Param("site"), func(draft *access.Site, _ map[string]store.NewSecret) error {
		return change(draft)
	})
	for _, f := range then {
		if err == nil {
			err = f()
		}
	}
	var refusal access.TeamRefusal
	if web.AsTeamRefusal(err, &refusal) && f != nil {
		f.Wrong["role"] = refusal.Text
		againWithEntry(c, x, f)
		return
	}
	c.AfterRehearsing(x, err, "/sites/"+x.Param("site")+"/team")
}

func againWithEntry(c *web.Console, x *gin.Context, f *entryForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	f.Roles, f.Unders = rolesToGive(d, c.House.Can(web.Actor(x), d.Site, "/"), f.Values["role"]), d.Unders(f.Values["under"])
	f.Reasons = reasonChoices(f.Values["reason"])
	if i := slices.IndexFunc(d.Then.Team, func(e access.TeamEntry) bool { return EntryKey(e) == f.Key }); i >= 0 {
		f.Who = d.Words.Entry(d.Then.Team[i])
	}
	showTeam(c, x, http.StatusUnprocessableEntity, teamForms{entry: f})
}

// doLeaveTeam takes somebody off the team: rehearsed.
func doLeaveTeam(c *web.Console, x *gin.Context) {
	key := x.PostForm("key")
	rehearseTeam(c, x, nil, func(draft *access.Site) error {
		i := slices.IndexFunc(draft.Team, func(e access.TeamEntry) bool { return EntryKey(e) == key })
		if i < 0 {
			return web.ErrMoved
		}
		draft.Team = slices.Delete(draft.Team, i, i+1)
		return nil
	})
}

// doRole makes a role of the site's own, changes or deletes it: rehearsed.
func doRole(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := &roleForm{Form: web.Typed(x, "id"), ID: x.PostForm("role"), Back: "/sites/" + site + "/team/roles"}
	can := access.CapabilitiesOf(x.PostFormArray("can")...).Names()
	id := f.ID
	if id == "" {
		id = parts.Slug(f.Values["id"])
		switch {
		case id == "":
			f.Wrong["id"] = "Enter what its holder does, such as proofreader."
		case slices.Contains(web.RoleOrder, id):
			f.Wrong["id"] = fmt.Sprintf("There is a role %s already.", id)
		}
	}
	if len(can) == 0 {
		f.Wrong["can"] = "Choose at least one thing that its holder may do."
	}
	remove := x.PostForm("action") == "delete"
	err := error(nil)
	if len(f.Wrong) == 0 || remove {
		err = c.House.Trays.Rehearse(x.Request.Context(), web.Actor(x), site, func(draft *access.Site, _ map[string]store.NewSecret) error {
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
		if web.AsTeamRefusal(err, &refusal) {
			f.Wrong["can"], err = refusal.Text, nil
		}
	}
	if len(f.Wrong) > 0 && !remove {
		mine := c.House.Can(web.Actor(x), site, "/")
		for i := access.Preview; i <= access.Own; i++ {
			if mine.Has(i) {
				f.Can = append(f.Can, web.Choice{ID: i.String(), Name: i.Doing(), On: slices.Contains(can, i.String())})
			}
		}
		showTeam(c, x, http.StatusUnprocessableEntity, teamForms{role: f})
		return
	}
	c.AfterRehearsing(x, err, "/sites/"+site+"/team/roles")
}
