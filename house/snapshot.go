package house

import (
	"context"
	"database/sql"
	"database/sql/driver"

	"velada/store"
)

// mostSnapshots is how many snapshots are open at a time. Each holds a connection while what it is
// for may ask for another, so that there are far fewer than connections.
const mostSnapshots = 4

// snapshot is the database as it is at one instant, for a change that is only tried: SQLite itself
// keeps its connection from writing. It begins with the first query.
//
// A statement is left out, as if it had written a row. A query that writes fails: what a change needs
// back of what it writes, it makes itself, and what leaves the house (letters) is collected by the
// change and written with its commit.
type snapshot struct {
	of   *House
	conn *sql.Conn
}

func (s *snapshot) ExecContext(context.Context, string, ...any) (sql.Result, error) {
	return nothingWritten{}, nil
}

type nothingWritten struct{}

func (nothingWritten) LastInsertId() (int64, error) { return 0, nil }

func (nothingWritten) RowsAffected() (int64, error) { return 1, nil }

func (s *snapshot) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if err := s.begin(ctx); err != nil {
		return nil, err
	}
	return s.conn.QueryContext(ctx, query, args...)
}

func (s *snapshot) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	if err := s.begin(ctx); err != nil {
		ended, end := context.WithCancelCause(ctx)
		end(err)
		return s.of.db.QueryRowContext(ended, query, args...) // which returns the error
	}
	return s.conn.QueryRowContext(ctx, query, args...)
}

// begin opens the snapshot, unless it is open.
func (s *snapshot) begin(ctx context.Context) error {
	if s.conn != nil {
		return nil
	}
	select {
	case s.of.snapshots <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	conn, err := s.of.db.Conn(ctx)
	if err == nil {
		if err = store.BeginToRead(ctx, conn); err != nil {
			discard(conn)
		}
	}
	if err != nil {
		<-s.of.snapshots
		return err
	}
	s.conn = conn
	return nil
}

// end closes the snapshot.
func (s *snapshot) end() {
	if s.conn == nil {
		return
	}
	if err := store.EndToRead(context.Background(), s.conn); err != nil {
		discard(s.conn)
	} else {
		s.conn.Close()
	}
	s.conn = nil
	<-s.of.snapshots
}

// discard closes a connection for good: nobody gets it that may not write.
func discard(conn *sql.Conn) {
	_ = conn.Raw(func(any) error { return driver.ErrBadConn })
	conn.Close()
}
