package access

import "maps"

// layered is a map that another one is extended from without a copy of all of it: what is new
// lies over what both have.
type layered[K comparable, V any] struct {
	base map[K]V // shared, and never written in once there is something over it
	over map[K]V // nil while the map is made
}

func newLayered[K comparable, V any](size int) layered[K, V] {
	return layered[K, V]{base: make(map[K]V, size)}
}

// get returns what stands at a key.
func (l *layered[K, V]) get(key K) (V, bool) {
	if len(l.over) > 0 {
		if v, is := l.over[key]; is {
			return v, true
		}
	}
	v, is := l.base[key]
	return v, is
}

func (l *layered[K, V]) put(key K, v V) {
	if l.over != nil {
		l.over[key] = v
		return
	}
	l.base[key] = v
}

// extended returns a map that has the same and can be written in.
func (l *layered[K, V]) extended() layered[K, V] {
	if len(l.over) <= len(l.base)/16+1024 {
		over := make(map[K]V, len(l.over)+8)
		maps.Copy(over, l.over)
		return layered[K, V]{l.base, over}
	}
	base := make(map[K]V, len(l.base)+len(l.over))
	maps.Copy(base, l.base)
	maps.Copy(base, l.over)
	return layered[K, V]{base, map[K]V{}}
}
