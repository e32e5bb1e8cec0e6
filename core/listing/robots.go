// Package listing writes what search engines are told of a site, and finds what would contradict
// it.
package listing

import (
	"fmt"
	"strings"

	"velada/core/access"
)

// MostRobots is how many bytes of lines of its own a site may add to robots.txt.
const MostRobots = 8 << 10

// Fault is what is wrong with a line, from 1.
type Fault struct {
	Line int
	Says string
}

// Own is lines of a site's own for robots.txt, as they were read.
type Own struct {
	everybody []string // rules for all robots
	named     []string // groups for some, as they stand
	lines     []line
}

// line is a rule for all robots.
type line struct {
	number int
	allow  bool
	path   string
}

// ReadOwn reads lines of a site's own: rules for all robots, and groups for some by their
// names. It returns what is wrong by line.
func ReadOwn(text string) (own Own, faults []Fault) {
	if len(text) > MostRobots {
		return own, []Fault{{0, fmt.Sprintf("There are more than %d bytes.", MostRobots)}}
	}
	all, opened := true, false // robots; a group has begun and has no rule yet
	for i, raw := range strings.Split(strings.ReplaceAll(text, "\r", ""), "\n") {
		fault := func(format string, args ...any) { faults = append(faults, Fault{i + 1, fmt.Sprintf(format, args...)}) }
		text, _, _ := strings.Cut(raw, "#")
		if text = strings.TrimSpace(text); text == "" {
			continue
		}
		name, value, found := strings.Cut(text, ":")
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		wrote := name + ": " + value
		switch kind := strings.ToLower(name); {
		case !found:
			fault("“%s” has no colon, as in Disallow: /drafts.", clip(text))
		case strings.ContainsFunc(value, func(r rune) bool { return r < ' ' || r > '~' }):
			fault("“%s” has letters that are to be written with %%.", clip(value))
		case kind == "user-agent" && value == "":
			fault("A group names a robot.")
		case kind == "user-agent":
			if opened && all != (value == "*") {
				fault("* is all robots: it has a group of its own.")
			}
			if all, opened = value == "*", true; !all {
				own.named = append(own.named, wrote)
			}
		case kind == "allow" || kind == "disallow":
			opened = false
			if value != "" && value[0] != '/' && value[0] != '*' {
				fault("The path “%s” does not begin with /.", clip(value))
				continue
			}
			if all {
				own.everybody = append(own.everybody, wrote)
				own.lines = append(own.lines, line{i + 1, kind == "allow", value})
			} else {
				own.named = append(own.named, wrote)
			}
		case kind == "crawl-delay":
			opened = false
			if value == "" || strings.Trim(value, "0123456789.") != "" {
				fault("“%s” is no number of seconds.", clip(value))
				continue
			}
			if all {
				own.everybody = append(own.everybody, wrote)
			} else {
				own.named = append(own.named, wrote)
			}
		case kind == "sitemap":
			fault("Name your own sitemap in its own field.")
		default:
			fault("“%s” is no rule that robots know: User-agent, Disallow, Allow and Crawl-delay are.", clip(name))
		}
	}
	return own, faults
}

func clip(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:60], "") + "…"
	}
	return s
}

// Robots writes robots.txt with lines of a site's own. It forbids nothing of itself: what is not
// to be listed must be seen to say so.
func Robots(own Own, sitemaps ...string) string {
	var b strings.Builder
	b.WriteString("User-agent: *\n")
	if len(own.everybody) == 0 {
		b.WriteString("Disallow:\n")
	}
	for _, l := range own.everybody {
		b.WriteString(l + "\n")
	}
	naming := false
	for _, l := range own.named {
		names := strings.HasPrefix(strings.ToLower(l), "user-agent:")
		if names && !naming {
			b.WriteString("\n")
		}
		naming = names
		b.WriteString(l + "\n")
	}
	b.WriteString("\n")
	for _, s := range sitemaps {
		b.WriteString("Sitemap: " + s + "\n")
	}
	return b.String()
}

// Shown is a page that a stranger opens, and whether engines are told to list it.
type Shown struct {
	Path   string // as in an address, escaped
	Listed bool
}

// ShownOf lists the pages of a site that a stranger opens at an instant.
func ShownOf(site *access.CompiledSite, t access.Instant) (list []Shown) {
	for _, path := range site.Paths() {
		told := site.Told(path, t)
		switch told.Kind {
		case access.ToldListed, access.ToldNotSite, access.ToldNotPage, access.ToldByRule:
			list = append(list, Shown{access.EscapePath(path), told.Kind == access.ToldListed})
		}
	}
	return list
}

// Contradicts returns what lines of a site's own say against what pages say, with the line, one
// for each line: they keep robots from a page that is listed, or from reading that one is not to
// be.
func (own Own) Contradicts(pages []Shown) (list []Fault) {
	if len(own.lines) == 0 {
		return nil
	}
	told := map[int]bool{}
	for _, p := range pages {
		n := own.forbids(p.Path)
		if n == 0 || told[n] {
			continue
		}
		told[n] = true
		says := fmt.Sprintf("This keeps robots from reading %s, which is listed.", p.Path)
		if !p.Listed {
			says = fmt.Sprintf("This keeps robots from reading at %s that it is not to be listed. Whoever links to it would have it listed.", p.Path)
		}
		list = append(list, Fault{n, says})
	}
	return list
}

// forbids is the line that keeps all robots from a path; 0 where none does. The longest rule that
// matches counts, and of equal ones the one that allows (RFC 9309, section 2.2.2).
func (own Own) forbids(path string) int {
	best := line{allow: true}
	for _, l := range own.lines {
		if l.path == "" || len(l.path) < len(best.path) || len(l.path) == len(best.path) && best.allow {
			continue
		}
		if matches(l.path, path) {
			best = l
		}
	}
	if best.allow {
		return 0
	}
	return best.number
}

// matches reports whether a rule's path matches a path from its beginning: * stands for
// anything, and $ at the end for the end.
func matches(rule, path string) bool {
	rule, whole := strings.CutSuffix(rule, "$")
	parts := strings.Split(rule, "*")
	rest, begins := strings.CutPrefix(path, parts[0])
	if !begins {
		return false
	}
	for i, part := range parts[1:] {
		if whole && i == len(parts)-2 {
			return strings.HasSuffix(rest, part)
		}
		at := strings.Index(rest, part)
		if at < 0 {
			return false
		}
		rest = rest[at+len(part):]
	}
	return !whole || rest == ""
}
