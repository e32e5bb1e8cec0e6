package pages

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"velada/core/content"
	"velada/words"
)

// notRun says what of an archive Velada does not run or serve, or not as it stands there.
func notRun(archive *content.Archive) (list []string) {
	var scripts, elsewhere, forms, frames, stay int
	for _, p := range archive.Pages {
		if !p.HTML {
			continue
		}
		has := needsOf(p.Body)
		scripts, elsewhere, forms, frames, stay = scripts+has.scripts, elsewhere+has.elsewhere, forms+has.forms, frames+has.frames, stay+has.stay
	}
	say := func(n int, what string) {
		if n > 0 {
			list = append(list, fmt.Sprintf("%s %s", words.Count(n, "page", "pages"), what))
		}
	}
	say(scripts, "with scripts: they run where a steward lets them, under Settings, Code.")
	say(stay, "with workers that stay in browsers: a steward lets them in apart from scripts.")
	say(elsewhere, "with scripts, styles or fonts from elsewhere: those are not loaded.")
	say(forms, "with forms: they are sent where scripts may run, and to this site alone.")
	say(frames, "with frames of other sites: those are not shown.")
	var machine, own []string
	for _, f := range archive.Files {
		switch name := strings.ToLower(path.Base(f.Path)); {
		case slices.Contains([]string{".php", ".cgi", ".pl", ".asp", ".aspx", ".jsp", ".py", ".rb"}, path.Ext(name)):
			machine = append(machine, f.Path)
		case name == ".htaccess" || name == "web.config":
			own = append(own, f.Path)
		case f.Path == "/sitemap.xml":
			list = append(list, "Velada makes a sitemap.xml of its own, of the pages that search engines may list.")
		}
	}
	if n := len(machine); n > 0 {
		list = append(list, words.Count(n, "file is a program", "files are programs")+" for a server, which Velada does not run: "+someOf(machine)+".")
	}
	if n := len(own); n > 0 {
		list = append(list, words.Count(n, "file sets", "files set")+" up another server, and "+map[bool]string{true: "does", false: "do"}[n == 1]+" nothing here: "+someOf(own)+".")
	}
	return list
}

func someOf(names []string) string {
	const most = 3
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %d more", len(names)-most)
}

// needs is what a page of HTML brings along, 1 where it does.
type needs struct{ scripts, elsewhere, forms, frames, stay int }

// needsOf reads what a page of HTML would run or load.
func needsOf(page string) (n needs) {
	z := html.NewTokenizer(strings.NewReader(page))
	inScript := false
	for {
		switch z.Next() {
		case html.ErrorToken:
			return n
		case html.TextToken:
			if inScript && strings.Contains(string(z.Text()), "serviceWorker") {
				n.stay = 1
			}
		case html.EndTagToken:
			inScript = false
		case html.StartTagToken, html.SelfClosingTagToken:
			t := z.Token()
			at := map[string]string{}
			for _, a := range t.Attr {
				at[strings.ToLower(a.Key)] = strings.TrimSpace(a.Val)
				if strings.HasPrefix(strings.ToLower(a.Key), "on") {
					n.scripts = 1
				}
			}
			inScript = t.Data == "script"
			switch t.Data {
			case "script":
				if kind := strings.ToLower(at["type"]); kind != "" && kind != "module" && !strings.Contains(kind, "javascript") { // data
					break
				}
				n.scripts = 1
				if fromElsewhere(at["src"]) {
					n.elsewhere = 1
				}
			case "link":
				if rel := strings.ToLower(at["rel"]); (strings.Contains(rel, "stylesheet") || rel == "preload" || rel == "modulepreload") && fromElsewhere(at["href"]) {
					n.elsewhere = 1
				}
			case "form":
				n.forms = 1
			case "iframe", "frame", "embed", "object":
				if fromElsewhere(at["src"]) || fromElsewhere(at["data"]) {
					n.frames = 1
				}
			}
		}
	}
}

// fromElsewhere reports whether an address names a host.
func fromElsewhere(address string) bool {
	lower := strings.ToLower(address)
	return strings.HasPrefix(lower, "//") || strings.HasPrefix(lower, "http:") || strings.HasPrefix(lower, "https:")
}
