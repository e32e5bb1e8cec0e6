package console

import "velada/core/access"

// membersRoutes lists the requests of this room.
func membersRoutes() []Route {
	return []Route{
		{"GET", "/stop/:token", Open, (*Console).stop},
		{"POST", "/stop/:token", Open, (*Console).stop},
		{"GET", "/sites/:site/members", WholeSite, (*Console).members},
		{"POST", "/sites/:site/members", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).doMember},
		{"GET", "/sites/:site/members.csv", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).membersOut},
		{"POST", "/sites/:site/members/sign-up", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).doSignUp},
		{"POST", "/sites/:site/members/like", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).doLike},
		{"POST", "/sites/:site/members/letter", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).doMemberLetter},
		{"POST", "/sites/:site/members/asking", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).doAnswerAsking},
		{"POST", "/sites/:site/members/comments", May(access.ManageMembers, "Members of this site are looked after by others."), (*Console).doModerate},
	}
}
