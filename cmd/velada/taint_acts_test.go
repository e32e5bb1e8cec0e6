package main

import (
	"bytes"
	"context"
	"fmt"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/store"
)

// askFor is ask, judged by what somebody else may know: whoever made a link, say.
func (h *tainted) askFor(s, judged *someone, method, host, path string, pairs ...string) (int, http.Header, string) {
	h.Helper()
	form, kind := url.Values{}, "application/x-www-form-urlencoded"
	for i := 0; i+1 < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
		for _, word := range taint.FindAllString(pairs[i+1], -1) {
			s.typed[word] = true
		}
	}
	sent := strings.NewReader(form.Encode())
	if len(pairs) == 1 { // a file
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		part, err := m.CreateFormFile("archive", "archive.zip")
		h.must(err)
		_, _ = part.Write([]byte(pairs[0]))
		h.must(m.Close())
		sent, kind = strings.NewReader(b.String()), m.FormDataContentType()
	}
	r := httptest.NewRequest(method, "http://"+host+".localhost:8080"+path, sent)
	if method == http.MethodPost {
		r.Header.Set("Content-Type", kind)
	}
	if h.random.IntN(3) == 0 {
		r.Header.Set("Accept-Encoding", "gzip")
	}
	r.RemoteAddr = "203.0.113.5:4000"
	jar := s.jars[host]
	for name, value := range jar {
		r.AddCookie(&http.Cookie{Name: name, Value: value})
	}
	ctx, cancel := context.WithTimeout(h.Context(), 5*time.Second) // streams end
	defer cancel()
	r = r.WithContext(ctx)
	w := httptest.NewRecorder()
	h.hosts.ServeHTTP(w, r)
	if jar == nil {
		jar = map[string]string{}
		s.jars[host] = jar
	}
	for _, c := range w.Result().Cookies() {
		if c.MaxAge < 0 {
			delete(jar, c.Name)
		} else {
			jar[c.Name] = c.Value
		}
	}
	if w.Code == http.StatusInternalServerError {
		h.Errorf("%s %s%s: %d", method, host, path, w.Code)
	}
	var head strings.Builder
	_ = w.Header().Write(&head)
	what := method + " " + host + path
	h.looking(judged, what, []byte(head.String()))
	h.looking(judged, what, w.Body.Bytes())
	return w.Code, w.Header(), w.Body.String()
}

// act does one random thing as somebody.
func (h *tainted) act() {
	s, site := pick(h, h.people), pick(h, taintedAt)
	switch h.random.IntN(13) {
	case 12:
		h.carry(s, site)
	case 0, 1:
		h.write(s, site, pick(h, h.pages[site]))
	case 2:
		h.move(s, site)
	case 3:
		h.publish(s, site)
	case 4:
		h.share(s, site)
	case 5:
		h.says(s, site)
	case 6:
		if h.random.IntN(3) == 0 {
			h.doors(site)
		}
	case 7, 8:
		h.console(s, site)
	default:
		h.reads(s, site)
	}
	h.letters()
}

// page finds somebody a page of a draft by its path.
func (h *tainted) page(site, path string) *store.Page {
	list, err := store.WorkingCopy(h.Context(), h.db, h.house.SiteID(site))
	h.must(err)
	for i := range list {
		if list[i].Path == path {
			return &list[i]
		}
	}
	return nil
}

// write has somebody save a page that brings in what stands elsewhere.
func (h *tainted) write(s *someone, site, path string) {
	p := h.page(site, path)
	if p == nil {
		return
	}
	other := pick(h, h.pages[site])
	brought := []string{
		"::: below\n:::", "::: cards\n- [" + h.word() + "](" + other + ")\n- [" + h.word() + "](" + pick(h, h.pages[site]) + ")\n:::",
		"::: dates Next\n- [" + h.word() + "](" + other + ")\n- 2026-12-11 19:30 [" + h.word() + "](" + pick(h, h.pages[site]) + ")\n:::",
		"::: files " + other + "\n:::", "[[table magnitudes: /files/magnitudes.csv]]", "[it](" + other + ")", "![](" + other + "/a.jpg)", "::: gallery\n![](" + other + "/a.jpg)\n:::",
		"[[table rows: " + pick(h, h.files[site]) + "]]", "[[table rows: " + pick(h, h.files[site]) + "]]", "[rows](" + pick(h, h.files[site]) + ")", "::: contact\n:::", "::: dates " + other + "/a.ics\n:::",
	}
	body := "common " + h.word() + "\n\n" + pick(h, brought) + "\n\n" + pick(h, brought) + "\n"
	code, _ := h.ask(s, "POST", "velada", "/sites/"+site+"/pages/"+p.ID, "title", "Common "+h.word(), "version", fmt.Sprint(p.Version), "body", body)
	h.learn(site)
	h.did("%s writes %s of %s: %d", s.address, path, site, code)
}

