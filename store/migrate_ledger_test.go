package store

import (
	"database/sql"
	"os"
	"path/filepath"
	"testing"

	"velada/demo/raced"
	"velada/store/migrations"
)

// schema8 is a house as the program wrote it when its tables were at version 8, brought up to another.
func schema8(t *testing.T, version int64) *sql.DB {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("..", "house", "testdata", "schema-8.sql"))
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", filepath.Join(t.TempDir(), "velada.db")+"?_pragma=synchronous(OFF)&_pragma=journal_mode(MEMORY)")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	db.SetMaxOpenConns(1)
	if _, err := db.ExecContext(ctx, string(text)); err != nil {
		t.Fatal(err)
	}
	upTo(t, db, version)
	return db
}

func upTo(t *testing.T, db *sql.DB, version int64) {
	t.Helper()
	provider, err := migrations.All(db)
	if err == nil {
		_, err = provider.UpTo(ctx, version)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// sealedEntries writes entries that know who they are by, as versions 10 to 12 did.
func sealedEntries(t *testing.T, db *sql.DB) (first int64) {
	t.Helper()
	err := InTx(ctx, db, func(tx *sql.Tx) error {
		if err := tx.QueryRow(`SELECT max(number) + 1 FROM ledger`).Scan(&first); err != nil {
			return err
		}
		return WriteLedger(ctx, tx,
			Entry{At: "2026-11-24T18:00:00Z", Who: "pilar@cerroalcor.example", WhoID: "pilar", Kind: "door", What: "Pilar did it."},
			Entry{At: "2026-11-24T18:01:00Z", Who: "ines@cerroalcor.example", WhoID: "ines", Kind: "door", What: "Inés did it."},
			Entry{At: "2026-11-24T18:02:00Z", Who: "somebody@gone.example", WhoID: "somebody@gone.example", Kind: "door", What: "Somebody did it."},
			Entry{At: "2026-11-24T18:03:00Z", Who: "velada", Kind: "door", What: "It happened by itself."},
			Entry{At: "2026-11-24T18:04:00Z", Who: "an-address-she-gave-up@gone.example", WhoID: "pilar", Kind: "door", What: "Pilar did it before."},
		)
	})
	if err != nil {
		t.Fatal(err)
	}
	return first
}

func whoIDs(t *testing.T, db *sql.DB, from int64) (list []string) {
	t.Helper()
	list, err := collect(ctx, db, scanText[string], `SELECT who_id FROM ledger WHERE number >= ? ORDER BY number`, from)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// A ledger that holds together does so after every migration, and knows who did what.
func TestMigrationsKeepTheLedger(t *testing.T) {
	versions := []int64{9, 10, 12, 13, 29} // before and after those that touch it
	if raced.On {
		versions = []int64{12}
	}
	for _, version := range versions {
		db := schema8(t, version)
		from := int64(0)
		if version >= 10 {
			from = sealedEntries(t, db)
		}
		upTo(t, db, migrations.Newest)
		if broken, entries, err := VerifyLedger(ctx, db); err != nil || broken != 0 || entries == 0 {
			t.Errorf("from version %d: broken at %d of %d, %v", version, broken, entries, err)
		}
		if from > 0 {
			if got := whoIDs(t, db, from); len(got) != 5 || got[0] != "pilar" || got[1] != "ines" || got[2] != "somebody@gone.example" || got[3] != "" || got[4] != "pilar" {
				t.Errorf("from version %d: %q", version, got)
			}
		}
		var lost int
		if err := db.QueryRow(`SELECT count(*) FROM ledger WHERE sealed = 0 AND who_id = who AND who IN (SELECT address FROM people)`).Scan(&lost); err == nil && lost > 0 {
			t.Errorf("from version %d: %d entries lost who they are by", version, lost)
		}
	}
}

// A house that an earlier migration spoiled is mended; what was really tampered with is not.
func TestASpoiledLedgerIsMended(t *testing.T) {
	db := schema8(t, 29)
	from := sealedEntries(t, db)
	if _, err := db.ExecContext(ctx, `UPDATE ledger SET who_id = who WHERE instr(who, '@') > 0`); err != nil { // as migration 13 did
		t.Fatal(err)
	}
	if broken, _, err := VerifyLedger(ctx, db); err != nil || broken != from {
		t.Fatalf("it was not spoiled: %d %v", broken, err)
	}
	upTo(t, db, 30)
	if broken, _, err := VerifyLedger(ctx, db); err != nil || broken != 0 {
		t.Errorf("broken at %d: %v", broken, err)
	}
	if got := whoIDs(t, db, from); got[0] != "pilar" || got[1] != "ines" || got[4] != "pilar" {
		t.Errorf("%q", got)
	}
	db = schema8(t, 29)
	from = sealedEntries(t, db)
	if _, err := db.ExecContext(ctx, `UPDATE ledger SET what = 'Inés did it.', who_id = 'ines' WHERE number = ?`, from); err != nil {
		t.Fatal(err)
	}
	upTo(t, db, 30)
	if broken, _, err := VerifyLedger(ctx, db); err != nil || broken != from {
		t.Errorf("what was tampered with is made to fit: %d %v", broken, err)
	}
}
