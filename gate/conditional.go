package gate

import (
	"strconv"
	"strings"
)

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

// takesGzip reports whether a browser takes an answer in gzip (RFC 9110, 12.5.3): by
// its name or *, with a weight above 0.
func takesGzip(accepts []string) bool {
	any := false
	for _, line := range accepts {
		for one := range strings.SplitSeq(line, ",") {
			coding, rest, weighed := strings.Cut(one, ";")
			coding = strings.TrimSpace(coding)
			gzip := strings.EqualFold(coding, "gzip") || strings.EqualFold(coding, "x-gzip")
			if !gzip && coding != "*" {
				continue
			}
			takes := true
			if name, value, _ := strings.Cut(rest, "="); weighed && strings.EqualFold(strings.TrimSpace(name), "q") {
				weight, err := strconv.ParseFloat(strings.TrimSpace(value), 64)
				takes = err == nil && weight > 0
			}
			if gzip { // what is said of it goes before what is said of all
				return takes
			}
			any = takes
		}
	}
	return any
}
