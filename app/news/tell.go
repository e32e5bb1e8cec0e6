package news

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/house"
	"velada/post"
	"velada/store"
	"velada/words"
)

// Kind is what letters with news are in the outbox.
const Kind = "news"

// about is what a letter with news tells of, kept beside it so that it can be written anew at the
// moment it is sent.
type about struct {
	Who     store.Who    `json:"who"`
	Site    store.SiteID `json:"site"`
	Edition int          `json:"edition,omitempty"`
	Pages   []string     `json:"pages"` // ids
	Answer  string       `json:"answer,omitempty"`
}

// How many readers are told in one change of the house, and how many pages a letter names.
const (
	mostAtOnce = 50
	mostNamed  = 20
)

// lookEvery is how often it is looked whether an edition went live.
const lookEvery = 15 * time.Second

// Timer tells readers of editions that went live, a moment after they did. siteURL is the address of
// a site that its links begin with.
func Timer(siteURL func(site string) string) house.Timer {
	var last time.Time // by the real clock
	return func(ctx context.Context, h *house.House) error {
		if h.State() == nil || time.Since(last) < lookEvery {
			return nil
		}
		last = time.Now()
		return errors.Join(Tell(ctx, h, siteURL), TellAnswers(ctx, h, siteURL))
	}
}

// Tell tells readers of what is new in editions that they were not told of yet.
func Tell(ctx context.Context, h *house.House, siteURL func(site string) string) error {
	told, err := store.AllNewsTold(ctx, h.Reader())
	if err != nil {
		return fmt.Errorf("reading what readers were told: %w", err)
	}
	s := h.State()
	var first []*house.Site
	for _, doc := range s.Policy.Document().Sites {
		of := s.Site(doc.Address)
		was, before := told[of.ID]
		if of.Live == nil || doc.State != "live" || before && was.Number >= of.Live.Number { // of an edition that comes back nobody is told
			continue
		}
		if !before { // nobody is told of what was there before they could ask for news
			first = append(first, of)
			continue
		}
		edition := of.Live.Number
		if was.Telling != 0 { // the rest is told of that one first
			edition = was.Telling
		}
		changed, err := newIn(ctx, h, of, was.Number, edition)
		if err == nil {
			err = tellOf(ctx, h, of, edition, changed, was.Upto, siteURL)
		}
		if err != nil {
			return fmt.Errorf("telling of edition %d of %s: %w", edition, doc.Address, err)
		}
	}
	if len(first) == 0 {
		return nil
	}
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { // all at once: a house may have many
		for _, of := range first {
			tx.Try(store.SaveNewsTold(ctx, tx, of.ID, of.Live.Number))
		}
		return nil
	})
}

// newIn lists the live pages that an edition has and an earlier one has not, or has otherwise.
func newIn(ctx context.Context, h *house.House, of *house.Site, was, is int) (changed []*house.LivePage, err error) {
	ids, err := store.NewSince(ctx, h.Reader(), of.ID, was, is)
	if err != nil {
		return nil, fmt.Errorf("reading what is new: %w", err)
	}
	for _, id := range ids {
		if p := of.Live.ByID(id); p != nil {
			changed = append(changed, p)
		}
	}
	return changed, nil
}

// tellOf writes the letters of an edition to the readers after one, some at a time, and notes with them up
// to whom it has, and in the end that it was told: whoever goes on after a kill tells nobody twice.
func tellOf(ctx context.Context, h *house.House, of *house.Site, edition int, changed []*house.LivePage, after store.Who, siteURL func(site string) string) error {
	for len(changed) > 0 {
		list, err := store.ReadersOf(ctx, h.Reader(), of.ID, after, mostAtOnce)
		if err != nil {
			return err
		}
		if len(list) == 0 {
			break
		}
		after = list[len(list)-1].Who
		var letters []about
		for i := 0; i < len(list); {
			who, all, follows := list[i].Who, list[i].All, []string{}
			for ; i < len(list) && list[i].Who == who; i++ {
				follows = append(follows, list[i].Page)
			}
			a := about{Who: who, Site: of.ID, Edition: edition}
			if err := ctx.Err(); err != nil {
				return err
			}
			for _, p := range changed {
				if (all || slices.Contains(follows, p.ID)) && len(a.Pages) <= mostNamed && Opens(h.State(), of.Address, p.Path, who, h.Now()) {
					a.Pages = append(a.Pages, p.ID)
				}
			}
			if len(a.Pages) > 0 {
				letters = append(letters, a)
			}
		}
		if len(letters) == 0 {
			continue
		}
		err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
			for _, a := range letters {
				if err := queue(h, tx, a, siteURL); err != nil {
					return err
				}
			}
			return store.SaveNewsTelling(ctx, tx, of.ID, edition, after)
		})
		if err != nil {
			return err
		}
	}
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		return store.SaveNewsTold(ctx, tx, of.ID, edition)
	})
}

