package demo

import (
	"context"
	"database/sql"
	"embed"
	"io/fs"
	"path"
	"regexp"
	"strings"
	"time"

	"velada/app/pages"
	"velada/core/looks"
	"velada/store"
)

// files are those of the demo's sites: each below the address of its site, at its path there.
//
//go:embed files
var files embed.FS

// opensSoon is the picture of a holding page, which is none of the site's files.
//
//go:embed opens-soon.jpg
var opensSoon []byte

// worn is what each site of the demo house looks like.
var worn = map[string]looks.Look{
	"society":        {ID: "broadside", Tagline: "Looking up since 1974", Logo: "/logo.svg"},
	"variable-stars": {ID: "noticeboard", Colour: "#14594a", Tagline: "A class of the Cerro Alcor Society"},
	"new-dome": {
		ID: "vitrine", Picture: "/dome-at-night.svg", Focus: "right", PictureText: "The copper dome open at night, with two people who look at it",
	},
	"instrument-log": {ID: "logbook", Tagline: "Night crew"},
	"dossier": {
		ID: "broadside", Colour: "#24483a", Head: "centre", Foot: "line", Tagline: "For those who are asked",
		Picture: "/first-light.svg", PictureText: "The dome, and a star with rings of light",
	},
	"august": {ID: "handbill", Picture: "/falling-stars.svg", PictureText: "Tents on a hill under falling stars", Head: "centre"},
}

// shown is what some of the pictures show, for those who do not see them.
var shown = map[string]string{"/hill.svg": "A hill at night with a small dome, and people with red lamps on the path"}

// said is what each site of the demo house says of itself on every page.
var said = map[string]store.Details{
	"society": {
		Search: true, Contact: "hello@cerroalcor.example", Phone: "+34 900 555 014", Hours: "Open nights: every second Friday, from dusk\nLibrary: when the lamp is lit",
		Postal: "Cerro Alcor Society\nCamino del Alcor, kilometre 14", Licence: "cc-by",
		Links: []store.Link{
			{URL: "https://pictures.example/cerroalcor", Name: "Our pictures", Icon: "pictures"},
			{URL: "https://letters.example/cerroalcor", Name: "The newsletter", Icon: "letters"},
			{URL: "https://talk.example/@cerroalcor", Name: "Short news", Icon: "messages"},
		},
	},
	"variable-stars": {Search: true, Contact: "aiko@cerroalcor.example", Hours: "Thursdays, 19:30, small dome"},
	"instrument-log": {Search: true, Contact: "nightcrew@cerroalcor.example"},
	"new-dome": {
		Contact: "dome@cerroalcor.example", Licence: "all",
		Links: []store.Link{{URL: "https://films.example/newdome", Name: "Eleven months in four minutes", Icon: "films"}},
	},
	"dossier": {Contact: "pilar@cerroalcor.example", Phone: "+34 900 555 019"},
	"august":  {Contact: "august@cerroalcor.example", Hours: "11 to 14 August", Postal: "The field below Cerro Alcor"},
}

// filesOf puts the files of a site into its working copy and returns them.
func filesOf(ctx context.Context, tx *sql.Tx, site string, id store.SiteID) (list []store.File, err error) {
	root := "files/" + site
	if _, err := fs.Stat(files, root); err != nil {
		return nil, nil // it has none
	}
	err = fs.WalkDir(files, root, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := files.ReadFile(name)
		if err != nil {
			return err
		}
		blob, err := store.SaveBlob(ctx, tx, data)
		if err != nil {
			return err
		}
		kind := pages.FileType(name, data)
		if path.Ext(name) == ".csv" {
			kind = "text/csv"
		}
		at := strings.TrimPrefix(name, root)
		f := store.File{Path: at, Type: kind, Size: len(data), Blob: blob, Text: shown[at]}
		list = append(list, f)
		return store.SaveFile(ctx, tx, id, f)
	})
	return list, err
}

var isoDate = regexp.MustCompile(`\b20\d\d-\d\d-\d\d\b`)

// shiftDates moves the dates in a text by whole days.
func shiftDates(text string, days int) string {
	return isoDate.ReplaceAllStringFunc(text, func(date string) string {
		d, err := time.Parse(time.DateOnly, date)
		if err != nil {
			return date
		}
		return d.AddDate(0, 0, days).Format(time.DateOnly)
	})
}

// makeHolding writes what is shown instead of the new dome's site until it opens.
func makeHolding(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID) error {
	return store.SaveHoldingPage(ctx, tx, store.HoldingPage{
		Site: ids["new-dome"], Design: "night", Heading: "Six metres of copper, nearly done", Countdown: true, Contact: "dome@cerroalcor.example",
		Words:   "The panels are on, and the shutter opens. What is missing is the varnish, the bell, and somebody who tells the donkey.",
		Picture: opensSoon, PictureType: "image/jpeg",
	})
}
