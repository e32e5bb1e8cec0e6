package people

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"

	"velada/core/roster"
	"velada/house"
	"velada/store"
)

// columnsOf tells rosters of one kind from others: by what their columns are called, and
// where they have no names by the group too.
func columnsOf(s *roster.Sheet, group string) string {
	names := append([]string{s.Format}, s.Columns...)
	if s.Head == 0 {
		names = append(names, group)
	}
	sum := sha256.Sum256([]byte(strings.ToLower(strings.Join(names, "\x00"))))
	return hex.EncodeToString(sum[:])
}

// Recall takes a sheet's columns for what they were said to be when a roster of its kind
// came last, and reports whether that is something else than what was recognised.
func Recall(ctx context.Context, h *house.House, s *roster.Sheet, group string) (remembered bool, err error) {
	if s.Format != "csv" {
		return false, nil
	}
	said, err := store.RosterColumns(ctx, h.Reader(), columnsOf(s, group))
	if err != nil || len(said) != len(s.Columns) {
		return false, err
	}
	for i, f := range said {
		field := roster.Field(f)
		if !slices.Contains(roster.Fields, field) {
			return false, nil
		}
		remembered = remembered || s.Fields[i] != field
	}
	if remembered {
		for i, f := range said {
			s.Fields[i] = roster.Field(f)
		}
	}
	return remembered, nil
}

// Remember keeps what a roster's columns were said to be, for those who keep its group.
func Remember(ctx context.Context, h *house.House, a house.Actor, s *roster.Sheet, fields []roster.Field, group string) error {
	if s.Format != "csv" {
		return nil
	}
	var said []string
	for _, f := range fields {
		said = append(said, string(f))
	}
	return h.Change(ctx, a, house.Needs{Keeps: group}, func(tx *house.Tx) error {
		return store.SaveRosterColumns(tx.Context(), tx, columnsOf(s, group), said, h.Now())
	})
}
