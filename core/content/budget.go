package content

import (
	"fmt"
	"strings"

	"velada/limits"
)

// Stopped says what of a text of Markdown is not rendered as it was meant, since that would take more
// than a page may: by line, for whoever writes it.
func Stopped(body string) (list []string) {
	_, list = withinBudget(body)
	return list
}

// withinBudget has what would take too much of a text stand as it was written: tables with more columns
// or cells than limits say, since short rows are filled up to the width of the first, and footnotes
// beyond so many, each of which is looked for among all.
func withinBudget(body string) (string, []string) {
	var told []string
	if strings.Contains(body, "-") && strings.Contains(body, "|") {
		body, told = narrowTables(body)
	}
	if n := strings.Count(body, "[^"); n > limits.Footnotes {
		var out strings.Builder
		rest := body
		for range limits.Footnotes {
			at := strings.Index(rest, "[^") + 2
			out.WriteString(rest[:at])
			rest = rest[at:]
		}
		out.WriteString(strings.ReplaceAll(rest, "[^", `\[^`))
		body = out.String()
		told = append(told, fmt.Sprintf("There are %d marks of footnotes, and %d are the most: the others stand as they are written.", n, limits.Footnotes))
	}
	if n := len(Tables(body)); n > limits.TablesOnPage {
		told = append(told, fmt.Sprintf("There are %d tables of records, and %d are the most on a page: the others are left out.", n, limits.TablesOnPage))
	}
	return body, told
}

// narrowTables escapes the rule below the heads of tables that are too large, so that they stand as text.
func narrowTables(body string) (string, []string) {
	var told []string
	lines := strings.SplitAfter(body, "\n")
	cells := 0 // of all tables
	for i := 1; i < len(lines); i++ {
		line := strings.TrimRight(lines[i], "\r\n")
		if !strings.Contains(line, "-") || !strings.Contains(lines[i-1], "|") && !strings.Contains(line, "|") || !tableRule.MatchString(line) {
			continue
		}
		columns := strings.Count(line, "|") + 1
		to := i + 1
		for to < len(lines) && strings.TrimSpace(lines[to]) != "" {
			to++
		}
		rows := to - i
		if columns <= limits.TableColumns && cells+columns*rows <= limits.TableCells {
			cells += columns * rows
			continue
		}
		at := strings.IndexAny(lines[i], "|:-")
		lines[i] = lines[i][:at] + `\` + lines[i][at:]
		told = append(told, fmt.Sprintf("The table in line %d has %d columns and %d rows: it stands as it is written, since tables have at most %d columns, and all of a page %d cells.",
			i, columns, rows, limits.TableColumns, limits.TableCells))
	}
	if told == nil {
		return body, nil
	}
	return strings.Join(lines, ""), told
}
