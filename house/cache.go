package house

import (
	"sync"
)

// cache keeps what was read lately, up to a number of bytes; the oldest goes
// first.
type cache struct {
	most int

	mu    sync.RWMutex
	kept  map[string][]byte
	order []string
	size  int
}

// peek returns what is kept, and whether it is.
func (c *cache) peek(key string) ([]byte, bool) {
	c.mu.RLock()
	defer c.mu.RUnlock()
	data, there := c.kept[key]
	return data, there
}

func (c *cache) get(key string, read func() ([]byte, error)) ([]byte, error) {
	if data, there := c.peek(key); there {
		return data, nil
	}
	data, err := read()
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.kept == nil {
		c.kept = map[string][]byte{}
	}
	if _, there := c.kept[key]; !there && len(data) <= c.most/8 {
		c.kept[key] = data
		c.order = append(c.order, key)
		c.size += len(data) + len(key)
	}
	for c.size > c.most && len(c.order) > 0 {
		c.size -= len(c.kept[c.order[0]]) + len(c.order[0])
		delete(c.kept, c.order[0])
		c.order = c.order[1:]
	}
	return data, nil
}