// queue writes a letter into the outbox, unless its reader wants none or no mail reaches them.
func queue(h *house.House, tx *house.Tx, a about, siteURL func(site string) string) error {
	l, ok, err := letter(tx.Context(), tx, tx.State(), a, tx.Now(), siteURL, h.Outbox.StopLink(a.Site, a.Who))
	if err != nil || !ok {
		return err
	}
	text, err := json.Marshal(a)
	if err != nil {
		return err
	}
	tx.QueueMailAbout(tx.State().SiteAddress(a.Site), Kind, Kind+":"+string(text), l)
	return nil
}

// letter writes a letter with just what its reader may open at an instant; false where that is nothing,
// or they want no mail any more.
func letter(ctx context.Context, q store.Reader, s *house.State, a about, at time.Time, siteURL func(site string) string, stop string) (l post.Letter, ok bool, err error) {
	site := s.SiteAddress(a.Site)
	to, there := s.AddressOf(a.Who)
	if site == "" || !there || !s.Settings.Reaches(to) {
		return l, false, nil
	}
	profile, err := store.FindProfile(ctx, q, a.Site, string(a.Who))
	if err != nil || profile.NoMail {
		return l, false, err
	}
	title, live := s.SiteTitle(site), s.Site(site).Live
	l = post.Letter{To: to.String(), Stop: stop}
	named := 0
	for _, id := range a.Pages {
		p := live.ByID(id)
		if p == nil || !Opens(s, site, p.Path, a.Who, at) {
			continue
		}
		if named++; named > mostNamed {
			continue
		}
		l.Facts = append(l.Facts, [2]string{p.Title, siteURL(site) + live.URLPath(p.Path)})
	}
	if named == 0 {
		return l, false, nil
	}
	switch {
	case a.Answer != "":
		l.Subject = "An answer to your comment on " + title
		l.Lines = []string{a.Answer + " answered what you wrote on this page:"}
		l.Action = post.Action{Text: "Read the answer", URL: l.Facts[0][1] + "#comments"}
	default:
		l.Subject = "New on " + title
		l.Lines = []string{words.Count(min(named, mostNamed), "page that you may read is", "pages that you may read are") + " new or changed:"}
		if named > mostNamed {
			l.After = append(l.After, "There are more.")
		}
	}
	l.After = append(l.After, "You chose to be told, on "+siteURL(site)+"/velada/news.")
	return l, true, nil
}

// Anew writes a letter with news anew at the moment it is sent: with what its reader may open now. It
// returns false where nothing is left of it.
func Anew(h *house.House, siteURL func(site string) string) house.Anew {
	return func(ctx context.Context, m *store.Mail) (post.Letter, bool, error) {
		text, is := strings.CutPrefix(m.About, Kind+":")
		var a about
		if !is || json.Unmarshal([]byte(text), &a) != nil {
			return post.Letter{}, false, nil
		}
		return letter(ctx, h.Reader(), h.State(), a, h.Now(), siteURL, h.Outbox.StopLink(a.Site, a.Who))
	}
}

// TellAnswers tells whoever wrote a comment that somebody answered it, if they chose to be told and
// the page opens to them.
func TellAnswers(ctx context.Context, h *house.House, siteURL func(site string) string) error {
	for {
		list, err := store.AnswersToTell(ctx, h.Reader(), mostAtOnce)
		if err != nil || len(list) == 0 {
			return err
		}
		err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
			for i := range list {
				if err := tellAnswer(h, tx, &list[i], siteURL); err != nil {
					return err
				}
				tx.Try(store.MarkTold(ctx, tx, list[i].ID))
			}
			return nil
		})
		if err != nil {
			return fmt.Errorf("telling of answers: %w", err)
		}
	}
}

func tellAnswer(h *house.House, tx *house.Tx, answer *store.Comment, siteURL func(site string) string) error {
	s := tx.State()
	was, err := store.FindComment(tx.Context(), tx, answer.Site, answer.Answers)
	if err != nil || was == nil || was.Status != "shown" || was.Person == answer.Person || was.Path != answer.Path {
		return err
	}
	choice, err := store.FindNewsChoice(tx.Context(), tx, answer.Site, store.Who(was.Person))
	page := s.SiteOf(answer.Site).Live.Page(answer.Path)
	if err != nil || !choice.Answer || page == nil {
		return err
	}
	by := "Somebody"
	if p := s.Policy.Document().Person(answer.Person); p != nil && p.Name != "" {
		by = p.Name
	}
	return queue(h, tx, about{Who: store.Who(was.Person), Site: answer.Site, Pages: []string{page.ID}, Answer: by}, siteURL)
}
