package teams

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// SectionsForm returns each group within a class a section of a site.
type SectionsForm struct {
	Class   string         // the group whose groups get one each
	Parent  string         // the path below which the sections stand
	Opens   access.Instant // when all of them open; zero for never
	OpensTo string         // class, anyone, or pass:ID
}

// GiveSections gives each team of a class a section that only it can see and edit, until
// a day on which all open. The pages are made in the working copy; doors and team are
// rehearsed. It returns how many pages were made, or house.FieldErrors.
func GiveSections(ctx context.Context, h *house.House, a house.Actor, site string, f SectionsForm) (made int, err error) {
	caps := h.Can(a, site, "/")
	switch {
	case caps == 0:
		return 0, house.ErrNoSite
	case !caps.Has(access.ChangeDoor) || !caps.Has(access.ManageTeam) || !caps.Has(access.Write):
		return 0, house.ErrMayNot
	}
	plan, err := planSections(h.State(), site, f)
	if err != nil {
		return 0, err
	}
	err = h.Change(ctx, a, house.Needs{Site: site, Cap: access.Write}, func(tx *house.Tx) error {
		made, err = plan.makePages(tx)
		return err
	})
	if err != nil {
		return 0, err
	}
	keepers, err := store.Keepers(ctx, h.Reader(), f.Class)
	if err != nil {
		return made, err
	}
	return made, h.Trays.Rehearse(ctx, a, site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		for _, who := range keepers { // whoever keeps the class sees and edits all of it
			if !h.Can(house.Actor{Who: who}, site, plan.parent).Has(access.Write) {
				plan.giveParent(h.State(), draft, who)
			}
		}
		for _, sec := range plan.sections {
			plan.giveSection(draft, sec)
		}
		return nil
	})
}

// sectionPlan is which group gets which section of a site.
type sectionPlan struct {
	site, parent string
	sections     []section
	opening      access.Way // by which all of them open; without a beginning they never do
}

// section is a group's part of a site.
type section struct{ group, name, path string }

// planSections reads what is asked for; what is wrong is said of the fields of the form.
func planSections(s *house.State, site string, f SectionsForm) (*sectionPlan, error) {
	doc := s.Policy.Document()
	wrong := house.FieldErrors{}
	class := parts.GroupAt(doc, f.Class)
	if class == nil || len(class.Groups) == 0 {
		wrong["class"] = "Choose a group that has groups in it."
	}
	parent, err := access.DocumentPath(f.Parent)
	if err != nil || parent == "/" {
		wrong["parent"] = "Write where they stand, as in /teams."
	}
	plan := &sectionPlan{site: site, parent: parent, opening: access.Way{From: f.Opens}}
	kind, id, _ := strings.Cut(f.OpensTo, ":")
	switch {
	case kind == "class":
		plan.opening.Way, plan.opening.Groups = "groups", []string{f.Class}
	case kind == "anyone":
		plan.opening.Way = "anyone"
	case kind == "pass" && parts.Pass(s.SiteDocument(site), id) != nil:
		plan.opening.Way, plan.opening.Passes = "pass", []string{id}
	default:
		wrong["opens_to"] = "Choose one of these."
	}
	if len(wrong) > 0 {
		return nil, wrong
	}
	for _, g := range class.Groups {
		name := words.Wording{Document: doc}.Group(g)
		slug := parts.FreeID(name, "team", func(slug string) bool {
			return slices.ContainsFunc(plan.sections, func(s section) bool { return s.path == parent+"/"+slug })
		})
		plan.sections = append(plan.sections, section{g, name, parent + "/" + slug})
	}
	return plan, nil
}

