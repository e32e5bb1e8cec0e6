package store

import (
	"errors"
	"syscall"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"
)

// IsFull reports whether an error says that there is no room to write: the disk is full, or what Velada may
// take of it is used up.
func IsFull(err error) bool {
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) || errors.Is(err, syscall.EFBIG) {
		return true
	}
	var said *sqlite.Error
	return errors.As(err, &said) && (said.Code()&0xff == lib.SQLITE_FULL || said.Code() == lib.SQLITE_IOERR_SHMSIZE)
}
