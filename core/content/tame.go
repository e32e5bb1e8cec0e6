package content

import (
	"regexp"
	"strings"
)

// Some texts take a Markdown parser time that grows with the square of their
// length: thousands of marks in one paragraph, or quotes within quotes without end.
// No text that is meant to be read is like that; in those that are, such marks are
// taken as they stand.
const (
	mostMarks   = 800 // of emphasis, links and code in one block of text
	mostNesting = 24  // quotes and lists within each other
)

const inlineMarks = "*_[]`!<&~"

var (
	container  = regexp.MustCompile(`^[ \t]*(?:>|[-*+](?:[ \t]|$)|\d{1,9}[.)](?:[ \t]|$))`)
	beginsItem = regexp.MustCompile(`^[ \t>]*(?:[-*+][ \t]+\S|1[.)][ \t]+\S|#{1,6}[ \t])`)
	numbered   = regexp.MustCompile(`^[ \t>]*\d{1,9}[.)][ \t]+\S`)
	tableRule  = regexp.MustCompile(`^[ \t>]*\|?[ \t]*:?-+:?[ \t]*(?:\|[ \t:|-]*)?$`)
)

// tame escapes the marks of blocks that have too many of them, and of lines that
// nest too deep.
func tame(body string) string {
	body, _ = withinBudget(body)
	if strings.Count(body, ">")+strings.Count(body, "-")+strings.Count(body, ".")+strings.Count(body, "+") <= mostNesting && marks(body) <= mostMarks {
		return body
	}
	lines := strings.SplitAfter(body, "\n")
	for i := range lines {
		lines[i] = shallow(lines[i])
	}
	inTable := false // where each line is read by itself
	for from := 0; from < len(lines); {
		if strings.TrimSpace(lines[from]) == "" {
			inTable = false
		} else if from+1 < len(lines) && strings.Contains(lines[from+1], "-") && tableRule.MatchString(strings.TrimRight(lines[from+1], "\r\n")) {
			inTable = true
		}
		to := from + 1
		inList := numbered.MatchString(lines[from])
		for to < len(lines) && strings.TrimSpace(lines[to]) != "" && !inTable && !beginsItem.MatchString(lines[to]) && !(inList && numbered.MatchString(lines[to])) {
			to++
		}
		n := 0
		for _, line := range lines[from:to] {
			n += marks(line)
		}
		if n > mostMarks {
			for k := from; k < to; k++ {
				lines[k] = escapeMarks(lines[k])
			}
		}
		from = to
	}
	return strings.Join(lines, "")
}

func marks(s string) (n int) {
	for i := 0; i < len(s); i++ {
		if strings.IndexByte(inlineMarks, s[i]) >= 0 {
			n++
		}
	}
	return n
}

// shallow escapes what would nest a line deeper than anybody reads.
func shallow(line string) string {
	rest, depth := line, 0
	for {
		at := container.FindStringIndex(rest)
		if at == nil {
			return line
		}
		if depth++; depth > mostNesting {
			before := line[:len(line)-len(rest)]
			mark := strings.TrimLeft(rest, " \t")
			if mark[0] >= '0' && mark[0] <= '9' { // 1. is escaped before its dot
				end := strings.IndexAny(mark, ".)")
				return before + mark[:end] + `\` + mark[end:]
			}
			return before + `\` + mark
		}
		rest = rest[at[1]:]
	}
}

func escapeMarks(line string) string {
	var out strings.Builder
	for i := 0; i < len(line); i++ {
		if strings.IndexByte(inlineMarks, line[i]) >= 0 && (i == 0 || line[i-1] != '\\') {
			out.WriteByte('\\')
		}
		out.WriteByte(line[i])
	}
	return out.String()
}
