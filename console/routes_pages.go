package console

import "velada/core/access"

// pagesRoutes lists the requests of this room.
func pagesRoutes() []Route {
	return []Route{
		{"GET", "/new-site", SignedIn, (*Console).newSite},
		{"POST", "/new-site", SignedIn, (*Console).doNewSite},
		{"GET", "/sites/:site/here", WholeSite, (*Console).watch},
		{"GET", "/sites/:site/pages", OnSite, (*Console).pages},
		{"GET", "/sites/:site/pages/:page", OnSite, (*Console).page1},
		{"GET", "/sites/:site/pages/:page/live", OnSite, (*Console).live},
		{"POST", "/sites/:site/pages", OnSite, (*Console).newPage},
		{"POST", "/sites/:site/pages/:page", OnSite, (*Console).savePage},
		{"POST", "/sites/:site/pages/:page/place", OnSite, (*Console).placePage},
		{"POST", "/sites/:site/pages/:page/shift", OnSite, (*Console).shiftPage},
		{"POST", "/sites/:site/pages/:page/drop", OnSite, (*Console).dropPage},
		{"POST", "/sites/:site/pages/:page/restore", OnSite, (*Console).restorePage},
		{"POST", "/sites/:site/pages/:page/drop-file", OnSite, (*Console).dropFile},
		{"POST", "/sites/:site/files", OnSite, (*Console).addFile},
		{"GET", "/sites/:site/files/*path", OnSite, (*Console).workingFile},
		{"GET", "/sites/:site/find-link", OnSite, (*Console).findLink},
		{"GET", "/sites/:site/look", OnSite, (*Console).lookAtWorking},
		{"GET", "/sites/:site/archive", OnSite, (*Console).archiveOut},
		{"POST", "/sites/:site/archive", OnSite, (*Console).archiveIn},
		{"POST", "/sites/:site/previews", OnSite, (*Console).doPreview},
		{"POST", "/sites/:site/previews/end", OnSite, (*Console).endPreview},
		{"GET", "/sites/:site/publish", OnSite, (*Console).publish},
		{"POST", "/sites/:site/publish", May(access.Publish, "You may write here, not publish: ask those who may."), (*Console).doPublish},
		{"POST", "/sites/:site/ask", OnSite, (*Console).doAsk},
		{"GET", "/sites/:site/editions", OnSite, (*Console).editions},
		{"GET", "/sites/:site/editions/:number", OnSite, (*Console).edition},
		{"POST", "/sites/:site/editions/back", May(access.Publish, "You may look at this site's editions, not change which is live."), (*Console).doGoBack},
		{"POST", "/sites/:site/editions/call-off", May(access.Publish, "You may look at this site's editions, not change which is live."), (*Console).doCallOff},
		{"POST", "/sites/:site/editions/down", May(access.Publish, "You may look at this site's editions, not change which is live."), (*Console).doTakeDown},
	}
}
