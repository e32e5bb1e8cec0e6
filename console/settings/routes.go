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
		web.Get("/outbox/:id/state", web.Stewards, outboxState),
		web.Post("/outbox/send", web.Stewards, sendMail),
		web.Post("/outbox/:id/send", web.Stewards, sendMail),
		web.Post("/outbox/:id/show", web.Stewards, showLink),
		web.Get("/outbox/:id/eml", web.SignedIn, mailFile),
		web.Get("/settings", web.Stewards, settings),
		web.Get("/settings/:part", web.Stewards, settings),
		web.Post("/settings", web.Stewards, doHouse),
		web.Post("/settings/front", web.Stewards, doFront),
		web.Post("/settings/stewards", web.Stewards, doSteward),
		web.Post("/settings/second-step", web.Stewards, doSecondStepRule),
		web.Post("/settings/no-mail", web.Stewards, doNoMail),
		web.Post("/settings/mail", web.Stewards, doMailServer),
		web.Post("/settings/providers", web.Stewards, doProvider),
		web.Post("/settings/providers/try", web.Stewards, tryProvider),
		web.Get("/sites/:site/ledger", web.WholeSite, siteLedger),
	}
}
