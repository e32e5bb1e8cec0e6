package pages

import (
	"context"
	"fmt"
	"slices"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"velada/core/access"
	"velada/core/content"
	"velada/house"
	"velada/limits"
	"velada/store"
)

// TableFile is the media type of a file whose records a table shows: it is never
// served itself, so that rows reach nobody but through the table's door.
const TableFile = "application/x-velada-records"

// tablesOf are the tables of a page as it is published: those that were there
// keep their doors.
func tablesOf(p store.Page, before []access.Table) (tables []access.Table) {
	if p.Kind == "html" {
		return nil
	}
	for _, place := range content.Tables(p.Body) {
		if slices.ContainsFunc(tables, func(t access.Table) bool { return t.ID == place.ID }) { // one door for all of a name
			continue
		}
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

// records are those of files that were read last, by what the files hold; an error is kept too.
var records, _ = lru.New[string, func() (*content.Records, error)](limits.RecordsKept) // fails for a size below 1 alone

// Records reads the records of a file, once for all who look at what it holds.
func Records(ctx context.Context, h *house.House, f *house.LiveFile) (*content.Records, error) {
	if kept, there := records.Get(f.Blob); there {
		return kept()
	}
	data, err := h.FileData(ctx, f)
	if err != nil {
		return nil, err
	}
	kept := sync.OnceValues(func() (*content.Records, error) { return content.ReadRecords(data) })
	records.Add(f.Blob, kept)
	return kept()
}

// mayBringIn refuses a text by which somebody comes to show the records of a file that is not theirs to
// change: a table takes its file out of its own door, and shows rows to whoever opens the page. What the
// text showed before stays.
func mayBringIn(tx *house.Tx, site, was, body string) error {
	before := content.Tables(was)
	for _, place := range content.Tables(body) {
		if slices.ContainsFunc(before, func(p content.TablePlace) bool { return p.File == place.File }) {
			continue
		}
		normal, err := access.DocumentPath(place.File)
		if err == nil && tx.Require(house.ToWrite(site, normal)) == nil {
			continue
		}
		return house.FieldErrors{"body": fmt.Sprintf("The table %s shows the file %s, which is not yours to change. Add the file to this page instead.", place.ID, place.File)}
	}
	return nil
}
