package house

import (
	"bytes"
	"compress/flate"
	_ "embed" // the dictionary
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"
)

// packedMark begins a message that is kept packed: no message begins so.
const packedMark = "\x00z"

// dictionary is what letters have in common. What was packed with it can be read with just
// these bytes, so the file never changes; another one would have another mark.
//
//go:embed letter.dict
var dictionary []byte

// mostUnpacked is how long a message can be that was packed, in bytes.
const mostUnpacked = 64 << 20

var packers = sync.Pool{New: func() any {
	w, err := flate.NewWriterDict(nil, flate.DefaultCompression, dictionary)
	if err != nil {
		panic(err) // the level is right
	}
	return w
}}

// pack makes a message small, to be kept.
func pack(raw []byte) string {
	var b bytes.Buffer
	b.WriteString(packedMark)
	w := packers.Get().(*flate.Writer)
	defer packers.Put(w)
	w.Reset(&b)
	_, _ = w.Write(raw) // a buffer takes everything
	_ = w.Close()
	return b.String()
}

// unpack returns what was packed, or what was kept before messages were.
func unpack(kept string) ([]byte, error) { return unpackUpTo(kept, mostUnpacked) }

// unpackUpTo is unpack for what may have so many bytes.
func unpackUpTo(kept string, most int64) ([]byte, error) {
	rest, packed := strings.CutPrefix(kept, packedMark)
	if !packed {
		return []byte(kept), nil
	}
	raw, err := io.ReadAll(io.LimitReader(flate.NewReaderDict(strings.NewReader(rest), dictionary), most+1))
	if err == nil && int64(len(raw)) > most {
		err = errors.New("it is too long")
	}
	if err != nil {
		return nil, fmt.Errorf("unpacking a message: %w", err)
	}
	return raw, nil
}
