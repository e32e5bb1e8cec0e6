package console

import (
	"bytes"
	"context"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"velada/core/access"
	"velada/store"
	"velada/words"
)

func TestHouseChangesAreSeenBeforeTheyAreMade(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	_, body, _ := d.post("/groups/night-crew/people", "out", "salma")
	if !strings.Contains(body, "Salma Rachidi leaves the group Night crew.") || !strings.Contains(body, "Instrument Log") || !strings.Contains(body, `name="out" value="salma"`) {
		t.Errorf("%.1500s", body)
	}
	if !d.inGroup("night-crew", "salma") {
		t.Error("it is made before it was seen")
	}
	d.post("/groups/night-crew/people", "out", "salma", "meant", "yes")
	if d.inGroup("night-crew", "salma") {
		t.Error("it is not made")
	}
	if _, body, _ := d.post("/groups/night-crew/delete"); !strings.Contains(body, "Where it is used") || !strings.Contains(body, "opens the site’s door") {
		t.Error("what hangs on a group is not shown")
	}
	d.post("/people/ines/leave", "meant", "yes")
	d.shows("/people/ines", "The house would have no steward.")
	d.post("/new-group", "name", "Mirror makers", "groups", "Council", "from", "2026-12-01T00:00", "until", "2027-03-01T00:00")
	d.shows("/groups/mirror-makers?change=yes", "Council", `value="1 Dec 2026 00:00"`)
	if status, body, _ := d.post("/groups/mirror-makers", "name", "Mirror makers", "groups", "Mirror makers\nNobody"); status != 422 || !strings.Contains(body, "There is no group “Nobody”.") && !strings.Contains(body, "cannot be in itself") {
		t.Errorf("%d", status)
	}
	d.post("/people", "name", "Vera Sol", "address", "vera@cerroalcor.example", "meant", "yes")
	d.shows("/people?find=vera", "Vera Sol")
	for of, want := range map[string]string{"no-group": "Vera Sol", "stewards": "Inés Ortuño", "outside": "Tobias Okafor", "group:antlia": "Katya Cifuentes"} {
		d.shows("/people?of="+of, want)
	}
	if body := d.shows("/people?of=blocked", "Nothing matches."); strings.Contains(body, "Vera") {
		t.Error("a filter that filters nothing")
	}
	d.shows("/people/katya-cifuentes", "Crew Antlia", "What they lose without it", "The site&#39;s door opens by an account at cerroalcor.example")
	d.shows("/people/katya-cifuentes/without/antlia", "Without it they lose Crew Antlia")
}

func (d *desk) inGroup(group, person string) bool {
	id, _ := d.house.State().Policy.Person(person)
	return d.house.State().Policy.InGroup(group, id, access.At(d.house.Now()))
}

func TestARosterIsKeptUntilItIsTakenIn(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	_, _, h := d.post("/groups/antlia/roster", "text", "Noor Haddad\tnoor@aula.cerroalcor.example\textra")
	to := h.Get("Location")
	if !strings.HasPrefix(to, "/groups/antlia/roster?take=") {
		t.Fatal(to)
	}
	d.shows(to, "1 row of what was pasted", "Column 1 is", "What that opens and closes")
	d.shows(to+"&said=yes&column0=&column1=&column2=name", "There is no address.")
	if status, _, h := d.another().signIn("aiko@cerroalcor.example").get(to); status != 303 || h.Get("Location") != "/groups/antlia/roster" {
		t.Errorf("somebody else's roster: %d", status)
	}
	token := strings.TrimPrefix(to, "/groups/antlia/roster?take=")
	d.post("/groups/antlia/roster", "take", token, "said", "yes", "column0", "name", "column1", "address")
	d.shows("/groups/antlia", "Noor Haddad", "has not been in yet: needs a slip")
	if !d.inGroup("antlia", "katya-cifuentes") {
		t.Error("whoever is not listed leaves without that being said")
	}
	d.post("/groups/antlia/roster", "text", "")
	d.shows("/groups/antlia/roster", "This roster cannot be read: there is nothing in it.")
	if _, csv, h := d.get("/groups/antlia/out?as=csv"); !strings.Contains(csv, "Noor Haddad,noor@aula.cerroalcor.example") || !strings.Contains(h.Get("Content-Disposition"), "antlia.csv") {
		t.Error(csv)
	}
	if _, cards, _ := d.get("/groups/antlia/out?as=vcard"); strings.Count(cards, "BEGIN:VCARD") != 5 {
		t.Error(cards)
	}

	_, _, h = d.post("/groups/antlia/slips", "site", "variable-stars")
	sheet := h.Get("Location")
	page := d.shows(sheet, "Noor Haddad", "http://variable-stars.localhost", "noor@aula.cerroalcor.example")
	code := regexp.MustCompile(`<code>([a-z2-9]{5}-[a-z2-9]{5})</code>`).FindStringSubmatch(page)
	if code == nil {
		t.Fatal("no code")
	}
	_, pdf, h := d.get(sheet + "?as=pdf")
	if h.Get("Content-Type") != "application/pdf" || !bytes.HasPrefix([]byte(pdf), []byte("%PDF-")) || len(pdf) < 5000 {
		t.Errorf("%s, %d bytes", h.Get("Content-Type"), len(pdf))
	}
	if status, _, _ := d.another().signIn("aiko@cerroalcor.example").get(sheet); status != http.StatusGone {
		t.Errorf("somebody else's sheet: %d", status)
	}
	learner := d.another()
	if status, _, h := learner.post("/sign-in", "address", "noor@aula.cerroalcor.example", "password", code[1]); status != 303 || h.Get("Location") != "/first-password" {
		t.Errorf("%d %q", status, h.Get("Location"))
	}
	d.shows("/groups/antlia", "has a slip, and has not been in yet")
	d.post("/settings/mail", "host", "mail.example", "port", "465", "lock", "tls", "from", "house@cerroalcor.example")
	if _, body, _ := d.post("/groups/antlia/slips", "people", "katya-cifuentes"); !strings.Contains(body, "is reached by mail: they can have a link sent") {
		t.Error("a slip for whom mail reaches")
	}
}

