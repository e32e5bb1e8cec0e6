package roster

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strings"
)

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
