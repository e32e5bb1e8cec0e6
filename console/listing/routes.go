package listing

import (
	"velada/console/web"
	"velada/core/access"
)

var mayList = web.May(access.ManageListing, "You can see the settings of this site, not change them.")

// listingRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/address-free", web.Stewards, addressFree),
		web.Get("/sites/:site/settings", web.WholeSite, settings),
		web.Get("/sites/:site/settings/:part", web.WholeSite, settings),
		web.Get("/sites/:site/settings/look", web.WholeSite, viewLook),
		web.Get("/sites/:site/settings/result", web.WholeSite, showResult),
		web.Get("/sites/:site/settings/domains/one", mayList, watchDomain),
		web.Get("/sites/:site/settings/domains/zone", web.WholeSite, zoneFile),
		web.Get("/sites/:site/address-free", mayList, addressFree),
		web.Get("/sites/:site/short/:file", web.WholeSite, shortQR),
		web.Get("/sites/:site/hand-out", web.WholeSite, showHandOut),
		web.Get("/sites/:site/tint", web.WholeSite, siteTint),
		web.Get("/sites/:site/settings/domains/qr/:file", web.WholeSite, domainQR),
		web.Post("/sites/:site/hand-out", web.May(access.ChangeDoor, "You can see the door of this site, not let people in."), doHandOut),
		web.Post("/sites/:site/settings", mayList, doSettings),
		web.Post("/sites/:site/settings/:part", mayList, doSettings),
		web.Post("/sites/:site/settings/look", web.WholeSite, doLook),
		web.Post("/sites/:site/settings/search-engines", mayList, doSearch),
		web.Post("/sites/:site/settings/result", mayList, doResult),
		web.Post("/sites/:site/settings/titles", mayList, doPattern),
		web.Post("/sites/:site/settings/robots", mayList, doRobots),
		web.Post("/sites/:site/settings/domains", mayList, doDomains),
		web.Post("/sites/:site/settings/domains/one", mayList, doDomain),
		web.Post("/sites/:site/settings/address", mayList, doAddress),
		web.Post("/sites/:site/settings/address/let-go", mayList, doLetGo),
		web.Post("/sites/:site/settings/short", mayList, doShort),
		web.Post("/sites/:site/settings/elsewhere", mayList, doUpstream),
	}
}