func TestJoiningByACode(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/groups/antlia/codes", "ends", "2026-12-18T23:00", "most", "2", "approval", "yes")
	code := regexp.MustCompile(`<b class="code-said">([^<]+)</b>`).FindStringSubmatch(d.shows("/groups/antlia", "0 of 2 used"))[1]
	stranger := d.another()
	if status, body, _ := stranger.post("/join", "step", "say", "code", "no such code"); status != 422 || !strings.Contains(body, "This code lets nobody in.") || strings.Contains(body, "Crew") {
		t.Errorf("%d", status)
	}
	if _, body, _ := stranger.post("/join", "step", "say", "code", strings.ReplaceAll(code, "-", " ")); !strings.Contains(body, "Join Crew Antlia") {
		t.Error("the code is not understood as it is said")
	}
	if _, body, _ := stranger.post("/join", "code", code, "name", "Iris Vega", "password", "walnut ferry indigo moss"); !strings.Contains(body, "Your request is waiting") || !strings.Contains(body, "iris-vega@aula.cerroalcor.example") {
		t.Errorf("%.800s", body)
	}
	body := d.shows("/groups/antlia", "Waiting to be approved", "Iris Vega")
	id := regexp.MustCompile(`name="id" value="(\d+)"`).FindStringSubmatch(body)[1]
	d.post("/groups/antlia/joins", "id", id, "answer", "admit")
	if !d.inGroup("antlia", "iris-vega") {
		t.Error("she is not let in")
	}
	tobias := d.another().signIn("tobias@lens.example")
	if _, body, _ := tobias.post("/join", "code", code); !strings.Contains(body, "Your request is waiting") || !strings.Contains(body, "tobias@lens.example") {
		t.Error("somebody with an account joins as themself")
	}
	d.post("/groups/antlia/codes", "drop", code)
	if status, _, _ := d.another().post("/join", "step", "say", "code", code); status != 422 {
		t.Errorf("a code that was ended: %d", status)
	}
}

func TestWhoMaySignUpIsRehearsed(t *testing.T) {
	d := openDesk(t).signIn("seun@cerroalcor.example") // an usher
	if status, body, _ := d.post("/sites/society/members/sign-up", "mode", "instant", "domains", "post..example"); status != 422 || !strings.Contains(body, "is not a domain") {
		t.Errorf("%d", status)
	}
	d.post("/sites/society/members/sign-up", "mode", "instant", "domains", "post.example")
	if d.house.State().SiteDocument("society").SignUp.Mode != "approval" {
		t.Error("it holds before it is applied")
	}
	d.shows("/sites/society/rehearsal", "Whoever signs up is a member at once. Only addresses at post.example can.")
	d.post("/sites/society/rehearsal/apply", "meant", "yes")
	if s := d.house.State().SiteDocument("society").SignUp; s.Mode != "instant" || len(s.Domains) != 1 {
		t.Errorf("%+v", s)
	}
	d.post("/sites/society/members/like", "questions", "Who told you?\n\nWhen?", "corner", "head", "first", "/visit", "comments", "/members", "asking", "yes")
	m := d.house.State().Site("society").Membership
	if len(m.Questions) != 2 || m.First != "/visit" || m.NoAsking || m.Held {
		t.Errorf("%+v", m)
	}
	_, csv, _ := d.get("/sites/society/members.csv")
	if lines := strings.Split(strings.TrimSpace(csv), "\n"); len(lines) != 24 || !strings.HasPrefix(lines[0], "Name,Address,Status,Since,Wants letters,Who told you?") {
		t.Errorf("%.300s", csv)
	}
	if status, body, _ := d.post("/sites/society/members/letter", "subject", "", "text", "x"); status != 422 || !strings.Contains(body, "Enter a subject") {
		t.Errorf("%d", status)
	}
	d.post("/sites/society/members/letter", "subject", "Friday", "text", "Come.", "to", "Edda Galindo")
	mails, err := d.house.Outbox.Mails(context.Background(), "Friday", 9)
	if err != nil || len(mails) != 1 || mails[0].Address != "edda-galindo@post.example" {
		t.Fatalf("%+v %v", mails, err)
	}
	_, token, _ := strings.Cut(mails[0].Text, "/stop/")
	token = strings.TrimSpace(token)
	anybody := d.another()
	if _, body, _ := anybody.get("/stop/" + token); !strings.Contains(body, "edda-galindo@post.example") {
		t.Error("the link at the foot of a letter")
	}
	if profile, _ := store.FindProfile(context.Background(), d.house.Reader(), d.house.State().ID("society"), "edda-galindo"); profile.NoMail {
		t.Error("looking at it stops letters")
	}
	anybody.post("/stop/" + token)
	if profile, _ := store.FindProfile(context.Background(), d.house.Reader(), d.house.State().ID("society"), "edda-galindo"); !profile.NoMail {
		t.Error("letters are not stopped")
	}
}

