package pages

import "html/template"

// insert is something besides text that can be put into a page, see content.Container.
type insert struct {
	Word, Name, About string
	Drawing           template.HTML
}

// drawn is what an insert looks like, in 24 by 18.
func drawn(path string) template.HTML {
	return template.HTML(`<svg viewBox="0 0 24 18" width="28" height="21" aria-hidden="true" class="insert-drawing"><path d="` + path + `"/></svg>`)
}

// inserts are what can be put into a page, in the order of the bar.
var inserts = []insert{
	{"columns", "Columns", "texts beside each other", drawn("M2 3h8M2 7h8M2 11h8M2 15h5M14 3h8M14 7h8M14 11h8M14 15h5")},
	{"cards", "Cards", "a list of pages, each a card", drawn("M2 2h9v6H2zM13 2h9v6h-9zM2 10h9v6H2zM13 10h9v6h-9z")},
	{"gallery", "Picture gallery", "small, and large when chosen", drawn("M2 2h6v6H2zM9 2h6v6H9zM16 2h6v6h-6zM2 10h6v6H2zM9 10h6v6H9zM16 10h6v6h-6z")},
	{"picture", "Picture with a caption", "words below a picture", drawn("M3 1h18v11H3zM3 9l5-4 4 3 4-3 5 4M6 15h12")},
	{"notice", "Notice", "what everybody is to see", drawn("M2 2h20v14H2zM12 5v5M12 12.5v.5")},
	{"button", "Button", "a link that stands out", drawn("M3 5h18v8H3zM8 9h8")},
	{"fold", "Fold", "text that opens when it is wanted", drawn("M3 4l3 3 3-3M12 5h10M3 12l3 3 3-3M12 13h10")},
	{"dates", "Dates", "what takes place when", drawn("M2 2h7v6H2zM12 4h10M12 7h6M2 10h7v6H2zM12 12h10M12 15h6")},
	{"table", "Table", "rows and columns", drawn("M2 2h20v14H2zM2 6.5h20M2 11h20M9 2v14M16 2v14")},
	{"files", "List of files", "those that stand with this page", drawn("M5 1h9l4 4v12H5zM14 1v4h4M8 9h7M8 12h7")},
	{"contact", "Contact form", "writes to the site’s address", drawn("M2 3h20v12H2zM2 4l10 7 10-7")},
	{"map", "Map", "a picture of the way, with the address", drawn("M2 3l6-2 8 2 6-2v14l-6 2-8-2-6 2zM8 1v14M16 3v14")},
	{"video", "Film", "with captions", drawn("M2 2h20v14H2zM10 6l5 3-5 3z")},
	{"audio", "Recording", "to listen to", drawn("M4 7v4M8 4v10M12 1v16M16 5v8M20 7v4")},
	{"quote", "Quote", "with who said it", drawn("M3 3v12M7 4h14M7 8h14M7 14h8")},
	{"footnote", "Footnote", "a number that leads to the foot", drawn("M2 4h14M2 8h11M18 3v5M2 12h20M4 15h14")},
	{"below", "Pages below", "those below this page that open to the reader", drawn("M3 2h8v5H3zM7 7v7h5M7 10h5M14 8h8v4h-8zM14 13h8v4h-8z")},
}
