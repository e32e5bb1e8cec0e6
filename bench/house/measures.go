package main

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"time"

	"velada/app/members"
	"velada/house"
	"velada/store"
)

// measures are every view that a house has, and its usual changes.
func (b *bench) measures() []measured {
	someone := fmt.Sprintf("p%d", b.people/2)
	var list []measured
	view := func(path string) {
		list = append(list, measured{"view " + path, func(int) *httptest.ResponseRecorder { return b.ask(http.MethodGet, path, nil) }, http.StatusOK, false, nil})
	}
	for _, path := range []string{
		"/sites", "/people", "/people?find=Ada", "/groups/g0", "/house-rules", "/rounds", "/calendar", "/ledger", "/ledger?as=csv", "/outbox", "/outbox?find=Letter+77",
		"/settings", "/account", "/notices", "/new-site", "/traffic", "/people?sort=name", "/people?as=csv", "/sites?sort=open", "/ledger?find=number+77", "/ledger?rows=900000", "/outbox?rows=900000",
	} {
		view(path)
	}
	list = append(list, measured{"view /people/…", func(int) *httptest.ResponseRecorder { return b.ask(http.MethodGet, "/people/"+someone, nil) }, http.StatusOK, false, nil})
	for _, path := range []string{
		"", "/door", "/door?add=people", "/door?path=/part-1", "/sightlines", "/pages/page-1", "/pages/page-1/framed", "/publish", "/editions", "/team", "/members", "/members/list", "/members/list?sort=name", "/members/comments", "/members.csv", "/sightlines/rows?from=25", "/sightlines?fold=none", "/sightlines.csv", "/door?pages=1999", "/passes?pass=new", "/holding", "/look", "/archives", "/traffic", "/calendar", "/ledger", "/settings", "/settings/look", "/rehearsal",
	} {
		view("/sites/" + largeSite + path)
	}
	view("/sites/site-1")
	view("/sites/site-1/door")
	list = append(list, measured{"a visitor's page", func(int) *httptest.ResponseRecorder { return b.visit("/", "") }, http.StatusOK, false, nil})
	list = append(list, measured{"a member's list of members", func(int) *httptest.ResponseRecorder { return b.visit("/velada/members", b.member) }, http.StatusOK, false, nil})
	list = append(list, measured{"a search of it", func(int) *httptest.ResponseRecorder { return b.visit("/velada/members?find=Ada+Novak", b.member) }, http.StatusOK, false, nil})
	post := func(name, path string, want int, form func(n int) url.Values) {
		list = append(list, measured{name, func(n int) *httptest.ResponseRecorder { return b.ask(http.MethodPost, path, form(n)) }, want, false, nil})
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
		return url.Values{"name": {"New Person"}, "address": {fmt.Sprintf("new-%d@house.example", n)}}
	})
	both("changing a name", "/people/"+someone, func(n int) url.Values {
		return url.Values{"name": {fmt.Sprintf("Another Name %d", n)}, "address": {someone + "@house.example"}}
	})
	both("a person joins a group", "/people/"+someone+"/group", func(n int) url.Values {
		return url.Values{"into": {fmt.Sprintf("Group %d", n%b.groups)}}
	})
	both("a member is blocked", "/sites/"+largeSite+"/members", func(n int) url.Values {
		return url.Values{"who": {b.house.State().SiteDocument(largeSite).Members[10+n].Who}, "change": {"block"}}
	})
	large := "/sites/" + largeSite
	post("a door's change, rehearsed", large+"/door/settings", http.StatusSeeOther, func(n int) url.Values {
		return url.Values{"page": {"/part-1"}, "mode": {"also"}, "hide": {[]string{"yes", ""}[n%2]}}
	})
	for _, part := range []string{"/rehearsal", "/door", "/sightlines"} {
		list = append(list, measured{"view /sites/large" + part + ", rehearsing", func(int) *httptest.ResponseRecorder { return b.ask(http.MethodGet, large+part, nil) }, http.StatusOK, false, nil})
	}
	list = append(list, measured{"a door's change, applied", func(int) *httptest.ResponseRecorder { return b.ask(http.MethodPost, large+"/rehearsal/apply", nil) }, http.StatusSeeOther, false, func(n int) {
		b.ask(http.MethodPost, large+"/door/settings", url.Values{"page": {"/part-1"}, "mode": {"also"}, "hide": {[]string{"yes", ""}[n%2]}})
	}})
	list = append(list, measured{"a comment is written", func(n int) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		w.Code = http.StatusSeeOther
		who := store.Who(b.house.State().SiteDocument(largeSite).Members[50+n].Who)
		if _, err := members.Comment(b.ctx, b.house, largeSite, "/", who, "Some words."); err != nil {
			w.Code, w.Body = http.StatusInternalServerError, bytes.NewBufferString(err.Error())
		}
		return w
	}, http.StatusSeeOther, false, nil})
	list = append(list, measured{"a page is saved", func(n int) *httptest.ResponseRecorder {
		return b.ask(http.MethodPost, large+"/pages/page-1", url.Values{"title": {"Page 1"}, "body": {fmt.Sprintf("Other words %d.", n)}, "version": {"9"}, "over": {"yes"}})
	}, http.StatusSeeOther, false, nil})
	publish := measured{"every page is published", func(int) *httptest.ResponseRecorder { return b.ask(http.MethodPost, large+"/publish", nil) }, http.StatusSeeOther, false, b.writeAllPages}
	list = append(list, publish)
	list = append(list, b.roster()...)
	return list
}

