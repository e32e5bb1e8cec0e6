package identity

import (
	"context"
	"errors"
	"slices"
	"testing"
)

// One source that asks for much waits behind everybody else.
func TestALineIsFair(t *testing.T) {
	l := &Line{Slots: 1, Waiting: 40}
	leave, err := l.Enter(t.Context(), "greedy", false)
	if err != nil {
		t.Fatal(err)
	}
	let := make(chan string)
	enter := func(source, name string, known bool) {
		waiting := func() int { l.mu.Lock(); defer l.mu.Unlock(); return len(l.waiting) }
		before := waiting()
		go func() {
			done, err := l.Enter(context.Background(), source, known)
			if err != nil {
				let <- err.Error()
				return
			}
			let <- name
			done()
		}()
		for waiting() == before {
		}
	}
	for range 40 {
		enter("greedy", "greedy", false)
	}
	if _, err := l.Enter(t.Context(), "greedy", false); !errors.Is(err, ErrTooMany) {
		t.Errorf("one more waits: %v", err)
	}
	enter("honest", "honest", false)
	enter("greedy's neighbour", "known", true)
	leave()
	var order []string
	for range 42 {
		order = append(order, <-let)
	}
	if !slices.Equal(order[:2], []string{"known", "honest"}) {
		t.Errorf("let in: %v", order[:5])
	}
}

func TestWhoeverGoesLeavesTheLine(t *testing.T) {
	l := &Line{Slots: 1, Waiting: 1}
	leave, _ := l.Enter(t.Context(), "a", false)
	gone, hangUp := context.WithCancel(t.Context())
	hangUp()
	if _, err := l.Enter(gone, "b", false); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	if len(l.waiting)+len(l.by) != 0 {
		t.Error("they wait still")
	}
	leave()
	if leave, err := l.Enter(t.Context(), "b", false); err != nil {
		t.Error(err)
	} else {
		leave()
	}
}
