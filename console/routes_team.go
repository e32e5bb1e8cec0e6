package console

import "velada/core/access"

// teamRoutes lists the requests of this room.
func teamRoutes() []Route {
	return []Route{
		{"GET", "/invitations/:token", Open, (*Console).showOffer},
		{"POST", "/invitations/:token", Open, (*Console).doOffer},
		{"POST", "/account/invitation", SignedIn, (*Console).answerInvitation},
		{"GET", "/sites/:site/team", WholeSite, (*Console).team},
		{"POST", "/sites/:site/team/entry", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doEntry},
		{"POST", "/sites/:site/team/leave", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doLeaveTeam},
		{"POST", "/sites/:site/team/role", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doRole},
		{"POST", "/sites/:site/team/invite", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doInvite},
		{"POST", "/sites/:site/team/invitation", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doInvitation},
		{"POST", "/sites/:site/team/editors", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doEditors},
		{"POST", "/sites/:site/team/sections", May(access.ManageTeam, "You may look at this site's team, not change it."), (*Console).doSections},
		{"POST", "/sites/:site/team/hand-over", May(access.Own, "Only an owner can hand this site over."), (*Console).doHandOver},
		{"POST", "/sites/:site/team/leave-self", OnSite, (*Console).doLeave},
	}
}
