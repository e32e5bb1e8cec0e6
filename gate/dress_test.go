package gate

import (
	"bytes"
	"context"
	"encoding/xml"
	"image"
	"image/jpeg"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/members"
	"velada/app/news"
	"velada/app/pages"
	"velada/core/access"
	"velada/core/looks"
	"velada/demo/demotest"
	"velada/pictures"
	"velada/store"
)

// wear has a site wear a look, live.
func (d *door) wear(site string, l looks.Look) {
	d.Helper()
	d.must(pages.SetLook(context.Background(), d.house, d.steward(), site, l, d.house.State().Site(site).Working.Look))
	d.publish(site)
}

func (d *door) publish(site string) {
	d.Helper()
	_, err := pages.Publish(context.Background(), d.house, d.steward(), site, "", time.Time{})
	d.must(err)
}

// write puts another text onto a page of the working copy.
func (d *door) write(site, path, body string) {
	d.Helper()
	ctx := context.Background()
	p := d.working(site, path)
	_, err := pages.SavePage(ctx, d.house, d.steward(), site, p.ID, p.Version, p.Title, body, false)
	d.must(err)
}

// rosa signs in a member of the society.
func (d *door) rosa() string {
	d.Helper()
	a, _ := d.house.State().AddressOf("rosa-galindo")
	return d.visiting(a.String(), "society")
}

// working is the page of the working copy at a path.
func (d *door) working(site, path string) store.Page {
	d.Helper()
	list, err := store.WorkingCopy(context.Background(), d.house.Reader(), d.house.SiteID(site))
	d.must(err)
	i := slices.IndexFunc(list, func(p store.Page) bool { return p.Path == path })
	return list[i]
}

func (d *door) text(site, path string, cookies ...string) string {
	d.Helper()
	return body(d, d.ask(asked{site: site, path: path, cookies: cookies}))
}

func TestALookComesAndGoesWithItsEdition(t *testing.T) {
	d := open(t)
	before := d.house.State().Site("society").Live.Number
	d.wear("society", looks.Look{ID: "handbill", Colour: "#ffd400", Foot: "line"})
	for _, path := range []string{"/", "/visit", "/nowhere", "/members", "/velada/search?q=x"} {
		text := d.text("society", path)
		if !strings.Contains(text, `class="look-handbill foot-line`) || !strings.Contains(text, "/velada/site-handbill.css?") || !strings.Contains(text, "/velada/look.css?") {
			t.Errorf("%s does not wear it", path)
		}
	}
	_, at, _ := strings.Cut(d.text("society", "/"), `href="/velada/look.css`)
	at, _, _ = strings.Cut(at, `"`)
	colours := d.ask(asked{site: "society", path: "/velada/look.css" + at})
	if got := body(t, colours); !strings.Contains(got, "--tint:#ffd400") || !strings.Contains(colours.Header.Get("Cache-Control"), "immutable") {
		t.Errorf("%s %v", got, colours.Header)
	}
	if r := d.ask(asked{site: "society", path: "/velada/look.css?x"}); strings.Contains(r.Header.Get("Cache-Control"), "immutable") {
		t.Error("colours by another mark are kept")
	}
	d.must(pages.PublishAgain(context.Background(), d.house, d.steward(), "society", before))
	if text := d.text("society", "/"); !strings.Contains(text, "look-broadside") || strings.Contains(text, "handbill") {
		t.Error("going back did not bring the look back")
	}
}

func TestALookNamesWhatIsThere(t *testing.T) {
	d := open(t)
	for name, l := range map[string]looks.Look{"a picture": {Picture: "/nowhere.jpg"}, "a page": {Logo: "/visit"}, "a look": {ID: "baroque"}} {
		if err := pages.SetLook(context.Background(), d.house, d.steward(), "society", l, d.house.State().Site("society").Working.Look); err == nil {
			t.Errorf("%s that is not there", name)
		}
	}
	if err := pages.SetLook(context.Background(), d.house, d.actor("seun@cerroalcor.example"), "society", looks.Look{ID: "vitrine"}, looks.Look{}); err == nil {
		t.Error("an usher chose the look")
	}
}

