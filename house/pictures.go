package house

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/sync/singleflight"

	"velada/pictures"
	"velada/store"
)

// pictureDesk knows how large pictures are, and makes them smaller: one at a time, so that
// nobody takes the machine by asking for many.
type pictureDesk struct {
	sizes   sync.Map // the mark of a file → [2]int
	smaller cache
	once    singleflight.Group
	waiting chan struct{} // who waits
	one     sync.Mutex    // that is made smaller
}

// mostWaiting is how many wait at a time for a picture to be made smaller; others get it as it is.
const mostWaiting = 8

func newPictureDesk() *pictureDesk {
	return &pictureDesk{smaller: cache{most: 32 << 20}, waiting: make(chan struct{}, mostWaiting)}
}

// pictureHead is in how many of a picture's first bytes it stands how large it is.
const pictureHead = 512 << 10

// PictureSize returns how large a picture of an edition is shown, in pixels, and in which
// smaller widths it can be had; zeros where that is not known.
func (h *House) PictureSize(ctx context.Context, f *LiveFile) (width, height int, widths []int, err error) {
	if !strings.HasPrefix(f.Type, "image/") {
		return 0, 0, nil, nil
	}
	size, known := h.pictures.sizes.Load(f.Blob)
	if !known {
		data, err := store.BlobHead(ctx, h.db, f.Blob, pictureHead)
		if err != nil {
			return 0, 0, nil, err
		}
		w, high := pictures.Size(f.Type, data)
		size = [2]int{w, high}
		h.pictures.sizes.Store(f.Blob, size)
	}
	is := size.([2]int)
	return is[0], is[1], pictures.Smaller(f.Type, is[0], is[1]), nil
}

// SmallerPicture is a picture of an edition in one of its smaller widths, as its own kind or as
// pictures.WebP; nil where it
// has none of that width, or too many wait for theirs: it is shown as it is then.
func (h *House) SmallerPicture(ctx context.Context, f *LiveFile, width int, as string) ([]byte, error) {
	_, _, widths, err := h.PictureSize(ctx, f)
	if err != nil || !slices.Contains(widths, width) {
		return nil, err
	}
	key := f.Blob + " " + strconv.Itoa(width) + as
	desk := h.pictures
	if data, there := desk.smaller.peek(key); there {
		return data, nil
	}
	select {
	case desk.waiting <- struct{}{}:
		defer func() { <-desk.waiting }()
	default:
		return nil, nil
	}
	made, err, _ := desk.once.Do(key, func() (any, error) {
		return desk.smaller.get(key, func() ([]byte, error) {
			desk.one.Lock()
			defer desk.one.Unlock()
			data, err := h.FileData(context.WithoutCancel(ctx), f)
			if err != nil {
				return nil, err
			}
			small, err := pictures.Resize(f.Type, data, width, as)
			if err != nil { // shown as it is, and not tried again
				return []byte{}, nil
			}
			return small, nil
		})
	})
	if err != nil {
		return nil, err
	}
	return made.([]byte), nil
}
