package gate

import (
	"runtime"
	"runtime/debug"
)

// collectAt is how much garbage, in percent of what is in use, gathers before it is
// collected: more than Go's 100, since little is in use for long and every
// collection is felt by whoever asks meanwhile.
const collectAt = 300

// ballast counts as in use, so that a small house too lets some 64 MB gather. Nothing
// ever touches it, so it takes no memory.
var ballast []byte

// CollectSeldom has garbage collected seldom in this process.
func CollectSeldom() {
	ballast = make([]byte, 16<<20)
	runtime.KeepAlive(ballast)
	debug.SetGCPercent(collectAt)
}
