package gate

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"velada/app/members"
	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// memberPages answers what members, and who wants to be one, ask for.
type memberPages struct{ *request }

// memberSight is what the pages of membership show.
type memberSight struct {
	Begins        *members.Begins // what the link of a letter is for
	Values        map[string]string
	Wrong         house.FieldErrors
	Questions     []question
	Terms         string
	SignedIn      bool
	Says          string // in place of the form
	Profile       store.Profile
	Address       string
	Shows         []showing
	Account       string // where the account is looked after
	List          bool   // there is a list of members
	Members       []listed
	Find          string // words searched for in their list
	Many          bool   // it is so long that one searches
	Before, After string // where the lines before and after are
	Token         string
	Domains       []string
}

type question struct{ Name, Text, Answer, Wrong string }

type showing struct {
	ID, Name string
	On       bool
}

type listed struct{ Name, About, Address, Picture string }

// commentSight is what stands below a page where members write comments.
type commentSight struct {
	List  []commentLine
	May   bool   // whoever reads may write
	Held  bool   // what they write waits until it is approved
	Says  string // what became of the last one
	Wrong string
	Text  string
	Path  string

	Earlier, Later string // where the comments before and after these are; "" where there are none
}

type commentLine struct {
	ID               int64
	Name, Text, When string
	Changed          bool
	Mine, Waits      bool
	To               string // whom it answers
}

// private sends a page that is for one visitor alone.
func (q memberPages) private(name string, status int, title string, m *memberSight) {
	s := q.meeting().sight(title)
	s.Member = m
	if q.who == "" {
		s.SignIn = q.signInURL()
	}
	q.meeting().send(name, status, s)
}

func (q memberPages) siteURL(path string) func(token string) string {
	return func(token string) string { return q.gate.SiteURL(q.address) + path + token }
}

// members answers the pages of membership; false where rest is none of them.
func (q memberPages) members(rest string) bool {
	if q.as != nil {
		switch rest {
		case "join", "me", "members", "ask", "comment", "comments", "news", "follow", "feed-address", "me/leave", "me/data", "me/picture":
			q.notYours()
			return true
		}
		return false
	}
	get, post := q.Method == http.MethodGet, q.Method == http.MethodPost
	token, byMail := strings.CutPrefix(rest, "by-mail/")
	person, picture := strings.CutPrefix(rest, "picture/")
	switch {
	case rest == "join" && get:
		q.join(http.StatusOK, map[string]string{"path": q.URL.Query().Get("path")}, nil)
	case rest == "join" && post:
		q.doJoin()
	case byMail && get:
		q.byMail(http.StatusOK, token, nil, nil)
	case byMail && post:
		q.prove(token)
	case rest == "me" && get:
		q.me(http.StatusOK, nil, nil)
	case rest == "me" && post:
		q.doMe()
	case rest == "me/data" && get:
		q.myData()
	case rest == "me/leave" && post:
		q.leaveSite()
	case rest == "members" && get:
		q.memberList()
	case picture && get:
		q.picture(person)
	case rest == "news" && get:
		q.news(http.StatusOK, "")
	case rest == "news" && post:
		q.chooseNews()
	case rest == "follow" && post:
		q.follows()
	case rest == "feed-address" && post:
		q.feedAddress()
	case rest == "ask" && post:
		q.ask()
	case rest == "comment" && post:
		q.comment()
	case rest == "comments" && get:
		q.earlierComments()
	default:
		return false
	}
	return true
}

// form reads a form from this host, of at most so many bytes; false where it was
// refused.
func (q memberPages) form(most int64) bool {
	if !q.fromHere() {
		return false
	}
	q.Body = http.MaxBytesReader(q.w, q.Body, most)
	err := q.ParseMultipartForm(1 << 20)
	if err == nil || errors.Is(err, http.ErrNotMultipart) {
		return true
	}
	status, text := http.StatusBadRequest, "What you sent arrived in part only. Nothing was changed: go back, what you typed is still there, and send it again."
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		status, text = http.StatusRequestEntityTooLarge, "What you sent is too large. Nothing was changed: go back, what you typed is still there."
	}
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Error(q.w, text, status)
	return false
}

func (q memberPages) join(status int, values map[string]string, wrong house.FieldErrors) {
	m := q.state.Site(q.address).Membership
	v := &memberSight{Values: values, Wrong: wrong, Terms: m.Terms, SignedIn: q.who != "", Says: members.SignUpOpen(q.gate.House, q.address, q.who)}
	if doc := q.state.SiteDocument(q.address); doc != nil {
		v.Domains = doc.SignUp.Domains
	}
	for i, text := range m.Questions {
		name := fmt.Sprintf("answer%d", i)
		v.Questions = append(v.Questions, question{name, text, values[name], wrong[name]})
	}
	if v.Says != "" && status == http.StatusOK {
		status = http.StatusForbidden
	}
	q.private("join.html", status, "Become a member", v)
}

