package settings

import (
	"velada/console/web"
)

// settingsRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/ledger", web.SignedIn, ledger),
		web.Get("/outbox", web.SignedIn, outbox),
		web.Get("/outbox/:id", web.SignedIn, outbox),
		web.Get("/outbox/:id/eml", web.SignedIn, mailFile),
		web.Get("/house-rules", web.SignedIn, houseRules),
		web.Post("/house-rules/second-step", web.SignedIn, doSecondStepRule),
		web.Post("/house-rules/no-mail", web.SignedIn, doNoMail),
		web.Post("/house-rules/mail", web.SignedIn, doMailServer),
		web.Post("/house-rules/providers", web.SignedIn, doProvider),
		web.Get("/sites/:site/ledger", web.WholeSite, siteLedger),
	}
}
