package house

import (
	"context"
	"encoding/hex"
	"fmt"
	"path"
	"slices"
	"sync"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/core/listing"
	"velada/core/looks"
	"velada/packed"
	"velada/store"
)

// LiveEdition is what visitors of a site see. What its pages say is read when
// it is asked for.
type LiveEdition struct {
	Site   store.SiteID
	Number int
	At     time.Time
	Pages  map[string]*LivePage // by path
	Menu   []*LivePage          // in order
	Files  map[string]*LiveFile // by path
	Look   looks.Look
	byID   map[string]*LivePage
	byFile map[string]*LivePage   // by the path of the file that they came in, where they stand elsewhere
	below  map[string][]*LivePage // by the page right above
	files  []string               // their paths, sorted
}

// LivePage is a page of the live edition.
type LivePage struct {
	ID, Path, Title string
	InMenu          bool
	Own             bool // HTML with a look of its own
	Folder          bool // the front of a folder, whose links lead from within it: its address ends in /
	listing         bool
	Changed         time.Time              // when what it says was changed last; zero in a working copy
	mark            [16]byte               // of what it says
	html            func() (string, error) // of a working copy, which is not stored
}

// LiveFile is a picture or another file of the live edition.
type LiveFile struct {
	Type string
	Size int
	Blob string // the key of its data, and the mark of its contents
	Text string // what a picture shows
}

// Working is the outline of a working copy.
type Working struct {
	Titles  map[string]string // by path
	Order   []string          // the paths, in the order of the working copy
	Changes int               // pages and files that differ from the live edition, see changes
	Next    int               // the number of the next edition
	Look    looks.Look
}

// Page is the page that stands at a path now, or nil.
func (e *LiveEdition) Page(path string) *LivePage {
	if e == nil {
		return nil
	}
	return e.Pages[path]
}

// ByID is the page with an id, or nil.
func (e *LiveEdition) ByID(id string) *LivePage {
	if e == nil {
		return nil
	}
	return e.byID[id]
}

// File is the file at a path, or nil.
func (e *LiveEdition) File(path string) *LiveFile {
	if e == nil {
		return nil
	}
	return e.Files[path]
}

// FilesBelow lists the paths of files at and below a path, sorted.
func (e *LiveEdition) FilesBelow(path string) (list []string) {
	if e == nil {
		return nil
	}
	if path == "/" {
		return e.files
	}
	if e.Files[path] != nil {
		list = append(list, path)
	}
	from, _ := slices.BinarySearch(e.files, path+"/")
	to, _ := slices.BinarySearch(e.files, path+"0") // "0" comes right after "/"
	return append(list, e.files[from:to]...)
}

// ByFile is the page that came in the file at a path, where it stands elsewhere, or nil.
func (e *LiveEdition) ByFile(path string) *LivePage {
	if e == nil {
		return nil
	}
	return e.byFile[path]
}

// Below lists the pages right below a page, in the order of the edition: those that stand below
// no other page between.
func (e *LiveEdition) Below(path string) []*LivePage {
	if e == nil {
		return nil
	}
	return e.below[path]
}

// belowEach sorts pages by the page that each stands below.
func belowEach(pages map[string]*LivePage, order []*LivePage) map[string][]*LivePage {
	below := map[string][]*LivePage{}
	for _, p := range order {
		if p.Path == "/" {
			continue
		}
		above := path.Dir(p.Path)
		for above != "/" && pages[above] == nil {
			above = path.Dir(above)
		}
		below[above] = append(below[above], p)
	}
	return below
}

// URLPath is the path of a page in addresses, escaped.
func (e *LiveEdition) URLPath(path string) string {
	if p := e.Page(path); p != nil && p.Folder && path != "/" {
		return access.EscapePath(path) + "/"
	}
	return access.EscapePath(path)
}

// Address is a page of the edition as it stands in a sitemap.
func (e *LiveEdition) Address(origin, path string) listing.Address {
	a := listing.Address{URL: origin + e.URLPath(path)}
	if p := e.Page(path); p != nil {
		a.Changed = p.Changed
	}
	return a
}

// working returns the outline of a working copy beside what is live.
func working(live *LiveEdition, e *store.Edition, next int) Working {
	w := Working{Titles: make(map[string]string, len(e.Pages)), Changes: changes(live, e), Next: next, Look: e.Look}
	for _, p := range e.Pages {
		w.Titles[p.Path] = p.Title
		w.Order = append(w.Order, p.Path)
	}
	return w
}

