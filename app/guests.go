package app

import (
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
)

// Guests is what a block of text says about whom to put on a guest list.
type Guests struct {
	People   []string // ids of people of the house, or addresses of others
	Problems []string // what could not be read, piece by piece
	Twice    []string // who stood there more than once
}

// ReadGuests reads a guest list as people paste it: addresses separated by
// anything, with names in front or not, or names of people of the house.
func ReadGuests(text string, doc *access.Document) Guests {
	var g Guests
	split := func(r rune) bool { return r == ',' || r == ';' || r == '\n' || r == '\r' || r == '\t' }
	for _, piece := range strings.FieldsFunc(text, split) {
		piece = strings.TrimSpace(piece)
		if piece == "" {
			continue
		}
		found, problem := readGuest(piece, doc)
		if problem != "" {
			g.Problems = append(g.Problems, problem)
		}
		for _, who := range found {
			if slices.Contains(g.People, who) {
				g.Twice = append(g.Twice, who)
			} else {
				g.People = append(g.People, who)
			}
		}
	}
	return g
}

// readGuest reads one piece: a person's name or id, or every address in it.
func readGuest(piece string, doc *access.Document) (found []string, problem string) {
	for _, p := range doc.People {
		if strings.EqualFold(p.Name, piece) || p.ID == piece {
			return []string{p.ID}, ""
		}
	}
	for _, word := range strings.Fields(piece) {
		if !strings.Contains(word, "@") {
			continue
		}
		word = strings.Trim(word, "<>()[]\"'")
		address, err := access.ParseAddress(strings.TrimPrefix(word, "mailto:"))
		if err != nil {
			return nil, fmt.Sprintf("“%s” is not an address.", word)
		}
		found = append(found, personOrAddress(address, doc))
	}
	if found == nil {
		return nil, fmt.Sprintf("“%s” is neither an address nor the name of a person of the house.", piece)
	}
	return found, ""
}

func personOrAddress(a access.Address, doc *access.Document) string {
	for _, p := range doc.People {
		if known, err := access.ParseAddress(p.Address); err == nil && known == a {
			return p.ID
		}
	}
	return a.String()
}