// Whoever stands at the door of a site that is not theirs learns its name and its colours, and nothing
// of what stands behind.
func TestADoorTellsOfItsSiteItsNameAlone(t *testing.T) {
	d := open(t)
	text := d.text("dossier", "/")
	for _, leak := range []string{"For those who are asked", "pilar@cerroalcor", "900 555", "first-light", "Budget", "/velada/feed", "rings of light"} {
		if strings.Contains(text, leak) {
			t.Errorf("the door tells %q", leak)
		}
	}
	if !strings.Contains(text, "look-broadside") || !strings.Contains(text, "Founders Fund Dossier") {
		t.Error("the door does not wear the look")
	}
	_, cookie := d.enter("dossier", "/", "quartz beacon thimble")
	if text := d.text("dossier", "/", cookie); !strings.Contains(text, "For those who are asked") || !strings.Contains(text, "first-light.svg") || !strings.Contains(text, "pilar@cerroalcor") {
		t.Error("whoever is let in does not get it whole")
	}
}

func TestPicturesOfALookHaveDoors(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/hill.svg", Mode: "instead", Ways: []access.Way{{Way: "members"}}})
	})
	d.wear("society", looks.Look{ID: "vitrine", Picture: "/hill.svg", PictureText: "A secret hill", Logo: "/hill.svg"})
	if text := d.text("society", "/"); strings.Contains(text, "A secret hill") || strings.Contains(text, "pictured") || strings.Contains(text, `<img src="/hill.svg" alt="" />`) {
		t.Error("a picture behind a door stands on the head of the front page")
	}
	if text := d.text("society", "/", d.rosa()); !strings.Contains(text, "A secret hill") || !strings.Contains(text, "pictured") {
		t.Error("who opens it does not get it")
	}
}

func TestPagesBelowAreThoseThatOpen(t *testing.T) {
	d := open(t)
	member := d.rosa()
	d.write("society", "/members", "# For members\n\nThings.")
	d.publish("society")
	if text := d.text("society", "/members", member); !strings.Contains(text, `<ul class="below-list">`) || !strings.Contains(text, ">Minutes</a>") || !strings.Contains(text, "The council met") {
		t.Error("what stands below the members' page is not on it")
	}
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/members/minutes", Mode: "also", Hide: true})
	})
	if text := d.text("society", "/members", member); strings.Contains(text, "Minutes") || strings.Contains(text, "The council met") || !strings.Contains(text, ">Rota</a>") {
		t.Error("a hidden page is told of above it")
	}
	if text := d.text("society", "/"); strings.Contains(text, "Members</a>") || !strings.Contains(text, ">Getting here</a>") {
		t.Error("a stranger is told of the members' pages")
	}
	front := d.text("variable-stars", "/", d.visiting("ines@cerroalcor.example", "variable-stars"))
	if strings.Contains(front, "below-cards") {
		t.Error("the pages below stand twice on a page with cards of its own")
	}
}

// The first picture of a page below is shown where it opens just as that page does.
func TestAPictureBehindAnotherDoorIsNotOnACard(t *testing.T) {
	d := open(t)
	d.wear("society", looks.Look{ID: "noticeboard"})
	if text := d.text("society", "/"); !strings.Contains(text, `src="/visit/map.svg"`) {
		t.Fatal("no picture on the card")
	}
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/visit/map.svg", Mode: "instead", Ways: []access.Way{{Way: "members"}}})
	})
	if text := d.text("society", "/"); strings.Contains(text, "map.svg") {
		t.Error("a picture behind a door is named on a card")
	}
}

