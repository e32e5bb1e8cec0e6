package reminders

import (
	"context"
	"fmt"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/post"
	"velada/store"
	"velada/words"
)

// How often people may be reminded by mail.
const (
	Never    = ""
	EachDay  = "day"
	EachWeek = "week"
)

// How often it is looked what is soon, and how long it is remembered what was told.
const (
	lookEvery = 10 * time.Minute
	lookAfter = time.Minute
	remember  = 400 * 24 * time.Hour
)

// kind is what notices of reminders are, see house.NoticeKinds.
const kind = "reminder"

// Timer tells what is soon, from time to time, and a while after anything has changed.
func Timer() house.Timer {
	var last time.Time // by the real clock
	var of *house.State
	return func(ctx context.Context, h *house.House) error {
		s, ago := h.State(), time.Since(last)
		if s == nil || ago < lookEvery && (of == s || ago < lookAfter) {
			return nil
		}
		last, of = time.Now(), s
		return Tell(ctx, h)
	}
}

// Tell tells everybody what is soon that they were not told of, and sends the mails that are
// due.
func Tell(ctx context.Context, h *house.House) error {
	s, now := h.State(), h.Now()
	held, err := heldSince(ctx, h, s)
	if err != nil {
		return err
	}
	for _, item := range Soon(h, s, held, now, deadline) {
		for _, who := range item.To {
			told, err := store.Reminded(ctx, h.Reader(), who, item.Key)
			if err != nil {
				return fmt.Errorf("reading what people were reminded of: %w", err)
			}
			if told {
				continue
			}
			if err := tellOne(ctx, h, who, item); err != nil {
				return err
			}
		}
	}
	return sendMails(ctx, h, s, held, now)
}

func tellOne(ctx context.Context, h *house.House, who store.Who, item Item) error {
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		first, err := store.Remind(ctx, tx, who, item.Key, tx.Now())
		if err != nil || !first {
			return err
		}
		if err := store.ForgetReminded(ctx, tx, tx.Now().Add(-remember)); err != nil {
			return err
		}
		if _, there := tx.State().AddressOf(who); !there {
			return nil
		}
		return store.SaveNotice(ctx, tx, store.Notice{Who: who, At: tx.Now(), Site: item.Site, Kind: kind, What: item.What, URL: item.URL})
	})
}

// heldSince reads since when holding pages are shown, by site.
func heldSince(ctx context.Context, h *house.House, s *house.State) (map[string]access.Instant, error) {
	made, err := store.Made(ctx, h.Reader())
	if err != nil {
		return nil, fmt.Errorf("reading since when holding pages are shown: %w", err)
	}
	held := map[string]access.Instant{}
	for id, things := range made {
		if at, known := things["holding"]; known {
			held[s.SiteAddress(id)] = access.At(at)
		}
	}
	return held, nil
}

// sendMails writes the mails that are due: a day's or a week's reminders, those alone that
// were in no mail before.
func sendMails(ctx context.Context, h *house.House, s *house.State, held map[string]access.Instant, now time.Time) error {
	all, err := store.AllReminders(ctx, h.Reader())
	if err != nil || len(all) == 0 {
		return err
	}
	soon := map[string][]Item{EachDay: Soon(h, s, held, now, deadline), EachWeek: Soon(h, s, held, now, weekly)}
	for _, r := range all {
		if !due(r, now.In(s.Zone)) {
			continue
		}
		err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { return mail(ctx, tx, h, r, soon[r.Every]) })
		if err != nil {
			return err
		}
	}
	return nil
}

// mailHour is the hour of the day, in the house's zone, from which reminders are sent.
const mailHour = 7

// due reports whether a mail of reminders is due: once a day, or once a week from Monday on.
func due(r store.Reminders, now time.Time) bool {
	from := time.Date(now.Year(), now.Month(), now.Day(), mailHour, 0, 0, 0, now.Location())
	if r.Every == EachWeek {
		from = from.AddDate(0, 0, -(int(now.Weekday())+6)%7)
	}
	return !now.Before(from) && r.Sent.Before(from)
}

// mail writes one mail of reminders, where there is anything new to say.
func mail(ctx context.Context, tx *house.Tx, h *house.House, r store.Reminders, items []Item) error {
	r.Sent = tx.Now()
	if err := store.SaveReminders(ctx, tx, r); err != nil {
		return err
	}
	address, there := tx.State().AddressOf(r.Who)
	if !there || tx.State().Blocked(r.Who) || !tx.State().Settings.Reaches(address) {
		return nil
	}
	letter := post.Letter{
		To: address.String(), Subject: "What is soon at " + tx.State().Policy.Document().House.Name,
		Action: post.Action{Text: "See it all", URL: h.ConsoleURL + "/notices"},
		After:  []string{"You chose to be reminded by mail. Under “Your account” you can choose otherwise."},
	}
	for _, item := range items {
		for _, who := range item.To {
			if who != r.Who {
				continue
			}
			first, err := store.Remind(ctx, tx, who, "mail "+item.Key, tx.Now())
			if err != nil {
				return err
			}
			if first {
				letter.Lines = append(letter.Lines, words.Dated(item.What, tx.State().Zone)+" "+h.ConsoleURL+item.URL)
			}
		}
	}
	if len(letter.Lines) > 0 {
		tx.QueueMail("", "notice", letter)
	}
	return nil
}

// Set sets how often somebody is reminded by mail. It returns house.FieldErrors.
func Set(ctx context.Context, h *house.House, a house.Actor, every string) error {
	if every != Never && every != EachDay && every != EachWeek {
		return house.FieldErrors{"reminders": "Choose one of these."}
	}
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		was, err := store.RemindersOf(ctx, tx, a.Who)
		if err != nil || was.Every == every {
			return err
		}
		return store.SaveReminders(ctx, tx, store.Reminders{Who: a.Who, Every: every, Sent: was.Sent})
	})
}
