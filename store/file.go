package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"
)

// File is a picture or another file beside the pages; its data are kept as a blob.
type File struct {
	Path, Type string
	Size       int
	Blob       string // SHA-256 of the data, in hex
	Text       string // what a picture shows, for those who do not see it
}

// SaveBlob keeps data once and gives their key.
func SaveBlob(ctx context.Context, q Queryer, data []byte) (string, error) {
	sum := sha256.Sum256(data)
	key := hex.EncodeToString(sum[:])
	return key, exec(ctx, q, `INSERT INTO blobs (key, data) VALUES (?, ?) ON CONFLICT DO NOTHING`, key, data)
}

// roomKey is the key of data that say nothing.
const roomKey = "room"

// TakeRoom writes so many bytes that say nothing.
func TakeRoom(ctx context.Context, q Queryer, size int) error {
	return exec(ctx, q, `INSERT INTO blobs (key, data) VALUES (?, randomblob(?)) ON CONFLICT DO UPDATE SET data = excluded.data`, roomKey, size)
}

// LeaveRoom deletes them.
func LeaveRoom(ctx context.Context, q Queryer) error {
	return exec(ctx, q, `DELETE FROM blobs WHERE key = ?`, roomKey)
}

// Blob reads the data of a key.
func Blob(ctx context.Context, q Reader, key string) (data []byte, err error) {
	err = q.QueryRowContext(ctx, `SELECT data FROM blobs WHERE key = ?`, key).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("the data %s are missing", key)
	}
	return data, err
}

// BlobHead reads the first bytes of data by their key.
func BlobHead(ctx context.Context, q Reader, key string, most int) (data []byte, err error) {
	err = q.QueryRowContext(ctx, `SELECT substr(data, 1, ?) FROM blobs WHERE key = ?`, most, key).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("the data %s are missing", key)
	}
	return data, err
}

// blobKeys are all places that name data by their key, each as a table and what of
// it is the key. What is not named here is swept.
var blobKeys = []struct{ table, key string }{
	{"files", "blob"},
	{"edition_files", "blob"},
	{"profiles", "picture"},
	{"site_details", "json_extract(details, '$.icon')"},
	{"held_blobs", "blob"},
}

// HoldBlob keeps data that nothing names yet, for an archive that is being taken in, until an instant.
func HoldBlob(ctx context.Context, q Queryer, data []byte, archive string, until time.Time) (key string, err error) {
	if key, err = SaveBlob(ctx, q, data); err != nil {
		return "", err
	}
	return key, exec(ctx, q, `INSERT INTO held_blobs (blob, archive, until) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, key, archive, until.Unix())
}

// ReleaseBlobs lets go of what an archive held, and of what others held that were broken off before an instant.
func ReleaseBlobs(ctx context.Context, q Queryer, archive string, before time.Time) error {
	return exec(ctx, q, `DELETE FROM held_blobs WHERE archive = ? OR until < ?`, archive, before.Unix())
}

// DropLooseBlobs forgets data that nothing names.
func DropLooseBlobs(ctx context.Context, q Queryer) error {
	var named []string
	for _, k := range blobKeys {
		named = append(named, `NOT EXISTS (SELECT 1 FROM `+k.table+` WHERE `+k.key+` = blobs.key)`)
	}
	return exec(ctx, q, `DELETE FROM blobs WHERE `+strings.Join(named, " AND "))
}

func scanFile(r *sql.Rows) (f File, err error) {
	return f, r.Scan(&f.Path, &f.Type, &f.Size, &f.Blob, &f.Text)
}

// WorkingFiles reads the files of a working copy, by path.
func WorkingFiles(ctx context.Context, q Reader, site SiteID) ([]File, error) {
	return collect(ctx, q, scanFile, `SELECT path, type, size, blob, text FROM files WHERE site = ? ORDER BY path`, site)
}

// SaveFile adds a file to a working copy, or replaces the one at its path.
func SaveFile(ctx context.Context, q Queryer, site SiteID, f File) error {
	return exec(ctx, q, `INSERT INTO files (site, path, type, size, blob, text) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET type = excluded.type, size = excluded.size, blob = excluded.blob, text = excluded.text`, site, f.Path, f.Type, f.Size, f.Blob, f.Text)
}

// DescribeFile says of a file of a working copy what it shows.
func DescribeFile(ctx context.Context, q Queryer, site SiteID, path, text string) error {
	return exec(ctx, q, `UPDATE files SET text = ? WHERE site = ? AND path = ?`, text, site, path)
}

// MoveFile gives a file of a working copy another path.
func MoveFile(ctx context.Context, q Queryer, site SiteID, from, to string) error {
	return exec(ctx, q, `UPDATE files SET path = ? WHERE site = ? AND path = ?`, to, site, from)
}

// DropFiles takes all files out of a working copy.
func DropFiles(ctx context.Context, q Queryer, site SiteID) error {
	return exec(ctx, q, `DELETE FROM files WHERE site = ?`, site)
}

// DropFile takes a file out of a working copy.
func DropFile(ctx context.Context, q Queryer, site SiteID, path string) error {
	return exec(ctx, q, `DELETE FROM files WHERE site = ? AND path = ?`, site, path)
}
