//go:build !race

package gate

const slowedDown = false
