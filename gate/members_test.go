package gate

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"velada/app/accounts"
	"velada/app/members"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// form writes the fields of a form from pairs.
func fields(pairs ...string) string {
	v := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		v.Add(pairs[i], pairs[i+1])
	}
	return v.Encode()
}

func (d *door) post(site, path, cookie string, pairs ...string) *http.Response {
	d.Helper()
	a := asked{site: site, path: path, method: http.MethodPost, form: fields(pairs...), header: map[string]string{"Sec-Fetch-Site": "same-origin"}}
	if cookie != "" {
		a.cookies = []string{cookie}
	}
	return d.ask(a)
}

func (d *door) get(site, path, cookie string) (int, string) {
	d.Helper()
	a := asked{site: site, path: path}
	if cookie != "" {
		a.cookies = []string{cookie}
	}
	r := d.ask(a)
	return r.StatusCode, body(d, r)
}

// letter returns where the latest letter to an address leads.
func (d *door) letter(to string) string {
	d.Helper()
	list, err := d.house.Outbox.Mails(context.Background(), to, 1)
	if err != nil || len(list) == 0 {
		d.Fatalf("no letter to %s: %v", to, err)
	}
	for _, line := range strings.Split(list[0].Text, "\n") {
		if u, err := url.Parse(line); err == nil && u.Scheme == "http" {
			return u.Path
		}
	}
	return ""
}

func openForMembers(t *testing.T) *door {
	d := open(t)
	d.house.ConsoleURL, d.house.SiteURL = "http://velada.localhost", siteURL
	return d
}

func (d *door) actor(address string) house.Actor {
	a, err := access.ParseAddress(address)
	if err != nil {
		d.Fatal(err)
	}
	return d.house.Actor(a)
}

