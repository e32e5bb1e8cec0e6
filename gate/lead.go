package gate

import (
	"net/http"
	"strings"

	"velada/core/access"
	"velada/house"
)

// leads reports whether the request came to another address of the site than its main one, and
// led on there. A site that looks as if it did not exist leads nobody, and what servers and tickets
// ask is answered wherever it is asked.
func (q *request) leads(of *house.Site) bool {
	main := q.gate.House.MainHost(q.state, of)
	if main == "" || of.Details.Apart || q.as != nil || HostName(q.Host) == main || strings.HasPrefix(q.path, "/velada/decide") || strings.HasPrefix(q.path, "/velada/enter") {
		return false
	}
	if q.site.Decide("/", &access.Visitor{}, q.at).Outcome == access.Absent {
		return false
	}
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store") // it can be otherwise at any time
	status := http.StatusPermanentRedirect
	if q.Method != http.MethodGet && q.Method != http.MethodHead {
		status = http.StatusSeeOther // what was typed for one address is not sent to another
	}
	http.Redirect(q.w, q.Request, q.gate.SiteURL(q.address)+escape(q.path)+query(q.Request), status)
	return true
}

// strict has browsers keep to https on this host. A site that looks as if it did not exist says
// nothing.
func (q *request) strict() {
	if q.site.Decide("/", &access.Visitor{}, q.at).Outcome != access.Absent {
		q.w.Header().Set("Strict-Transport-Security", "max-age=31536000")
	}
}

// HostName is the name in the host of a request, in lower case: without port, and without the dot
// that may end it.
func HostName(host string) string {
	if i := strings.LastIndexByte(host, ':'); i >= 0 && !strings.HasSuffix(host, "]") {
		host = host[:i]
	}
	return strings.ToLower(strings.TrimSuffix(host, "."))
}
