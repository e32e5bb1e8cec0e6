package members

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/limits"
	"velada/pictures"
	"velada/store"
	"velada/words"
)

// Shown are the parts of a profile that a member may show to other members.
var Shown = []string{"name", "picture", "about", "address"}

// Profile reads what somebody says of themself on a site; an error where they are no
// member of it. It returns house.ErrMayNot for them.
func Profile(ctx context.Context, h *house.House, site string, who store.Who) (store.Profile, error) {
	member := h.Member(site, who)
	if member == "" {
		return store.Profile{}, house.ErrMayNot
	}
	p, err := store.FindProfile(ctx, h.Reader(), h.SiteID(site), member)
	if p.Name == "" {
		p.Name = h.NameOf(who)
	}
	return p, err
}

// ChangeProfile sets what a member says of themself. picture is nil to leave it as it
// is. It returns house.FieldErrors; a picture has at most 500 KB.
func ChangeProfile(ctx context.Context, h *house.House, site string, who store.Who, p store.Profile, picture []byte, dropPicture bool) error {
	was, err := Profile(ctx, h, site, who)
	if err != nil {
		return err
	}
	wrong := house.FieldErrors{}
	var text string
	if p.Name, text = house.NameTyped(p.Name); text != "" {
		wrong["name"] = text
	}
	if limits.Longer(p.About, house.MostAbout) {
		wrong["about"] = fmt.Sprintf("Use at most %d letters.", house.MostAbout)
	}
	kind := http.DetectContentType(picture)
	if picture != nil && (len(picture) > house.MostPortrait || !slices.Contains(house.Portraits, kind)) {
		wrong["picture"] = "A picture is a PNG, JPEG or WebP of at most 500 KB."
	} else if picture != nil { // a member shows their face, and not where they live
		if picture, err = pictures.Clean(kind, picture); err != nil {
			wrong["picture"] = words.Capital(err.Error()) + "."
		}
	}
	if len(wrong) > 0 {
		return wrong
	}
	was.Name, was.About, was.NoMail, was.Shows = p.Name, strings.TrimSpace(p.About), p.NoMail, p.Shows
	a, _ := h.ActorOf(who)
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		if tx.State().Member(site, who) != was.Person { // no member any more
			return house.ErrMayNot
		}
		if dropPicture {
			was.Picture, was.Kind = "", ""
		}
		if picture != nil {
			key, err := store.SaveBlob(ctx, tx, picture)
			if err != nil {
				return err
			}
			was.Picture, was.Kind = key, kind
		}
		return store.SaveProfile(ctx, tx, tx.State().ID(site), was)
	})
}

// MemberData returns everything that a site keeps of a member, as JSON.
func MemberData(ctx context.Context, h *house.House, site string, who store.Who) ([]byte, error) {
	p, err := Profile(ctx, h, site, who)
	if err != nil {
		return nil, err
	}
	type comment struct {
		Path, Text, Status string
		At                 time.Time
	}
	var written []comment
	for _, list := range h.State().Site(site).Comments {
		for _, c := range list {
			if c.Person == p.Person {
				written = append(written, comment{c.Path, c.Text, c.Status, c.At})
			}
		}
	}
	slices.SortFunc(written, func(a, b comment) int { return a.At.Compare(b.At) })
	browsers, err := store.SessionsOf(ctx, h.Reader(), who)
	if err != nil {
		return nil, err
	}
	type signIn struct {
		Device, How string
		Began, Used time.Time
	}
	var signIns []signIn
	for _, b := range browsers {
		signIns = append(signIns, signIn{b.Device, b.How, b.Began, b.Used})
	}
	choice, err := store.FindNewsChoice(ctx, h.Reader(), h.SiteID(site), who)
	if err != nil {
		return nil, err
	}
	followed, err := store.Followed(ctx, h.Reader(), h.SiteID(site), who)
	if err != nil {
		return nil, err
	}
	return json.MarshalIndent(map[string]any{"news": choice, "followed": followed, "site": site, "address": h.AddressText(who), "status": "approved", "profile": p, "comments": written, "sign_ins": signIns, "picture": p.Picture != ""}, "", "  ")
}

// LeaveSite ends somebody's own membership for good: what they said of themselves and
// what they wrote there is forgotten. It returns house.ErrMayNot for who is no member.
func LeaveSite(ctx context.Context, h *house.House, site string, who store.Who) error {
	a, _ := h.ActorOf(who)
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		member := s.Member(site, who)
		if member == "" {
			return house.ErrMayNot
		}
		doc := tx.Site(site)
		doc.Members = slices.DeleteFunc(doc.Members, func(m access.Member) bool { return m.Who == member })
		tx.Renew(s.ID(site), house.Comments)
		tx.Log(site, "member", a.Name+" left, and is no longer a member.", "", "")
		return errors.Join(store.DropProfile(ctx, tx, s.ID(site), member), store.DropReader(ctx, tx, s.ID(site), who))
	})
}