func TestSigningUpCountsOnceTheAddressIsProven(t *testing.T) {
	d := openForMembers(t)
	if status, text := d.get("society", "/members", ""); status != 401 || !strings.Contains(text, `href="/velada/join?path=%2Fmembers"`) {
		t.Errorf("%d: joining is not offered", status)
	}
	status, text := d.get("society", "/velada/join?path=/members", "")
	if status != 200 || !strings.Contains(text, "What brings you to the observatory?") || !strings.Contains(text, "Members look after the instruments") {
		t.Errorf("%d %.600s", status, text)
	}
	r := d.post("society", "/velada/join", "", "name", "Zoe", "address", "zoe", "path", "/members")
	if text := body(t, r); r.StatusCode != 422 || !strings.Contains(text, `value="Zoe"`) || strings.Count(text, `role="alert"`) != 3 {
		t.Errorf("%d: what is wrong is not said\n%s", r.StatusCode, text)
	}
	join := []string{"name", "Zoe", "address", "zoe@post.example", "password", "chosen by whoever asked", "answer0", "The stars", "agreed", "yes", "path", "/members"}
	if text := body(t, d.post("society", "/velada/join", "", join...)); !strings.Contains(text, "A message to zoe@post.example is written. No mail server sends it") {
		t.Error(text)
	}
	before := len(d.house.State().SiteDocument("society").Members)
	link := d.letter("zoe@post.example")
	if status, text := d.get("society", link, ""); status != 200 || !strings.Contains(text, "This begins an account for zoe@post.example, and asks for you to become a member of Cerro Alcor Society") || len(d.house.State().SiteDocument("society").Members) != before {
		t.Errorf("%d: looking at the link spends it", status)
	}
	if r := d.post("variable-stars", link, ""); r.StatusCode != http.StatusGone {
		t.Errorf("another site takes the link: %d", r.StatusCode)
	}
	if r := d.post("society", link, "", "name", "Zoe"); r.StatusCode != http.StatusUnprocessableEntity || len(r.Cookies()) != 0 {
		t.Errorf("without a password of whoever follows the link: %d", r.StatusCode)
	}
	r = d.post("society", link, "", "name", "Zoe", "password", "walnut ferry indigo moss")
	if r.StatusCode != 303 || r.Header.Get("Location") != "/members" || len(r.Cookies()) != 1 || r.Cookies()[0].Name != visitCookie {
		t.Fatalf("%d to %q with %v", r.StatusCode, r.Header.Get("Location"), r.Cookies())
	}
	cookie := visitCookie + "=" + r.Cookies()[0].Value
	from := house.From{IP: "192.0.2.1"}
	if _, err := accounts.SignIn(t.Context(), d.house, "zoe@post.example", "chosen by whoever asked", from); err == nil {
		t.Error("whoever asked chose the password")
	}
	if _, err := accounts.SignIn(t.Context(), d.house, "zoe@post.example", "walnut ferry indigo moss", from); err != nil {
		t.Errorf("who followed the link does not sign in: %v", err)
	}
	if status, text := d.get("society", "/members", cookie); status != 403 || !strings.Contains(text, "Your request is waiting") {
		t.Errorf("waiting: %d", status)
	}
	if r := d.post("society", link, ""); r.StatusCode != http.StatusGone {
		t.Errorf("the link works twice: %d", r.StatusCode)
	}
	seun := d.actor("seun@cerroalcor.example")
	if n, err := members.ChangeMembers(context.Background(), d.house, seun, members.MembersChange{Site: "society", People: []string{"zoe"}, Change: members.Admit, Word: "Welcome to the hill"}); err != nil || n != 1 {
		t.Fatal(n, err)
	}
	if d.letter("zoe@post.example") != "/" {
		t.Error("she is not told")
	}
	if status, _ := d.get("society", "/members", cookie); status != 200 {
		t.Errorf("admitted: %d", status)
	}
	if _, err := members.ChangeMembers(context.Background(), d.house, seun, members.MembersChange{Site: "society", People: []string{"zoe"}, Change: members.Block, Word: ""}); err != nil {
		t.Fatal(err)
	}
	if status, text := d.get("society", "/members", cookie); status != 403 || strings.Contains(text, "become a member") {
		t.Errorf("blocked while inside: %d", status)
	}
	if status, text := d.get("society", "/velada/join", cookie); status != 403 || !strings.Contains(text, "You cannot become a member here.") {
		t.Errorf("a blocked member asks again: %d", status)
	}
	if status, _ := d.get("dossier", "/velada/join", ""); status != 403 {
		t.Errorf("where signing up is closed: %d", status)
	}
	if status, _ := d.get("august", "/velada/join", ""); status != 404 {
		t.Errorf("a site that is not there: %d", status)
	}
}

// member returns an approved member of the society, signed in there.
func (d *door) member() (id, cookie string) {
	for _, m := range d.house.State().SiteDocument("society").Members {
		if m.Status == "approved" {
			for _, p := range d.house.State().Policy.Document().People {
				if p.ID == m.Who {
					return m.Who, d.visiting(p.Address, "society")
				}
			}
		}
	}
	d.Fatal("no member")
	return "", ""
}

