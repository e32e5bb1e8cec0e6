package gate

import (
	"net/http"
	"strings"
	"testing"

	"velada/app/news"
	"velada/core/access"
	"velada/demo"
	"velada/house"
	"velada/store"
)

func (d *door) rule(r access.HouseRule) {
	d.Helper()
	d.must(d.house.ChangePeople(d.Context(), d.steward(), house.PeopleChange{What: "x", Do: func(doc *access.Document) error {
		doc.Rules = append(doc.Rules, r)
		return nil
	}}))
}

// What a site says of itself is for those inside, at Velada's own paths too.
func TestASitesWordsAreForThoseInside(t *testing.T) {
	d := open(t)
	d.describe("dossier", store.Details{NotFound: "Ask the notary for the missing folder.", CookieNotice: "We count the biscuits."}, nil)
	for _, path := range []string{"/velada/nothing", "/velada/feed", "/velada/search?q=x", "/velada/sign-in", "/velada/pages", "/x/y", "/velada/c/none", "/velada/me"} {
		text := d.text("dossier", path)
		for _, leak := range []string{"notary", "biscuits"} {
			if strings.Contains(text, leak) {
				t.Errorf("%s says %q to a stranger", path, leak)
			}
		}
	}
	_, pass := d.enter("dossier", "/", demo.Passes["dossier"]["nordlys"])
	if !strings.Contains(d.text("dossier", "/velada/nothing", pass), "notary") || !strings.Contains(d.text("dossier", "/", pass), "biscuits") {
		t.Error("whoever is inside is not told")
	}
}

// An address of one's own shows nothing where whoever reads signs in, or where the site hides itself.
func TestAnAddressOfOnesOwnSignsNobodyIn(t *testing.T) {
	for name, change := range map[string]func(d *door){
		"sign-in-required": func(d *door) { d.rule(access.HouseRule{ID: "x", Rule: "sign-in-required"}) },
		"house-domains":    func(d *door) { d.rule(access.HouseRule{ID: "x", Rule: "house-domains-only"}) },
		"hidden": func(d *door) {
			d.change("society", func(s *access.Site) {
				s.Door = access.Door{Hide: true, Ways: []access.Way{{Way: "members"}}}
			})
		},
	} {
		d := open(t)
		secret, err := news.Address(t.Context(), d.house, "society", "rosa-galindo")
		d.must(err)
		own := "/velada/feed/" + secret
		if r := d.ask(asked{site: "society", path: own}); r.StatusCode != http.StatusOK {
			t.Fatal(r.StatusCode)
		}
		change(d)
		if r := d.ask(asked{site: "society", path: own}); r.StatusCode != http.StatusNotFound {
			t.Errorf("%s: %d", name, r.StatusCode)
		}
		if name == "house-domains" {
			continue // she is none of the house
		}
		rosa := d.rosa()
		if text := d.text("society", "/velada/news", rosa); strings.Contains(text, "/velada/feed-address") || !strings.Contains(text, "In a reader of feeds") {
			t.Errorf("%s: one is offered: %.600s", name, text)
		}
		r := d.ask(asked{site: "society", path: "/velada/feed-address", method: http.MethodPost, form: "make=yes", cookies: []string{rosa}})
		if text := body(t, r); r.StatusCode != http.StatusUnprocessableEntity || strings.Contains(text, "/velada/feed/") {
			t.Errorf("%s: one is made: %d", name, r.StatusCode)
		}
	}
}

// A page of an archive leads on within its site alone.
func TestAPageLeadsOnWithinItsSite(t *testing.T) {
	for to, stays := range map[string]bool{
		"/visit": true, "visit": true, "/a/b?c=d": true,
		`/\evil.example`: false, `\\evil.example`: false, "//evil.example": false, "/\t/evil.example": false, "/\n/evil.example": false, `\/evil.example`: false,
	} {
		if staysHere(to) != stays {
			t.Errorf("%q: %t", to, !stays)
		}
	}
}

// Whoever looks as somebody else, with nobody who says what they may read, reads all that is shown.
func TestLookingWithNobodyToAsk(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) { s.Holding = access.Holding{On: true, Kind: "maintenance"} })
	glass := &Glass{Gate: d.gate, Origin: func(label string) string { return "http://" + label + ".localhost" }}
	opens := glass.Open("society", As{Policy: d.house.State().Policy, At: access.At(d.now)}, "/")
	open, err := http.NewRequest(http.MethodGet, opens, nil)
	d.must(err)
	glass.ServeHTTP(&Answer{}, open)
	at, _, _ := strings.Cut(opens, "/velada/")
	for _, path := range []string{"/", "/visit", "/open-nights", "/members"} {
		r, err := http.NewRequest(http.MethodGet, at+path, nil)
		d.must(err)
		answer := &Answer{}
		glass.ServeHTTP(answer, r)
		if answer.Status == http.StatusInternalServerError {
			t.Errorf("%s: %d", path, answer.Status)
		}
	}
}
