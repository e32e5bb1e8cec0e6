package identity

import (
	"fmt"
	"time"
)

// TryLater says that there was too much of something, and how long to wait.
type TryLater struct {
	What string // what there was too much of, as a sentence; "" for wrong tries
	Wait time.Duration
}

func (t TryLater) Error() string {
	what := t.What
	if what == "" {
		what = "Too many wrong tries."
	}
	seconds := int(t.Wait.Seconds()) + 1
	if seconds > 90 {
		return fmt.Sprintf("%s Try again in %d minutes.", what, (seconds+59)/60)
	}
	return fmt.Sprintf("%s Try again in %d seconds.", what, seconds)
}
