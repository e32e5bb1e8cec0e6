package gate

import (
	"net/http"
	"strings"

	"velada/core/access"
)

// moveOn leads from an address that a site had before to the one it has, page by
// page. A site that looks as if it did not exist does so here too.
func (q *request) moveOn(to string) {
	site := q.state.Policy.Site(to)
	if site.Decide("/", &access.Visitor{}, q.at).Outcome == access.Absent {
		q.meeting().nothing()
		return
	}
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store") // it can be let go at any time
	http.Redirect(q.w, q.Request, q.gate.SiteURL(to)+escape(q.path)+query(q.Request), http.StatusPermanentRedirect)
}

// moved leads whoever comes to where a page stood before to where it stands now,
// if it opens to them there: others learn nothing. It reports whether it did.
func (q *request) moved() bool {
	edition := q.state.Site(q.address).Live
	p := edition.ByID(q.state.Site(q.address).Moved[q.path])
	if p == nil || p.Path == q.path || q.site.Decide(p.Path, &q.visitor, q.at).Outcome != access.Open {
		return false
	}
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Redirect(q.w, q.Request, escape(p.Path)+query(q.Request), http.StatusPermanentRedirect)
	return true
}

// byFile leads whoever asks for a page by the name of the file in which it came, as links between
// files do, to where it stands, if it opens to them. It reports whether it did.
func (q *request) byFile() bool {
	edition := q.state.Site(q.address).Live
	p := edition.ByFile(q.path)
	if p == nil || q.site.Decide(p.Path, &q.visitor, q.at).Outcome != access.Open {
		return false
	}
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Redirect(q.w, q.Request, edition.URLPath(p.Path)+query(q.Request), http.StatusPermanentRedirect)
	return true
}

// short leads from a short name to its page, or to the door of that.
func (q *request) short(name string) {
	path := q.state.Site(q.address).Short[strings.ToLower(name)]
	if q.absent() && q.site.Decide("/", &q.visitor, q.at).Outcome == access.Absent {
		q.meeting().nothing()
		return
	}
	if path == "" || q.site.Hides(path, &q.visitor, q.at) { // as if there were no such name
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	switch d := q.site.Decide(path, &q.visitor, q.at); d.Outcome {
	case access.Missing, access.Absent, access.Gone:
		q.meeting().meet(d)
	default:
		if q.URL.RawQuery == viaQR {
			q.use("qr:"+strings.ToLower(name), http.StatusFound)
		} else {
			q.use("short:"+strings.ToLower(name), http.StatusFound)
		}
		headers(q.w)
		q.w.Header().Set("Cache-Control", "private, no-store")
		http.Redirect(q.w, q.Request, escape(path), http.StatusFound)
	}
}
