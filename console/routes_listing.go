package console

import "velada/core/access"

// listingRoutes lists the requests of this room.
func listingRoutes() []Route {
	return []Route{
		{"GET", "/address-free", SignedIn, (*Console).addressFree},
		{"GET", "/sites/:site/listing", WholeSite, (*Console).listing},
		{"GET", "/sites/:site/address-free", WholeSite, (*Console).addressFree},
		{"GET", "/sites/:site/short/:file", WholeSite, (*Console).shortQR},
		{"GET", "/sites/:site/sheet", WholeSite, (*Console).shortSheet},
		{"POST", "/sites/:site/details", May(access.ManageListing, "You may look at how this site is found, not change it."), (*Console).doDetails},
		{"POST", "/sites/:site/address", May(access.ManageListing, "You may look at how this site is found, not change it."), (*Console).doAddress},
		{"POST", "/sites/:site/address/let-go", May(access.ManageListing, "You may look at how this site is found, not change it."), (*Console).doLetGo},
		{"POST", "/sites/:site/short", May(access.ManageListing, "You may look at how this site is found, not change it."), (*Console).doShort},
		{"POST", "/sites/:site/upstream", May(access.ManageListing, "You may look at how this site is found, not change it."), (*Console).doUpstream},
	}
}
