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
		web.Get("/jump", web.SignedIn, jump),
		web.Get("/sites/:site", web.WholeSite, standing),
		web.Post("/sites/:site/promises", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), doPromise),
		web.Post("/sites/:site/promises/drop", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), dropPromise),
	}
}
