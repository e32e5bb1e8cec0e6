// Package packed compresses answers for browsers that take them so. Just what is the same
// for everybody who may have it is compressed: beside what a visitor chose, sizes tell secrets.
package packed

import (
	"bytes"
	"compress/gzip"
	"strconv"
	"strings"
)

// Coding is how answers are compressed, as Content-Encoding says it.
const Coding = "gzip"

// Smallest and Largest are between how many bytes compressing is worth it.
const (
	Smallest = 512
	Largest  = 4 << 20
)

// Worth reports whether something of a type and a size is compressed: text, and what is
// written as text.
func Worth(kind string, size int) bool {
	if size < Smallest || size > Largest {
		return false
	}
	kind, _, _ = strings.Cut(kind, ";")
	kind = strings.ToLower(strings.TrimSpace(kind))
	switch kind {
	case "application/javascript", "application/json", "application/xml", "application/ld+json", "application/manifest+json", "image/svg+xml", "application/wasm":
		return true
	}
	return strings.HasPrefix(kind, "text/") || strings.HasSuffix(kind, "+xml")
}

// Pack returns data compressed; nil where that makes it no smaller.
func Pack(data []byte) []byte {
	var out bytes.Buffer
	z, _ := gzip.NewWriterLevel(&out, gzip.BestCompression) // the level is one
	if _, err := z.Write(data); err != nil || z.Close() != nil || out.Len() >= len(data) {
		return nil
	}
	return out.Bytes()
}

// Takes reports whether a browser takes an answer in gzip (RFC 9110, 12.5.3): by
// its name or *, with a weight above 0.
func Takes(accepts []string) bool {
	any := false
	for _, line := range accepts {
		for one := range strings.SplitSeq(line, ",") {
			coding, rest, weighed := strings.Cut(one, ";")
			coding = strings.TrimSpace(coding)
			gzip := strings.EqualFold(coding, "gzip") || strings.EqualFold(coding, "x-gzip")
			if !gzip && coding != "*" {
				continue
			}
			takes := true
			if name, value, _ := strings.Cut(rest, "="); weighed && strings.EqualFold(strings.TrimSpace(name), "q") {
				weight, err := strconv.ParseFloat(strings.TrimSpace(value), 64)
				takes = err == nil && weight > 0
			}
			if gzip { // what is said of it goes before what is said of all
				return takes
			}
			any = takes
		}
	}
	return any
}
