package words

import (
	"strconv"
	"strings"
	"time"

	"velada/domain"
)

// Leads says in words where records lead, as in "the machine 203.0.113.7".
func Leads(values []string) string {
	if len(values) == 0 {
		return "nowhere"
	}
	var list []string
	for _, v := range values {
		kind, value, there := strings.Cut(v, " ")
		switch {
		case !there:
			list = append(list, Quote(v))
		case kind == "CNAME":
			list = append(list, "to "+value)
		case kind == "A" || kind == "AAAA":
			list = append(list, "to the machine "+value)
		default:
			list = append(list, Quote(v))
		}
	}
	return And(list)
}

// DomainFound says in a sentence how a part of a domain's records was found.
func DomainFound(part domain.Part, f domain.Found) string {
	proof := part == domain.Proof
	switch f.Kind {
	case domain.Right:
		return "Set."
	case domain.Waiting:
		return "Set, and not seen everywhere yet: others keep for up to " + Roughly(f.TTL) + " what was there before."
	case domain.Some:
		return "Just some name servers of the domain say it. Not yet: " + And(f.Servers) + "."
	case domain.Wrong:
		if proof {
			return "It says something else: " + quoted(f.Values) + "." + keeps(f.TTL)
		}
		return "It leads elsewhere: " + Leads(f.Values) + "." + keeps(f.TTL)
	case domain.Missing:
		return "Missing." + keeps(f.TTL)
	case domain.Silent:
		return "No name server answered. It is tried again."
	}
	return "Not looked at yet."
}

func quoted(values []string) string {
	var list []string
	for _, v := range values {
		if letters := []rune(v); len(letters) > 60 {
			v = string(letters[:60]) + "…"
		}
		list = append(list, Quote(v))
	}
	return And(list)
}

func keeps(ttl time.Duration) string {
	if ttl < time.Minute {
		return ""
	}
	return " Once it is changed, others may keep this for up to " + Roughly(ttl) + "."
}

// Roughly says how long something takes, as in "2 hours".
func Roughly(d time.Duration) string {
	for _, unit := range []struct {
		of        time.Duration
		one, many string
	}{{24 * time.Hour, "day", "days"}, {time.Hour, "hour", "hours"}, {time.Minute, "minute", "minutes"}} {
		if d >= unit.of {
			n := int((d + unit.of/2) / unit.of)
			return strconv.Itoa(n) + " " + plural(n, unit.one, unit.many)
		}
	}
	n := max(int(d.Round(time.Second).Seconds()), 1)
	return strconv.Itoa(n) + " " + plural(n, "second", "seconds")
}
