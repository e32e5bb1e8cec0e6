package house_test

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"velada/app/members"
	"velada/app/news"
	"velada/app/pages"
	"velada/core/access"
	"velada/house"
	"velada/post"
	"velada/store"
)

func atSite(site string) string { return "https://" + site + ".example" }

// published changes a page of the society and publishes it.
func (m *mailing) published(paths ...string) {
	m.Helper()
	for _, path := range paths {
		list, err := store.WorkingCopy(ctx, m.Reader(), m.SiteID("society"))
		if err != nil {
			m.Fatal(err)
		}
		for _, p := range list {
			if p.Path == path {
				if _, err := pages.SavePage(ctx, m.House, m.ines, "society", p.ID, p.Version, p.Title, p.Body+"\n\nMore.", false); err != nil {
					m.Fatal(err)
				}
			}
		}
	}
	if _, err := pages.Publish(ctx, m.House, m.ines, "society", "", time.Time{}); err != nil {
		m.Fatal(err)
	}
}

// news has readers told, and returns the letters of news by address.
func (m *mailing) news() map[string]store.Mail {
	m.Helper()
	if err := news.Tell(ctx, m.House, atSite); err != nil {
		m.Fatal(err)
	}
	if err := news.TellAnswers(ctx, m.House, atSite); err != nil {
		m.Fatal(err)
	}
	list, err := m.Outbox.Mails(ctx, "society", 50)
	if err != nil {
		m.Fatal(err)
	}
	byAddress := map[string]store.Mail{}
	for _, one := range list {
		if one.Kind == news.Kind {
			byAddress[one.Address] = one
		}
	}
	return byAddress
}

func (m *mailing) done(err error) {
	m.Helper()
	if err != nil {
		m.Fatal(err)
	}
}

// hide has a page of the society hide from everybody but the team.
func (m *mailing) hide(path string) {
	m.Helper()
	m.done(m.Trays.Rehearse(ctx, m.ines, "society", func(s *access.Site, _ map[string]store.NewSecret) error {
		s.Doors = append(s.Doors, access.PageDoor{Path: path, Mode: "also", Hide: true})
		return nil
	}))
	m.done(m.Trays.Apply(ctx, m.ines, "society", true))
}

func TestReadersAreToldOfWhatTheyMayOpen(t *testing.T) {
	m := mailingHouse(t)
	m.Outbox.Anew = map[string]house.Anew{news.Kind: news.Anew(m.House, atSite)}
	address := func(who store.Who) string { a, _ := m.State().AddressOf(who); return a.String() }
	m.done(news.Choose(ctx, m.House, "society", "edda-galindo", true, false)) // a member
	m.done(news.Choose(ctx, m.House, "society", "tobias", true, false))       // none
	m.done(news.Follow(ctx, m.House, "society", "mateo", "/visit", true))
	if err := news.Follow(ctx, m.House, "society", "mateo", "/members/minutes", true); err != house.ErrMayNot {
		t.Errorf("following what does not open: %v", err)
	}
	if len(m.news()) != 0 {
		t.Fatal("somebody is told of what was there before")
	}
	m.published("/visit", "/members/minutes")
	letters := m.news()
	edda, tobias, mateo := letters[address("edda-galindo")], letters[address("tobias")], letters[address("mateo")]
	if !strings.Contains(edda.Text, "https://society.example/members/minutes") || !strings.Contains(edda.Text, "2 pages that you may read") {
		t.Errorf("a member: %s", edda.Text)
	}
	if strings.Contains(tobias.Text, "minutes") || strings.Contains(tobias.Text, "Minutes") || !strings.Contains(tobias.Text, "/visit") {
		t.Errorf("who is no member: %s", tobias.Text)
	}
	if !strings.Contains(mateo.Text, "/visit") || !strings.Contains(mateo.Text, "No more mail of this kind") {
		t.Errorf("who follows a page: %s", mateo.Text)
	}
	m.published("/courses")
	if text := m.news()[address("mateo")].Text; strings.Contains(text, "/courses") {
		t.Errorf("who follows one page is told of another: %s", text)
	}
}

