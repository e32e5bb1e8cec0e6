package house

import (
	"errors"
)

// ErrMayNot says that the one who asks lacks the capability for it.
var ErrMayNot = errors.New("you may not do this here")

// ErrNoSite says that there is no such site, or none that the one who asks has
// anything to do with.
var ErrNoSite = errors.New("there is no such site")

// ErrSection says that somebody may not change this part of the working copy.
var ErrSection = errors.New("this page is outside the part of the site that you may change")

// ErrNothing says that there is no rehearsal to apply.
var ErrNothing = errors.New("there is nothing to apply")

// FieldErrors says what is wrong with which field of a form.
type FieldErrors map[string]string
