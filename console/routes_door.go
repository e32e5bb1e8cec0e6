package console

import "velada/core/access"

// doorRoutes lists the requests of this room.
func doorRoutes() []Route {
	return []Route{
		{"GET", "/strength", SignedIn, (*Console).strength},
		{"GET", "/sites/:site/door", WholeSite, (*Console).door},
		{"GET", "/sites/:site/walk", WholeSite, (*Console).walkIn},
		{"GET", "/sites/:site/passes", WholeSite, (*Console).passes},
		{"GET", "/sites/:site/holding", WholeSite, (*Console).holding},
		{"GET", "/sites/:site/rehearsal", WholeSite, (*Console).rehearsal},
		{"GET", "/sites/:site/pick", WholeSite, (*Console).pick},
		{"GET", "/sites/:site/sightlines", WholeSite, (*Console).sightlines},
		{"GET", "/sites/:site/sightlines.csv", WholeSite, (*Console).sightlinesCSV},
		{"GET", "/sites/:site/sightlines.svg", WholeSite, (*Console).sightlinesSVG},
		{"GET", "/sites/:site/people", WholeSite, (*Console).findPeople},
		{"GET", "/sites/:site/links/:file", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).linkQR},
		{"POST", "/sites/:site/door/start", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doStart},
		{"POST", "/sites/:site/door/add", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doAdd},
		{"POST", "/sites/:site/door/change", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doChange},
		{"POST", "/sites/:site/door/remove", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doRemove},
		{"POST", "/sites/:site/door/settings", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doSettings},
		{"POST", "/sites/:site/door/own", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doOwnDoor},
		{"POST", "/sites/:site/door/pass", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doPass},
		{"POST", "/sites/:site/door/check", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).check},
		{"POST", "/sites/:site/passes/key", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doKey},
		{"POST", "/sites/:site/passes/link", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doLink},
		{"POST", "/sites/:site/holding", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doHolding},
		{"POST", "/sites/:site/holding/words", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doHoldingWords},
		{"POST", "/sites/:site/rehearsal/discard", Rehearsing, (*Console).doDiscard},
		{"POST", "/sites/:site/rehearsal/apply", Rehearsing, (*Console).doApply},
		{"POST", "/sites/:site/rehearsal/later", Rehearsing, (*Console).doLater},
		{"POST", "/sites/:site/ledger/undo", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doUndo},
	}
}
