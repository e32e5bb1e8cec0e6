package gate

import (
	"context"
	"net"
	"net/http"
	"sync"
)

// InOnePiece prepares a server and its listener so that the gate can send a page in
// one piece: net/http alone writes what is longer than its buffer in two or three,
// each of which costs several times what deciding does.
func InOnePiece(server *http.Server, listener net.Listener) net.Listener {
	server.ConnContext = func(ctx context.Context, conn net.Conn) context.Context {
		return context.WithValue(ctx, wireKey{}, conn)
	}
	return wires{listener}
}

type wireKey struct{}

type wires struct{ net.Listener }

func (l wires) Accept() (net.Conn, error) {
	conn, err := l.Listener.Accept()
	if tcp, ok := conn.(*net.TCPConn); ok {
		return &wire{TCPConn: tcp}, nil
	}
	if err != nil {
		return nil, err
	}
	return &paced{Conn: conn}, nil
}

// wire is a connection that can hold back what is written until all of it is
// there. Only one answer at a time is written on it, see pace.
type wire struct {
	*net.TCPConn
	holding bool
	held    []byte
	pace    pace
}

// Write sends bytes, or keeps them while they are held back.
func (c *wire) Write(p []byte) (int, error) {
	if c.holding {
		c.held = append(c.held, p...)
		return len(p), nil
	}
	return c.pace.write(c.TCPConn, p)
}

// mostHeld is the longest body that is sent at once: a longer one takes several
// writes anyway.
const mostHeld = 64 << 10

// send writes an answer, its head and the parts of its body at once.
func (c *wire) send(w http.ResponseWriter, parts [][]byte) {
	buffer := buffers.Get().(*[]byte)
	c.holding, c.held = true, (*buffer)[:0]
	defer func() { // come what may: what is held back would never arrive
		held := c.held
		c.holding, c.held = false, nil
		if len(held) > 0 {
			_, _ = c.pace.write(c.TCPConn, held)
		}
		*buffer = held
		buffers.Put(buffer)
	}()
	for _, part := range parts {
		_, _ = w.Write(part)
	}
	_ = http.NewResponseController(w).Flush()
}

// buffers hold what is sent at once, and are used again.
var buffers = sync.Pool{New: func() any { return new([]byte) }}
