package gate

import "strings"

// has reports whether a browser has already what a tag stands for, by what it sent as
// If-None-Match (RFC 9110, 13.1.2): tags in lists, weak ones too, or *.
func has(match []string, tag string) bool {
	for _, line := range match {
		if line == tag {
			return true
		}
		for one := range strings.SplitSeq(line, ",") {
			if one = strings.TrimSpace(one); one == "*" || strings.TrimPrefix(one, "W/") == tag {
				return true
			}
		}
	}
	return false
}