func TestAMemberHasAPage(t *testing.T) {
	d := openForMembers(t)
	id, cookie := d.member()
	outside := d.visiting("mateo@cerroalcor.example", "society")
	if status, text := d.get("society", "/velada/me", cookie); status != 200 || !strings.Contains(text, "What you answered when you signed up") {
		t.Errorf("%d", status)
	}
	if status, _ := d.get("society", "/velada/me", outside); status != 403 {
		t.Errorf("who is no member: %d", status)
	}
	if status, _ := d.get("society", "/velada/me", ""); status != 303 {
		t.Errorf("a stranger: %d", status)
	}
	if r := d.post("society", "/velada/me", cookie, "name", "", "about", "x"); r.StatusCode != 422 {
		t.Errorf("no name: %d", r.StatusCode)
	}
	if r := d.post("society", "/velada/me", cookie, "name", "Moonwatcher", "about", "On <b>Fridays</b>", "shows", "name", "shows", "about"); r.StatusCode != 303 {
		t.Errorf("%d", r.StatusCode)
	}
	_, list := d.get("society", "/velada/members", cookie)
	if !strings.Contains(list, "Moonwatcher") || !strings.Contains(list, "On &lt;b&gt;Fridays") || strings.Contains(list, "@aula.cerroalcor.example") || strings.Contains(list, "@post.example") {
		t.Errorf("%.900s", list)
	}
	for who, cookie := range map[string]string{"who is no member": outside, "a stranger": ""} {
		if status, text := d.get("society", "/velada/members", cookie); status != 404 || strings.Contains(text, "Moonwatcher") {
			t.Errorf("%s sees the list: %d", who, status)
		}
		if status, _ := d.get("society", "/velada/picture/"+id, cookie); status != 404 {
			t.Errorf("%s sees a picture: %d", who, status)
		}
	}
	if _, data := d.get("society", "/velada/me/data", cookie); !strings.Contains(data, `"Moonwatcher"`) || !strings.Contains(data, `"comments"`) {
		t.Error(data)
	}
	if r := d.post("society", "/velada/me/leave", cookie); r.StatusCode != 422 || d.house.Member("society", d.actorOf(id).Who) == "" {
		t.Errorf("left without meaning it: %d", r.StatusCode)
	}
	d.post("society", "/velada/me/leave", cookie, "sure", "yes")
	profile, err := store.FindProfile(context.Background(), d.house.Reader(), d.house.State().ID("society"), id)
	if d.house.Member("society", d.actorOf(id).Who) != "" || err != nil || profile.Name != "" || len(d.house.State().Site("society").Comments["/members"]) != 1 {
		t.Errorf("what was said is still there: %+v %v", profile, err)
	}
}

func (d *door) actorOf(id string) house.Actor {
	for _, p := range d.house.State().Policy.Document().People {
		if p.ID == id {
			return d.actor(p.Address)
		}
	}
	d.Fatal("nobody is " + id)
	return house.Actor{}
}

// Of many comments the last ones stand on the page, and the others on pages of their own, for
// those to whom the page opens.
func TestManyComments(t *testing.T) {
	d := openForMembers(t)
	id, _ := d.member()
	site := d.house.State().ID("society")
	d.must(d.house.Change(d.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error { // more than anybody may write in a while
		for i := range 112 {
			c := store.Comment{Site: site, Path: "/members", Person: id, At: d.now, Status: "shown", Text: fmt.Sprintf("Comment number %d.", i)}
			if err := store.SaveComment(tx.Context(), tx, &c, d.now); err != nil {
				return err
			}
		}
		return nil
	}))
	d.must(d.house.Reload(d.Context()))
	ines := d.visiting("ines@cerroalcor.example", "society")
	reads := func(path string, first, last, missing string) string {
		t.Helper()
		status, text := d.get("society", path, ines)
		if status != 200 || !strings.Contains(text, first) || !strings.Contains(text, last) || strings.Contains(text, missing) {
			t.Errorf("%s: %d, not from %s to %s without %s", path, status, first, last, missing)
		}
		return text
	}
	if text := reads("/members", "Comment number 62.", "Comment number 111.", "Comment number 61."); !strings.Contains(text, "/velada/comments?from=1&amp;path=%2Fmembers") {
		t.Error("no way to the earlier ones")
	}
	if text := reads("/velada/comments?path=/members&from=1", "Comment number 12.", "Comment number 61.", "Comment number 62."); !strings.Contains(text, `href="/members#comments"`) || strings.Contains(text, "Write a comment") {
		t.Error("no way back to the later ones")
	}
	reads("/velada/comments?path=/members&from=2", "The red lamps are back", "Comment number 11.", "Comment number 12.")
	for _, path := range []string{"/velada/comments?path=/members&from=3", "/velada/comments?path=/members&from=-1", "/velada/comments?path=/visit&from=0", "/velada/comments?path=/nowhere&from=1", "/velada/comments"} {
		if status, _ := d.get("society", path, ines); status != 404 {
			t.Errorf("%s: %d", path, status)
		}
	}
	if status, text := d.get("society", "/velada/comments?path=/members&from=1", ""); status == 200 || strings.Contains(text, "Comment number") {
		t.Errorf("a stranger reads them: %d", status)
	}
}

