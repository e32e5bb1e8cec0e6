package house

import "cmp"

// DescriptionOf is what a page of a site says of itself below its title in results: its own
// words, and for the front page those of the site.
func DescriptionOf(of *Site, page *LivePage) string {
	own := of.Results[page.ID].Description
	if page.Path == "/" {
		return cmp.Or(own, of.Details.Description)
	}
	return own
}

// PictureOf is the path of the picture that is shown where a page is shared; "" where there is
// none on the live site any more.
func PictureOf(of *Site, page *LivePage) string {
	path := cmp.Or(of.Results[page.ID].Picture, of.Details.Picture)
	if of.Live == nil || of.Live.Files[path] == nil {
		return ""
	}
	return path
}
