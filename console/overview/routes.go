package overview

import (
	"velada/console/web"
	"velada/core/access"
)

// overviewRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/", web.SignedIn, home),
		web.Get("/sites", web.SignedIn, sites),
		web.Get("/find", web.SignedIn, find),
		web.Get("/find/hits", web.SignedIn, findHits),
		web.Get("/help", web.SignedIn, help),
		web.Get("/sites/:site", web.WholeSite, overview),
		web.Post("/sites/:site/steps/dismiss", web.May(access.Write, "You may look at this site, not change it."), dismissSteps),
		web.Post("/sites/:site/promises", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doPromise),
		web.Post("/sites/:site/promises/drop", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), dropPromise),
	}
}