func TestCommentsAreMembersAlone(t *testing.T) {
	d := openForMembers(t)
	_, cookie := d.member()
	if _, text := d.get("society", "/members", cookie); !strings.Contains(text, "The red lamps are back") || strings.Contains(text, "Is the small dome free") || !strings.Contains(text, "Write a comment") {
		t.Error("what waits is shown, or what is approved is not")
	}
	if r := d.post("society", "/velada/comment", cookie, "path", "/members", "text", "<script>x</script> Clear tonight"); r.StatusCode != 303 {
		t.Errorf("%d", r.StatusCode)
	}
	_, mine := d.get("society", "/members", cookie)
	ines := d.visiting("ines@cerroalcor.example", "society")
	if _, others := d.get("society", "/members", ines); !strings.Contains(mine, "waits to be approved") || strings.Contains(mine, "<script>x") || strings.Contains(others, "Clear tonight") {
		t.Error("a comment that waits is shown to others, or its author does not see it")
	}
	comments := d.house.State().Site("society").Comments["/members"]
	last := comments[len(comments)-1]
	ctx, seun := context.Background(), d.actor("seun@cerroalcor.example")
	if err := moderate(ctx, d.house, seun, "society", last.ID, true); err != nil {
		t.Fatal(err)
	}
	if _, others := d.get("society", "/members", ines); !strings.Contains(others, "Clear tonight") {
		t.Error("approved, and not shown for the very next request")
	}
	other := d.actorOf(comments[1].Person)
	if err := members.ChangeComment(ctx, d.house, "society", last.ID, other.Who, "mine now"); err == nil {
		t.Error("another's comment is changed")
	}
	if err := moderate(ctx, d.house, d.actor("jonas@cerroalcor.example"), "society", last.ID, false); err == nil {
		t.Error("an editor moderates")
	}
	d.post("society", "/velada/comment", cookie, "path", "/visit", "text", "Not here")
	d.post("society", "/velada/comment", d.visiting("mateo@cerroalcor.example", "society"), "path", "/members", "text", "Not me")
	if r := d.post("society", "/velada/comment", cookie, "path", "/members", "text", "  "); r.StatusCode != 200 || !strings.Contains(body(t, r), "Write something") {
		t.Errorf("an empty one: %d", r.StatusCode)
	}
	if n := len(d.house.State().Site("society").Comments["/members"]); n != 3 || len(d.house.State().Site("society").Comments["/visit"]) != 0 {
		t.Errorf("%d comments", n)
	}
	if r := d.ask(asked{site: "society", path: "/velada/comment", method: "POST", form: "path=/members&text=x", cookies: []string{cookie}, header: map[string]string{"Sec-Fetch-Site": "same-site"}}); r.StatusCode != 403 {
		t.Errorf("from another origin: %d", r.StatusCode)
	}
}

