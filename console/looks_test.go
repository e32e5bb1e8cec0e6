package console

import (
	"net/http"
	"strings"
	"testing"

	"velada/demo/demotest"
	"velada/store"
)

func TestALookIsTriedAndSaved(t *testing.T) {
	d := openDesk(t).signIn("jonas@cerroalcor.example")
	before := d.house.State().Site("society").Working.Look
	d.shows("/sites/society/settings/look", "Noticeboard", "Vitrine", "Logbook", "Handbill", "Title in the middle", "The look’s own colour")
	status, body, _ := d.post("/sites/society/settings/look", "try", "yes", "look", "noticeboard", "colour", "#ffd400")
	if status != 200 || !strings.Contains(body, "Tried out, not saved yet.") || !strings.Contains(body, "instead of #ffd400") || !strings.Contains(body, "Name above the menu") {
		t.Errorf("trying it: %d", status)
	}
	if d.house.State().Site("society").Working.Look != before {
		t.Error("what was tried is kept")
	}
	if status, body, _ := d.post("/sites/society/settings/look", "look", "noticeboard", "colour", "yellow", "tagline", "Kept words"); status != 422 || !strings.Contains(body, "This is no colour") || !strings.Contains(body, "Kept words") {
		t.Errorf("no colour: %d", status)
	}
	if status, body := d.send("/sites/society/settings/look", "new_picture", "dusk.png", demotest.Dot, "look", "vitrine", "picture_text", "Dusk"); status != 303 {
		t.Fatalf("%d %s", status, body)
	}
	if got := d.house.State().Site("society").Working.Look; got.ID != "vitrine" || got.Picture != "/look/dusk.png" || got.PictureText != "Dusk" {
		t.Errorf("%+v", got)
	}
	status, body, _ = d.post("/sites/society/settings/look", "look", "logbook", "was", `{"look":"broadside"}`)
	if got := d.house.State().Site("society").Working.Look; status != 422 || !strings.Contains(body, "Somebody else changed the look meanwhile") || got.ID != "vitrine" {
		t.Errorf("over what somebody else chose: %d, %+v", status, got)
	}
	d.shows("/sites/society/settings/look", "Visitors do not have the look of the draft yet", "from Broadside to Vitrine")
	d.shows("/sites/society/publish", "The look changes from Broadside to Vitrine.")
	if status, body := d.send("/sites/society/settings/look", "new_picture", "dusk.txt", []byte("no picture"), "look", "vitrine"); status != 422 || !strings.Contains(body, "no picture") {
		t.Errorf("no picture: %d", status)
	}
}

func TestTheDraftIsFramedInItsLook(t *testing.T) {
	d := openDesk(t).signIn("jonas@cerroalcor.example")
	p := d.working("society", "/visit")
	d.save("society", p.ID, p.Version, "Getting here", "# Up\n\nThe *hill*. [All](/members) <script>alert(1)</script>\n\n![x](/hill.svg)")
	status, body, h := d.get("/sites/society/pages/" + p.ID + "/framed")
	for _, want := range []string{"look-broadside", "<em>hill</em>", `src="/sites/society/files/hill.svg"`, `href="/sites/society/pages?path=%2Fmembers" target="_top"`, `href="/look/site-broadside.css`, `href="/sites/society/look.css?`} {
		if !strings.Contains(body, want) {
			t.Errorf("no %s", want)
		}
	}
	if status != 200 || strings.Contains(body, "<script") || strings.Contains(body, `"/velada/`) || !strings.Contains(h.Get("Content-Security-Policy"), "sandbox allow-same-origin allow-top") || h.Get("X-Frame-Options") != "SAMEORIGIN" {
		t.Errorf("%d %v", status, h)
	}
	if _, css, _ := d.get("/sites/society/look.css"); !strings.Contains(css, "--tint:") {
		t.Error(css)
	}
	if status, _, _ := d.another().signIn("aiko@cerroalcor.example").get("/sites/society/pages/" + p.ID + "/framed"); status != 404 {
		t.Errorf("to somebody else: %d", status)
	}
}

func TestAPictureIsDescribedAndReplacedEverywhere(t *testing.T) {
	d := openDesk(t).signIn("jonas@cerroalcor.example")
	p := d.working("society", "/visit")
	d.shows("/sites/society/pages/"+p.ID, "/visit/map.svg", "opens for whoever opens this page", "Replace everywhere")
	if status, _, _ := d.post("/sites/society/pages/"+p.ID+"/describe-file", "path", "/visit/map.svg", "text", "The way up"); status != 303 {
		t.Errorf("%d", status)
	}
	if status, _, _ := d.post("/sites/society/pages/"+p.ID+"/describe-file", "path", "/visit/map.svg", "text", strings.Repeat("x", 401)); status != 303 {
		t.Errorf("%d", status)
	}
	file := func(path string) (f store.File) {
		list, err := store.WorkingFiles(t.Context(), d.house.Reader(), d.house.SiteID("society"))
		if err != nil {
			t.Fatal(err)
		}
		for _, one := range list {
			if one.Path == path {
				f = one
			}
		}
		return f
	}
	was := file("/visit/map.svg")
	if was.Text != "The way up" {
		t.Errorf("%+v", was)
	}
	if status, _ := d.send("/sites/society/pages/"+p.ID+"/replace-file", "file", "new.png", demotest.Dot, "path", "/visit/map.svg"); status != http.StatusSeeOther {
		t.Errorf("%d", status)
	}
	if is := file("/visit/map.svg"); is.Blob == was.Blob || is.Type != "image/png" || is.Text != "The way up" {
		t.Errorf("%+v", is)
	}
	if status, _, _ := d.post("/sites/society/pages/"+p.ID+"/place", "path", "/way-up", "in_menu", "yes"); status != 303 {
		t.Error(status)
	}
	if file("/way-up/map.svg").Blob == "" || file("/visit/map.svg").Blob != "" {
		t.Error("a picture stays behind when its page moves, and loses its door")
	}
	if body := d.working("society", "/way-up").Body; !strings.Contains(body, "(/way-up/map.svg)") {
		t.Error(body)
	}
	for path, want := range map[string]int{"/nowhere.png": 404, "/courses": 404, "/": 404, "/velada/x": 404} {
		if status, _ := d.send("/sites/society/pages/"+p.ID+"/replace-file", "file", "new.png", demotest.Dot, "path", path); status != want {
			t.Errorf("in place of %s: %d", path, status)
		}
	}
	if status, _ := d.send("/sites/society/pages/"+p.ID+"/replace-file", "file", "new.png", []byte("broken"), "path", "/hill.svg"); status != http.StatusSeeOther {
		t.Errorf("%d", status)
	}
	d.shows("/sites/society/pages/"+p.ID, "This picture cannot be read")
	if status, body := d.send("/sites/society/files", "file", "minutes", []byte("text"), "under", "/members"); status != 422 || !strings.Contains(body, "A page has the address /members/minutes") {
		t.Errorf("where a page stands: %d %s", status, body)
	}
	seun := d.another().signIn("seun@cerroalcor.example") // an usher sees the draft and changes nothing
	if status, _, _ := seun.post("/sites/society/pages/"+p.ID+"/describe-file", "path", "/hill.svg", "text", "Mine"); status == http.StatusOK || file("/hill.svg").Text == "Mine" {
		t.Errorf("by an usher: %d", status)
	}
	if status, body := d.send("/sites/society/files", "file", "a.heic", []byte("ftypheic")); status != 422 || !strings.Contains(body, "save it as JPEG") {
		t.Errorf("%d %s", status, body)
	}
}
