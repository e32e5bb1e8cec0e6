package house

import (
	"context"
	"database/sql"
	"fmt"
	"reflect"
	"time"

	"velada/store"
)

// DB returns the database of a house: tests write there behind its back.
func (h *House) DB() *sql.DB { return h.db }

// Visits counts the visits that are kept in memory.
func (l *Sessions) Visits() (n int) {
	l.visits.Range(func(any, any) bool { n++; return true })
	return n
}

// ExpireVisits lets the visits in memory expire that a sign-in on the console led to.
func (l *Sessions) ExpireVisits(console string) {
	l.visits.Range(func(token, v any) bool {
		if visit := v.(store.SiteSession); visit.Console == console {
			visit.Expires = time.Time{}
			l.visits.Store(token, visit)
		}
		return true
	})
}

// Drift tells where the state in force differs from what the database holds; "" where
// nothing does. Whatever a change forgets to read anew shows here.
func (h *House) Drift(ctx context.Context) string {
	h.writing.Lock()
	defer h.writing.Unlock()
	is, err := h.load(ctx, h.DB())
	if err != nil {
		return err.Error()
	}
	s := h.State()
	was, err1 := s.Policy.Document().JSON()
	now, err2 := is.Policy.Document().JSON()
	if err1 != nil || err2 != nil || string(was) != string(now) {
		i := 0
		for i < min(len(was), len(now)) && was[i] == now[i] {
			i++
		}
		around := func(text []byte) []byte { return text[max(0, i-200):min(len(text), i+200)] }
		return fmt.Sprintf("the document (%v, %v) is\n%s\nand the database holds\n%s", err1, err2, around(was), around(now))
	}
	if !reflect.DeepEqual(s.Settings, is.Settings) || len(s.sites) != len(is.sites) || !reflect.DeepEqual(s.old, is.old) {
		return fmt.Sprintf("the settings, sites or old addresses are %+v %v %v\nand in the database %+v %v %v", s.Settings, s.byAddress, s.old, is.Settings, is.byAddress, is.old)
	}
	for id, site := range s.sites {
		a, b := *site, *is.sites[id]
		a.rendered, b.rendered = nil, nil
		if s.byAddress[a.Address] != site || !reflect.DeepEqual(a, b) {
			return fmt.Sprintf("the site %s is\n%+v\nand in the database\n%+v", a.Address, a, b)
		}
	}
	return ""
}