func TestWhoIsTurnedAwayAsksAndIsLetIn(t *testing.T) {
	d := openForMembers(t)
	ctx := context.Background()
	tobias := d.visiting("tobias@lens.example", "instrument-log")
	status, text := d.get("instrument-log", "/", tobias)
	if status != 403 || !strings.Contains(text, "Ask to be let in") {
		t.Fatalf("%d %.500s", status, text)
	}
	if text := body(t, d.post("instrument-log", "/velada/ask", tobias, "path", "/", "word", "For one night")); !strings.Contains(text, "You have asked") {
		t.Error(text)
	}
	asks, err := store.LetIns(ctx, d.house.Reader(), d.house.State().ID("instrument-log"))
	if err != nil || len(asks) != 1 || asks[0].Word != "For one night" {
		t.Fatalf("%+v %v", asks, err)
	}
	ines := d.actor("ines@cerroalcor.example")
	ways := members.WaysToSayYes(ctx, d.house, ines, asks[0])
	says := map[string]bool{}
	for _, w := range ways {
		says[w.ID] = w.Enough
	}
	if !says["guest"] || !says["group:night-crew"] || says["member"] {
		t.Errorf("%+v", says)
	}
	if err := members.AnswerLetIn(ctx, d.house, d.actor("tobias@lens.example"), "instrument-log", asks[0].ID, "guest", ""); err == nil {
		t.Error("he lets himself in")
	}
	if err := members.AnswerLetIn(ctx, d.house, ines, "instrument-log", asks[0].ID, "guest", "Wrap up warm"); err != nil {
		t.Fatal(err)
	}
	if status, _ := d.get("instrument-log", "/", tobias); status != 200 {
		t.Errorf("let in: %d", status)
	}
	if d.letter("tobias@lens.example") != "/" {
		t.Error("he is not told")
	}
	// a stranger proves an address first
	ask := d.post("instrument-log", "/velada/ask", "", "path", "/", "address", "zoe@press.example")
	if ask.StatusCode != 303 {
		t.Errorf("a stranger who can sign in is asked to do that, not to ask: %d", ask.StatusCode)
	}
	// a site that wants no questions
	if err := members.SetMembership(ctx, d.house, ines, "dossier", house.Membership{NoAsking: true}); err != nil {
		t.Fatal(err)
	}
	if _, text := d.get("dossier", "/", d.visiting("tobias@lens.example", "dossier")); strings.Contains(text, "Ask to be let in") {
		t.Error("it lets ask where that is switched off")
	}
}

func TestLettersToMembersCanBeStopped(t *testing.T) {
	d := openForMembers(t)
	ctx, seun := context.Background(), d.actor("seun@cerroalcor.example")
	sent, unwanted, err := members.WriteToMembers(ctx, d.house, seun, "society", nil, "Friday", "The dome is open.\n\nBring a coat.")
	if err != nil || sent == 0 || sent+unwanted != 18 {
		t.Fatal(sent, unwanted, err)
	}
	list, _ := d.house.Outbox.Mails(ctx, "Friday", 50)
	if len(list) != sent || !strings.Contains(list[0].Text, "No more mail of this kind:") {
		t.Fatalf("%d letters", len(list))
	}
	_, token, _ := strings.Cut(list[0].Text, "/stop/")
	token = strings.TrimSpace(token)
	if _, _, err := members.Stop(ctx, d.house, token[:len(token)-2]+"xx", true); err == nil {
		t.Error("a made-up link stops somebody's letters")
	}
	site, address, err := members.Stop(ctx, d.house, token, true)
	if err != nil || site != "society" || address != list[0].Address {
		t.Fatal(site, address, err)
	}
	again, _, err := members.WriteToMembers(ctx, d.house, seun, "society", nil, "Saturday", "Again.")
	if err != nil || again != sent-1 {
		t.Errorf("%d letters after one was stopped: %v", again, err)
	}
	if _, _, err := members.WriteToMembers(ctx, d.house, d.actor("jonas@cerroalcor.example"), "society", nil, "x", "y"); err == nil {
		t.Error("an editor writes to members")
	}
}

