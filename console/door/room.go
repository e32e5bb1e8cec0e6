// Package door holds the views of doors, passes, the holding page, sightlines and the rehearsal.
package door

import (
	"embed"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates, Funcs: funcs} }
