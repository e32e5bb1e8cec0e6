package gate

import (
	"net/http"
	"strings"
)

// A page of one site can fill the domain above all of them with cookies, which browsers then send to every
// host below it. They are taken off before a request is measured, and browsers are told to drop them.
const (
	mostCookies = 16 << 10 // bytes of cookies of others that are handed on
	mostHeaders = 64 << 10 // bytes of a request's headers, without them
	mostDropped = 60       // names that a browser is told to drop at a time
)

// Tidy takes cookies of others off a request where they are many, has the browser drop them on the domains
// above, and reports whether what is left may be answered; otherwise it has answered.
func Tidy(w http.ResponseWriter, r *http.Request, base string, secure bool) bool {
	others := 0 // bytes of headers that are no cookies
	cookies := 0
	for name, values := range r.Header {
		for _, value := range values {
			if name == "Cookie" {
				cookies += len(value)
			} else {
				others += len(name) + len(value)
			}
		}
	}
	if cookies > mostCookies {
		cookies = lighten(w, r, base, secure)
	}
	if others+cookies > mostHeaders {
		headers(w)
		w.Header().Set("Cache-Control", "private, no-store")
		http.Error(w, "The headers of this request are too long.", http.StatusRequestHeaderFieldsTooLarge)
		return false
	}
	return true
}

// lighten keeps Velada's own cookies of a request, and of those of others as many as are handed on; it
// returns how many bytes that is.
func lighten(w http.ResponseWriter, r *http.Request, base string, secure bool) (bytes int) {
	var kept, dropped []string
	room := mostCookies
	for _, line := range r.Header["Cookie"] {
		for part := range strings.SplitSeq(line, ";") {
			part = strings.TrimSpace(part)
			name, _, _ := strings.Cut(part, "=")
			if !ours(name) || secure && !strings.HasPrefix(name, hostOnly) { // which no other host can set
				if room -= len(part) + 2; room < 0 {
					if name != "" && len(dropped) < mostDropped {
						dropped = append(dropped, name)
					}
					continue
				}
			}
			kept = append(kept, part)
			bytes += len(part) + 2
		}
	}
	r.Header["Cookie"] = []string{strings.Join(kept, "; ")}
	drop(w, r, base, dropped)
	return bytes
}

// drop has a browser drop cookies that were set for the host's domain or one above it.
func drop(w http.ResponseWriter, r *http.Request, base string, names []string) {
	host := HostName(r.Host)
	if !strings.HasSuffix("."+host, "."+base) {
		return
	}
	for domain := base; strings.Contains(domain, "."); _, domain, _ = strings.Cut(domain, ".") {
		for _, name := range names {
			http.SetCookie(w, &http.Cookie{Name: name, Domain: domain, Path: "/", MaxAge: -1})
		}
	}
}