// What a letter tells of is asked again at the moment it is sent.
func TestNewsIsAskedForAgainWhenItIsSent(t *testing.T) {
	m := mailingHouse(t)
	m.Outbox.Anew = map[string]house.Anew{news.Kind: news.Anew(m.House, atSite)}
	m.done(news.Choose(ctx, m.House, "society", "edda-galindo", true, false))
	m.news()
	m.published("/visit", "/members/minutes")
	m.news()
	m.hide("/members/minutes") // while the letter waits
	m.done(m.Outbox.SendWaiting(ctx))
	sent := m.server.Taken()
	found := 0
	for _, one := range sent {
		if strings.Contains(string(one.Raw), "New on Cerro Alcor Society") {
			found++
			if strings.Contains(string(one.Raw), "inutes") || !strings.Contains(string(one.Raw), "society.example/visit") {
				t.Errorf("it tells of a page that has closed: %s", one.Raw)
			}
		}
	}
	if found != 1 {
		t.Errorf("%d letters of news were sent", found)
	}
	m.published("/members/rota")
	m.news()
	m.hide("/members/rota")
	m.done(m.Outbox.SendWaiting(ctx))
	if now := m.server.Taken(); len(now) != len(sent) {
		t.Error("a letter of which nothing is left was sent")
	}
	list, err := m.Outbox.Mails(ctx, "society", 50)
	m.done(err)
	failed := 0
	for _, one := range list {
		if one.Status == store.MailFailed && strings.Contains(one.Answer, "does not open to its reader") {
			failed++
		}
	}
	if failed != 1 {
		t.Errorf("%d letters say why they were not sent", failed)
	}
}

// Whoever tells of an edition is killed after some readers: the others are told when it goes on, also of an
// edition that went live meanwhile, and nobody twice of the same.
func TestNobodyIsToldTwice(t *testing.T) {
	m := mailingHouse(t)
	const readers = 120
	m.done(m.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		doc := tx.Document()
		for i := range readers {
			id := fmt.Sprintf("reader-%03d", i)
			doc.People = append(doc.People, access.Person{ID: id, Name: id, Address: id + "@reader.example"})
		}
		tx.PutDocument(doc)
		return nil
	}))
	for i := range readers {
		m.done(news.Choose(ctx, m.House, "society", store.Who(fmt.Sprintf("reader-%03d", i)), true, false))
	}
	told := func() map[string][]string { // by address: what each letter names
		list, err := m.Outbox.Mails(ctx, "society", 1000)
		m.done(err)
		by := map[string][]string{}
		for _, one := range list {
			if one.Kind == news.Kind && strings.HasSuffix(one.Address, "@reader.example") {
				by[one.Address] = append(by[one.Address], one.Text)
			}
		}
		return by
	}
	killed := errors.New("killed")
	tell := func(letters int) (err error) { // dies after so many letters
		defer func() {
			if trouble := recover(); trouble != nil && trouble != killed {
				panic(trouble)
			}
		}()
		n := 0
		return news.Tell(ctx, m.House, func(site string) string {
			if n++; n > letters*3 {
				panic(killed)
			}
			return atSite(site)
		})
	}
	m.done(tell(1000))
	m.published("/visit")
	_ = tell(70)
	if n := len(told()); n == 0 || n == readers {
		t.Fatalf("%d were told before it was killed", n)
	}
	m.published("/courses")
	_ = tell(20)
	for range 3 {
		m.done(tell(1000))
	}
	by := told()
	if len(by) != readers {
		t.Errorf("%d of %d readers were told", len(by), readers)
	}
	for address, letters := range by {
		all := strings.Join(letters, "\n")
		if strings.Count(all, "society.example/visit\n") != 1 || strings.Count(all, "society.example/courses\n") != 1 {
			t.Fatalf("%s: %q", address, letters)
		}
	}
}

// A letter that cannot be written fails alone, and says so.
func TestALetterThatCannotBeWrittenFailsAlone(t *testing.T) {
	m := mailingHouse(t)
	m.done(m.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		tx.QueueMail("society", "try", post.Letter{To: "somebody@press.example", ReplyTo: "\r\nBcc: all@press.example", Subject: "First", Lines: []string{"One."}})
		tx.QueueMail("society", "try", post.Letter{To: "jo..ko@press.example", Subject: "Second", Lines: []string{"Two."}})
		return nil
	}))
	list, err := m.Outbox.Mails(ctx, "", 10)
	m.done(err)
	said := map[string]string{}
	for _, one := range list {
		said[one.Subject] = one.Status + " " + one.Answer
	}
	if !strings.HasPrefix(said["First"], "failed It could not be written") || strings.HasPrefix(said["Second"], "failed") || said["Second"] == "" {
		t.Error(said)
	}
}

