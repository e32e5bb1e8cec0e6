package pages

import (
	"context"
	"errors"
	"fmt"
	"io"

	"velada/core/access"
	"velada/core/content"
	"velada/house"
	"velada/identity"
	"velada/pictures"
	"velada/store"
)

// ImportArchive puts an archive in the place of a working copy. Pages that stand where
// one stood before are known again. It returns how many pages and files came. It returns
// content.ErrArchive, wrapped, for one that does not fit.
func ImportArchive(ctx context.Context, h *house.House, a house.Actor, site string, archive *content.Archive) (pages, files int, err error) {
	if err := h.May(ctx, a, house.ToWrite(site, "/")); err != nil { // before anything is looked at
		return 0, 0, err
	}
	for i, f := range archive.Files { // by no lock: photographs say nothing of their place any more
		if kind := FileType(f.Path, f.Data); pictures.Tells(kind, f.Data) {
			if data, err := pictures.Clean(kind, f.Data); err == nil {
				archive.Files[i].Data = data
			}
		}
		if err := ctx.Err(); err != nil {
			return 0, 0, err
		}
	}
	err = h.Change(ctx, a, house.ToWrite(site, "/"), func(tx *house.Tx) error {
		id := tx.State().ID(site)
		before, err := store.WorkingCopy(ctx, tx, id)
		if err != nil {
			return err
		}
		taken := map[string]string{} // in the one form that paths are compared in
		list, err := archivePages(archive, before, taken)
		if err != nil {
			return err
		}
		for i := range list {
			list[i].SavedAt, list[i].SavedBy = tx.Now(), a.Who
		}
		for _, p := range before {
			tx.Try(store.SavePage(ctx, tx, id, p, p.Title, p.Body, p.SavedBy, p.SavedAt))
		}
		old, err := store.WorkingFiles(ctx, tx, id)
		if err != nil {
			return err
		}
		shown := map[string]string{} // what pictures show stays said
		for _, f := range old {
			shown[f.Path] = f.Text
		}
		tx.Try(errors.Join(store.SaveWorkingPages(ctx, tx, id, list), store.DropFiles(ctx, tx, id)))
		for _, f := range archive.Files {
			normal, err := access.DocumentPath(f.Path)
			if err != nil {
				return fmt.Errorf("%w: %s: %v", content.ErrArchive, f.Path, err)
			}
			if other, there := taken[normal]; there {
				return fmt.Errorf("%w: %s and %s are one path", content.ErrArchive, other, f.Path)
			}
			taken[normal] = f.Path
			key, err := store.SaveBlob(ctx, tx, f.Data)
			if err != nil {
				return err
			}
			tx.Try(store.SaveFile(ctx, tx, id, store.File{Path: normal, Type: FileType(f.Path, f.Data), Size: len(f.Data), Blob: key, Text: shown[normal]}))
		}
		pages, files = len(list), len(archive.Files)
		tx.Renew(id, house.WorkingCopy)
		return store.DropLooseBlobs(ctx, tx)
	})
	if err != nil {
		return 0, 0, err
	}
	return pages, files, nil
}

// archivePages reads the pages of an archive for the place of those before, and notes
// which paths they take.
func archivePages(archive *content.Archive, before []store.Page, taken map[string]string) (list []store.Page, err error) {
	stood := make(map[string]store.Page, len(before))
	for _, p := range before {
		stood[p.Path] = p
	}
	for _, p := range archive.Pages {
		normal, err := house.CheckPath(nil, "", p.Path)
		if err != nil {
			var wrong house.FieldErrors
			errors.As(err, &wrong)
			return nil, fmt.Errorf("%w: %s: %s", content.ErrArchive, p.Path, wrong["path"])
		}
		if other, there := taken[normal]; there {
			return nil, fmt.Errorf("%w: %s and %s are one path", content.ErrArchive, other, p.Path)
		}
		taken[normal] = p.Path
		page := store.Page{
			ID: identity.Token()[:16], Path: normal, Title: p.Title, Body: p.Body, Kind: "markdown",
			InMenu: p.InMenu, Listing: p.Listing, Version: 1, File: p.File, Head: p.Head,
		}
		if p.HTML {
			page.Kind = "html"
		}
		if old, there := stood[normal]; there {
			page.ID, page.Version = old.ID, old.Version+1
		}
		list = append(list, page)
	}
	return list, nil
}

// ExportArchive writes a working copy, or an edition where number is not 0, as a ZIP.
// Only what the one who asks may see of it goes out. It returns store.ErrNoEdition.
func ExportArchive(ctx context.Context, h *house.House, a house.Actor, site string, number int, to io.Writer) error {
	var pages []store.Page
	var files []store.File
	var err error
	if number == 0 {
		pages, err = store.WorkingCopy(ctx, h.Reader(), h.SiteID(site))
		if err == nil {
			files, err = store.WorkingFiles(ctx, h.Reader(), h.SiteID(site))
		}
	} else {
		var e *store.Edition
		if e, err = store.FindEdition(ctx, h.Reader(), h.SiteID(site), number); err == nil && e == nil {
			err = store.ErrNoEdition
		} else if err == nil {
			pages, files = e.Pages, e.Files
		}
	}
	if err != nil {
		return err
	}
	archive := &content.Archive{}
	sees := func(path string) bool { return h.Can(a, site, path).Has(access.Preview) }
	for _, p := range pages {
		if sees(p.Path) {
			archive.Pages = append(archive.Pages, content.ArchivePage{Path: p.Path, Title: p.Title, HTML: p.Kind == "html", Body: p.Body, InMenu: p.InMenu, Listing: p.Listing, File: p.File, Head: p.Head})
		}
	}
	for _, f := range files {
		if !sees(f.Path) {
			continue
		}
		data, err := store.Blob(ctx, h.Reader(), f.Blob)
		if err != nil {
			return err
		}
		archive.Files = append(archive.Files, content.ArchiveFile{Path: f.Path, Data: data})
	}
	return content.WriteArchive(to, archive)
}
