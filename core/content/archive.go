package content

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"unicode/utf8"
)

// Limits of an archive that comes in.
const (
	MostArchive  = 64 << 20  // bytes as it comes
	MostUnpacked = 256 << 20 // bytes of all that is in it
	MostOneFile  = 16 << 20
	MostFiles    = 10_000
)

// Archive is a site as it comes in or goes out.
type Archive struct {
	Pages []ArchivePage
	Files []ArchiveFile
}

// ArchivePage is a page of an archive.
type ArchivePage struct {
	Path, Title string
	HTML        bool // a whole document with a look of its own, not Markdown
	Body        string
	InMenu      bool
	Listing     bool
	Order       int
	File        string // its name in the archive; "" where it was never in one
	Head        string // front matter as it stood there, with what follows up to the text
}

// ArchiveFile is a picture or another file of an archive.
type ArchiveFile struct {
	Path string
	Data []byte
	Open func() ([]byte, error) // reads what it holds when that is needed; nil where it is in Data
}

// Read returns what the file holds. Its errors are about the archive.
func (f ArchiveFile) Read() ([]byte, error) {
	if f.Open == nil {
		return f.Data, nil
	}
	return f.Open()
}

// NotFoundFile is the page of an archive that is sent where there is no page.
const NotFoundFile = "404.html"

// ErrArchive is why an archive is refused whole.
var ErrArchive = errors.New("the archive is refused")

func refuse(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrArchive, fmt.Sprintf(format, args...))
}

// ReadArchive reads a ZIP of Markdown with front matter, or of plain static
// HTML, so many bytes long, and the files beside it: what they hold is read when it is needed. A bad one is
// refused whole, with the reason.
func ReadArchive(from io.ReaderAt, size int64) (*Archive, error) {
	if size > MostArchive {
		return nil, refuse("it has more than %d MB", MostArchive>>20)
	}
	z, err := zip.NewReader(from, size)
	if err != nil {
		return nil, refuse("it is no ZIP that can be read: %v", err)
	}
	if len(z.File) > MostFiles {
		return nil, refuse("it has %d files, and %d are the most", len(z.File), MostFiles)
	}
	said := uint64(0)
	for _, f := range z.File {
		if said += f.UncompressedSize64; said > MostUnpacked {
			return nil, refuse("what is in it has more than %d MB", MostUnpacked>>20)
		}
		if f.UncompressedSize64 > MostOneFile {
			return nil, refuse("%q has more than %d MB", f.Name, MostOneFile>>20)
		}
	}
	a := &Archive{}
	left := int64(MostUnpacked)
	seen := make(map[string]bool, len(z.File))
	var names []string
	for _, f := range z.File {
		if name, err := entryPath(f); err == nil && name != "" {
			names = append(names, name)
		}
	}
	top := topFolder(names)
	for _, f := range z.File {
		name, err := entryPath(f)
		if err != nil {
			return nil, err
		}
		if name == "" {
			continue
		}
		if seen[name] {
			return nil, refuse("%q is in it twice", name)
		}
		seen[name] = true
		if err := a.add(strings.TrimPrefix(name, top), func() ([]byte, error) { return unpack(f, &left) }); err != nil {
			return nil, err
		}
	}
	if len(a.Pages) == 0 {
		return nil, refuse("there is no page in it: a page is a .md or .html file")
	}
	if err := a.keepApart(); err != nil {
		return nil, err
	}
	slices.SortStableFunc(a.Pages, inOrder)
	a.shortenMenu()
	return a, nil
}