// file puts a table of records below a page.
func (h *tainted) file(site, below string) {
	words := h.word() + " " + h.word()
	data := []byte("star,magnitude\n" + strings.Join(strings.Fields(words), ",5\n") + ",6\n")
	f, err := pages.SaveFile(h.Context(), h.house, h.steward(), site, strings.TrimSuffix(below, "/")+"/rows.csv", "text/csv", data, "")
	h.must(err)
	h.blobs[f.Blob] = words
	h.learn(site)
}

func (h *tainted) move(s *someone, site string) {
	p := h.page(site, pick(h, h.pages[site]))
	if p == nil || p.Path == "/" {
		return
	}
	to := strings.TrimSuffix(pick(h, h.pages[site]), "/") + fmt.Sprintf("/m%d", h.random.IntN(1000))
	code, _ := h.ask(s, "POST", "velada", "/sites/"+site+"/pages/"+p.ID+"/place", "path", to, "in_menu", "yes")
	h.learn(site)
	h.did("%s moves %s of %s to %s: %d", s.address, p.Path, site, to, code)
}

func (h *tainted) publish(s *someone, site string) {
	h.ask(s, "GET", "velada", "/sites/"+site+"/publish")
	code, _ := h.ask(s, "POST", "velada", "/sites/"+site+"/publish", "note", "anew")
	h.learn(site)
	h.did("%s publishes %s: %d", s.address, site, code)
}

// carry has somebody take out what they may see of a site, and bring it into another.
func (h *tainted) carry(s *someone, site string) {
	code, _, archive := h.askFor(s, s, "GET", "velada", "/sites/"+site+"/archive")
	to := pick(h, taintedAt)
	if code != http.StatusOK || to == site {
		return
	}
	for _, text := range unpacked([]byte(archive)) {
		for _, word := range taint.FindAllString(string(text), -1) {
			s.typed[word] = true
		}
	}
	code, _ = h.ask(s, "POST", "velada", "/sites/"+to+"/archive", archive)
	h.learn(to)
	h.did("%s carries %s into %s: %d", s.address, site, to, code)
}

// share has somebody make a preview link, which a stranger follows.
func (h *tainted) share(s *someone, site string) {
	label := h.word()
	h.of[label] = owner{kind: "label", site: site}
	for try := 0; ; try++ {
		code, _ := h.ask(s, "POST", "velada", "/sites/"+site+"/previews", "label", label, "until", "2026-11-30T12:00")
		if code == http.StatusSeeOther {
			break
		}
		if s = pick(h, h.people); try == 8 {
			return
		}
	}
	rows, err := h.db.QueryContext(h.Context(), `SELECT id, who FROM previews WHERE site = ?`, h.house.SiteID(site))
	h.must(err)
	defer rows.Close()
	for rows.Next() {
		var id, who string
		h.must(rows.Scan(&id, &who))
		for _, maker := range h.people {
			if maker.who == store.Who(who) {
				for range 3 {
					h.glass(maker, h.hosts.console.Glass.PreviewURL(previewToken(h, id)), pick(h, h.pages[site]))
				}
			}
		}
	}
}

// glass looks at what stands at the address of a look, as its maker's eyes.
func (h *tainted) glass(maker *someone, address, path string) {
	if at, err := url.Parse(address); err == nil {
		label, _, _ := strings.Cut(at.Host, ".")
		h.askFor(h.people[0], maker, "GET", label, at.Path)
		h.askFor(h.people[0], maker, "GET", label, path)
	}
}