func TestAMenuIsATreeOfThreeLevels(t *testing.T) {
	var items []menuItem
	for _, path := range []string{"/", "/a", "/a/b", "/a/b/c", "/a/b/c/d", "/x/y"} {
		items = append(items, menuItem{Path: path, Title: path, at: path, Here: path == "/a/b/c/d"})
	}
	tree := menuTree(items)
	if len(tree) != 3 || tree[1].at != "/a" || tree[2].at != "/x/y" || !tree[1].Within || tree[0].Within {
		t.Fatalf("%+v", tree)
	}
	third := tree[1].Below[0].Below
	if len(third) != 2 || third[1].at != "/a/b/c/d" {
		t.Errorf("what is deeper stands on the third level: %+v", third)
	}
}

func TestDatesOfDoorsAreThoseOfTheReader(t *testing.T) {
	d := open(t)
	d.write("variable-stars", "/how-to-join", "# How\n\n::: dates\n- [Antlia](/crew/antlia)\n- [Marking](/marking)\n- 2026-12-11 20:00 Show\n- 2026-10-01 Past\n:::")
	d.publish("variable-stars")
	corvus := d.text("variable-stars", "/how-to-join", d.visiting("odile-kovacs@cerroalcor.example", "variable-stars"))
	if !strings.Contains(corvus, "Antlia</a>: opens") || !strings.Contains(corvus, `datetime="2026-12-12"`) || strings.Contains(corvus, "Marking") {
		i := strings.Index(corvus, "v-dates")
		t.Errorf("%s", corvus[max(0, i):])
	}
	if strings.Index(corvus, "Past dates") > strings.Index(corvus, `2026-10-01`) || strings.Contains(corvus, "there is no date") {
		t.Error("what is past does not stand at the end")
	}
}

func TestAListOfFilesIsWhatOpens(t *testing.T) {
	d := open(t)
	ctx, ines := context.Background(), d.steward()
	for at, kind := range map[string]string{"/visit/plan.pdf": "application/pdf", "/visit/inner/keys.pdf": "application/pdf", "/visit/hill.png": "image/png"} {
		_, err := pages.SaveFile(ctx, d.house, ines, "society", at, kind, demotest.Dot, "")
		d.must(err)
	}
	d.write("society", "/visit", "# Getting here\n\nUp.\n\n::: files\n:::\n\n[Plan](/visit/plan.pdf) and [keys](/visit/inner/keys.pdf)")
	d.publish("society")
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/visit/inner", Mode: "also", Hide: true})
	})
	text := d.text("society", "/visit")
	list, _, _ := strings.Cut(text[strings.Index(text, `class="v-files"`):], "</div>")
	if !strings.Contains(list, "plan.pdf") || strings.Contains(list, "keys") || strings.Contains(list, "hill.png") || !strings.Contains(list, "PDF 74 bytes") {
		t.Error(list)
	}
	if !strings.Contains(text, `</a> <span class="v-size">PDF, `) || strings.Count(text, "v-size") != 1 {
		t.Error("how large a file is is said of one behind another door, or of none")
	}
}

func TestMessagesGoToTheSitesAddress(t *testing.T) {
	d := open(t)
	post := func(values ...string) *http.Response {
		form := url.Values{"path": {"/visit"}, "name": {"Nadia"}, "address": {"nadia@lens.example"}, "text": {"May I come?"}}
		for i := 0; i+1 < len(values); i += 2 {
			form.Set(values[i], values[i+1])
		}
		return d.ask(asked{site: "society", path: "/velada/contact", method: http.MethodPost, form: form.Encode()})
	}
	if !strings.Contains(d.text("society", "/visit"), `action="/velada/contact"`) {
		t.Fatal("the page has no form")
	}
	if r := post("address", "nobody"); r.StatusCode != 422 || !strings.Contains(body(t, r), "May I come?") {
		t.Errorf("a bad address: %d", r.StatusCode)
	}
	for name, r := range map[string]*http.Response{"a page without a form": post("path", "/courses"), "no page": post("path", "/nowhere")} {
		if r.StatusCode != 404 {
			t.Errorf("on %s: %d", name, r.StatusCode)
		}
	}
	if r := post("path", "/members"); r.StatusCode != 401 {
		t.Errorf("on a page that does not open: %d", r.StatusCode)
	}
	if r := post("leave", "https://spam.example"); r.StatusCode != 200 {
		t.Errorf("a program: %d", r.StatusCode)
	}
	sent := func() int {
		list, err := d.house.Outbox.Mails(context.Background(), "A message to", 50)
		d.must(err)
		for _, m := range list {
			if m.Address != "hello@cerroalcor.example" || !strings.Contains(m.Text, "nadia@lens.example") || !strings.Contains(string(m.Text), "May I come?") {
				t.Errorf("%+v", m)
			}
		}
		return len(list)
	}
	if sent() != 0 {
		t.Error("what a program filled in was sent")
	}
	if r := post(); r.StatusCode != 200 || sent() != 1 {
		t.Errorf("%d, %d messages", r.StatusCode, sent())
	}
	last := 0
	for range 12 {
		last = post().StatusCode
	}
	if last != 429 || sent() > 8 {
		t.Errorf("very many messages: %d, %d sent", last, sent())
	}
	if r := d.ask(asked{site: "society", path: "/velada/contact", method: http.MethodPost, form: "path=/visit", header: map[string]string{"Sec-Fetch-Site": "cross-site"}}); r.StatusCode != 403 {
		t.Errorf("from elsewhere: %d", r.StatusCode)
	}
}

