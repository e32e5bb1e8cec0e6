package gate

import (
	"cmp"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"velada/core/access"
)

// Sites of one house are strangers to each other, and to browsers one site: what pages of one host
// ask of another comes with its cookies.

// FromElsewhere reports whether a page of another origin set a request off, and something else than
// going there: it is answered as if it came without cookies, so that nothing of the answer, not even
// whether there is one, tells of who asks. Browsers that do not say so are judged by Origin and
// Referer, and going there too; programs send neither.
func FromElsewhere(r *http.Request) bool {
	said := r.Header["Sec-Fetch-Site"]
	if len(said) == 0 {
		for _, name := range []string{"Origin", "Referer"} {
			if from := r.Header.Get(name); from != "" {
				at, err := url.Parse(from)
				return err != nil || at.Host == "" || at.Host != r.Host
			}
		}
		return false
	}
	if said[0] == "same-origin" || said[0] == "none" {
		return false
	}
	reading := r.Method == http.MethodGet || r.Method == http.MethodHead
	return !reading || r.Header.Get("Sec-Fetch-Mode") != "navigate" || r.Header.Get("Sec-Fetch-Dest") != "document"
}

// forwarded is the request for which a server asks that asks before it serves; any other is itself.
func forwarded(r *http.Request, path string) *http.Request {
	if path != "/velada/decide" {
		return r
	}
	theirs := *r
	theirs.Method, theirs.Host = cmp.Or(r.Header.Get("X-Forwarded-Method"), http.MethodGet), cmp.Or(r.Header.Get("X-Forwarded-Host"), r.Host)
	return &theirs
}

// AsStranger takes the cookies off a request that a page of another origin set off.
func AsStranger(r *http.Request) {
	if len(r.Header["Cookie"]) > 0 && FromElsewhere(r) {
		delete(r.Header, "Cookie")
	}
}

// Header values that keep other origins out.
var (
	sameOrigin = []string{"same-origin"}
	forgetAll  = []string{`"storage", "executionContexts"`}
)

// apart keeps pages of other origins from embedding an answer, and from a hold on the window it is in.
func apart(h http.Header) {
	h["Cross-Origin-Resource-Policy"], h["Cross-Origin-Opener-Policy"] = sameOrigin, sameOrigin
}

// workerWanted reports whether a browser asks for the script of a worker that would stay.
func workerWanted(r *http.Request) bool {
	return r.Header.Get("Service-Worker") != "" || r.Header.Get("Sec-Fetch-Dest") == "serviceworker"
}

// noWorker refuses the script of a worker: one that stays answers for the whole host, and outlives
// whoever was allowed to put it there.
func (q *request) noWorker() {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Error(q.w, "No worker is let into browsers here.", http.StatusForbidden)
}

// endWorkers ends the workers that may be in control of a door or of one of Velada's own pages, when
// somebody goes there: what is typed on them is for Velada.
func (q *request) endWorkers() {
	if q.as != nil || !q.state.Site(q.address).Details.Workers || FromElsewhere(q.Request) { // which nobody else is to bring about
		return
	}
	if mode := q.Header.Get("Sec-Fetch-Mode"); mode == "" || mode == "navigate" {
		q.w.Header().Set("Clear-Site-Data", `"storage"`)
	}
}

// Browsers keep that they have forgotten for as long as they keep any cookie.
const (
	clearedCookie = "velada_cleared"
	clearedLife   = 400 * 24 * time.Hour
)

// host is the host that was asked, as what is kept of hosts names it: a site's address in the house,
// or the name of a domain.
func (q *request) host() string {
	name := HostName(q.Host)
	if name == q.address+"."+q.gate.House.Base {
		return q.address
	}
	return name
}

// forget tells a browser, once, to forget what pages at this host kept in it, where that is nobody's
// any more: when somebody goes there, not whenever a page elsewhere likes. Such an answer is for this
// browser alone.
func (q *request) forget() {
	times := q.state.Cleared(q.host())
	if times == 0 || q.as != nil || FromElsewhere(q.Request) || q.read(clearedCookie) == strconv.Itoa(times) {
		return
	}
	if q.site == nil || q.site.Decide("/", &access.Visitor{}, q.at).Outcome == access.Absent { // nothing is there, or looks so
		return
	}
	q.w = &forgetting{ResponseWriter: q.w}
	q.cookie(clearedCookie, strconv.Itoa(times), clearedLife)
}

// forgetting is an answer that tells a browser to forget.
type forgetting struct {
	http.ResponseWriter
	began bool
}

func (f *forgetting) begin() {
	if !f.began {
		f.began = true
		f.Header()["Clear-Site-Data"], f.Header()["Cache-Control"] = forgetAll, noStore
		delete(f.Header(), "Etag")
	}
}

func (f *forgetting) WriteHeader(status int) {
	f.begin()
	f.ResponseWriter.WriteHeader(status)
}

func (f *forgetting) Write(p []byte) (int, error) {
	f.begin()
	return f.ResponseWriter.Write(p)
}

// Unwrap returns the answer beneath, for http.ResponseController.
func (f *forgetting) Unwrap() http.ResponseWriter { return f.ResponseWriter }
