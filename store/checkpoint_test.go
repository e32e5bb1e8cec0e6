package store

import (
	"testing"
)

// The log does not stay as large as what was written at once, nor because somebody read meanwhile.
func TestTheLogIsKeptSmall(t *testing.T) {
	db := database(t)
	size := func() int64 {
		t.Helper()
		n, err := logSize(ctx, db)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	reading, err := db.QueryContext(ctx, `SELECT name FROM sqlite_master`)
	if err != nil || !reading.Next() {
		t.Fatal(err)
	}
	for range 4 {
		if err := exec(ctx, db, `INSERT INTO blobs (key, data) VALUES (hex(randomblob(8)), zeroblob(5000000))`); err != nil {
			t.Fatal(err)
		}
	}
	grown := size()
	if grown < 2*someLog {
		t.Fatalf("the log has %d bytes: nothing is tried here", grown)
	}
	if err := Checkpoint(ctx, db); err != nil {
		t.Fatal(err)
	}
	reading.Close()
	if err := Checkpoint(ctx, db); err != nil || size() > someLog {
		t.Errorf("the log has %d bytes still (%v)", size(), err)
	}
}
