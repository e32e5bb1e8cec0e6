package content

import (
	"slices"
	"strings"
)

// Merge puts two changes of one text together, line by line. Where both changed
// the same lines differently it reports a conflict and gives no text.
func Merge(base, mine, theirs string) (merged string, ok bool) {
	if mine == theirs || theirs == base {
		return mine, true
	}
	if mine == base {
		return theirs, true
	}
	b, m, t := lines(base), lines(mine), lines(theirs)
	ours, others := changes(b, m), changes(b, t)
	var out []string
	at := 0
	for len(ours) > 0 || len(others) > 0 {
		switch {
		case len(others) == 0 || len(ours) > 0 && ours[0].to < others[0].from || len(ours) > 0 && len(others) > 0 && ours[0].to <= others[0].from && !touching(ours[0], others[0]):
			out, at = take(out, b, at, ours[0])
			ours = ours[1:]
		case len(ours) == 0 || others[0].to < ours[0].from || others[0].to <= ours[0].from && !touching(others[0], ours[0]):
			out, at = take(out, b, at, others[0])
			others = others[1:]
		case ours[0].from == others[0].from && ours[0].to == others[0].to && slices.Equal(ours[0].lines, others[0].lines):
			out, at = take(out, b, at, ours[0])
			ours, others = ours[1:], others[1:]
		default:
			return "", false
		}
	}
	return strings.Join(append(out, b[at:]...), ""), true
}

// change replaces the lines [from, to) of a text by others.
type change struct {
	from, to int
	lines    []string
}

// touching reports whether two changes meet at a point where one inserts.
func touching(a, b change) bool { return a.to == b.from && (a.from == a.to || b.from == b.to) }

func changes(base, now []string) (list []change) {
	for _, op := range compare(base, now) {
		if !op.Same {
			list = append(list, change{op.I1, op.I2, now[op.J1:op.J2]})
		}
	}
	return list
}

func take(out, base []string, at int, c change) ([]string, int) {
	return append(append(out, base[at:c.from]...), c.lines...), c.to
}

// lines cuts a text into lines, their ends included; the last gets one.
func lines(text string) []string {
	if text == "" {
		return nil
	}
	if !strings.HasSuffix(text, "\n") {
		text += "\n"
	}
	return strings.SplitAfter(text, "\n")[:strings.Count(text, "\n")]
}
