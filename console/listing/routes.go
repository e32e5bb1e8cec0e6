package listing

import (
	"velada/console/web"
	"velada/core/access"
)

// listingRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/address-free", web.SignedIn, addressFree),
		web.Get("/sites/:site/listing", web.WholeSite, listing),
		web.Get("/sites/:site/address-free", web.WholeSite, addressFree),
		web.Get("/sites/:site/short/:file", web.WholeSite, shortQR),
		web.Get("/sites/:site/sheet", web.WholeSite, shortSheet),
		web.Post("/sites/:site/details", web.May(access.ManageListing, "You may look at how this site is found, not change it."), doDetails),
		web.Post("/sites/:site/address", web.May(access.ManageListing, "You may look at how this site is found, not change it."), doAddress),
		web.Post("/sites/:site/address/let-go", web.May(access.ManageListing, "You may look at how this site is found, not change it."), doLetGo),
		web.Post("/sites/:site/short", web.May(access.ManageListing, "You may look at how this site is found, not change it."), doShort),
		web.Post("/sites/:site/upstream", web.May(access.ManageListing, "You may look at how this site is found, not change it."), doUpstream),
	}
}
