package console

// peopleRoutes lists the requests of this room.
func peopleRoutes() []Route {
	return []Route{
		{"GET", "/join", Open, (*Console).showJoin},
		{"POST", "/join", Open, (*Console).doJoin},
		{"GET", "/people", SignedIn, (*Console).people},
		{"POST", "/people", Stewards, (*Console).doNewPerson},
		{"GET", "/people/:person", Stewards, (*Console).person},
		{"POST", "/people/:person", Stewards, (*Console).doPerson},
		{"POST", "/people/:person/leave", Stewards, (*Console).doLeaveHouse},
		{"POST", "/people/:person/merge", Stewards, (*Console).doMerge},
		{"POST", "/people/:person/release", Stewards, (*Console).doRelease},
		{"POST", "/people/:person/group", Stewards, (*Console).doPersonGroup},
		{"GET", "/new-group", Stewards, (*Console).newGroup},
		{"POST", "/new-group", Stewards, (*Console).doGroup},
		{"GET", "/groups/:group", Keepers, (*Console).group},
		{"GET", "/groups/:group/out", Keepers, (*Console).groupOut},
		{"GET", "/groups/:group/roster", Keepers, (*Console).roster},
		{"POST", "/groups/:group/roster", Keepers, (*Console).doRoster},
		{"POST", "/groups/:group/people", Keepers, (*Console).doGroupPeople},
		{"POST", "/groups/:group/slips", Keepers, (*Console).doSlips},
		{"POST", "/groups/:group/codes", Keepers, (*Console).doJoinCode},
		{"POST", "/groups/:group/joins", Keepers, (*Console).doAnswerJoin},
		{"POST", "/groups/:group", StewardsOfGroup, (*Console).doGroup},
		{"POST", "/groups/:group/keepers", StewardsOfGroup, (*Console).doKeepers},
		{"POST", "/groups/:group/delete", StewardsOfGroup, (*Console).doDeleteGroup},
		{"GET", "/slips/:token", SignedIn, (*Console).showSlips},
	}
}
