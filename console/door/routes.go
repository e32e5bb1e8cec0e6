package door

import (
	"velada/console/web"
	"velada/core/access"
)

// doorRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Post("/strength", web.SignedIn, strength),
		web.Get("/sites/:site/door", web.WholeSite, door),
		web.Get("/sites/:site/walk", web.WholeSite, walkIn),
		web.Get("/sites/:site/passes", web.WholeSite, passes),
		web.Get("/sites/:site/holding", web.WholeSite, holding),
		web.Get("/sites/:site/holding/past", web.WholeSite, holding),
		web.Get("/sites/:site/holding/words", web.WholeSite, holding),
		web.Post("/sites/:site/door/handout", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), hideHandout),
		web.Get("/sites/:site/rehearsal", web.WholeSite, rehearsal),
		web.Get("/sites/:site/pick", web.WholeSite, pick),
		web.Get("/sites/:site/sightlines", web.WholeSite, showSightlines),
		web.Get("/sites/:site/sightlines/rows", web.WholeSite, sightRows),
		web.Get("/sites/:site/sightlines.csv", web.WholeSite, sightlinesCSV),
		web.Get("/sites/:site/sightlines.svg", web.WholeSite, sightlinesSVG),
		web.Get("/sites/:site/people", web.WholeSite, findPeople),
		web.Get("/sites/:site/links/:file", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), linkQR),
		web.Post("/sites/:site/door/start", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doStart),
		web.Post("/sites/:site/door/add", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doAdd),
		web.Post("/sites/:site/door/change", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doChange),
		web.Post("/sites/:site/door/remove", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doRemove),
		web.Post("/sites/:site/door/settings", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doSettings),
		web.Post("/sites/:site/door/own", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doOwnDoor),
		web.Post("/sites/:site/door/pass", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doPass),
		web.Post("/sites/:site/door/check", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), check),
		web.Post("/sites/:site/passes/key", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doKey),
		web.Post("/sites/:site/passes/link", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doLink),
		web.Post("/sites/:site/holding", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doHolding),
		web.Post("/sites/:site/holding/words", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doHoldingWords),
		web.Post("/sites/:site/rehearsal/discard", web.Rehearsing, doDiscard),
		web.Post("/sites/:site/rehearsal/apply", web.Rehearsing, doApply),
		web.Post("/sites/:site/rehearsal/later", web.Rehearsing, doLater),
		web.Post("/sites/:site/ledger/undo", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doUndo),
	}
}
