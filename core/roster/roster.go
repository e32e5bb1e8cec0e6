// Package roster reads people and their groups from CSV, a spreadsheet's paste,
// vCard and LDIF, and writes them as CSV and vCard. What then becomes of the
// house is worked out in app.
package roster

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
)

// Field is what a column says of a person.
type Field string

// The fields that a column can be.
const (
	Ignored Field = ""
	Name    Field = "name"
	Given   Field = "given"
	Family  Field = "family"
	Address Field = "address"
	Group   Field = "group"
)

// Fields are all of them, in the order in which they are offered.
var Fields = []Field{Ignored, Name, Given, Family, Address, Group}

// Sheet is a roster as it was read: columns with their names, and rows.
type Sheet struct {
	Format  string // csv, vcard, ldif
	Columns []string
	Fields  []Field // as recognised
	Rows    []Row
}

// Row is one row with the line at which it began.
type Row struct {
	Line  int
	Cells []string
}

// Person is what a roster says of one person.
type Person struct {
	Line          int
	Name, Address string
	Group         string
}

// Limits of a roster.
const (
	MostBytes = 16 << 20
	MostRows  = 100_000
)

var errTooMany = fmt.Errorf("a roster has at most %d rows", MostRows)

// heads are the names by which columns are recognised, lower case.
var heads = map[Field][]string{
	Name:    {"name", "full name", "fullname", "display name", "nombre completo", "fn", "cn", "person", "who"},
	Given:   {"given", "given name", "first", "first name", "firstname", "forename", "nombre", "vorname", "prénom", "givenname"},
	Family:  {"family", "family name", "last", "last name", "lastname", "surname", "apellidos", "nachname", "nom", "sn"},
	Address: {"address", "mail", "e-mail", "email", "email address", "e-mail address", "login", "account", "correo", "username"},
	Group:   {"group", "class", "team", "crew", "section", "grupo", "klasse", "set", "form", "ou"},
}

