package pages

import (
	"net/http"
	"path"
	"strings"
)

// mediaTypes are the types by which files are served, by the ending of their names: no machine has its own.
// What browsers would run is served as what is downloaded, until a steward lets the scripts of a site run.
var mediaTypes = map[string]string{
	".html": download, ".htm": download, ".xhtml": download, ".shtml": download, ".js": download, ".mjs": download, ".cjs": download,
	".css": "text/css; charset=utf-8", ".txt": "text/plain; charset=utf-8", ".md": "text/markdown; charset=utf-8", ".csv": "text/csv; charset=utf-8", ".tsv": "text/tab-separated-values; charset=utf-8",
	".vtt": "text/vtt; charset=utf-8", ".ics": "text/calendar; charset=utf-8", ".vcf": "text/vcard; charset=utf-8", ".bib": "text/plain; charset=utf-8", ".log": "text/plain; charset=utf-8",
	".json": "application/json", ".map": "application/json", ".geojson": "application/geo+json", ".webmanifest": "application/manifest+json", ".jsonld": "application/ld+json", ".wasm": "application/wasm",
	".xml": "application/xml", ".rss": "application/rss+xml", ".atom": "application/atom+xml", ".rdf": "application/rdf+xml", ".gpx": "application/gpx+xml", ".kml": "application/xml",
	".woff2": "font/woff2", ".woff": "font/woff", ".ttf": "font/ttf", ".otf": "font/otf", ".eot": "application/vnd.ms-fontobject",
	".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif", ".webp": "image/webp", ".svg": "image/svg+xml", ".ico": "image/x-icon", ".bmp": "image/bmp",
	".avif": "image/avif", ".heic": "image/heic", ".heif": "image/heif", ".tif": "image/tiff", ".tiff": "image/tiff", ".jxl": "image/jxl",
	".mp4": "video/mp4", ".m4v": "video/mp4", ".webm": "video/webm", ".ogv": "video/ogg", ".mov": "video/quicktime",
	".mp3": "audio/mpeg", ".m4a": "audio/mp4", ".ogg": "audio/ogg", ".oga": "audio/ogg", ".opus": "audio/ogg", ".wav": "audio/wav", ".flac": "audio/flac", ".mid": "audio/midi",
	".pdf": "application/pdf", ".epub": "application/epub+zip", ".rtf": "application/rtf", ".ps": "application/postscript", ".tex": "application/x-tex",
	".zip": "application/zip", ".gz": "application/gzip", ".tgz": "application/gzip", ".tar": "application/x-tar", ".bz2": "application/x-bzip2", ".xz": "application/x-xz", ".7z": "application/x-7z-compressed",
	".odt": "application/vnd.oasis.opendocument.text", ".ods": "application/vnd.oasis.opendocument.spreadsheet", ".odp": "application/vnd.oasis.opendocument.presentation",
	".docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document", ".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	".pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation", ".doc": "application/msword", ".xls": "application/vnd.ms-excel", ".ppt": "application/vnd.ms-powerpoint",
	".fits": "image/fits", ".fit": "image/fits", ".stl": "model/stl", ".glb": "model/gltf-binary", ".gltf": "model/gltf+json",
}

const download = "application/octet-stream"

// FileType is the media type by which a file is served.
func FileType(name string, data []byte) string {
	if kind := typeByName(name); kind != "" {
		return kind
	}
	return harmlessType(http.DetectContentType(data))
}

// ServedType is the media type by which a file is served that was kept with one: also files that came when
// the table had fewer.
func ServedType(name, kept string) string {
	if kind := typeByName(name); kind != "" && kept != TableFile {
		return kind
	}
	return harmlessType(kept)
}

func typeByName(name string) string { return mediaTypes[strings.ToLower(path.Ext(name))] }

// harmlessType is a type that was guessed by what a file holds, or download where browsers would run it.
func harmlessType(kind string) string {
	switch base, _, _ := strings.Cut(kind, ";"); base {
	case "text/html", "application/xhtml+xml", "text/javascript", "application/javascript", "text/xml", "application/xml":
		return download
	}
	return kind
}

// IsScript reports whether a file is a script by its name.
func IsScript(name string) bool {
	ending := strings.ToLower(path.Ext(name))
	return ending == ".js" || ending == ".mjs"
}
