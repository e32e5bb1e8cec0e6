//go:build !race

package console

const slowedDown = false
