package roster

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// heads are the names by which columns are recognised, lower case.
var heads = map[Field][]string{
	Name:    {"name", "full name", "fullname", "display name", "nombre completo", "fn", "cn", "person", "who"},
	Given:   {"given", "given name", "first", "first name", "firstname", "forename", "nombre", "vorname", "prénom", "givenname"},
	Family:  {"family", "family name", "last", "last name", "lastname", "surname", "apellidos", "nachname", "nom", "sn"},
	Address: {"address", "mail", "e-mail", "email", "email address", "e-mail address", "login", "account", "correo", "username"},
	Group:   {"group", "class", "team", "crew", "section", "grupo", "klasse", "set", "form", "ou"},
}

// mostColumns of a table.
const mostColumns = 60

// separators are what may stand between the cells of a table; the first counts where two do equally.
const separators = "\t;,|"

// said is the separator that a first line names, as some spreadsheets write it: sep=;
func said(text []byte) (separator rune, rest []byte, found bool) {
	line, rest, _ := bytes.Cut(text, []byte("\n"))
	name, value, is := strings.Cut(strings.Trim(strings.TrimSpace(string(line)), `"`), "=")
	runes := []rune(value)
	if !is || !strings.EqualFold(name, "sep") || len(runes) != 1 && value != "\\t" {
		return 0, text, false
	}
	if value == "\\t" {
		return '\t', rest, true
	}
	return runes[0], rest, true
}

// separator finds what separates the cells: by which most of the first rows have
// as many cells as the others.
func separator(text []byte) rune {
	text = text[:min(len(text), 64<<10)]
	best, most, wide := ',', 0, 0
	for _, sep := range separators {
		r := reader(text, sep)
		widths := map[int]int{}
		for range 100 {
			cells, err := r.Read()
			if err != nil {
				break
			}
			widths[len(cells)]++
		}
		for width, rows := range widths {
			if width > 1 && (rows > most || rows == most && width > wide) {
				best, most, wide = sep, rows, width
			}
		}
	}
	return best
}

func reader(text []byte, separator rune) *csv.Reader {
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = separator, -1, true, separator != '\t'
	return r
}

// readTable reads a table of separated cells. head is how many rows stand above those of
// people; below 0 that is found out.
func readTable(text []byte, head int) (*Sheet, error) {
	sep, rest, named := said(text)
	if !named {
		sep = separator(text)
	}
	r := reader(rest, sep)
	s := &Sheet{Format: "csv"}
	for {
		cells, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("it cannot be read as a table: %w", err)
		}
		line, _ := r.FieldPos(0)
		if named {
			line++
		}
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
			if inner, is := strings.CutPrefix(cells[i], `="`); is { // as spreadsheets keep digits what they are
				cells[i] = strings.TrimSuffix(inner, `"`)
			}
		}
		if strings.Join(cells, "") == "" {
			continue
		}
		if len(s.Rows) >= MostRows {
			return nil, errTooMany
		}
		s.Rows = append(s.Rows, Row{line, cells})
	}
	if len(s.Rows) == 0 {
		return nil, errors.New("there is nothing in it")
	}
	width := 0
	for _, row := range s.Rows {
		width = max(width, len(row.Cells))
	}
	if width > mostColumns {
		return nil, fmt.Errorf("a roster has at most %d columns", mostColumns)
	}
	s.Columns, s.Fields = make([]string, width), make([]Field, width)
	s.recogniseHead(head)
	s.recogniseByContents()
	return s, nil
}

// mostHead is how many rows may stand above those of people: titles, and heads of columns.
const mostHead = 20

func known(cell string) Field {
	cell = strings.ToLower(strings.Trim(cell, " :*."))
	for _, f := range Fields[1:] {
		if slices.Contains(heads[f], cell) {
			return f
		}
	}
	return Ignored
}

func filled(cells []string) (n int) {
	for _, c := range cells {
		if c != "" {
			n++
		}
	}
	return n
}

func hasAddress(cells []string) bool {
	return slices.ContainsFunc(cells, func(c string) bool { return strings.Contains(c, "@") })
}

// headRows finds the rows that name columns, above those of people: from, and how many
// stand above people in all. Where none do, both are 0.
func (s *Sheet) headRows() (from, above int) {
	rows := s.Rows[:min(len(s.Rows), mostHead)]
	best, most := -1, 0
	firstAddress := len(rows)
	for i, row := range rows {
		if hasAddress(row.Cells) {
			firstAddress = i
			break
		}
		n := 0
		for _, c := range row.Cells {
			if known(c) != Ignored {
				n++
			}
		}
		if n > most {
			best, most = i, n
		}
	}
	switch {
	case best >= 0:
		from, above = best, best+1
		if above < firstAddress && above < len(rows) { // heads in two rows, the upper merged over the lower
			if n := slices.ContainsFunc(rows[above].Cells, func(c string) bool { return known(c) != Ignored }); n {
				above++
			}
		}
		for from > 0 && filled(rows[from-1].Cells) > 1 && above-from < 3 {
			from--
		}
	case firstAddress > 0 && firstAddress < len(rows) && len(s.Rows) > 1:
		from, above = firstAddress-1, firstAddress
	}
	return from, above
}

// recogniseHead takes the rows above people for names of columns. A cell that is merged
// over several names each of them.
func (s *Sheet) recogniseHead(head int) {
	from, above := s.headRows()
	if head >= 0 {
		above = min(head, len(s.Rows)-1, mostHead)
		from = min(from, max(above-1, 0))
		for above > 0 && filled(s.Rows[from].Cells) < 2 && from < above-1 {
			from++
		}
	}
	for i := range s.Columns {
		var names []string
		for j, row := range s.Rows[from:above] {
			name := ""
			if i < len(row.Cells) {
				name = row.Cells[i]
			}
			if f := known(name); f != Ignored {
				s.Fields[i] = f
			}
			for k := i - 1; name == "" && k >= 0 && k < len(row.Cells) && j < above-from-1; k-- {
				name = row.Cells[k]
			}
			if name != "" && !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		s.Columns[i] = strings.Join(names, ": ")
		if s.Columns[i] == "" {
			s.Columns[i] = fmt.Sprintf("Column %d", i+1)
		}
		if s.Fields[i] != Ignored && slices.Contains(s.Fields[:i], s.Fields[i]) {
			s.Fields[i] = Ignored
		}
	}
	s.Head = above
	s.Rows = s.Rows[above:]
}

// recogniseByContents finds the addresses, and then a name, in columns whose
// head says nothing.
func (s *Sheet) recogniseByContents() {
	sample := s.Rows[:min(len(s.Rows), 50)]
	share := func(column int, is func(cell string) bool) float64 {
		n := 0
		for _, row := range sample {
			if column < len(row.Cells) && is(row.Cells[column]) {
				n++
			}
		}
		return float64(n) / float64(max(1, len(sample)))
	}
	has := func(list ...Field) bool {
		return slices.ContainsFunc(list, func(f Field) bool { return slices.Contains(s.Fields, f) })
	}
	for i := range s.Columns {
		if s.Fields[i] == Ignored && !has(Address) && share(i, func(c string) bool { return strings.Contains(c, "@") && !strings.Contains(c, " ") }) > 0.5 {
			s.Fields[i] = Address
		}
	}
	for i := range s.Columns {
		if s.Fields[i] == Ignored && !has(Name, Given, Family) && share(i, func(c string) bool {
			return strings.ContainsFunc(c, func(r rune) bool { return r >= 'A' }) && !strings.Contains(c, "@")
		}) > 0.5 {
			s.Fields[i] = Name
		}
	}
}