// A link that stops letters says nobody's name, and nothing else makes one.
func TestStopLinksSayNothing(t *testing.T) {
	h, _ := clockedHouse(t)
	site := h.SiteID("society")
	link := h.Outbox.StopLink(site, "rosa-galindo")
	_, token, _ := strings.Cut(link, "/stop/")
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || bytes.Contains(raw, []byte("rosa")) || bytes.Contains(raw, []byte(site)) || strings.Contains(link, "rosa") {
		t.Errorf("%s says whose it is: %v", link, err)
	}
	if of, who, err := h.Outbox.ReadStop(token); err != nil || of != site || who != "rosa-galindo" {
		t.Errorf("%s %s %v", of, who, err)
	}
	for _, bad := range []string{"", token[1:], token[:len(token)-2] + "AA", base64.RawURLEncoding.EncodeToString([]byte(string(site) + " rosa-galindo 0123456789abcdef"))} {
		if _, _, err := h.Outbox.ReadStop(bad); !errors.Is(err, house.ErrLinkSpent) {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

func TestNewsStops(t *testing.T) {
	m := mailingHouse(t)
	m.done(news.Choose(ctx, m.House, "society", "edda-galindo", true, true))
	m.done(news.Follow(ctx, m.House, "society", "edda-galindo", "/visit", true))
	m.news()
	m.published("/visit")
	text := m.news()
	if len(text) != 1 {
		t.Fatalf("%d letters", len(text))
	}
	for _, one := range text {
		_, token, _ := strings.Cut(one.Text, "/stop/")
		if _, _, err := members.Stop(ctx, m.House, strings.TrimSpace(token), true); err != nil {
			t.Fatal(err)
		}
	}
	c, err := news.ChoiceOf(ctx, m.House, "society", "edda-galindo")
	if err != nil || c.News || c.Answer || len(c.Pages) != 0 {
		t.Errorf("%+v %v", c, err)
	}
	m.published("/visit")
	if m.news(); len(m.news()) != 1 {
		t.Error("who stopped it is told again")
	}
	m.done(news.Choose(ctx, m.House, "society", "edda-galindo", true, false))
	m.published("/visit")
	list, err := m.Outbox.Mails(ctx, "society", 50)
	if m.news(); err != nil || len(list) == 0 {
		t.Error("who asks for it again gets none")
	}
}

func TestOfAnEditionThatCameBackNobodyIsTold(t *testing.T) {
	m := mailingHouse(t)
	m.done(news.Choose(ctx, m.House, "society", "edda-galindo", true, false))
	m.news()
	before := m.State().Site("society").Live.Number
	m.published("/visit")
	if len(m.news()) != 1 {
		t.Fatal("nobody is told")
	}
	latest := m.State().Site("society").Live.Number
	count := func() (n int) {
		list, err := m.Outbox.Mails(ctx, "society", 50)
		m.done(err)
		for _, one := range list {
			if one.Kind == news.Kind {
				n++
			}
		}
		return n
	}
	m.done(pages.PublishAgain(ctx, m.House, m.ines, "society", before))
	m.news()
	m.done(pages.PublishAgain(ctx, m.House, m.ines, "society", latest))
	if m.news(); count() != 1 {
		t.Errorf("%d letters", count())
	}
}

func TestWhoeverWroteIsToldOfAnswers(t *testing.T) {
	m := mailingHouse(t)
	m.done(news.Choose(ctx, m.House, "society", "edda-galindo", false, true))
	_, err := members.Comment(ctx, m.House, "society", "/members", "edda-galindo", "Who has the key?")
	m.done(err)
	comments := func() []store.Comment { return m.State().Site("society").Comments["/members"] }
	mine := comments()[len(comments())-1].ID
	_, err = members.ModerateComments(ctx, m.House, m.ines, "society", []int64{mine}, true)
	m.done(err)
	var other store.Who
	for _, one := range m.State().SiteDocument("society").Members {
		if one.Status == "approved" && one.Who != "edda-galindo" {
			other = store.Who(one.Who)
		}
	}
	if _, err := members.Answer(ctx, m.House, "society", "/members", other, "I do.", 999_999); err == nil {
		t.Error("an answer to a comment that is not there")
	}
	_, err = members.Answer(ctx, m.House, "society", "/members", other, "I do.", mine)
	m.done(err)
	if len(m.news()) != 0 {
		t.Fatal("an answer is told before it is approved")
	}
	answer := comments()[len(comments())-1]
	if answer.Answers != mine {
		t.Fatalf("%+v", answer)
	}
	_, err = members.ModerateComments(ctx, m.House, m.ines, "society", []int64{answer.ID}, true)
	m.done(err)
	letters := m.news()
	if len(letters) != 1 {
		t.Fatalf("%d letters", len(letters))
	}
	for _, one := range letters {
		if !strings.Contains(one.Subject, "An answer to your comment") || strings.Contains(one.Text, "I do.") || !strings.Contains(one.Text, "/members#comments") {
			t.Errorf("%s", one.Text)
		}
	}
	if again, err := store.AnswersToTell(ctx, m.Reader(), 10); err != nil || len(again) != 0 {
		t.Errorf("%d are told again, %v", len(again), err)
	}
}