type atomRead struct {
	Entries []struct {
		Title string `xml:"title"`
		Link  struct {
			Href string `xml:"href,attr"`
		} `xml:"link"`
	} `xml:"entry"`
}

func titles(t *testing.T, text string) (list []string) {
	t.Helper()
	var f atomRead
	if err := xml.Unmarshal([]byte(text), &f); err != nil {
		t.Fatalf("%v in %s", err, text)
	}
	for _, e := range f.Entries {
		list = append(list, e.Title)
	}
	return list
}

func TestFeedsTellNobodyOfWhatTheyMayNotOpen(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	public := d.ask(asked{site: "society", path: "/velada/feed"})
	list := titles(t, body(t, public))
	if !slices.Contains(list, "Open nights") || slices.Contains(list, "Members") || !strings.HasPrefix(public.Header.Get("Cache-Control"), "public") {
		t.Errorf("%v %v", list, public.Header)
	}
	if r := d.ask(asked{site: "society", path: "/velada/feed", header: map[string]string{"If-None-Match": public.Header.Get("ETag")}}); r.StatusCode != 304 {
		t.Errorf("asked again: %d", r.StatusCode)
	}
	if text := d.text("society", "/velada/feed?as=rss"); !strings.Contains(text, `<rss version="2.0" xmlns:atom="http://www.w3.org/2005/Atom">`) || !strings.Contains(text, `<atom:link rel="self" href="http://society.localhost/velada/feed?as=rss" type="application/rss+xml">`) || !strings.Contains(text, "<title>Open nights</title>") {
		t.Error(text)
	}
	if !strings.Contains(d.text("society", "/"), `rel="alternate" type="application/atom+xml"`) || strings.Contains(d.text("variable-stars", "/how-to-join"), "atom+xml") {
		t.Error("a page says otherwise of its feed")
	}
	for _, path := range []string{"/velada/feed?path=/members", "/velada/feed?path=/nowhere", "/velada/feed?path=/visit", "/velada/feed/guessed", "/velada/feed/guessed?path=/members"} {
		if r := d.ask(asked{site: "society", path: path}); r.StatusCode != 404 {
			t.Errorf("%s: %d", path, r.StatusCode)
		}
	}
	secret, err := news.Address(ctx, d.house, "society", "rosa-galindo")
	d.must(err)
	own := "/velada/feed/" + secret
	r := d.ask(asked{site: "society", path: own + "?path=/members"})
	if list := titles(t, body(t, r)); !slices.Contains(list, "Minutes") || r.Header.Get("Cache-Control") != "private, no-store" {
		t.Errorf("%v %v", list, r.Header)
	}
	if r := d.ask(asked{site: "variable-stars", path: own}); r.StatusCode == 200 {
		t.Error("an address of one site is read on another")
	}
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/members/minutes", Mode: "also", Hide: true})
	})
	if list := titles(t, d.text("society", own+"?path=/members")); slices.Contains(list, "Minutes") {
		t.Error("it tells of a page that has closed since")
	}
	_, err = members.ChangeMembers(ctx, d.house, d.steward(), members.MembersChange{Site: "society", People: []string{"rosa-galindo"}, Change: "block"})
	d.must(err)
	if r := d.ask(asked{site: "society", path: own + "?path=/members"}); r.StatusCode != 404 {
		t.Errorf("of a member who was blocked: %d", r.StatusCode)
	}
	d.must(news.TakeBack(ctx, d.house, "society", "rosa-galindo"))
	if r := d.ask(asked{site: "society", path: own}); r.StatusCode != 404 {
		t.Errorf("taken back: %d", r.StatusCode)
	}
}

