package demotest

import "strings"

// CloseUp writes HTML as tightly as it reads: how its source is broken into lines says nothing.
func CloseUp(html string) string {
	html = strings.Join(strings.Fields(html), " ")
	return strings.NewReplacer(" />", ">", " >", ">", "> <", "><").Replace(html)
}