func TestTheCornerAndTheFirstPage(t *testing.T) {
	d := openForMembers(t)
	ines := d.actor("ines@cerroalcor.example")
	if err := members.SetMembership(context.Background(), d.house, ines, "society", house.Membership{Corner: "foot", SignIn: "For members", Yours: "My hill", First: "/members"}); err != nil {
		t.Fatal(err)
	}
	if _, text := d.get("society", "/", ""); !strings.Contains(text, ">For members</a>") || strings.Index(text, "For members") < strings.Index(text, "</main>") {
		t.Error("the corner is not at the foot")
	}
	_, cookie := d.member()
	if _, text := d.get("society", "/", cookie); !strings.Contains(text, `<a href="/velada/me">My hill</a>`) {
		t.Error("it does not know who is signed in")
	}
	code := d.post("society", "/velada/leave", cookie)
	if code.StatusCode != 303 {
		t.Error(code.StatusCode)
	}
	var wrong house.FieldErrors
	err := members.SetMembership(context.Background(), d.house, ines, "society", house.Membership{First: "nowhere", Comments: []string{"a?b#"}})
	if wrong, _ = err.(house.FieldErrors); wrong["first"] == "" || wrong["comments"] == "" {
		t.Errorf("%v", err)
	}
}

func TestCallingForASecondStepEndsVisitsWithoutOne(t *testing.T) {
	d := openForMembers(t)
	ines, mirela := d.visiting("ines@cerroalcor.example", "instrument-log"), d.visiting("mirela@brasov.example", "variable-stars")
	if status, _ := d.get("instrument-log", "/", ines); status != 200 {
		t.Fatal(status)
	}
	err := d.house.ChangeSettings(context.Background(), d.actor("ines@cerroalcor.example"), "x", func(s *house.Settings) { s.SecondStep = []string{house.Steward} })
	if err != nil {
		t.Fatal(err)
	}
	if status, _ := d.get("instrument-log", "/", ines); status == 200 {
		t.Error("a steward without a second step is still inside")
	}
	if status, _ := d.get("variable-stars", "/notes", mirela); status != 200 {
		t.Errorf("somebody of whom none is called for is out: %d", status)
	}
}

func moderate(ctx context.Context, h *house.House, a house.Actor, site string, id int64, show bool) error {
	_, err := members.ModerateComments(ctx, h, a, site, []int64{id}, show)
	return err
}

// The list of members is searched by what they show, and comes page by page.
func TestALongListOfMembers(t *testing.T) {
	d := openForMembers(t)
	site := d.house.State().ID("society")
	var who []string
	err := d.house.Change(t.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error {
		doc := tx.Document()
		for i := range 130 {
			id := fmt.Sprintf("reader-%03d", i)
			doc.People = append(doc.People, access.Person{ID: id, Name: fmt.Sprintf("Reader %03d", i), Address: fmt.Sprintf("hidden%03d@else.example", i)})
			who = append(who, id)
		}
		draft := tx.Site("society")
		for _, id := range who {
			draft.Members = append(draft.Members, access.Member{Who: id, Status: "approved"})
		}
		return nil
	})
	if err == nil {
		err = d.house.Change(t.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error {
			for i, id := range who {
				p := store.Profile{Person: id, About: fmt.Sprintf("Looks at nebula %d.", i), Shows: map[string]bool{"name": true, "about": i%2 == 0}}
				if err := store.SaveProfile(t.Context(), tx, site, p); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err != nil {
		t.Fatal(err)
	}
	cookie := d.visiting("hidden000@else.example", "society")
	count := func(path string) int {
		status, text := d.get("society", path, cookie)
		if status != 200 || strings.Contains(text, "@else.example") {
			t.Fatalf("%s: %d", path, status)
		}
		return strings.Count(text, "<b>Reader ")
	}
	if n := count("/velada/members"); n == 0 || n > 60 {
		t.Errorf("%d on the first page", n)
	}
	seen := 0
	for page := 1; page < 5; page++ {
		seen += count(fmt.Sprintf("/velada/members?rows=%d", page))
	}
	if seen != 130 || count("/velada/members?rows=99") != 0 {
		t.Errorf("%d on all pages", seen)
	}
	for words, want := range map[string]int{"reader+00": 10, "NEBULA+12": 6, "nebula+13.": 0, "hidden001": 0, "reader+1&rows=2": 0} {
		if n := count("/velada/members?find=" + words); n != want {
			t.Errorf("%s: %d, not %d", words, n, want)
		}
	}
}
