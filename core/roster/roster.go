// Package roster reads people and their groups from CSV, a spreadsheet's paste,
// vCard and LDIF, and writes them as CSV and vCard. What then becomes of the
// house is worked out in app.
package roster

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"unicode"
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
	Charset string // that it was read in, by its IANA name
	Guessed bool   // the charset is a guess
	Head    int    // rows of a table above those of people
	Columns []string
	Fields  []Field // as recognised
	Rows    []Row
}

// Options are what somebody corrects of how a roster is read.
type Options struct {
	Charset string // "" is guessed
	Head    int    // rows of a table above those of people; below 0 is found out
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
	Others        []string // more addresses of theirs
	Group         string
}

// Limits of a roster.
const (
	MostBytes = 16 << 20
	MostRows  = 100_000
)

var errTooMany = fmt.Errorf("a roster has at most %d rows", MostRows)

// Read reads a roster in whatever of its formats it is.
func Read(raw []byte, o Options) (*Sheet, error) {
	if len(raw) > MostBytes {
		return nil, fmt.Errorf("a roster has at most %d MB", MostBytes>>20)
	}
	text, charset, guessed, err := decode(raw, o.Charset)
	if err != nil {
		return nil, err
	}
	if len(bytes.TrimSpace(text)) == 0 {
		return nil, errors.New("there is nothing in it")
	}
	var s *Sheet
	switch {
	case isVCard(text):
		s, err = readVCard(raw, text, charset)
	case isLDIF(text):
		s, err = readLDIF(text)
	default:
		s, err = readTable(text, o.Head)
	}
	if err != nil {
		return nil, err
	}
	s.Charset, s.Guessed = charset, guessed
	return s, nil
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
				p.Address, p.Others = addresses(cell)
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

// addresses reads a cell with the address of somebody, or several: the first is what they sign in by.
func addresses(cell string) (first string, others []string) {
	if strings.Count(cell, "@") < 2 && !strings.Contains(cell, "<") {
		return strings.TrimPrefix(cell, "mailto:"), nil
	}
	for _, word := range strings.FieldsFunc(cell, func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(",;<>|", r) }) {
		word = strings.TrimPrefix(word, "mailto:")
		switch {
		case !strings.Contains(word, "@"):
		case first == "":
			first = word
		default:
			others = append(others, word)
		}
	}
	if first == "" {
		return cell, nil
	}
	return first, others
}

func fixedSheet(format string) *Sheet {
	return &Sheet{Format: format, Columns: []string{"Name", "Address", "Group"}, Fields: []Field{Name, Address, Group}}
}

// add adds a row of a fixedSheet.
func (s *Sheet) add(line int, name string, addresses []string, group string) error {
	if len(s.Rows) >= MostRows {
		return errTooMany
	}
	s.Rows = append(s.Rows, Row{line, []string{name, strings.Join(addresses, " "), group}})
	return nil
}
