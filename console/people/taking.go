package people

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"velada/app/people"
	"velada/console/web"
	"velada/house"
	"velada/words"
)

// taking is how far a roster is that comes in stretch by stretch.
type taking struct {
	mu       sync.Mutex
	done, of int
	ended    bool
	says     string // what came of it
	bad      bool
}

// takingView is that as it is shown.
type takingView struct {
	Group, Token string
	Done, Of     int
	Ended, Bad   bool
	Says         string
}

// takeInStretches begins to take a roster in, unless that was begun; it goes on after the answer.
func (p *pendingRoster) takeInStretches(c *web.Console, me house.Actor, f people.RosterForm, plan *people.RosterPlan) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.taking != nil && !p.taking.hasFailed() {
		return
	}
	t := &taking{of: plan.Changes()}
	p.taking = t
	c.House.InBackground("taking a roster in", func(ctx context.Context) error {
		err := people.TakeRoster(ctx, c.House, me, f, plan, t.told)
		if err == nil {
			err = people.Remember(ctx, c.House, me, p.sheet, f.Fields, p.group)
		}
		t.end(plan.Change.What, err)
		return nil // it is said where it was begun
	})
}

func (t *taking) told(done, of int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.done, t.of = done, of
}

func (t *taking) end(what string, err error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.ended, t.says = true, what
	if err != nil {
		t.bad = true
		t.says = fmt.Sprintf("%s. %s of %s people are in. Import the same roster again for the rest.", words.Capital(strings.TrimSuffix(err.Error(), ".")), words.Thousands(t.done), words.Thousands(t.of))
	}
}

func (t *taking) hasFailed() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.bad
}

// takingView tells how far it is; nil where it was not begun.
func (p *pendingRoster) takingView(token string) *takingView {
	p.mu.Lock()
	t := p.taking
	p.mu.Unlock()
	if t == nil {
		return nil
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	return &takingView{p.group, token, t.done, t.of, t.ended, t.bad, t.says}
}

// rosterState shows how far a roster is.
func rosterState(c *web.Console, x *gin.Context) {
	token := x.Query("take")
	v := &takingView{Group: x.Param("group"), Ended: true, Bad: true, Says: "This roster is not kept here any more. The group shows who is in it."}
	if p := rosterKept(c, token, web.Actor(x).Who, v.Group); p != nil {
		if taking := p.takingView(token); taking != nil {
			v = taking
		}
	}
	c.Show(x, http.StatusOK, "roster-state", v)
}