func TestChoosingNews(t *testing.T) {
	d := open(t)
	rosa := d.rosa()
	post := func(path, form string) *http.Response {
		return d.ask(asked{site: "society", path: path, method: http.MethodPost, form: form, cookies: []string{rosa}})
	}
	if r := d.ask(asked{site: "society", path: "/velada/news"}); r.StatusCode != 303 || !strings.Contains(r.Header.Get("Location"), "/velada/sign-in") {
		t.Errorf("a stranger: %d", r.StatusCode)
	}
	if r := post("/velada/follow", "page=/members/minutes&path=/members/minutes&on=yes"); r.StatusCode != 303 {
		t.Errorf("%d", r.StatusCode)
	}
	post("/velada/news", "all=yes&answers=yes")
	if text := d.text("society", "/velada/news?path=/members/minutes", rosa); !strings.Contains(text, "You follow “Minutes”") || strings.Count(text, " checked") != 2 {
		t.Error(text)
	}
	if text := d.text("society", "/members/minutes", rosa); !strings.Contains(text, "/velada/news?path=%2Fmembers%2Fminutes") {
		t.Error("a page does not lead to its news")
	}
	r := post("/velada/feed-address", "make=yes")
	if text := body(t, r); !strings.Contains(text, "http://society.localhost/velada/feed/") {
		t.Error(text)
	}
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/members/minutes", Mode: "also", Hide: true})
	})
	if text := d.text("society", "/velada/news?path=/members/minutes", rosa); strings.Contains(text, "Minutes") {
		t.Error("a page that has closed is named among those that are followed")
	}
	if r := post("/velada/follow", "page=/nowhere&on=yes"); r.StatusCode != 303 {
		t.Errorf("what is not there: %d", r.StatusCode)
	}
}

// A page with dates is kept for a while, and no longer than its dates stay as they are.
func TestPagesWithDatesTurn(t *testing.T) {
	d := open(t)
	d.write("society", "/courses", "# Courses\n\n::: dates\n- 2026-11-24 18:00 – 18:30 Soon over\n:::")
	d.publish("society")
	past := func() bool { return strings.Contains(d.text("society", "/courses"), "Past dates") }
	for range 2 { // the second time as it was kept
		if past() {
			t.Fatal("what is ahead is said to be past")
		}
	}
	rendered := d.house.State().RenderedOf("society")
	if rendered.Copies("/courses") != 1 {
		t.Error("the page is not kept")
	}
	d.now = d.now.Add(29 * time.Minute)
	if past() {
		t.Error("it is past before it ends")
	}
	d.now = d.now.Add(17 * time.Minute)
	for range 2 {
		if !past() {
			t.Error("what is over is not past")
		}
	}
}

// Seen through the glass, a picture is found in each of its widths.
func TestPicturesInSeveralWidthsAreSeenThroughTheGlass(t *testing.T) {
	got := string(rewrite([]byte(`<picture><source srcset="/a.jpg?w=480&amp;as=webp 480w, /a.jpg?w=960&amp;as=webp 960w"><img src="/a.jpg" srcset="/a.jpg?w=480 480w, https://out.example/b.jpg 960w"></picture>`), "/KEY"))
	for _, want := range []string{`"/KEY/a.jpg?w=480&amp;as=webp 480w, /KEY/a.jpg?w=960&amp;as=webp 960w"`, `src="/KEY/a.jpg"`, `"/KEY/a.jpg?w=480 480w, https://out.example/b.jpg 960w"`} {
		if !strings.Contains(got, want) {
			t.Errorf("no %s in %s", want, got)
		}
	}
}

