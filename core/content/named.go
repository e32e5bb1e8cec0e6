package content

import (
	"cmp"
	"fmt"
	"html"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
	"golang.org/x/net/html/charset"
)

// inOrder puts pages of an archive into the order of a site.
func inOrder(x, y ArchivePage) int {
	return cmp.Or(cmp.Compare(x.Order, y.Order), strings.Compare(x.Path, y.Path))
}

// pagePath is where a file's page stands: index files at their folder.
func pagePath(name string) string {
	p := "/" + strings.TrimSuffix(name, path.Ext(name))
	if IsFront(name) {
		p = path.Dir(p)
	}
	return p
}

// IsFront reports whether a file is the front of its folder: as web servers take it, and for
// Markdown README too.
func IsFront(file string) bool {
	base := strings.TrimSuffix(path.Base(file), path.Ext(file))
	return base == "index" || base == "README" && !IsHTML(file)
}

// IsHTML reports whether a file is a page of HTML, by its name.
func IsHTML(file string) bool {
	ext := strings.ToLower(path.Ext(file))
	return ext == ".html" || ext == ".htm"
}

// keepApart has files that would be the same page stand apart: the front of a folder is the page
// there, and others stand under their whole names.
func (a *Archive) keepApart() error {
	rank := func(p ArchivePage) int {
		base := strings.TrimSuffix(path.Base(p.File), path.Ext(p.File))
		n := map[string]int{"index": 0, "README": 1}
		r, front := n[base]
		if !front {
			r = 2
		}
		r *= 2
		if p.HTML {
			r++
		}
		return r
	}
	first := make(map[string]int, len(a.Pages))
	taken := make(map[string]bool, len(a.Pages))
	for i, p := range a.Pages {
		if j, there := first[p.Path]; !there || rank(p) < rank(a.Pages[j]) {
			first[p.Path] = i
		}
	}
	for i := range a.Pages {
		p := &a.Pages[i]
		if first[p.Path] != i {
			p.Path = "/" + p.File
			p.InMenu = false
		}
		if taken[p.Path] {
			return refuse("two files would be the page %s", p.Path)
		}
		taken[p.Path] = true
	}
	return nil
}

// mostInMenu is how many pages of HTML come into the menu by themselves: where there are more, it
// is the front page alone. They have menus of their own.
const mostInMenu = 30

func (a *Archive) shortenMenu() {
	n := 0
	for _, p := range a.Pages {
		if p.HTML && p.InMenu {
			n++
		}
	}
	for i := range a.Pages {
		if p := &a.Pages[i]; n > mostInMenu && p.HTML {
			p.InMenu = p.Path == "/"
		}
	}
}

// front is the front matter of a page of Markdown, as far as it is known here.
type front struct {
	Title   string `yaml:"title"`
	Menu    bool   `yaml:"menu"`
	Listing *bool  `yaml:"listing"`
	Order   int    `yaml:"order"`
}

// said is what a file says of its page.
type said struct {
	Title           string
	InMenu, Listing bool
	Order           int
}

var headAtTop = regexp.MustCompile(`^\x{feff}?---\r?\n(?s:(.*?)\r?\n)?---(?:\r?\n|$)(?:\r?\n)*`)

// cutHead takes the front matter from a file, with the blank lines below it.
func cutHead(text string) (head, body string) {
	if at := headAtTop.FindStringIndex(text); at != nil {
		return text[:at[1]], text[at[1]:]
	}
	if rest, marked := strings.CutPrefix(text, "\ufeff"); marked {
		return "\ufeff", rest
	}
	return "", text
}

// fields are the lines between the marks of a head.
func fields(head string) string {
	if m := headAtTop.FindStringSubmatch(head); m != nil {
		return m[1]
	}
	return ""
}

// says reads what the file of a page of Markdown says of it.
func (p ArchivePage) says() (said, error) {
	var f front
	if err := yaml.Unmarshal([]byte(fields(p.Head)), &f); err != nil {
		return said{}, err
	}
	return said{cmp.Or(f.Title, firstHeading(p.Body), path.Base(pagePath(p.File))), f.Menu, f.Listing == nil || *f.Listing, f.Order}, nil
}

var titleElement = regexp.MustCompile(`(?is)<title[^>]*>(.*?)</title>`)

// TitleOf is the title that a document of HTML has; "" where it has none.
func TitleOf(document string) string {
	m := titleElement.FindStringSubmatch(document)
	if m == nil {
		return ""
	}
	title := m[1]
	if !utf8.ValidString(document) {
		encoding, _, _ := charset.DetermineEncoding([]byte(document[:min(len(document), 1024)]), "text/html")
		if decoded, err := encoding.NewDecoder().String(title); err == nil {
			title = decoded
		}
	}
	return strings.Join(strings.Fields(html.UnescapeString(strings.ToValidUTF8(title, "\ufffd"))), " ")
}

