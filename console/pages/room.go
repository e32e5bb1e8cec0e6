// Package pages holds the views of pages, editions and previews.
package pages

import (
	"embed"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates} }
