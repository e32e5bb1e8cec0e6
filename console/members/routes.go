package members

import (
	"velada/console/web"
	"velada/core/access"
)

var mayMembers = web.May(access.ManageMembers, "Members of this site are looked after by others.")

// membersRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/stop/:token", web.Open, stop),
		web.Post("/stop/:token", web.Open, stop),
		web.Get("/sites/:site/members", web.WholeSite, view),
		web.Get("/sites/:site/members/:part", web.WholeSite, view),
		web.Post("/sites/:site/members", mayMembers, doMember),
		web.Get("/sites/:site/members.csv", mayMembers, membersOut),
		web.Post("/sites/:site/members/sign-up", mayMembers, doSignUp),
		web.Post("/sites/:site/members/like", mayMembers, doLike),
		web.Post("/sites/:site/members/letter", mayMembers, doMemberLetter),
		web.Post("/sites/:site/members/asking", mayMembers, doAnswerAsking),
		web.Post("/sites/:site/members/comments", mayMembers, doModerate),
	}
}