// CharsetOf is how a document of HTML is written, as in "utf-8".
func CharsetOf(document string) string {
	if utf8.ValidString(document) {
		return "utf-8"
	}
	_, name, _ := charset.DetermineEncoding([]byte(document[:min(len(document), 1024)]), "text/html")
	return name
}

// name is what the file of a page is called as it goes out: as it came in, as long as the page
// stands where that is.
func (p ArchivePage) name() string {
	if p.File != "" && (pagePath(p.File) == p.Path || "/"+p.File == p.Path) && IsHTML(p.File) == p.HTML {
		return p.File
	}
	name, ext := p.Path, ".md"
	if p.HTML {
		ext = ".html"
	}
	if name == "/" || p.File != "" && IsFront(p.File) {
		name = strings.TrimSuffix(name, "/") + "/index"
	}
	return strings.TrimSuffix(name, ext) + ext
}

// heads are the front matters of the pages as they go out: as they came in, where the pages are
// what those say, and otherwise with what differs set right and what is unknown here kept.
func (a *Archive) heads() []string {
	orders := make([]ArchivePage, len(a.Pages))
	heads := make([]string, len(a.Pages))
	for i, p := range a.Pages {
		orders[i] = ArchivePage{Path: p.Path, Order: i + 1}
		if p.File != "" {
			s, _ := p.says() // it was read when it came in
			orders[i].Order = s.Order
		}
	}
	sorted := slices.IsSortedFunc(orders, inOrder)
	for i, p := range a.Pages {
		if p.HTML {
			continue
		}
		now := said{p.Title, p.InMenu, p.Listing, i + 1}
		if sorted {
			now.Order = orders[i].Order
		}
		was, err := p.says()
		switch {
		case p.File == "":
			heads[i] = "---\ntitle: " + strconv.Quote(p.Title) + "\nmenu: " + strconv.FormatBool(p.InMenu) + "\nlisting: " + strconv.FormatBool(p.Listing) + "\norder: " + strconv.Itoa(now.Order) + "\n---\n\n"
		case err == nil && was == now:
			heads[i] = p.Head
		default:
			heads[i] = setHead(p.Head, was, now)
		}
	}
	return heads
}

// setHead writes what a page is now into its front matter.
func setHead(head string, was, now said) string {
	var document yaml.Node
	if err := yaml.Unmarshal([]byte(fields(head)), &document); err != nil || len(document.Content) != 1 || document.Content[0].Kind != yaml.MappingNode {
		document = yaml.Node{Kind: yaml.DocumentNode, Content: []*yaml.Node{{Kind: yaml.MappingNode}}}
	}
	mapping := document.Content[0]
	set := func(name, tag, value string) {
		for i := 0; i+1 < len(mapping.Content); i += 2 {
			if mapping.Content[i].Value == name {
				*mapping.Content[i+1] = yaml.Node{Kind: yaml.ScalarNode, Tag: tag, Value: value, Style: mapping.Content[i+1].Style, LineComment: mapping.Content[i+1].LineComment}
				return
			}
		}
		mapping.Content = append(mapping.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: name}, &yaml.Node{Kind: yaml.ScalarNode, Tag: tag, Value: value})
	}
	if was.Title != now.Title {
		set("title", "!!str", now.Title)
	}
	if was.InMenu != now.InMenu {
		set("menu", "!!bool", strconv.FormatBool(now.InMenu))
	}
	if was.Listing != now.Listing {
		set("listing", "!!bool", strconv.FormatBool(now.Listing))
	}
	if was.Order != now.Order {
		set("order", "!!int", strconv.Itoa(now.Order))
	}
	text, err := yaml.Marshal(&document)
	if err != nil {
		text = fmt.Appendf(nil, "title: %q\n", now.Title)
	}
	return "---\n" + string(text) + "---\n\n"
}

var (
	comment        = regexp.MustCompile(`(?s)<!--.*?-->`)
	refreshElement = regexp.MustCompile(`(?is)<meta\s[^>]*http-equiv\s*=\s*["']?refresh["']?[^>]*>`)
	refreshContent = regexp.MustCompile(`(?is)content\s*=\s*(?:"([^"]*)"|'([^']*)')`)
	refreshTarget  = regexp.MustCompile(`(?is)^\s*([0-9]+)(?:\.[0-9]*)?\s*[;,]\s*url\s*=\s*['"]?([^'"]+)`)
)

// longestLead is after how many seconds at most a page is said to lead on at once.
const longestLead = 5

// LeadsOn is where a document of HTML leads on by itself, within some seconds; "" where it does
// not.
func LeadsOn(document string) string {
	head := comment.ReplaceAllString(document[:min(len(document), 8<<10)], "")
	element := refreshElement.FindString(head)
	if element == "" {
		return ""
	}
	m := refreshContent.FindStringSubmatch(element)
	if m == nil {
		return ""
	}
	to := refreshTarget.FindStringSubmatch(html.UnescapeString(m[1] + m[2]))
	if to == nil {
		return ""
	}
	if seconds, err := strconv.Atoi(to[1]); err != nil || seconds > longestLead {
		return ""
	}
	return strings.TrimSpace(to[2])
}