// says has somebody comment, ask to be let in, or follow a page.
func (h *tainted) says(s *someone, site string) {
	path, word := pick(h, h.pages[site]), h.word()
	switch h.random.IntN(4) {
	case 3:
		h.of[word] = owner{kind: "asking", site: site, who: s.who}
		h.ask(s, "POST", site, "/velada/join", "path", path, "name", "Somebody", "address", "new@lens.example", "answer-0", "Since "+word, "q0", "Since "+word, "agreed", "yes")
	case 0:
		h.of[word] = owner{kind: "comment", site: site, path: path, who: s.who}
		code, _ := h.ask(s, "POST", site, "/velada/comment", "path", path, "text", "I say "+word)
		h.did("%s comments on %s%s: %d", s.address, site, path, code)
	case 1:
		h.of[word] = owner{kind: "asking", site: site, path: path, who: s.who}
		h.ask(s, "POST", site, "/velada/ask", "path", path, "word", "Please "+word, "address", "who@lens.example")
	default:
		h.ask(s, "POST", site, "/velada/follow", "path", path, "page", path, "on", "yes")
		h.ask(s, "POST", site, "/velada/news", "all", "yes", "answers", "yes")
	}
}

var (
	framed  = regexp.MustCompile(`http://look-[0-9a-f]+\.localhost:8080/velada/look/[^"]+`)
	argued  = regexp.MustCompile(`[:*]\w+`)
	streams = regexp.MustCompile(`/here$|/live$|/sign-out|passkey`)
)

// console has somebody open any view of the console, and what it shows in a frame.
func (h *tainted) console(s *someone, site string) {
	for range 4 {
		route := pick(h, h.hosts.console.Engine.Routes())
		if route.Method != http.MethodGet || streams.MatchString(route.Path) {
			continue
		}
		path := argued.ReplaceAllStringFunc(route.Path, func(name string) string {
			switch name[1:] {
			case "site":
				return site
			case "page":
				if p := h.page(site, pick(h, h.pages[site])); p != nil {
					return p.ID
				}
			case "number":
				return fmt.Sprint(1 + h.random.IntN(35))
			case "path":
				return strings.TrimPrefix(pick(h, h.files[site]), "/")
			}
			return pick(h, []string{"1", "2", "antlia", "council", "pilar", "rosa-galindo"})
		})
		path += "?path=" + url.QueryEscape(pick(h, h.pages[site])) + "&q=common&as=" + pick(h, []string{"stranger", "rosa-galindo", "tobias", "pilar", ""}) + "&who=" + pick(h, []string{"rosa-galindo", "tobias", ""})
		code, _, body := h.askFor(s, s, "GET", "velada", path)
		h.did("%s opens %s: %d", s.address, path, code)
		for _, frame := range framed.FindAllString(body, 3) {
			h.glass(s, frame, pick(h, h.pages[site]))
		}
	}
}

// reads has somebody read the site, in all the ways there are.
func (h *tainted) reads(s *someone, site string) {
	for range 6 {
		path := pick(h, h.pages[site])
		at := pick(h, []string{
			path, path, path, "/", "/velada/feed?path=" + path, "/velada/feed?as=rss&path=" + path, "/sitemap.xml", "/robots.txt", "/velada/pages", "/velada/search?q=common", "/velada/search?q=zq",
			"/velada/comments?path=" + path, "/velada/news?path=" + path, "/velada/members", "/velada/me", "/velada/me/data", pick(h, h.files[site]), pick(h, h.files[site]), path + "?page=2&sort=1", path + "/", "/nowhere", "/velada/nothing", "/velada/sign-in?then=" + path,
		})
		code, header := h.ask(s, pick(h, []string{"GET", "GET", "GET", "HEAD"}), site, at)
		h.did("%s reads %s%s: %d %s", s.address, site, at, code, header.Get("Location"))
	}
}

// letters looks through all that was sent by mail since.
func (h *tainted) letters() {
	list, err := store.Mails(h.Context(), h.db, store.MailsLike{}, 0, 50)
	h.must(err)
	last := h.mail
	for _, m := range list {
		if m.ID <= last {
			continue
		}
		h.mail = max(h.mail, m.ID)
		to := &someone{address: m.Address, typed: map[string]bool{}}
		if a, err := parsed(m.Address); err == nil {
			to.who = h.house.State().WhoHas(a)
		}
		h.looking(to, "a letter ("+m.Kind+")", []byte(m.Subject+"\n"+m.Text+"\n"+m.HTML))
	}
}

func previewToken(h *tainted, id string) string { return pages.PreviewToken(h.house, id) }

func parsed(address string) (access.Address, error) { return access.ParseAddress(address) }
