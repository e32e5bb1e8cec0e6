//go:build !race

package raced

// On says that the race detector watches.
const On = false