// changes counts the pages and files of a working copy that are added, changed,
// moved or deleted since the live edition, and another order of the menu or another look
// as one more each; 0 before anything is live.
func changes(live *LiveEdition, working *store.Edition) (n int) {
	if live == nil {
		return 0
	}
	left := len(live.byID)
	for _, p := range working.Pages {
		old := live.byID[p.ID]
		if old != nil {
			left--
		}
		if old == nil || old.mark != markOf(p.Mark) || old.Path != p.Path || old.InMenu != p.InMenu || old.listing != p.Listing {
			n++
		}
	}
	n += left
	left = len(live.Files)
	for _, f := range working.Files {
		old := live.Files[f.Path]
		if old != nil {
			left--
		}
		if old == nil || old.Blob != f.Blob || old.Text != f.Text {
			n++
		}
	}
	n += left
	was := make([]string, len(live.Menu))
	for i, p := range live.Menu {
		was[i] = p.ID
	}
	if Reordered(was, MenuOf(working.Pages)) {
		n++
	}
	if live.Look != working.Look {
		n++
	}
	return n
}

// MenuOf returns the ids of the pages in a menu, in order.
func MenuOf(pages []store.Page) (ids []string) {
	for _, p := range pages {
		if p.InMenu {
			ids = append(ids, p.ID)
		}
	}
	return ids
}

// Reordered reports whether the pages that are in both menus stand in another order.
func Reordered(before, after []string) bool {
	only := func(list, other []string) []string {
		there := make(map[string]bool, len(other))
		for _, id := range other {
			there[id] = true
		}
		return slices.DeleteFunc(slices.Clone(list), func(id string) bool { return !there[id] })
	}
	return !slices.Equal(only(before, after), only(after, before))
}

// markOf reads the mark of what a page says.
func markOf(text string) (mark [16]byte) {
	_, _ = hex.Decode(mark[:], []byte(text[:min(len(text), 32)])) // an empty mark is one too
	return mark
}

// NewLiveEdition returns an edition as visitors see it. Where it is not stored, as a
// working copy is not, render renders what a page says when that is asked for; else it is nil.
func NewLiveEdition(e *store.Edition, render func(p store.Page) (string, error)) *LiveEdition {
	l := &LiveEdition{
		Site: e.Site, Number: e.Number, At: e.At, Look: e.Look, Pages: make(map[string]*LivePage, len(e.Pages)),
		Files: make(map[string]*LiveFile, len(e.Files)), byID: make(map[string]*LivePage, len(e.Pages)),
	}
	order := make([]*LivePage, 0, len(e.Pages))
	for _, p := range e.Pages {
		page := &LivePage{ID: p.ID, Path: p.Path, Title: p.Title, InMenu: p.InMenu, Own: p.Kind == "html", listing: p.Listing, Changed: p.Changed, mark: markOf(p.Mark)}
		if render != nil {
			page.html = sync.OnceValues(func() (string, error) { return render(p) })
		}
		l.Pages[p.Path], l.byID[p.ID] = page, page
		order = append(order, page)
		if p.File != "" {
			page.Folder = page.Own && content.IsFront(p.File)
			if file, err := access.DocumentPath("/" + p.File); err == nil && file != p.Path {
				put(&l.byFile, file, page)
			}
		}
		if p.InMenu {
			l.Menu = append(l.Menu, page)
		}
	}
	l.below = belowEach(l.Pages, order)
	for _, f := range e.Files {
		l.Files[f.Path] = &LiveFile{f.Type, f.Size, f.Blob, f.Text}
		l.files = append(l.files, f.Path)
	}
	slices.Sort(l.files)
	return l
}

// PageHTML is what a page of an edition says: sanitised HTML.
func (h *House) PageHTML(ctx context.Context, e *LiveEdition, p *LivePage) (string, error) {
	if p.html != nil {
		return p.html()
	}
	data, err := h.texts.get(fmt.Sprintf("%s %d %s", e.Site, e.Number, p.Path), func() ([]byte, error) {
		html, err := store.PageHTML(ctx, h.db, e.Site, e.Number, p.Path)
		return []byte(html), err
	})
	if err != nil {
		return "", fmt.Errorf("reading %s of %s: %w", p.Path, e.Site, err)
	}
	return string(data), nil
}

// PackedFile is what a file of an edition holds, compressed; empty where that makes it no smaller.
func (h *House) PackedFile(ctx context.Context, f *LiveFile) ([]byte, error) {
	return h.data.get(f.Blob+" "+packed.Coding, func() ([]byte, error) {
		data, err := h.FileData(ctx, f)
		return packed.Pack(data), err
	})
}

// PackedText is a text that a page of an edition is sent as, compressed once; empty where
// that makes it no smaller. variant tells it from others of that page.
func (h *House) PackedText(e *LiveEdition, path, variant, text string) []byte {
	data, _ := h.texts.get(fmt.Sprintf("%s %d %s %s %s", e.Site, e.Number, path, packed.Coding, variant), func() ([]byte, error) {
		return packed.Pack([]byte(text)), nil
	})
	return data
}

// FileData is what a file of an edition holds.
func (h *House) FileData(ctx context.Context, f *LiveFile) ([]byte, error) {
	return h.data.get(f.Blob, func() ([]byte, error) { return store.Blob(ctx, h.db, f.Blob) })
}