func (q memberPages) doJoin() {
	if !q.form(64 << 10) {
		return
	}
	values := map[string]string{}
	for _, name := range []string{"name", "address", "path", "agreed"} {
		values[name] = q.PostFormValue(name)
	}
	a := members.Applying{Path: local(values["path"]), Name: values["name"], Address: values["address"], Agreed: values["agreed"] == "yes"}
	for i := range q.state.Site(q.address).Membership.Questions {
		name := fmt.Sprintf("answer%d", i)
		values[name] = q.PostFormValue(name)
		a.Answers = append(a.Answers, values[name])
	}
	letter, err := members.ApplyForMembership(q.Context(), q.gate.House, q.address, a, q.who, q.from(), q.siteURL("/velada/by-mail/"))
	var wrong house.FieldErrors
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		q.join(http.StatusTooManyRequests, values, house.FieldErrors{"address": later.Error()})
	case errors.As(err, &wrong):
		q.join(http.StatusUnprocessableEntity, values, wrong)
	case err != nil:
		panic(err)
	case letter:
		q.private("said.html", http.StatusOK, "Check your mail", &memberSight{Says: q.gate.House.LetterSays(a.Address) + " The link in it proves that the address is yours, and there you choose a password; before that nothing counts."})
	default:
		q.path = local(values["path"])
		if first := q.state.Site(q.address).Membership.First; first != "" {
			q.path = first
		}
		q.back()
	}
}

// byMail shows what begins with the link of a letter.
func (q memberPages) byMail(status int, token string, values map[string]string, wrong house.FieldErrors) {
	b, err := members.WhatBegins(q.Context(), q.gate.House, token, q.address)
	switch {
	case errors.Is(err, house.ErrLinkSpent):
		q.linkSpent()
		return
	case err != nil:
		panic(err)
	}
	if values == nil {
		values = map[string]string{"name": b.Name}
	}
	q.private("by-mail.html", status, "Your e-mail address", &memberSight{Token: token, Begins: b, Values: values, Wrong: wrong})
}

func (q memberPages) linkSpent() {
	q.private("said.html", http.StatusGone, "This link has ended", &memberSight{Says: "This link ended or was used already. Ask for another one."})
}

// prove spends the link of a letter.
func (q memberPages) prove(token string) {
	if !q.form(32 << 10) {
		return
	}
	name := q.PostFormValue("name")
	p, err := members.ProveOnSite(q.Context(), q.gate.House, token, q.address, name, q.PostFormValue("password"))
	var wrong house.FieldErrors
	switch {
	case errors.Is(err, house.ErrLinkSpent):
		q.linkSpent()
	case errors.As(err, &wrong):
		q.byMail(http.StatusUnprocessableEntity, token, map[string]string{"name": name}, wrong)
	case err != nil:
		panic(err)
	case p.Kind == members.LinkAsk:
		q.private("said.html", http.StatusOK, "You have asked", &memberSight{Says: "Those who look after this site are asked to let you in. Their answer goes to your address."})
	case p.Session != "":
		value, err := q.gate.House.Sessions.SiteSessionFrom(q.Context(), q.gate.House.State().ID(q.address), p.Session)
		if err != nil {
			panic(err)
		}
		q.cookie(visitCookie, value, house.SiteSessionLife)
		q.path = p.Path
		q.back()
	default: // signing in takes more than the letter: the door says so
		q.path = p.Path
		q.back()
	}
}

// myAddress is the address of whoever is signed in.
func (q memberPages) myAddress() string {
	a, _ := q.state.AddressOf(q.who)
	return a.String()
}

var showingNames = map[string]string{"name": "my name", "picture": "my picture", "about": "what I say about myself", "address": "my address"}

