package content

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"html"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"velada/limits"
)

// TablePlace is where a table of records stands in a page: a line of its own,
// [[table ID: /path/of/its.csv]].
type TablePlace struct{ ID, File string }

var (
	tableLine = regexp.MustCompile(`(?m)^\[\[table ([a-z0-9][a-z0-9-]*): (/[^\]\s]+)\]\][ \t]*$`)
	tableHTML = regexp.MustCompile(`<p>\[\[table ([a-z0-9][a-z0-9-]*): (/[^\]\s<]+)\]\]</p>`)
)

// Tables lists the tables of a page of Markdown, in its order, once each. Two of one name may show
// different files.
func Tables(body string) (list []TablePlace) {
	if !strings.Contains(body, "[[table ") {
		return nil
	}
	for _, m := range tableLine.FindAllStringSubmatch(strings.ReplaceAll(body, "\r", ""), -1) {
		if place := (TablePlace{m[1], m[2]}); !slices.Contains(list, place) {
			list = append(list, place)
		}
	}
	return list
}

// PutTables puts something in the place of each table of a rendered page: so many as a page may have,
// and nothing in the place of the others.
func PutTables(page string, put func(TablePlace) string) string {
	n := 0
	return tableHTML.ReplaceAllStringFunc(page, func(found string) string {
		if n++; n > limits.TablesOnPage {
			return ""
		}
		m := tableHTML.FindStringSubmatch(found)
		return put(TablePlace{m[1], html.UnescapeString(m[2])})
	})
}

// Records is a table as it is read from a CSV file.
type Records struct {
	Head []string
	Rows [][]string
}

// ErrRecords is why a file is no table.
var ErrRecords = errors.New("no table")

// ReadRecords reads a CSV file with a line of names: separated by commas,
// semicolons or tabs, whichever its first line has most of.
func ReadRecords(data []byte) (*Records, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if !utf8.Valid(data) {
		return nil, fmt.Errorf("%w: it is not written in UTF-8", ErrRecords)
	}
	first, _, _ := bytes.Cut(data, []byte("\n"))
	comma := ','
	for _, other := range ";\t" {
		if bytes.Count(first, []byte(string(other))) > bytes.Count(first, []byte(string(comma))) {
			comma = other
		}
	}
	r := csv.NewReader(bytes.NewReader(data))
	r.Comma, r.FieldsPerRecord, r.TrimLeadingSpace = comma, -1, true
	t := &Records{}
	for line := 1; ; line++ {
		row, err := r.Read()
		switch {
		case errors.Is(err, io.EOF) && line == 1:
			return nil, fmt.Errorf("%w: it is empty", ErrRecords)
		case errors.Is(err, io.EOF):
			return t, nil
		case err != nil:
			return nil, fmt.Errorf("%w: %v", ErrRecords, err)
		case line == 1 && len(row) > limits.RecordColumns:
			return nil, fmt.Errorf("%w: it has %d columns, and %d are the most", ErrRecords, len(row), limits.RecordColumns)
		case line == 1:
			t.Head = row
			continue
		case len(row) > len(t.Head):
			return nil, fmt.Errorf("%w: line %d has more fields than the first", ErrRecords, line)
		case line > limits.RecordRows || line*len(t.Head) > limits.RecordCells:
			return nil, fmt.Errorf("%w: it has more than %d rows, or %d fields", ErrRecords, limits.RecordRows, limits.RecordCells)
		}
		t.Rows = append(t.Rows, append(row, make([]string, len(t.Head)-len(row))...))
	}
}

// View is what somebody looks at of a table.
type View struct {
	Find       string
	Sort       int // a column from 1; 0 is the file's own order
	Descending bool
	Page       int // from 1
	Size       int // rows a page
}

// Shown is a stretch of a table.
type Shown struct {
	Head        []string
	Rows        [][]string
	Found, Page int
	Pages       int
}

// Show searches, sorts and pages a table. Numbers are sorted as numbers.
func (t *Records) Show(v View) Shown {
	rows := t.Rows
	if v.Find != "" {
		want := strings.ToLower(v.Find)
		rows = nil
		for _, row := range t.Rows {
			if slices.ContainsFunc(row, func(field string) bool { return strings.Contains(strings.ToLower(field), want) }) {
				rows = append(rows, row)
			}
		}
	}
	if v.Sort >= 1 && v.Sort <= len(t.Head) {
		rows = slices.Clone(rows)
		slices.SortStableFunc(rows, func(a, b []string) int {
			order := compareFields(a[v.Sort-1], b[v.Sort-1])
			if v.Descending {
				return -order
			}
			return order
		})
	}
	s := Shown{Head: t.Head, Found: len(rows), Pages: max(1, (len(rows)+v.Size-1)/v.Size)}
	s.Page = min(max(1, v.Page), s.Pages)
	s.Rows = rows[(s.Page-1)*v.Size : min(len(rows), s.Page*v.Size)]
	return s
}

func compareFields(a, b string) int {
	x, errA := strconv.ParseFloat(strings.ReplaceAll(a, ",", "."), 64)
	y, errB := strconv.ParseFloat(strings.ReplaceAll(b, ",", "."), 64)
	switch {
	case errA == nil && errB == nil:
		return cmp.Compare(x, y)
	case errA == nil:
		return -1
	case errB == nil:
		return 1
	}
	return cmp.Compare(strings.ToLower(a), strings.ToLower(b))
}
