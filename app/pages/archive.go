package pages

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/house"
	"velada/identity"
	"velada/pictures"
	"velada/store"
)

// Imported is what came of an archive.
type Imported struct {
	Pages, Files int
	NotRun       []string // what of it Velada does not run or serve, in sentences
}

// ImportArchive puts an archive in the place of a working copy. Pages that stand where
// one stood before are known again. It returns content.ErrArchive, wrapped, for one that does not fit.
func ImportArchive(ctx context.Context, h *house.House, a house.Actor, site string, archive *content.Archive) (done Imported, err error) {
	if err := h.May(ctx, a, house.ToWrite(site, "/")); err != nil { // before anything is looked at
		return Imported{}, err
	}
	holder := identity.Token()
	defer func() {
		released := h.Change(context.WithoutCancel(ctx), house.Velada, house.Needs{}, func(tx *house.Tx) error {
			tx.Lazy()
			return errors.Join(store.ReleaseBlobs(tx.Context(), tx, holder, time.Now()), store.DropLooseBlobs(tx.Context(), tx))
		})
		if released != nil {
			slog.Error("letting go of what an archive held", "error", released)
		}
	}()
	files, err := holdFiles(ctx, h, a, site, archive, holder)
	if err != nil {
		return Imported{}, err
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
		for _, f := range files {
			if other, there := taken[f.Path]; there {
				return fmt.Errorf("%w: %s and %s are one path", content.ErrArchive, other, f.Path)
			}
			taken[f.Path] = f.Path
			f.Text = shown[f.Path]
			tx.Try(store.SaveFile(ctx, tx, id, f))
		}
		tx.Renew(id, house.WorkingCopy)
		return nil
	})
	if err != nil {
		return Imported{}, err
	}
	return Imported{len(archive.Pages), len(files), notRun(archive)}, nil
}

// How much of an archive is written at once, while others wait for at most that.
const (
	heldAtOnce = 4 << 20 // bytes
	holdFor    = time.Hour
)

// holdFiles keeps what the files of an archive hold, a few of them at a time, so that neither all of it is in
// memory nor anybody waits for all of it.
func holdFiles(ctx context.Context, h *house.House, a house.Actor, site string, archive *content.Archive, holder string) (files []store.File, err error) {
	paths := make([]string, len(archive.Files))
	for i, f := range archive.Files {
		if paths[i], err = access.DocumentPath(f.Path); err != nil {
			return nil, fmt.Errorf("%w: %s: %v", content.ErrArchive, f.Path, err)
		}
	}
	for next := 0; next < len(archive.Files); {
		var some [][]byte
		for size := 0; next+len(some) < len(archive.Files) && size < heldAtOnce; {
			f := archive.Files[next+len(some)]
			data, err := f.Read()
			if err != nil {
				return nil, err
			}
			kind := FileType(f.Path, data)
			if pictures.Tells(kind, data) { // photographs say nothing of their place any more
				if clean, err := pictures.Clean(kind, data); err == nil {
					data = clean
				}
			}
			files = append(files, store.File{Path: paths[next+len(some)], Type: kind, Size: len(data)})
			some, size = append(some, data), size+len(data)
			if err := ctx.Err(); err != nil {
				return nil, err
			}
		}
		err := h.Change(ctx, a, house.ToWrite(site, "/"), func(tx *house.Tx) error {
			tx.Lazy() // nothing names them yet
			for i, data := range some {
				key, err := store.HoldBlob(tx.Context(), tx, data, holder, time.Now().Add(holdFor))
				if err != nil {
					return err
				}
				files[next+i].Blob = key
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		next += len(some)
	}
	return files, nil
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
		archive.Files = append(archive.Files, content.ArchiveFile{Path: f.Path, Open: func() ([]byte, error) {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			return store.Blob(ctx, h.Reader(), f.Blob)
		}})
	}
	return content.WriteArchive(to, archive)
}