func TestWhoAsksIsAnsweredBesideWhatItOpens(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	body := d.shows("/sites/variable-stars/members", "nadia@lens.example", "I photograph the show night", "Add them to the guest list", "Add them to Variable Stars class")
	id := regexp.MustCompile(`action="/sites/variable-stars/members/asking"><input type="hidden" name="id" value="(\d+)"`).FindStringSubmatch(body)
	if id == nil || !regexp.MustCompile(`Make them a member</button><span>\s*opens nothing to them`).MatchString(body) {
		t.Fatal("what each way opens is not said")
	}
	d.post("/sites/variable-stars/members/asking", "id", id[1], "way", "group:variable-stars", "word", "Welcome")
	if person := d.house.Actor(access.Address{Local: "nadia", Domain: "lens.example"}); !d.house.State().Policy.InGroup("variable-stars", d.house.State().Identity(person.Who), access.At(d.house.Now())) {
		t.Error("the answer did not go into the group")
	}
	d.post("/sites/variable-stars/members/asking", "id", id[1], "way", "guest")
	d.shows("/sites/variable-stars/members", "somebody else was quicker", "Nobody asks.")
	if list, err := d.house.Outbox.Mails(context.Background(), "nadia@lens.example", 9); err != nil || len(list) != 1 || !strings.Contains(list[0].Text, "Welcome") {
		t.Errorf("%+v %v", list, err)
	}
}

func TestAnInvitationAsItIsMet(t *testing.T) {
	d := openDesk(t).signIn("pilar@cerroalcor.example")
	d.post("/sites/society/team/invite", "list", "bram@cerroalcor.example", "role", "editor", "under", "/", "word", "For August")
	links := regexp.MustCompile(`/invitations/[\w-]+`).FindString(d.shows("/sites/society/team", "Hand these links on", "Waiting since just now"))
	shown := strings.Contains(d.shows("/sites/society/team"), links)
	d.post("/sites/society/team/links")
	if links == "" || !shown || strings.Contains(d.shows("/sites/society/team"), links) {
		t.Error("a link to hand on is shown until it is hidden")
	}
	d.another().shows(links, "Pilar Quintero invites you", "For August", "There is an account for bram@cerroalcor.example.")
	d.shows(links, "You are signed in under another address", "Continue as bram@cerroalcor.example")
	if status, body, _ := d.post(links, "action", "accept"); status != http.StatusGone || !strings.Contains(body, "for another address") {
		t.Errorf("accepted under another address: %d", status)
	}
	d.shows("/sites/society/team?invitation="+regexp.MustCompile(`name="id" value="([\w-]+)"`).FindStringSubmatch(d.shows("/sites/society/team"))[1], "Save the invitation")
	bram := d.another().signIn("bram@cerroalcor.example")
	bram.shows("/account", "You are invited", "Editor, for the whole site")
	if _, _, h := bram.post(links, "action", "accept"); h.Get("Location") != "/sites/society" {
		t.Errorf("led to %q", h.Get("Location"))
	}
	if got := words.CapabilityWords(d.house.Can(d.house.Actor(access.Address{Local: "bram", Domain: "cerroalcor.example"}), "society", "/")); got != "see the draft and edit pages" {
		t.Error(got)
	}
	bram.post("/sites/society/team/leave-self")
	if d.house.Can(d.house.Actor(access.Address{Local: "bram", Domain: "cerroalcor.example"}), "society", "/") != 0 {
		t.Error("he has not left")
	}
}
