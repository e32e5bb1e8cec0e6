package console

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"velada/core/access"
	"velada/store"
)

// BenchmarkCalendar answers with the calendar of a site of 1,000 lanes, drawn.
func BenchmarkCalendar(b *testing.B) {
	d := openDesk(b).signIn("ines@cerroalcor.example")
	ines, _ := d.house.ActorOf("ines")
	err := d.house.Trays.Rehearse(b.Context(), ines, "society", func(draft *access.Site, _ map[string]store.NewSecret) error {
		from := access.At(d.house.Now().AddDate(0, 0, 1))
		for i := range 1000 {
			draft.Links = append(draft.Links, access.Link{ID: fmt.Sprintf("l%d", i), Label: fmt.Sprintf("Link %d", i), Under: "/", From: from, Until: access.At(from.Time().AddDate(0, 0, 1+i%60))})
		}
		return nil
	})
	if err == nil {
		err = d.house.Trays.Apply(b.Context(), ines, "society", true)
	}
	if err != nil {
		b.Fatal(err)
	}
	request := httptest.NewRequest(http.MethodGet, "http://velada.localhost/sites/society/calendar", nil)
	at, err := url.Parse(d.server.URL)
	if err != nil {
		b.Fatal(err)
	}
	for _, cookie := range d.client.Jar.Cookies(at) {
		request.AddCookie(cookie)
	}
	for b.Loop() {
		w := httptest.NewRecorder()
		d.console.ServeHTTP(w, request)
		if n := strings.Count(w.Body.String(), `class="lane`); w.Code != http.StatusOK || n < 1000 {
			b.Fatalf("%d, %d lanes", w.Code, n)
		}
	}
}
