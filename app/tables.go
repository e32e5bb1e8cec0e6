package app

import (
	"context"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/content"
	"velada/store"
)

// TableFile is the media type of a file whose records a table shows: it is never
// served itself, so that rows reach nobody but through the table's door.
const TableFile = "application/x-velada-records"

// TablePrefix stands before the path of a page in the name of the door of a
// table on it: table:/notes#magnitudes.
const TablePrefix = "table:"

// TableDoor is the name of a table's door.
func TableDoor(path, id string) string { return TablePrefix + path + "#" + id }

// CutTable gives the page and id of a table's door.
func CutTable(door string) (path, id string, is bool) {
	rest, is := strings.CutPrefix(door, TablePrefix)
	if !is {
		return "", "", false
	}
	i := strings.LastIndexByte(rest, '#')
	if i < 0 {
		return "", "", false
	}
	return rest[:i], rest[i+1:], true
}

// tableAt finds a table of a site.
func tableAt(s *access.Site, path, id string) *access.Table {
	for i := range s.Pages {
		for j := range s.Pages[i].Tables {
			if s.Pages[i].Path == path && s.Pages[i].Tables[j].ID == id {
				return &s.Pages[i].Tables[j]
			}
		}
	}
	return nil
}

// SetTable sets the ways of a table in a draft whose pages are its own; nil shows
// it to whoever the page opens to.
func SetTable(draft *access.Site, door string, ways []access.Way) {
	path, id, _ := CutTable(door)
	if t := tableAt(draft, path, id); t != nil {
		t.Ways = ways
	}
}

// tablesOf are the tables of a page as it is published: those that were there
// keep their doors.
func tablesOf(p store.Page, before []access.Table) (tables []access.Table) {
	if p.Kind == "html" {
		return nil
	}
	for _, place := range content.Tables(p.Body) {
		t := access.Table{ID: place.ID}
		if i := slices.IndexFunc(before, func(old access.Table) bool { return old.ID == place.ID }); i >= 0 {
			t = before[i]
		}
		tables = append(tables, t)
	}
	return tables
}

// keepTables marks the files whose records tables of the pages show.
func keepTables(pages []store.Page, files []store.File) []store.File {
	files = slices.Clone(files)
	for _, p := range pages {
		for _, place := range content.Tables(p.Body) {
			for i := range files {
				if files[i].Path == place.File {
					files[i].Type = TableFile
				}
			}
		}
	}
	return files
}

// Records reads the records of a file.
func (h *House) Records(ctx context.Context, f *LiveFile) (*content.Records, error) {
	data, err := h.FileData(ctx, f)
	if err != nil {
		return nil, err
	}
	return content.ReadRecords(data)
}
