package gate

import (
	"net/http"

	"velada/app/doors"
	"velada/app/traffic"
	"velada/core/access"
	core "velada/core/traffic"
)

// count hands a request for a page to the counter, with what came of it. Looking through
// somebody's eyes is no visit.
func (q *request) count(d access.Decision, status int) {
	if q.gate.Traffic == nil || q.as != nil || q.site == nil {
		return
	}
	r := q.counted()
	if status == 0 {
		status = q.answered
	}
	r.Path, r.Outcome, r.Status, r.Page = q.path, d.Outcome, status, q.site.Exists(q.path)
	q.gate.Traffic.Count(r)
	if q.URL.RawQuery == viaQR && q.site.Exists(q.path) { // no path that anybody makes up is kept
		q.use("qr:"+q.path, 0)
	}
}

// countElsewhere counts a request for a page of a site that lives elsewhere, with what its
// server answered: for pages, not for the files that belong to them. Status 0 is that of the
// decision, which did not let it through.
func (q *request) countElsewhere(d access.Decision, status int, page bool) {
	if q.gate.Traffic == nil || q.as != nil || q.site == nil || core.File(q.path) || q.Method != http.MethodGet && q.Method != http.MethodHead {
		return
	}
	r := q.counted()
	r.Path, r.Outcome, r.Status, r.Elsewhere = q.path, d.Outcome, status, true
	switch {
	case page:
		r.Page = true
	case d.Outcome == access.Open && status >= http.StatusBadRequest: // their server opened nothing
		r.Outcome = access.Missing
	}
	q.gate.Traffic.Count(r)
}

// viaQR is the query of addresses that QR codes lead to, so that they are told from typed ones.
const viaQR = "qr"

// use hands to the counter how somebody came: by a short name, a QR code, a password or a link. status is
// that of the answer which leads them on; 0 where it does not.
func (q *request) use(what string, status int) {
	if q.gate.Traffic == nil || q.as != nil {
		return
	}
	r := q.counted()
	r.Use, r.Status = what, status
	q.gate.Traffic.Count(r)
}

// useOfKey counts the last of the passwords or links that a cookie holds.
func (q *request) useOfKey(kind, cookie string) {
	if held := doors.Held(q.gate.House, kind, q.state, q.address, cookie); len(held) > 0 {
		q.use(kind+":"+held[len(held)-1], http.StatusSeeOther)
	}
}

// crawls hands to the counter that somebody asked for robots.txt.
func (q *request) crawls() {
	if q.gate.Traffic == nil || q.as != nil || q.site == nil || q.path != "/robots.txt" {
		return
	}
	r := q.counted()
	r.Crawls, r.Outcome = true, access.Missing
	q.gate.Traffic.Count(r)
}

// searched hands to the counter what was searched for on the site.
func (q *request) searched(words string, found bool) {
	if q.gate.Traffic == nil || q.as != nil {
		return
	}
	r := q.counted()
	r.Search, r.Found = words, found
	q.gate.Traffic.Count(r)
}

// counted is what the counter is told of a request.
func (q *request) counted() traffic.Request {
	h := q.Header
	return traffic.Request{
		Site: q.state.ID(q.address), Policy: q.state.Policy, Compiled: q.site, At: q.at.Time(), Visitor: q.visitor, Who: q.who, Host: q.Host,
		Referer: first(h["Referer"]), Agent: first(h["User-Agent"]), Untracked: first(h["Sec-Gpc"]) == "1" || first(h["Dnt"]) == "1",
	}
}

func first(values []string) string {
	if len(values) == 0 {
		return ""
	}
	return values[0]
}
