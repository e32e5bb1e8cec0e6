// Package rounds holds the view of what needs attention.
package rounds

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
		web.Get("/rounds", web.SignedIn, look),
		web.Post("/rounds/mend", web.SignedIn, doMend),
		web.Post("/rounds/leave", web.SignedIn, doLeave),
		web.Post("/rounds/again", web.SignedIn, doAgain),
	}
}
