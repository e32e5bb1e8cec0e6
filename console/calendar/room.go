// Package calendar holds the views of everything that begins or ends.
package calendar

import (
	"embed"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates} }

func routes() []web.Route {
	return []web.Route{
		web.Get("/calendar", web.SignedIn, houseCalendar),
		web.Post("/calendar/move", web.SignedIn, doMove),
		web.Get("/calendar/velada.ics", web.SignedIn, houseFile),
		web.Get("/calendar/exchange", web.SignedIn, houseExchange),
		web.Post("/calendar/address", web.SignedIn, doAddress),
		web.Get("/calendar/of/:token", web.Open, feed),
		web.Post("/calendar/read", web.SignedIn, doRead),
		web.Post("/calendar/propose", web.SignedIn, doPropose),
		web.Get("/sites/:site/calendar", web.WholeSite, siteCalendar),
		web.Get("/sites/:site/calendar/velada.ics", web.WholeSite, siteFile),
		web.Get("/sites/:site/calendar/exchange", web.WholeSite, siteExchange),
		web.Post("/sites/:site/calendar/read", web.WholeSite, doRead),
		web.Post("/sites/:site/calendar/propose", web.WholeSite, doPropose),
	}
}