func (q memberPages) me(status int, values map[string]string, wrong house.FieldErrors) {
	if q.who == "" {
		q.path = "/velada/me"
		headers(q.w)
		q.w.Header().Set("Cache-Control", "private, no-store")
		http.Redirect(q.w, q.Request, q.signInURL(), http.StatusSeeOther)
		return
	}
	p, err := members.Profile(q.Context(), q.gate.House, q.address, q.who)
	if errors.Is(err, house.ErrMayNot) {
		q.private("said.html", http.StatusForbidden, "You are no member", &memberSight{Says: "You are signed in, and no member of this site."})
		return
	}
	if err != nil {
		panic(err)
	}
	v := &memberSight{Values: values, Wrong: wrong, Profile: p, Address: q.myAddress(), Account: q.gate.Console + "/account", List: q.state.Site(q.address).Membership.List}
	if values == nil {
		v.Values = map[string]string{"name": p.Name, "about": p.About}
	}
	for _, id := range members.Shown {
		v.Shows = append(v.Shows, showing{id, showingNames[id], p.Shows[id]})
	}
	q.private("me.html", status, "Your page", v)
}

func (q memberPages) doMe() {
	if q.who == "" || !q.form(mostPortraitForm) {
		if q.who == "" {
			q.me(http.StatusOK, nil, nil)
		}
		return
	}
	p := store.Profile{Name: q.PostFormValue("name"), About: q.PostFormValue("about"), NoMail: q.PostFormValue("mail") != "yes", Shows: map[string]bool{}}
	for _, id := range q.PostForm["shows"] {
		if slices.Contains(members.Shown, id) {
			p.Shows[id] = true
		}
	}
	var picture []byte
	if file, head, err := q.FormFile("picture"); err == nil && head.Size > 0 {
		picture, err = io.ReadAll(file)
		if err != nil {
			panic(err)
		}
	}
	if q.MultipartForm != nil {
		defer q.MultipartForm.RemoveAll()
	}
	err := members.ChangeProfile(q.Context(), q.gate.House, q.address, q.who, p, picture, q.PostFormValue("no_picture") == "yes")
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		if len(picture) > 0 && wrong["picture"] == "" {
			wrong["picture"] = "Choose this file again: browsers do not keep it when another field has to be corrected."
		}
		q.me(http.StatusUnprocessableEntity, map[string]string{"name": p.Name, "about": p.About}, wrong)
	case errors.Is(err, house.ErrMayNot):
		q.me(http.StatusOK, nil, nil)
	case err != nil:
		panic(err)
	default:
		q.path = "/velada/me"
		q.back()
	}
}

