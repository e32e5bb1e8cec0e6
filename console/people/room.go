// Package people holds the views of people, groups, rosters and slips.
package people

import (
	"embed"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates} }
