package pages

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
)

// Purpose is whom a new site is for: what it begins with.
type Purpose struct {
	ID    string
	Pages []house.PageDraft
	Door  func(house access.House, group string) []access.Way // the ways into the site
	Doors []access.PageDoor
	Group bool // a group of its own
	Mode  string
}

const (
	welcome  = "# Welcome\n\nSay in a few sentences what this site is about, and for whom.\n"
	whenNext = "# Welcome\n\nWhen and where we meet, and what to bring.\n"
)

// Purposes are what a new site may be for.
var Purposes = []Purpose{
	{ID: "everyone", Pages: []house.PageDraft{
		{Path: "/", Title: "Welcome", Body: welcome},
		{Path: "/about", Title: "About us", Body: "# About us\n\nWho we are, and how to reach us.\n"},
		{Path: "/news", Title: "News", Body: "# News\n\nWhat is new.\n"},
	}, Door: func(access.House, string) []access.Way { return []access.Way{{Way: "anyone"}} }},
	{ID: "class", Group: true, Pages: []house.PageDraft{
		{Path: "/", Title: "Welcome", Body: whenNext},
		{Path: "/how-to-join", Title: "How to join", Body: "# How to join\n\nHow to get an account. Anybody can read this page.\n"},
		{Path: "/notes", Title: "Notes", Body: "# Notes\n\nOne page for each time we meet.\n"},
		{Path: "/dates", Title: "Dates", Body: "# Dates\n\nWhat is due when.\n"},
	}, Door: func(_ access.House, group string) []access.Way {
		return []access.Way{{Way: "groups", Groups: []string{group}}}
	},
		Doors: []access.PageDoor{{Path: "/how-to-join", Mode: "instead", Ways: []access.Way{{Way: "anyone"}}}}},
	{ID: "people", Pages: []house.PageDraft{
		{Path: "/", Title: "Welcome", Body: welcome},
		{Path: "/news", Title: "News", Body: "# News\n\nWhat is new.\n"},
		{Path: "/documents", Title: "Documents", Body: "# Documents\n\nDrop files onto this text to add them.\n"},
	}, Door: func(h access.House, _ string) []access.Way {
		if len(h.Domains) == 0 {
			return nil
		}
		return []access.Way{{Way: "domain", Domains: slices.Clone(h.Domains)}}
	}},
	{ID: "password", Pages: []house.PageDraft{
		{Path: "/", Title: "Welcome", Body: welcome},
		{Path: "/material", Title: "Material", Body: "# Material\n\nWhat you want to show.\n"},
	}, Door: func(access.House, string) []access.Way { return []access.Way{{Way: "pass"}} }},
	{ID: "members", Mode: "approval", Pages: []house.PageDraft{
		{Path: "/", Title: "Welcome", Body: welcome},
		{Path: "/about", Title: "About us", Body: "# About us\n\nWho we are, and how to become a member.\n"},
		{Path: "/members", Title: "For members", Body: "# For members\n\nMembers alone read this page and all below it.\n"},
	}, Door: func(access.House, string) []access.Way { return []access.Way{{Way: "anyone"}} },
		Doors: []access.PageDoor{{Path: "/members", Mode: "instead", Ways: []access.Way{{Way: "members"}}}}},
	{ID: "nobody", Pages: []house.PageDraft{{Path: "/", Title: "Welcome", Body: welcome}}},
}

// PurposeOf returns the purpose of an id; false where there is none.
func PurposeOf(id string) (Purpose, bool) {
	i := slices.IndexFunc(Purposes, func(p Purpose) bool { return p.ID == id })
	if i < 0 {
		return Purpose{}, false
	}
	return Purposes[i], true
}

// NewSite is a site to be made. Without a purpose it begins with no page and a closed door.
type NewSite struct{ Title, Address, Purpose string }

// MakeSite makes a site that nobody but its owner sees, since it has never been published,
// with the pages, door, sign-up and group of its purpose. It returns house.FieldErrors.
func MakeSite(ctx context.Context, h *house.House, a house.Actor, n NewSite) error {
	purpose, begins := PurposeOf(n.Purpose)
	n.Title = strings.TrimSpace(n.Title)
	err := h.Change(ctx, a, house.Needs{Steward: true}, func(tx *house.Tx) error {
		wrong := house.FieldErrors{}
		if n.Title == "" {
			wrong["title"] = "Enter a name for the site."
		}
		if problem := AddressProblem(tx.State(), "", n.Address); problem != "" {
			wrong["address"] = problem
		}
		if n.Purpose != "" && !begins {
			wrong["purpose"] = "Choose one of these."
		}
		if len(wrong) > 0 {
			return wrong
		}
		site := access.NewSite(n.Address, n.Title)
		site.Team = []access.TeamEntry{{Person: string(a.Who), Role: "owner", Under: "/", Accepted: true}}
		if begins {
			furnish(tx, site, purpose)
		}
		tx.PutSite(site)
		tx.Log(n.Address, "site", fmt.Sprintf("The site %s was made.", site.Title), "", "")
		return nil
	})
	if err != nil || !begins {
		return err
	}
	return h.Change(ctx, a, house.ToWrite(n.Address, "/"), func(tx *house.Tx) error {
		for _, p := range purpose.Pages {
			if _, err := house.NewPage(tx, n.Address, p); err != nil {
				return err
			}
		}
		return store.BeginSteps(tx.Context(), tx, tx.State().ID(n.Address), purpose.ID)
	})
}

// classOf is what the group of a class or course is called.
func classOf(title string) string {
	for _, word := range []string{"class", "course"} {
		if strings.Contains(strings.ToLower(title), word) {
			return title
		}
	}
	return title + " class"
}

// furnish puts the door, the sign-up and the group of a purpose into a draft.
func furnish(tx *house.Tx, site *access.Site, purpose Purpose) {
	group := ""
	if purpose.Group {
		doc := tx.Document()
		name := classOf(site.Title)
		group = freeGroup(doc, name)
		doc.Groups = append(doc.Groups, access.Group{ID: group, Name: name})
		tx.Log("", "people", fmt.Sprintf("The group %s was made.", name), "", "")
	}
	if purpose.Door != nil {
		site.Door.Ways = purpose.Door(tx.State().Policy.Document().House, group)
	}
	for _, d := range purpose.Doors {
		d.Ways = slices.Clone(d.Ways)
		site.Doors = append(site.Doors, d)
	}
	if purpose.Mode != "" {
		site.SignUp.Mode = purpose.Mode
	}
}

// freeGroup is an id for a group of a name that no group has.
func freeGroup(doc *access.Document, name string) string {
	id := parts.Slug(name)
	if id == "" {
		id = "group"
	}
	free := id
	for n := 2; parts.GroupAt(doc, free) != nil; n++ {
		free = fmt.Sprintf("%s-%d", id, n)
	}
	return free
}

// DismissSteps ends the list of next steps of a new site.
func DismissSteps(ctx context.Context, h *house.House, a house.Actor, site string) error {
	return h.Change(ctx, a, house.ToWrite(site, "/"), func(tx *house.Tx) error {
		return store.EndSteps(tx.Context(), tx, tx.State().ID(site))
	})
}
