package listing

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"time"
)

const sitemapSpace = "http://www.sitemaps.org/schemas/sitemap/0.9"

// Address is an address in a sitemap.
type Address struct {
	URL     string
	Changed time.Time // when what is there was changed last; zero is not said
}

// Sitemap writes a sitemap of addresses. Its protocol knows none without any.
func Sitemap(addresses []Address) []byte {
	var b bytes.Buffer
	b.WriteString(xml.Header + `<urlset xmlns="` + sitemapSpace + `">` + "\n")
	for _, a := range addresses {
		b.WriteString("<url><loc>")
		_ = xml.EscapeText(&b, []byte(a.URL)) // a buffer takes everything
		b.WriteString("</loc>")
		if !a.Changed.IsZero() {
			b.WriteString("<lastmod>" + a.Changed.UTC().Format(time.RFC3339) + "</lastmod>")
		}
		b.WriteString("</url>\n")
	}
	b.WriteString("</urlset>\n")
	return b.Bytes()
}

// ErrSitemap is why a file is no sitemap of a site.
var ErrSitemap = errors.New("no sitemap of this site")

// mostAddresses is what a sitemap has at most, by its protocol.
const mostAddresses = 50_000

// ReadSitemap reads the paths of a sitemap, all of which must be on one of the hosts.
func ReadSitemap(data []byte, hosts []string) (paths []string, err error) {
	var set struct {
		XMLName xml.Name
		URL     []struct {
			Loc string `xml:"loc"`
		} `xml:"url"`
	}
	if err := xml.Unmarshal(data, &set); err != nil {
		return nil, fmt.Errorf("%w: it is no XML", ErrSitemap)
	}
	if set.XMLName.Local != "urlset" || set.XMLName.Space != sitemapSpace {
		return nil, fmt.Errorf("%w: it is no urlset of the sitemap protocol", ErrSitemap)
	}
	if len(set.URL) > mostAddresses {
		return nil, fmt.Errorf("%w: it has more than %d addresses", ErrSitemap, mostAddresses)
	}
	for _, u := range set.URL {
		at, err := url.Parse(strings.TrimSpace(u.Loc))
		if err != nil || !contains(hosts, at.Host) {
			return nil, fmt.Errorf("%w: “%s” is not on this site", ErrSitemap, clip(u.Loc))
		}
		path := at.EscapedPath()
		if path == "" {
			path = "/"
		}
		paths = append(paths, path)
	}
	return paths, nil
}

func contains(hosts []string, host string) bool {
	for _, h := range hosts {
		if strings.EqualFold(h, host) {
			return true
		}
	}
	return false
}
