package team

import (
	"velada/console/web"
	"velada/core/access"
)

// teamRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/invitations/:token", web.Open, showOffer),
		web.Post("/invitations/:token", web.Open, doOffer),
		web.Post("/account/invitation", web.SignedIn, answerInvitation),
		web.Get("/sites/:site/team", web.WholeSite, team),
		web.Post("/sites/:site/team/entry", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doEntry),
		web.Post("/sites/:site/team/leave", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doLeaveTeam),
		web.Post("/sites/:site/team/role", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doRole),
		web.Post("/sites/:site/team/invite", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doInvite),
		web.Post("/sites/:site/team/invitation", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doInvitation),
		web.Post("/sites/:site/team/editors", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doEditors),
		web.Post("/sites/:site/team/sections", web.May(access.ManageTeam, "You may look at this site's team, not change it."), doSections),
		web.Post("/sites/:site/team/hand-over", web.May(access.Own, "Only an owner can hand this site over."), doHandOver),
		web.Post("/sites/:site/team/leave-self", web.OnSite, doLeave),
	}
}
