package people

import (
	"velada/console/web"
)

// peopleRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/join", web.Open, showJoin),
		web.Post("/join", web.Open, doJoin),
		web.Get("/people", web.SignedIn, view),
		web.Post("/people", web.Stewards, doNewPerson),
		web.Post("/put-in-group", web.Stewards, doPutIn),
		web.Get("/people/:person", web.Stewards, person),
		web.Get("/people/:person/without/:group", web.Stewards, without),
		web.Post("/people/:person", web.Stewards, doPerson),
		web.Post("/people/:person/leave", web.Stewards, doLeaveHouse),
		web.Post("/people/:person/merge", web.Stewards, doMerge),
		web.Post("/people/:person/release", web.Stewards, doRelease),
		web.Post("/people/:person/group", web.Stewards, doPersonGroup),
		web.Get("/new-group", web.Stewards, newGroup),
		web.Post("/new-group", web.Stewards, doGroup),
		web.Get("/groups/:group", web.Keepers, group),
		web.Get("/groups/:group/out", web.Keepers, groupOut),
		web.Get("/groups/:group/roster", web.Keepers, rosterIn),
		web.Post("/groups/:group/roster", web.Keepers, doRoster),
		web.Get("/groups/:group/roster/state", web.Keepers, rosterState),
		web.Post("/groups/:group/people", web.Keepers, doGroupPeople),
		web.Post("/groups/:group/slips", web.Keepers, doSlips),
		web.Post("/groups/:group/codes", web.Keepers, doJoinCode),
		web.Post("/groups/:group/joins", web.Keepers, doAnswerJoin),
		web.Post("/groups/:group", web.StewardsOfGroup, doGroup),
		web.Post("/groups/:group/keepers", web.StewardsOfGroup, doKeepers),
		web.Post("/groups/:group/delete", web.StewardsOfGroup, doDeleteGroup),
		web.Get("/slips/:token", web.SignedIn, showSlips),
	}
}
