package content

import "strings"

// Rendered compares two sanitised HTML texts word by word and gives one, with
// what is new in ins and what is gone in del. Its elements are those of the
// text after; of the text before only words are shown.
func Rendered(before, after string) string {
	a, b := tokens(before), tokens(after)
	var out strings.Builder
	mark := func(list []string, with string, tags bool) {
		open := false
		for _, t := range list {
			tag := strings.HasPrefix(t, "<")
			if tag && open {
				out.WriteString("</" + with + ">")
				open = false
			}
			switch {
			case tag && tags:
				out.WriteString(t)
			case tag && strings.HasPrefix(t, "<img"):
				out.WriteString("<" + with + ">[a picture]</" + with + ">")
			case !tag && !open && strings.TrimSpace(t) != "":
				out.WriteString("<" + with + ">" + t)
				open = true
			case !tag:
				out.WriteString(t)
			}
		}
		if open {
			out.WriteString("</" + with + ">")
		}
	}
	for _, op := range compare(a, b) {
		if op.Same {
			out.WriteString(strings.Join(b[op.J1:op.J2], ""))
			continue
		}
		mark(a[op.I1:op.I2], "del", false)
		mark(b[op.J1:op.J2], "ins", true)
	}
	return out.String()
}

// tokens cuts HTML into elements' tags and words.
func tokens(html string) (list []string) {
	for html != "" {
		if html[0] == '<' {
			end := strings.IndexByte(html, '>') + 1
			if end == 0 {
				return append(list, html)
			}
			list = append(list, html[:end])
			html = html[end:]
			continue
		}
		end := strings.IndexByte(html, '<')
		if end < 0 {
			end = len(html)
		}
		list = append(list, split(html[:end])...)
		html = html[end:]
	}
	return list
}
