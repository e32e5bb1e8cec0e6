package gate

import (
	"net/http"
	"net/url"
	"regexp"
	"strings"
)

// inner is the address of a server behind Velada, which visitors do not learn.
type inner struct {
	target *url.URL
	host   string // at which the visitor asked, with the port
	wide   bool   // that is a domain of the site's own: cookies may hold for what is below it
}

// inward puts what a request says of where it comes from in terms of the server's own address, where it
// comes from this very host: a server that is told its own host compares them with that. What
// comes from elsewhere stays as it is, so that the server can refuse it.
func (in inner) inward(h http.Header) {
	for _, name := range []string{"Origin", "Referer"} {
		u, err := url.Parse(h.Get(name))
		if err != nil || u.User != nil || u.Scheme != "http" && u.Scheme != "https" || !strings.EqualFold(u.Host, in.host) {
			continue
		}
		to := in.target.Scheme + "://" + in.target.Host
		if name == "Referer" {
			to += strings.TrimSuffix(in.target.EscapedPath(), "/") + u.EscapedPath()
			if u.RawQuery != "" {
				to += "?" + u.RawQuery
			}
		}
		h.Set(name, to)
	}
}

// outward puts what an answer says of the server's own address in terms of the visitor's, and takes
// cookies of Velada's names away.
func (in inner) outward(h http.Header) {
	for _, name := range []string{"Location", "Content-Location"} {
		for i, value := range h[name] {
			h[name][i] = in.place(value)
		}
	}
	for i, value := range h["Refresh"] {
		if at := refreshes.FindStringSubmatchIndex(value); at != nil {
			h["Refresh"][i] = value[:at[2]] + in.place(value[at[2]:at[3]]) + value[at[3]:]
		}
	}
	if set := h["Set-Cookie"]; len(set) > 0 {
		kept := set[:0]
		for _, line := range set {
			name, _, named := strings.Cut(line, "=")
			if name = strings.TrimSpace(name); named && name != "" && !ours(name) { // a browser sends one without a name as name=value
				kept = append(kept, in.cookie(line))
			}
		}
		if h["Set-Cookie"] = kept; len(kept) == 0 {
			delete(h, "Set-Cookie")
		}
	}
}

var refreshes = regexp.MustCompile(`(?i)^\s*[0-9.]+\s*[;,]\s*url\s*=\s*["']?([^"']+)`)

// place is where an address leads as visitors see it: what is on the server, by whatever of its
// names, is on this host.
func (in inner) place(to string) string {
	u, err := url.Parse(to)
	if err != nil || u.Opaque != "" {
		return to
	}
	base := strings.TrimSuffix(in.target.EscapedPath(), "/")
	path, below := strings.CutPrefix(u.EscapedPath(), base)
	switch {
	case u.Host != "" && !strings.EqualFold(u.Host, in.target.Host) && !strings.EqualFold(u.Host, in.host):
		return to
	case base != "" && (!below || path != "" && path[0] != '/'):
		path = u.EscapedPath()
	}
	if u.Host == "" && (base == "" || !below || !strings.HasPrefix(to, "/")) {
		return to
	}
	if path == "" {
		path = "/"
	}
	if u.RawQuery != "" || u.ForceQuery {
		path += "?" + u.RawQuery
	}
	if u.Fragment != "" {
		path += "#" + u.EscapedFragment()
	}
	return path
}

// cookie is a cookie that the server sets, byte for byte but for what it says of the server's
// address: it holds for this host, not for others of the house.
func (in inner) cookie(line string) string {
	base := strings.TrimSuffix(in.target.Path, "/")
	parts := strings.Split(line, ";")
	kept := parts[:1]
	for _, part := range parts[1:] {
		name, value, _ := strings.Cut(part, "=")
		switch strings.ToLower(strings.TrimSpace(name)) {
		case "domain":
			domain := strings.ToLower(strings.TrimPrefix(strings.TrimSpace(value), "."))
			if host := HostName(in.host); !in.wide || host != domain && !strings.HasSuffix(host, "."+domain) {
				continue
			}
		case "path":
			if rest, below := strings.CutPrefix(strings.TrimSpace(value), base); base != "" && below && (rest == "" || rest[0] == '/') {
				if rest == "" {
					rest = "/"
				}
				part = " Path=" + rest
			}
		}
		kept = append(kept, part)
	}
	return strings.Join(kept, ";")
}

// theirCookies are the cookies of a request that are not Velada's own, byte for byte.
func theirCookies(lines []string) string {
	var kept []string
	for _, line := range lines {
		parts := strings.Split(line, ";")
		own := false
		for _, part := range parts {
			name, _, _ := strings.Cut(part, "=")
			own = own || ours(strings.TrimSpace(name))
		}
		if !own {
			kept = append(kept, line)
			continue
		}
		for _, part := range parts {
			name, _, _ := strings.Cut(part, "=")
			if part = strings.TrimSpace(part); part != "" && !ours(strings.TrimSpace(name)) {
				kept = append(kept, part)
			}
		}
	}
	return strings.Join(kept, "; ")
}
