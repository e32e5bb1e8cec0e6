package gate

import (
	"net"
	"time"
)

// How long a reader may take for a stretch of an answer: one that stands still would hold it in memory, and
// its connection, for as long as they like.
const (
	longestStill = time.Minute
	stretch      = 64 << 10 // bytes: whoever reads 1 kB a second gets all
)

// pace writes to a connection for as long as its reader goes on reading.
type pace struct {
	renew time.Time // when the deadline is to be set anew: not for every write
}

func (p *pace) write(to net.Conn, data []byte) (n int, err error) {
	for {
		if now := time.Now(); now.After(p.renew) {
			if err := to.SetWriteDeadline(now.Add(longestStill + longestStill/4)); err != nil {
				return n, err
			}
			p.renew = now.Add(longestStill / 4)
		}
		some := data[n:min(len(data), n+stretch)]
		wrote, err := to.Write(some)
		if n += wrote; err != nil || n == len(data) {
			return n, err
		}
	}
}

// Moving prepares a listener so that no answer is held for a reader who stands still.
func Moving(listener net.Listener) net.Listener { return moving{listener} }

type moving struct{ net.Listener }

func (l moving) Accept() (net.Conn, error) {
	conn, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return &paced{Conn: conn}, nil
}

type paced struct {
	net.Conn
	pace pace
}

func (c *paced) Write(data []byte) (int, error) { return c.pace.write(c.Conn, data) }
