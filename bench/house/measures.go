package main

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
)

// measures are every view that a house has, and its usual changes.
func (b *bench) measures() []measured {
	someone := fmt.Sprintf("p%d", b.people/2)
	var list []measured
	view := func(path string) {
		list = append(list, measured{"view " + path, func(int) *httptest.ResponseRecorder { return b.ask(http.MethodGet, path, nil) }, http.StatusOK})
	}
	for _, path := range []string{
		"/sites", "/people", "/people?find=Ada", "/groups/g0", "/house-rules", "/rounds", "/calendar", "/ledger", "/ledger?as=csv", "/outbox", "/outbox?find=Letter+77",
		"/settings", "/account", "/notices", "/new-site", "/traffic", "/people?sort=name", "/people?as=csv", "/sites?sort=open", "/ledger?find=number+77", "/ledger?rows=900000", "/outbox?rows=900000",
	} {
		view(path)
	}
	list = append(list, measured{"view /people/…", func(int) *httptest.ResponseRecorder { return b.ask(http.MethodGet, "/people/"+someone, nil) }, http.StatusOK})
	for _, path := range []string{
		"", "/door", "/door?add=people", "/door?path=/part-1", "/sightlines", "/pages/page-1", "/publish", "/editions", "/team", "/members", "/members/list", "/members/list?sort=name", "/members/comments", "/members.csv", "/sightlines/rows?from=250", "/sightlines?fold=none", "/sightlines.csv", "/door?pages=1999", "/passes?pass=new", "/holding", "/look", "/archives", "/traffic", "/calendar", "/ledger", "/settings", "/rehearsal",
	} {
		view("/sites/" + largeSite + path)
	}
	view("/sites/site-1")
	view("/sites/site-1/door")
	list = append(list, measured{"a visitor's page", func(int) *httptest.ResponseRecorder { return b.visit("/") }, http.StatusOK})
	post := func(name, path string, want int, form func(n int) url.Values) {
		list = append(list, measured{name, func(n int) *httptest.ResponseRecorder { return b.ask(http.MethodPost, path, form(n)) }, want})
	}
	both := func(name, path string, form func(n int) url.Values) { // what it does is shown, and it is made
		post(name+", shown", path, http.StatusOK, form)
		post(name+", made", path, http.StatusSeeOther, func(n int) url.Values {
			v := form(n)
			v.Set("meant", "yes")
			return v
		})
	}
	both("adding a person", "/people", func(n int) url.Values {
		return url.Values{"name": {"New Person"}, "address": {fmt.Sprintf("new-%d-%d@house.example", b.nonce, n)}}
	})
	both("changing a name", "/people/"+someone, func(n int) url.Values {
		return url.Values{"name": {fmt.Sprintf("Another Name %d", n)}, "address": {someone + "@house.example"}}
	})
	both("a person joins a group", "/people/"+someone+"/group", func(n int) url.Values {
		return url.Values{"into": {fmt.Sprintf("Group %d", (n+b.nonce)%b.groups)}}
	})
	return list
}
