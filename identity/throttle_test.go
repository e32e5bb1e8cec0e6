package identity

import (
	"testing"
	"testing/synctest"
	"time"
)

// Whoever is forgiven twice, or forgiven what was taken off the count already, wins no further guess.
func TestAGuessIsForgivenOnce(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		b := &Brake{Every: time.Hour, Burst: 1, Most: time.Second}
		wait := func() (forgive func(), waited time.Duration) {
			began := time.Now()
			forgive, err := b.Wait(t.Context(), "ana")
			if err != nil {
				t.Fatal(err)
			}
			return forgive, time.Since(began)
		}
		if _, waited := wait(); waited != 0 {
			t.Fatal(waited)
		}
		for range 3 {
			forgive, waited := wait()
			if waited != time.Second {
				t.Errorf("a guess waits %v", waited)
			}
			forgive()
			forgive()
		}
		time.Sleep(time.Hour)
		forgive, waited := wait()
		forgive()
		forgive()
		if _, again := wait(); waited != 0 || again != 0 {
			t.Errorf("after an hour: %v, forgiven: %v", waited, again)
		}
		if _, waited := wait(); waited != time.Second {
			t.Errorf("two guesses for one: %v", waited)
		}
		throttle := &Throttle{Every: time.Hour, Burst: 2}
		again, _ := throttle.Try(time.Now(), "ana")
		throttle.Try(time.Now(), "ana")
		again()
		again()
		throttle.Try(time.Now(), "ana")
		if _, wait := throttle.Try(time.Now(), "ana"); wait == 0 {
			t.Error("forgiven twice")
		}
	})
}
