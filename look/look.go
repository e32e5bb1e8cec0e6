// Package look holds what both the console and the gate show: styles, fonts,
// scripts and the window symbols. The files in static are built by `make
// assets` from assets and from npm packages, and committed.
package look

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"html/template"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"

	"velada/packed"
)

//go:embed static
var embedded embed.FS

type file struct {
	kind  string
	data  []byte
	small []byte // data compressed; nil where that is not worth it
	tag   string
}

var files = func() map[string]file {
	all := map[string]file{}
	err := fs.WalkDir(embedded, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := embedded.ReadFile(name)
		sum := sha256.Sum256(data)
		kind := mime.TypeByExtension(path.Ext(name))
		if strings.HasSuffix(name, ".woff2") {
			kind = "font/woff2"
		}
		f := file{kind: kind, data: data, tag: hex.EncodeToString(sum[:6])}
		if packed.Worth(kind, len(data)) {
			f.small = packed.Pack(data)
		}
		all[strings.TrimPrefix(name, "static/")] = f
		return err
	})
	if err != nil {
		panic(err) // the files are part of the program
	}
	return all
}()

// URL returns a file's address below a prefix, with a mark of its contents, so
// that it can be stored for ever.
func URL(prefix, name string) string { return prefix + name + "?" + files[name].tag }

// Serve answers with a file, or reports that there is none.
func Serve(w http.ResponseWriter, r *http.Request, name string) bool {
	f, ok := files[name]
	if !ok {
		return false
	}
	h := w.Header()
	h.Set("Content-Type", f.kind)
	h.Set("X-Content-Type-Options", "nosniff")
	data, tag := f.data, `"`+f.tag+`"`
	if f.small != nil {
		h.Set("Vary", "Accept-Encoding")
		if packed.Takes(r.Header["Accept-Encoding"]) {
			data, tag = f.small, `"`+f.tag+"-"+packed.Coding+`"`
			h.Set("Content-Encoding", packed.Coding)
		}
	}
	h.Set("ETag", tag)
	if r.URL.RawQuery == f.tag {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		h.Set("Cache-Control", "public, max-age=0, must-revalidate")
	}
	if r.Header.Get("If-None-Match") == tag {
		w.WriteHeader(http.StatusNotModified)
		return true
	}
	h.Set("Content-Length", strconv.Itoa(len(data)))
	_, _ = w.Write(data) // whoever hung up does not matter
	return true
}

// Sprite is the window symbols, to stand once in a page that uses them.
func Sprite() template.HTML { return template.HTML(files["windows.svg"].data) }