// writeAllPages writes something else on every page of the large site's draft.
func (b *bench) writeAllPages(n int) {
	s := b.house.State()
	id := s.ID(largeSite)
	err := b.house.Change(b.ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		pages := pagesOf(b.size, s.SiteDocument(largeSite), b.pages, b.editions)
		for i := range pages {
			pages[i].Body += fmt.Sprintf("\nAnd more, %d.\n", n)
		}
		tx.Renew(id, house.WorkingCopy)
		return store.SaveWorkingPages(b.ctx, tx, id, pages)
	})
	if err != nil {
		panic(err)
	}
}

// roster brings in a roster of a tenth as many people as there are: it is read, what it would
// change is shown, and it is made.
func (b *bench) roster() []measured {
	var text strings.Builder
	text.WriteString("First name;Last name;E-mail;Class\n")
	for i := range b.people / 10 {
		fmt.Fprintf(&text, "%s;Sol %d;r%d@aula.house.example;Class %d\n", given[i%len(given)], i%200, i, i%40)
	}
	at, to, token := "/groups/g1/roster", "", ""
	read := func(int) *httptest.ResponseRecorder {
		r := b.upload(at, "class.csv", []byte(text.String()))
		to = r.Header().Get("Location")
		_, token, _ = strings.Cut(to, "take=")
		return r
	}
	columns := url.Values{"said": {"yes"}, "column0": {"given"}, "column1": {"family"}, "column2": {"address"}, "column3": {"group"}, "teams": {"yes"}}
	return []measured{
		{"a roster, read", read, http.StatusSeeOther, true, nil},
		{"a roster, shown", func(int) *httptest.ResponseRecorder { return b.ask(http.MethodGet, to+"&"+columns.Encode(), nil) }, http.StatusOK, true, nil},
		{"a roster, made", func(int) *httptest.ResponseRecorder {
			columns.Set("take", token)
			others := b.othersMeanwhile()
			r := b.ask(http.MethodPost, at, columns)
			for r.Header().Get("Location") == to && !strings.Contains(b.ask(http.MethodGet, at+"/state?take="+token, nil).Body.String(), "Go to the group") {
				time.Sleep(300 * time.Millisecond)
			}
			b.waited = others()
			return r
		}, http.StatusSeeOther, true, nil},
	}
}

// othersMeanwhile has somebody else change something again and again, and returns what ends
// that and tells how long they waited at most.
func (b *bench) othersMeanwhile() func() time.Duration {
	ctx, stop := context.WithCancel(b.ctx)
	longest := make(chan time.Duration)
	go func() {
		var most time.Duration
		for ctx.Err() == nil {
			began := time.Now()
			err := b.house.Change(b.ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
				tx.Log(largeSite, "door", "Somebody else was here.", "", "")
				return nil
			})
			if err != nil {
				panic(err)
			}
			most = max(most, time.Since(began))
			time.Sleep(25 * time.Millisecond)
		}
		longest <- most
	}()
	return func() time.Duration { stop(); return <-longest }
}
