// Package console answers administrators on the console's own host: rooms of views
// over the use cases of app, in one frame.
package console

import (
	"context"
	"net/http"

	"velada/console/account"
	"velada/console/calendar"
	"velada/console/door"
	"velada/console/listing"
	"velada/console/members"
	"velada/console/overview"
	"velada/console/pages"
	"velada/console/people"
	"velada/console/rounds"
	"velada/console/rules"
	"velada/console/settings"
	"velada/console/team"
	"velada/console/traffic"
	"velada/console/web"
	"velada/gate"
	"velada/house"
)

// New returns the console of a house; ctx ends its background work.
func New(ctx context.Context, h *house.House, glass *gate.Glass, setUpCode string, secure bool, siteHost, siteURL func(string) string) *web.Console {
	c := web.New(ctx, h, glass, setUpCode, secure, siteHost, siteURL,
		account.Room(), overview.Room(), door.Room(), pages.Room(), listing.Room(), members.Room(), team.Room(), people.Room(),
		rules.Room(), settings.Room(), calendar.Room(), rounds.Room(), traffic.Room())
	glass.Preview = func(r *http.Request, token string) (string, gate.As, bool) { return pages.Preview(c, r, token) }
	return c
}