// A calendar file gives a list its dates, to those for whom it opens.
func TestDatesComeFromACalendarFile(t *testing.T) {
	d := open(t)
	ics := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20261101T000000Z\r\nSUMMARY:Moon <b>night</b>\r\nDTSTART:20261205T190000Z\r\nDTEND:20261205T210000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	_, err := pages.SaveFile(context.Background(), d.house, d.steward(), "society", "/courses/programme.ics", "text/calendar", []byte(ics), "")
	d.must(err)
	d.write("society", "/courses", "# Courses\n\n::: dates /courses/programme.ics\n- 2026-12-24 Closed\n:::")
	d.publish("society")
	text := d.text("society", "/courses")
	if !strings.Contains(text, `datetime="2026-12-05"`) || !strings.Contains(text, "Moon &lt;b&gt;night&lt;/b&gt;") || !strings.Contains(text, "Saturday, 20:00 to 22:00") || !strings.Contains(text, `datetime="2026-12-24"`) {
		t.Error(text[strings.Index(text, "v-dates"):])
	}
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/courses/programme.ics", Mode: "also", Hide: true})
	})
	if text := d.text("society", "/courses"); strings.Contains(text, "Moon") || !strings.Contains(text, `datetime="2026-12-24"`) {
		t.Error("a calendar file behind a door gives its dates away")
	}
}

// A photograph of a telephone is sent in the width that is needed, as WebP to those who take it.
func TestAPhotographIsSentInSeveralWidths(t *testing.T) {
	d := open(t)
	var b bytes.Buffer
	d.must(jpeg.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 1400, 1000)), nil))
	_, err := pages.SaveFile(context.Background(), d.house, d.steward(), "society", "/courses/night.jpg", "image/jpeg", b.Bytes(), "A dark night")
	d.must(err)
	d.write("society", "/courses", "# Courses\n\n![](/courses/night.jpg)")
	d.publish("society")
	text := d.text("society", "/courses")
	for _, want := range []string{`<picture><source type="image/webp" srcset="/courses/night.jpg?w=480&amp;as=webp 480w, /courses/night.jpg?w=960&amp;as=webp 960w"`, `alt="A dark night"`, `width="1400" height="1000"`} {
		if !strings.Contains(text, want) {
			t.Errorf("no %s", want)
		}
	}
	r := d.ask(asked{site: "society", path: "/courses/night.jpg?w=480&as=webp"})
	small := body(t, r)
	if w, h := pictures.Size("image/webp", []byte(small)); r.Header.Get("Content-Type") != "image/webp" || w != 480 || h != 343 {
		t.Errorf("%v, %d × %d", r.Header, w, h)
	}
	own := d.ask(asked{site: "society", path: "/courses/night.jpg?w=480"})
	if own.Header.Get("Content-Type") != "image/jpeg" || own.Header.Get("ETag") == r.Header.Get("ETag") {
		t.Errorf("%v", own.Header)
	}
	if odd := d.ask(asked{site: "society", path: "/courses/night.jpg?w=481&as=webp"}); odd.Header.Get("Content-Type") != "image/jpeg" || len(body(t, odd)) < len(small) {
		t.Errorf("a width that there is none: %v", odd.Header)
	}
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/courses", Mode: "also", Ways: []access.Way{{Way: "members"}}})
	})
	if shut := d.ask(asked{site: "society", path: "/courses/night.jpg?w=480&as=webp", header: map[string]string{"If-None-Match": r.Header.Get("ETag")}}); shut.StatusCode != 401 {
		t.Errorf("behind the door of its page: %d", shut.StatusCode)
	}
}