func (q memberPages) myData() {
	if q.who == "" {
		q.me(http.StatusOK, nil, nil)
		return
	}
	data, err := members.MemberData(q.Context(), q.gate.House, q.address, q.who)
	if errors.Is(err, house.ErrMayNot) {
		q.me(http.StatusOK, nil, nil)
		return
	}
	if err != nil {
		panic(err)
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", "application/json")
	h.Set("Content-Disposition", `attachment; filename="my-data.json"`)
	h.Set("Cache-Control", "private, no-store")
	q.write(data)
}

func (q memberPages) leaveSite() {
	if q.who == "" || !q.form(mostSmallForm) {
		return
	}
	if q.PostFormValue("sure") != "yes" {
		q.me(http.StatusUnprocessableEntity, nil, house.FieldErrors{"sure": "Tick that you are sure."})
		return
	}
	if err := members.LeaveSite(q.Context(), q.gate.House, q.address, q.who); err != nil && !errors.Is(err, house.ErrMayNot) {
		panic(err)
	}
	q.path = "/"
	q.back()
}

// memberList shows members to members, each as they allow.
func (q memberPages) memberList() {
	if !q.state.Site(q.address).Membership.List || q.who == "" || q.gate.House.Member(q.address, q.who) == "" {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	v, err := q.membersShown()
	if err != nil {
		panic(err)
	}
	q.private("members.html", http.StatusOK, "Members", v)
}

// mostListed is how many members stand on a page of their list.
const mostListed = 60

// membersShown is a page of the list of members: of all who show something, or of those in
// whose line some words are.
func (q memberPages) membersShown() (*memberSight, error) {
	site, reader := q.state.ID(q.address), q.gate.House.Reader()
	v := &memberSight{Find: strings.TrimSpace(q.URL.Query().Get("find"))}
	page, _ := strconv.Atoi(q.URL.Query().Get("rows"))
	page = min(max(page, 1), 1_000_000)
	from, find := (page-1)*mostListed, strings.ToLower(v.Find)
	var profiles []store.Profile
	var err error
	if find == "" {
		profiles, err = store.ShownProfiles(q.Context(), reader, site, "", nil, from, mostListed+1)
	} else {
		profiles, err = store.ShownProfiles(q.Context(), reader, site, v.Find, q.membersCalled(find), 0, mostSearched)
	}
	if err != nil {
		return nil, err
	}
	for _, p := range profiles {
		if line := q.listed(p); strings.Contains(strings.ToLower(line.Name+" "+line.About+" "+line.Address), find) {
			v.Members = append(v.Members, line)
		}
	}
	if find != "" {
		v.Members = v.Members[min(from, len(v.Members)):]
	}
	at := func(n int) string {
		return "/velada/members?" + url.Values{"find": {v.Find}, "rows": {strconv.Itoa(n)}}.Encode()
	}
	if page > 1 {
		v.Before = at(page - 1)
	}
	if len(v.Members) > mostListed {
		v.Members, v.After = v.Members[:mostListed], at(page+1)
	}
	v.Many = v.Find != "" || v.Before != "" || v.After != ""
	return v, nil
}

// mostSearched is how many members are looked through for words that they show.
const mostSearched = 2000

// membersCalled are the members in whose name or address some words are, whether they show
// that or not.
func (q memberPages) membersCalled(words string) (ids []string) {
	doc := q.state.Policy.Document()
	for _, m := range q.state.SiteDocument(q.address).Members {
		if p := doc.Person(m.Who); p != nil && m.Status == "approved" && strings.Contains(strings.ToLower(p.Name+" "+p.Address), words) {
			ids = append(ids, m.Who)
		}
	}
	return ids
}

// listed is what a member shows in the list.
func (q memberPages) listed(p store.Profile) listed {
	line := listed{Name: "A member"}
	if p.Shows["name"] {
		if line.Name = p.Name; line.Name == "" {
			line.Name = q.personName(p.Person)
		}
	}
	if p.Shows["about"] {
		line.About = p.About
	}
	if p.Shows["address"] {
		a, _ := q.state.AddressOf(store.Who(p.Person))
		line.Address = a.String()
	}
	if p.Shows["picture"] && p.Picture != "" {
		line.Picture = "/velada/picture/" + p.Person
	}
	return line
}

// picture serves a member's picture to themself, and to members where it is shown.
func (q memberPages) picture(person string) {
	me := ""
	if q.who != "" {
		me = q.gate.House.Member(q.address, q.who)
	}
	p, err := store.FindProfile(q.Context(), q.gate.House.Reader(), q.state.ID(q.address), person)
	if err != nil {
		panic(err)
	}
	if me == "" || p.Picture == "" || me != person && (!p.Shows["picture"] || !q.state.Site(q.address).Membership.List) {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	q.beside(p.Kind, func() ([]byte, error) { return q.gate.House.FileData(q.Context(), &house.LiveFile{Blob: p.Picture}) })
}

// ask asks to be let in, where the one who asks was turned away and may.
func (q memberPages) ask() {
	if !q.form(16 << 10) {
		return
	}
	path, err := access.DocumentPath(q.PostFormValue("path"))
	if err != nil {
		path = "/"
	}
	q.path = path
	d := q.site.Decide(path, &q.visitor, q.at)
	if d.Outcome != access.Refused || !q.mayAsk() {
		q.back()
		return
	}
	values := map[string]string{"word": q.PostFormValue("word"), "address": q.PostFormValue("address")}
	letter, err := members.Ask(q.Context(), q.gate.House, q.address, values["address"], store.LetIn{Path: path, Word: values["word"], Who: q.who}, q.from(), q.siteURL("/velada/by-mail/"))
	var wrong house.FieldErrors
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		q.refused(d, http.StatusTooManyRequests, values, house.FieldErrors{"word": later.Error()})
	case errors.As(err, &wrong):
		q.refused(d, http.StatusUnprocessableEntity, values, wrong)
	case err != nil:
		panic(err)
	case letter:
		q.private("said.html", http.StatusOK, "Check your mail", &memberSight{Says: q.gate.House.LetterSays(values["address"]) + " Once you have followed the link in it, those who look after this site are asked."})
	default:
		q.private("said.html", http.StatusOK, "You have asked", &memberSight{Says: "Those who look after this site are asked to let you in. Their answer goes to your address."})
	}
}

// mayAsk reports whether the site lets those ask who are turned away.
func (q memberPages) mayAsk() bool { return !q.state.Site(q.address).Membership.NoAsking }

// refused shows the page of whoever is turned away, with a way to ask.
func (q memberPages) refused(d access.Decision, status int, values map[string]string, wrong house.FieldErrors) {
	s := q.meeting().sight("Not for you")
	if q.mayAsk() && q.as == nil {
		s.Member = &memberSight{Values: values, Wrong: wrong, SignedIn: q.who != ""}
	}
	if status == 0 {
		status = d.Status()
	}
	q.meeting().send("refused.html", status, s)
}

// personName is the name of a person of the house, by an index: there may be many.
func (q memberPages) personName(id string) string {
	identity, _ := q.state.Policy.Person(id)
	if p, known := q.state.Policy.PersonOf(identity); known && p.Name != "" {
		return p.Name
	}
	return id
}

// comments returns what stands below the page, nil where no comments are wanted.
func (q memberPages) comments() *commentSight { return q.commentsFrom(0) }

// mostComments is how many comments stand on a page at a time.
const mostComments = 50

// commentsFrom are comments of the page, the last ones on stretch 0 and those before on the
// next; nil where it has none, or no such stretch.
func (q memberPages) commentsFrom(stretch int) *commentSight {
	m := q.state.Site(q.address).Membership
	if !m.WantsComments(q.path) {
		return nil
	}
	me := q.reader(aboutAuthor, "")
	c := &commentSight{May: me != "", Held: m.Held, Path: q.path}
	var shown []store.Comment
	for _, one := range q.state.Site(q.address).Comments[q.path] {
		if one.Status != "held" || me != "" && one.Person == me {
			shown = append(shown, one)
		}
	}
	to := len(shown) - stretch*mostComments
	if stretch < 0 || stretch > 0 && to <= 0 {
		return nil
	}
	from := max(0, to-mostComments)
	for _, one := range shown[from:to] {
		line := commentLine{
			ID: one.ID, Name: q.personName(one.Person), Text: one.Text, When: words.Moment(one.At.In(q.state.Zone)),
			Changed: one.Changed, Mine: me != "" && one.Person == me, Waits: one.Status == "held",
		}
		if i := slices.IndexFunc(shown, func(c store.Comment) bool { return c.ID == one.Answers }); i >= 0 && one.Answers != 0 {
			line.To = q.personName(shown[i].Person)
		}
		c.List = append(c.List, line)
	}
	at := func(n int) string {
		return "/velada/comments?" + url.Values{"path": {q.path}, "from": {strconv.Itoa(n)}}.Encode()
	}
	if from > 0 {
		c.Earlier = at(stretch + 1)
	}
	if stretch > 1 {
		c.Later = at(stretch - 1)
	} else if stretch == 1 {
		c.Later = q.edition().URLPath(q.path) + "#comments"
	}
	return c
}

// earlierComments answers with comments of a page that no longer stand on it, for those to whom it opens.
func (q memberPages) earlierComments() {
	path, err := access.DocumentPath(q.URL.Query().Get("path"))
	if err != nil {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	q.path = path
	d := q.site.Decide(path, &q.visitor, q.at)
	stretch, err := strconv.Atoi(q.URL.Query().Get("from"))
	page := q.edition().Page(path)
	if d.Outcome != access.Open || err != nil || page == nil {
		if d.Outcome == access.Open {
			d.Outcome = access.Missing
		}
		q.meeting().meet(d)
		return
	}
	c := q.commentsFrom(stretch)
	if c == nil {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	c.May = false // one writes on the page itself
	s := q.meeting().sight(page.Title)
	s.NoIndex, s.Comments = true, c
	q.meeting().send("comments.html", http.StatusOK, s)
}

func (q memberPages) comment() {
	if !q.form(32 << 10) {
		return
	}
	path, err := access.DocumentPath(q.PostFormValue("path"))
	if err != nil || q.who == "" {
		q.path = "/"
		q.back()
		return
	}
	q.path = path
	text := q.PostFormValue("text")
	if id := q.PostFormValue("id"); id != "" {
		var n int64
		if _, err := fmt.Sscan(id, &n); err != nil {
			n = -1
		}
		if q.PostFormValue("action") == "drop" {
			text = ""
		}
		err = members.ChangeComment(q.Context(), q.gate.House, q.address, n, q.who, text)
	} else {
		answers, _ := strconv.ParseInt(q.PostFormValue("answers"), 10, 64)
		_, err = members.Answer(q.Context(), q.gate.House, q.address, path, q.who, text, answers)
	}
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		q.commentAgain(wrong["text"], text)
	case errors.Is(err, house.ErrMayNot):
		q.back()
	case err != nil:
		panic(err)
	default:
		q.back()
	}
}

// commentAgain shows the page again with what was typed below it.
func (q memberPages) commentAgain(wrong, text string) {
	d := q.site.Decide(q.path, &q.visitor, q.at)
	if d.Outcome != access.Open || q.edition().Page(q.path) == nil {
		q.back()
		return
	}
	q.commentWrong, q.commentText = wrong, text
	q.meeting().page()
}
