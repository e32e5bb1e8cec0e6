// Package calendar holds the views of everything that begins or ends.
package calendar

import (
	"embed"
	"html/template"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates, Funcs: funcs} }

// funcs are what the templates of this room call.
var funcs = template.FuncMap{"calBand": func(v *view, b band) bandOf { return bandOf{v, b} }}

// bandOf is a band with the picture that it is of.
type bandOf struct {
	Of   *view
	Band band
}

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