// makePages makes the pages that sections begin with, where none stand there yet, and
// returns how many sections got one.
func (p *sectionPlan) makePages(tx *house.Tx) (made int, err error) {
	pages, err := store.WorkingCopy(tx.Context(), tx, tx.State().ID(p.site))
	if err != nil {
		return 0, err
	}
	stands := func(path string) bool {
		return slices.ContainsFunc(pages, func(page store.Page) bool { return page.Path == path })
	}
	if !stands(p.parent) {
		if _, err := house.NewPage(tx, p.site, house.PageDraft{Path: p.parent, Title: titleOf(p.parent)}); err != nil {
			return 0, err
		}
	}
	for _, sec := range p.sections {
		if stands(sec.path) {
			continue
		}
		text := "# " + sec.name + "\n\nThis section is yours: only your team sees and changes it.\n"
		if _, err := house.NewPage(tx, p.site, house.PageDraft{Path: sec.path, Title: sec.name, Body: text}); err != nil {
			return made, err
		}
		made++
	}
	return made, nil
}

// giveParent lets somebody edit all sections.
func (p *sectionPlan) giveParent(s *house.State, draft *access.Site, who store.Who) {
	if slices.ContainsFunc(draft.Team, func(e access.TeamEntry) bool { return s.Names(e, who) && e.Under == p.parent }) {
		return
	}
	entry := entryOf(who)
	entry.Role, entry.Under, entry.Accepted = "editor", p.parent, true
	draft.Team = append(draft.Team, entry)
}

// giveSection lets a group, and until the opening nobody else, see and edit its section.
func (p *sectionPlan) giveSection(draft *access.Site, sec section) {
	if !slices.ContainsFunc(draft.Team, func(e access.TeamEntry) bool { return e.Group == sec.group && e.Under == sec.path }) {
		draft.Team = append(draft.Team, access.TeamEntry{Group: sec.group, Role: "editor", Under: sec.path, Accepted: true})
	}
	door := access.PageDoor{Path: sec.path, Mode: "instead", Ways: []access.Way{{Way: "groups", Groups: []string{sec.group}}}}
	if !p.opening.From.IsZero() {
		door.Ways = append(door.Ways, p.opening)
	}
	if i := slices.IndexFunc(draft.Doors, func(d access.PageDoor) bool { return d.Path == sec.path }); i >= 0 {
		draft.Doors[i] = door
	} else {
		draft.Doors = append(draft.Doors, door)
	}
}

// titleOf makes a title out of the last part of a path.
func titleOf(path string) string {
	last := path[strings.LastIndexByte(path, '/')+1:]
	words := strings.Fields(strings.ReplaceAll(last, "-", " "))
	if len(words) == 0 {
		return "Teams"
	}
	words[0] = strings.ToUpper(words[0][:1]) + words[0][1:]
	return strings.Join(words, " ")
}

// SectionState is how far a team is with its section.
type SectionState struct {
	Group, Name, Path string
	People, Pages     int
	LastAt            time.Time // of the last edit; zero where nobody has edited
	LastBy            store.Who
	Waiting           int // pages that differ from what is live
}

// Sections tells how far each team of a site is that has a section.
func Sections(ctx context.Context, h *house.House, site string) (list []SectionState, err error) {
	s := h.State()
	doc := s.SiteDocument(site)
	var pages []store.Page
	for _, e := range doc.Team {
		if e.Group == "" || e.Under == "/" || !e.Accepted {
			continue
		}
		if pages == nil {
			if pages, err = store.WorkingCopy(ctx, h.Reader(), h.SiteID(site)); err != nil {
				return nil, err
			}
		}
		st := SectionState{Group: e.Group, Name: words.Wording{Document: s.Policy.Document()}.Group(e.Group), Path: e.Under, People: len(s.Policy.GroupMembers(e.Group, access.At(h.Now())))}
		for _, p := range pages {
			if p.Path != e.Under && !strings.HasPrefix(p.Path, e.Under+"/") {
				continue
			}
			st.Pages++
			if p.Version > 1 && p.SavedAt.After(st.LastAt) {
				st.LastAt, st.LastBy = p.SavedAt, p.SavedBy
			}
		}
		if st.Waiting, err = store.ChangedPages(ctx, h.Reader(), h.SiteID(site), e.Under); err != nil {
			return nil, err
		}
		list = append(list, st)
	}
	slices.SortStableFunc(list, func(a, b SectionState) int { return cmp.Compare(a.Path, b.Path) })
	return list, nil
}