// entryPath checks the name of an entry, and gives "" for what is passed over.
func entryPath(f *zip.File) (string, error) {
	switch {
	case !utf8.ValidString(f.Name) || strings.ContainsAny(f.Name, "\x00\\") || f.NonUTF8 && !ascii(f.Name):
		return "", refuse("the name %q is not written in UTF-8", f.Name)
	case strings.HasPrefix(f.Name, "/") || slices.Contains(strings.Split(f.Name, "/"), ".."):
		return "", refuse("%q would lead out of the site", f.Name)
	case f.Mode()&0o170000 == 0o120000 || f.Mode().Type() != 0 && !f.Mode().IsDir():
		return "", refuse("%q is a link or a device, and only files are taken", f.Name)
	case f.Mode().IsDir() || strings.HasSuffix(f.Name, "/"):
		return "", nil
	}
	name := path.Clean(f.Name)
	if strings.HasPrefix(name, "__MACOSX/") || path.Base(name) == ".DS_Store" || strings.HasPrefix(path.Base(name), "._") {
		return "", nil
	}
	return name, nil
}

func ascii(s string) bool { return !strings.ContainsFunc(s, func(r rune) bool { return r > 127 }) }

// unpack reads an entry, never more than is said or left.
func unpack(f *zip.File, left *int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, refuse("%q cannot be unpacked: %v", f.Name, err)
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, min(MostOneFile, *left)+1))
	switch {
	case err != nil:
		return nil, refuse("%q cannot be unpacked: %v", f.Name, err)
	case int64(len(data)) > *left:
		return nil, refuse("what is in it has more than %d MB", MostUnpacked>>20)
	case len(data) > MostOneFile:
		return nil, refuse("%q has more than %d MB", f.Name, MostOneFile>>20)
	}
	*left -= int64(len(data))
	return data, nil
}

// add takes a file for a page, which is read, or another file.
func (a *Archive) add(name string, open func() ([]byte, error)) error {
	ext := strings.ToLower(path.Ext(name))
	p := ArchivePage{Path: pagePath(name), Listing: true, File: name}
	switch ext {
	case ".md", ".markdown", ".html", ".htm":
	default:
		a.Files = append(a.Files, ArchiveFile{Path: "/" + name, Open: open})
		return nil
	}
	data, err := open()
	if err != nil {
		return err
	}
	switch ext {
	case ".md", ".markdown":
		if !utf8.Valid(data) {
			return refuse("%q is not written in UTF-8", name)
		}
		p.Head, p.Body = cutHead(string(data))
		said, err := p.says()
		if err != nil {
			return refuse("the head of %q cannot be read: %v", name, err)
		}
		p.Title, p.InMenu, p.Listing, p.Order = said.Title, said.InMenu, said.Listing, said.Order
	default:
		p.HTML, p.Body = true, string(data)
		p.Title, p.InMenu = TitleOf(p.Body), strings.Count(p.Path, "/") == 1
		if name == NotFoundFile { // what whoever asks for no page gets
			p.InMenu, p.Listing = false, false
		}
	}
	if p.Title == "" {
		p.Title = path.Base(p.Path)
	}
	a.Pages = append(a.Pages, p)
	return nil
}

// topFolder is the folder that holds everything, with its slash, or "".
func topFolder(names []string) string {
	if len(names) == 0 {
		return ""
	}
	first, _, found := strings.Cut(names[0], "/")
	if !found || slices.ContainsFunc(names, func(n string) bool { return !strings.HasPrefix(n, first+"/") }) {
		return ""
	}
	return first + "/"
}

func firstHeading(body string) string {
	for line := range strings.Lines(body) {
		if title, ok := strings.CutPrefix(strings.TrimSpace(line), "# "); ok {
			return strings.TrimSpace(title)
		}
	}
	return ""
}

// WriteArchive writes a site as a ZIP that ReadArchive reads again, one file after another.
func WriteArchive(to io.Writer, a *Archive) error {
	z := zip.NewWriter(to)
	write := func(name string, data []byte) error {
		w, err := z.Create(strings.TrimPrefix(name, "/"))
		if err == nil {
			_, err = w.Write(data)
		}
		return err
	}
	heads := a.heads()
	for i, p := range a.Pages {
		if err := write(p.name(), []byte(heads[i]+p.Body)); err != nil {
			return err
		}
	}
	for _, f := range a.Files {
		data, err := f.Read()
		if err == nil {
			err = write(f.Path, data)
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}
