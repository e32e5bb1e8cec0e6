// Package listing holds the views of how a site is found.
package listing

import (
	"embed"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates} }
