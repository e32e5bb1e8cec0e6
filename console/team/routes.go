package team

import (
	"velada/console/web"
	"velada/core/access"
)

var mayTeam = web.May(access.ManageTeam, "You can see this site's team, not change it.")

// teamRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/invitations/:token", web.Open, showOffer),
		web.Post("/invitations/:token", web.Open, doOffer),
		web.Post("/account/invitation", web.SignedIn, answerInvitation),
		web.Get("/sites/:site/team", web.WholeSite, team),
		web.Get("/sites/:site/team/:part", web.WholeSite, team),
		web.Post("/sites/:site/team/links", mayTeam, hideLinks),
		web.Post("/sites/:site/team/entry", mayTeam, doEntry),
		web.Post("/sites/:site/team/leave", mayTeam, doLeaveTeam),
		web.Post("/sites/:site/team/role", mayTeam, doRole),
		web.Post("/sites/:site/team/invite", mayTeam, doInvite),
		web.Post("/sites/:site/team/invitation", mayTeam, doInvitation),
		web.Post("/sites/:site/team/editors", mayTeam, doEditors),
		web.Post("/sites/:site/team/sections", mayTeam, doSections),
		web.Post("/sites/:site/team/hand-over", web.May(access.Own, "Only an owner can hand this site over."), doHandOver),
		web.Post("/sites/:site/team/leave-self", web.OnSite, doLeave),
	}
}
