// Package settings holds the views of the house's rules, the outbox and the ledger.
package settings

import (
	"embed"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates} }
