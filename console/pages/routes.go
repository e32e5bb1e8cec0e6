package pages

import (
	"velada/console/web"
	"velada/core/access"
)

// pagesRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/new-site", web.Stewards, newSite),
		web.Post("/new-site", web.Stewards, doNewSite),
		web.Get("/sites/:site/here", web.WholeSite, watch),
		web.Get("/sites/:site/pages", web.OnSite, view),
		web.Get("/sites/:site/pages/:page", web.OnSite, page),
		web.Get("/sites/:site/pages/:page/live", web.OnSite, live),
		web.Get("/sites/:site/pages/:page/framed", web.OnSite, framed),
		web.Get("/sites/:site/look.css", web.OnSite, frameColours),
		web.Post("/sites/:site/pages", web.OnSite, newPage),
		web.Post("/sites/:site/pages/:page", web.OnSite, savePage),
		web.Post("/sites/:site/pages/:page/place", web.OnSite, placePage),
		web.Post("/sites/:site/pages/:page/shift", web.OnSite, shiftPage),
		web.Post("/sites/:site/pages/:page/drop", web.OnSite, dropPage),
		web.Post("/sites/:site/pages/:page/restore", web.OnSite, restorePage),
		web.Get("/sites/:site/pages/:page/unmerged/:id", web.OnSite, unmerged),
		web.Post("/sites/:site/pages/:page/drop-file", web.OnSite, dropFile),
		web.Post("/sites/:site/pages/:page/describe-file", web.OnSite, describeFile),
		web.Post("/sites/:site/pages/:page/replace-file", web.OnSite, replaceFile),
		web.Post("/sites/:site/files", web.OnSite, addFile),
		web.Get("/sites/:site/files/*path", web.OnSite, workingFile),
		web.Get("/sites/:site/find-link", web.OnSite, findLink),
		web.Get("/sites/:site/look", web.OnSite, lookAtWorking),
		web.Get("/sites/:site/archive", web.OnSite, archiveOut),
		web.Post("/sites/:site/archive", web.OnSite, archiveIn),
		web.Post("/sites/:site/previews", web.OnSite, doPreview),
		web.Post("/sites/:site/previews/end", web.OnSite, endPreview),
		web.Get("/sites/:site/publish", web.OnSite, publish),
		web.Post("/sites/:site/publish", web.May(access.Publish, "You may write here, not publish: ask those who may."), doPublish),
		web.Post("/sites/:site/publish/change", web.May(access.ChangeDoor, "You may look at this site's door, not change it."), changeFirst),
		web.Get("/sites/:site/published", web.WholeSite, published),
		web.Get("/sites/:site/address.svg", web.WholeSite, addressQR),
		web.Get("/sites/:site/address.png", web.WholeSite, addressQR),
		web.Post("/sites/:site/ask", web.OnSite, doAsk),
		web.Get("/sites/:site/editions", web.OnSite, editions),
		web.Get("/sites/:site/editions/:number", web.OnSite, edition),
		web.Post("/sites/:site/editions/back", web.May(access.Publish, "You may look at this site's editions, not change which is live."), doGoBack),
		web.Post("/sites/:site/editions/call-off", web.May(access.Publish, "You may look at this site's editions, not change which is live."), doCallOff),
		web.Get("/sites/:site/unpublish", web.May(access.Publish, "You may look at this site's editions, not change which is live."), unpublish),
		web.Post("/sites/:site/unpublish", web.May(access.Publish, "You may look at this site's editions, not change which is live."), unpublish),
		web.Get("/sites/:site/archives", web.OnSite, archives),
	}
}
