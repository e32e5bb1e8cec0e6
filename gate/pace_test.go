package gate

import (
	"errors"
	"io"
	"net"
	"os"
	"testing"
	"testing/synctest"
	"time"
)

// Whoever reads slowly gets all of an answer; whoever stands still ends it within a minute and a quarter.
func TestAnswersMayBeReadSlowlyAndNotStandStill(t *testing.T) {
	answer := make([]byte, 1<<20)
	for _, c := range []struct {
		every  time.Duration
		bytes  int
		stops  int // after so many bytes; 0 reads on
		arrive bool
	}{{time.Second, 2 << 10, 0, true}, {time.Hour, 0, 1, false}, {time.Second, 2 << 10, 300 << 10, false}, {time.Minute, 100, 0, false}} {
		synctest.Test(t, func(t *testing.T) {
			ours, theirs := net.Pipe()
			done := make(chan struct{})
			to := &paced{Conn: ours}
			read, stood := 0, time.Now()
			go func() {
				defer close(done)
				for {
					n, err := io.ReadFull(theirs, make([]byte, max(1, c.bytes)))
					read, stood = read+n, time.Now()
					if err != nil || c.stops > 0 && read >= c.stops {
						return
					}
					time.Sleep(c.every)
				}
			}()
			n, err := to.Write(answer)
			if c.arrive != (err == nil) || c.arrive != (n == len(answer)) {
				t.Errorf("%+v: %d bytes, %v", c, n, err)
			}
			ended := time.Now()
			ours.Close()
			theirs.Close()
			<-done
			if still := ended.Sub(stood); !c.arrive && (!errors.Is(err, os.ErrDeadlineExceeded) || still > longestStill+longestStill/4) {
				t.Errorf("%+v: held for %v, %v", c, still, err)
			}
		})
	}
}