// Read reads a roster in whatever of its formats it is.
func Read(text []byte) (*Sheet, error) {
	if len(text) > MostBytes {
		return nil, fmt.Errorf("a roster has at most %d MB", MostBytes>>20)
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	if bytes.HasPrefix(text, []byte("\xff\xfe")) || bytes.HasPrefix(text, []byte("\xfe\xff")) {
		return nil, errors.New("this is UTF-16: save it as UTF-8")
	}
	if !utf8.Valid(text) {
		decoded, err := charmap.Windows1252.NewDecoder().Bytes(text)
		if err != nil {
			return nil, errors.New("this is neither UTF-8 nor Western European text")
		}
		text = decoded
	}
	if bytes.ContainsRune(text, 0) {
		return nil, errors.New("this is no text")
	}
	start := strings.ToLower(strings.TrimSpace(string(text[:min(len(text), 200)])))
	switch {
	case start == "":
		return nil, errors.New("there is nothing in it")
	case strings.HasPrefix(start, "begin:vcard"):
		return readVCard(text)
	case strings.HasPrefix(start, "dn:") || strings.HasPrefix(start, "version: 1"):
		return readLDIF(text)
	}
	return readCSV(text)
}

// separator finds what separates the cells: what the first line has most of.
func separator(text []byte) rune {
	line, _, _ := bytes.Cut(text, []byte("\n"))
	best, most := ',', 0
	for _, r := range "\t;,|" {
		if n := bytes.Count(line, []byte(string(r))); n > most {
			best, most = r, n
		}
	}
	return best
}

func readCSV(text []byte) (*Sheet, error) {
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = separator(text), -1, true, true
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
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
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
	if width > 60 {
		return nil, errors.New("a roster has at most 60 columns")
	}
	s.recogniseHead(width)
	s.recogniseByContents()
	return s, nil
}

// recogniseHead takes the first row for names of columns when none of its cells
// is an address.
func (s *Sheet) recogniseHead(width int) {
	s.Columns, s.Fields = make([]string, width), make([]Field, width)
	first := s.Rows[0].Cells
	for i := range s.Columns {
		s.Columns[i] = fmt.Sprintf("Column %d", i+1)
	}
	if slices.ContainsFunc(first, func(c string) bool { return strings.Contains(c, "@") }) {
		return
	}
	known := false
	for i, cell := range first {
		for _, f := range Fields[1:] {
			if slices.Contains(heads[f], strings.ToLower(cell)) && !slices.Contains(s.Fields, f) {
				s.Fields[i], known = f, true
			}
		}
	}
	if !known && len(s.Rows) > 1 && !slices.ContainsFunc(s.Rows[1].Cells, func(c string) bool { return strings.Contains(c, "@") }) {
		return
	}
	if known || len(s.Rows) > 1 {
		copy(s.Columns, first)
		s.Rows = s.Rows[1:]
	}
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

// People returns the people of a sheet with its columns taken as the fields say.
func (s *Sheet) People(fields []Field) (list []Person) {
	for _, row := range s.Rows {
		p := Person{Line: row.Line}
		var given, family string
		for i, cell := range row.Cells {
			if i >= len(fields) {
				break
			}
			switch fields[i] {
			case Name:
				p.Name = cell
			case Given:
				given = cell
			case Family:
				family = cell
			case Address:
				p.Address = cell
			case Group:
				p.Group = cell
			}
		}
		if p.Name == "" {
			p.Name = strings.TrimSpace(given + " " + family)
		}
		if last, first, turned := strings.Cut(p.Name, ", "); turned && !strings.Contains(first, ",") {
			p.Name = first + " " + last // “Okafor, Tobias”
		}
		p.Name = strings.Join(strings.Fields(p.Name), " ")
		list = append(list, p)
	}
	return list
}

// unfolded returns the lines of a text in which a line that begins with white
// space goes on the one before, with where each began.
func unfolded(text []byte, each func(line int, text string) error) error {
	in := bufio.NewScanner(bytes.NewReader(text))
	in.Buffer(nil, MostBytes)
	line, began, whole := 0, 0, ""
	for in.Scan() {
		line++
		t := strings.TrimRight(in.Text(), "\r")
		if t != "" && (t[0] == ' ' || t[0] == '\t') && whole != "" {
			whole += t[1:]
			continue
		}
		if began > 0 {
			if err := each(began, whole); err != nil {
				return err
			}
		}
		began, whole = line, t
	}
	if err := in.Err(); err != nil {
		return err
	}
	return each(began, whole)
}

func fixedSheet(format string) *Sheet {
	return &Sheet{Format: format, Columns: []string{"Name", "Address", "Group"}, Fields: []Field{Name, Address, Group}}
}

// readVCard reads vCard 3 and 4 (RFC 2426, RFC 6350): FN or N, EMAIL, and
// CATEGORIES or ORG as the group.
func readVCard(text []byte) (*Sheet, error) {
	s := fixedSheet("vcard")
	var p []string
	at, preferred := 0, false
	err := unfolded(text, func(line int, t string) error {
		head, value, _ := strings.Cut(t, ":")
		name, parameters, _ := strings.Cut(strings.ToUpper(head), ";")
		if _, after, grouped := strings.Cut(name, "."); grouped {
			name = after
		}
		plain := strings.NewReplacer(`\,`, ",", `\;`, ";", `\n`, " ", `\N`, " ", `\\`, `\`).Replace
		switch name {
		case "BEGIN":
			p, at, preferred = []string{"", "", ""}, line, false
		case "END":
			if p != nil && strings.Join(p, "") != "" {
				if len(s.Rows) >= MostRows {
					return errTooMany
				}
				s.Rows = append(s.Rows, Row{at, p})
			}
			p = nil
		}
		if p == nil {
			return nil
		}
		switch name {
		case "FN":
			p[0] = plain(value)
		case "N":
			if parts := strings.Split(value, ";"); p[0] == "" && len(parts) > 1 {
				p[0] = strings.TrimSpace(plain(parts[1]) + " " + plain(parts[0]))
			}
		case "EMAIL":
			if pref := strings.Contains(parameters, "PREF"); p[1] == "" || pref && !preferred {
				p[1], preferred = strings.TrimPrefix(plain(value), "mailto:"), pref
			}
		case "CATEGORIES":
			first, _, _ := strings.Cut(strings.ReplaceAll(value, `\,`, "\x01"), ",")
			p[2] = strings.ReplaceAll(plain(first), "\x01", ",")
		case "ORG":
			if p[2] == "" {
				parts := strings.Split(value, ";")
				p[2] = plain(parts[len(parts)-1])
			}
		}
		return nil
	})
	if err == nil && len(s.Rows) == 0 {
		err = errors.New("there is nobody in it")
	}
	return s, err
}

// readLDIF reads LDIF (RFC 2849): cn or givenName and sn, mail, and ou as the group.
func readLDIF(text []byte) (*Sheet, error) {
	s := fixedSheet("ldif")
	entry, at := map[string]string{}, 0
	end := func() error {
		name := entry["cn"]
		if name == "" {
			name = strings.TrimSpace(entry["givenname"] + " " + entry["sn"])
		}
		if entry["mail"] != "" || entry["objectclass"] != "" && name != "" && entry["sn"] != "" {
			if len(s.Rows) >= MostRows {
				return errTooMany
			}
			s.Rows = append(s.Rows, Row{at, []string{name, entry["mail"], entry["ou"]}})
		}
		clear(entry)
		return nil
	}
	err := unfolded(text, func(line int, t string) error {
		if strings.HasPrefix(t, "#") {
			return nil
		}
		if t == "" {
			return end()
		}
		name, value, found := strings.Cut(t, ":")
		if !found {
			return fmt.Errorf("line %d: there is no colon in it", line)
		}
		if encoded, is := strings.CutPrefix(value, ":"); is {
			raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(encoded))
			if err != nil || !utf8.Valid(raw) {
				return fmt.Errorf("line %d: its value cannot be read", line)
			}
			value = string(raw)
		}
		name, _, _ = strings.Cut(strings.ToLower(name), ";")
		if len(entry) == 0 {
			at = line
		}
		if entry[name] == "" {
			entry[name] = strings.TrimSpace(value)
		}
		return nil
	})
	if err == nil {
		err = end()
	}
	if err == nil && len(s.Rows) == 0 {
		err = errors.New("there is nobody in it")
	}
	return s, err
}

// WriteCSV writes people as a table that Read reads again. A cell that a
// spreadsheet would take for a formula is kept from it.
func WriteCSV(out io.Writer, people []Person) error {
	w := csv.NewWriter(out)
	err := w.Write([]string{"name", "address", "group"})
	for _, p := range people {
		row := []string{p.Name, p.Address, p.Group}
		for i, c := range row {
			if strings.HasPrefix(c, "=") || strings.HasPrefix(c, "+") || strings.HasPrefix(c, "-") || strings.HasPrefix(c, "@") {
				row[i] = "'" + c
			}
		}
		err = errors.Join(err, w.Write(row))
	}
	w.Flush()
	return errors.Join(err, w.Error())
}

// WriteVCard writes people as vCard 4.
func WriteVCard(out io.Writer, people []Person) error {
	escape := strings.NewReplacer(`\`, `\\`, ",", `\,`, ";", `\;`, "\n", `\n`, "\r", "").Replace
	var b bytes.Buffer
	for _, p := range people {
		b.WriteString("BEGIN:VCARD\r\nVERSION:4.0\r\nFN:" + escape(p.Name) + "\r\n")
		if p.Address != "" {
			b.WriteString("EMAIL:" + escape(p.Address) + "\r\n")
		}
		if p.Group != "" {
			b.WriteString("CATEGORIES:" + escape(p.Group) + "\r\n")
		}
		b.WriteString("END:VCARD\r\n")
	}
	_, err := out.Write(b.Bytes())
	return err
}
