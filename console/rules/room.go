// Package rules holds the views of the house rules, and of exceptions from them.
package rules

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
		web.Get("/house-rules", web.SignedIn, houseRules),
		web.Get("/house-rules/new", web.Stewards, newRule),
		web.Get("/house-rules/rule/:rule", web.Stewards, rule),
		web.Post("/house-rules", web.Stewards, doRule),
		web.Post("/house-rules/remove", web.Stewards, doRemove),
		web.Post("/house-rules/exceptions", web.Stewards, doException),
		web.Get("/sites/:site/exception", web.WholeSite, askException),
		web.Post("/sites/:site/exception", web.WholeSite, doAsk),
	}
}
