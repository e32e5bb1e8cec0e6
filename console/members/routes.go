package members

import (
	"velada/console/web"
	"velada/core/access"
)

// membersRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/stop/:token", web.Open, stop),
		web.Post("/stop/:token", web.Open, stop),
		web.Get("/sites/:site/members", web.WholeSite, view),
		web.Post("/sites/:site/members", web.May(access.ManageMembers, "Members of this site are looked after by others."), doMember),
		web.Get("/sites/:site/members.csv", web.May(access.ManageMembers, "Members of this site are looked after by others."), membersOut),
		web.Post("/sites/:site/members/sign-up", web.May(access.ManageMembers, "Members of this site are looked after by others."), doSignUp),
		web.Post("/sites/:site/members/like", web.May(access.ManageMembers, "Members of this site are looked after by others."), doLike),
		web.Post("/sites/:site/members/letter", web.May(access.ManageMembers, "Members of this site are looked after by others."), doMemberLetter),
		web.Post("/sites/:site/members/asking", web.May(access.ManageMembers, "Members of this site are looked after by others."), doAnswerAsking),
		web.Post("/sites/:site/members/comments", web.May(access.ManageMembers, "Members of this site are looked after by others."), doModerate),
	}
}
