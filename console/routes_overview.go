package console

import "velada/core/access"

// overviewRoutes lists the requests of this room.
func overviewRoutes() []Route {
	return []Route{
		{"GET", "/", SignedIn, (*Console).home},
		{"GET", "/sites", SignedIn, (*Console).sites},
		{"GET", "/jump", SignedIn, (*Console).jump},
		{"GET", "/sites/:site", WholeSite, (*Console).standing},
		{"POST", "/sites/:site/promises", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).doPromise},
		{"POST", "/sites/:site/promises/drop", May(access.ChangeDoor, "You may look at this site's door, not change it."), (*Console).dropPromise},
	}
}
