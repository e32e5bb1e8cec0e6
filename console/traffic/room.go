// Package traffic holds the views of who came to a site, and who was turned away.
package traffic

import (
	"embed"

	app "velada/app/traffic"
	"velada/console/web"
	"velada/core/access"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room { return web.Room{Routes: routes(), Templates: templates} }

func routes() []web.Route {
	see := web.May(access.SeeTraffic, "Only those who may see visits do, such as an analyst of this site.")
	const choosers = "Only those who may change site settings choose how it is counted."
	choose := web.May(access.ManageListing, choosers)
	return []web.Route{
		web.Get("/sites/:site/traffic", see, traffic),
		web.Get("/sites/:site/traffic/data.csv", see, asCSV),
		web.Get("/sites/:site/traffic/data.json", see, asJSON),
		web.Get("/sites/:site/traffic/replay", see, replay),
		web.Get("/sites/:site/traffic/against", see, inTray),
		web.Get("/sites/:site/traffic/logs", choose, logs),
		web.Get("/sites/:site/traffic/logs/progress", choose, logsProgress),
		web.Post("/sites/:site/traffic/logs", web.MaySend(access.ManageListing, app.MostLog, choosers), doLogs),
		web.Get("/traffic", web.Stewards, everySite),
		web.Post("/sites/:site/traffic/choices", choose, doChoices),
	}
}
