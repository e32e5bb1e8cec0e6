package store

import (
	"context"
	"database/sql"
)

// ClearHosts notes that browsers are to forget, once more, what pages at these hosts kept in them.
func ClearHosts(ctx context.Context, q Queryer, hosts []string) error {
	for _, host := range hosts {
		if err := exec(ctx, q, `INSERT INTO cleared_hosts (host, times) VALUES (?, 1) ON CONFLICT DO UPDATE SET times = times + 1`, host); err != nil {
			return err
		}
	}
	return nil
}

// ClearedHosts reads how often each host was to be forgotten.
func ClearedHosts(ctx context.Context, q Reader) (map[string]int, error) {
	times := map[string]int{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var host string
		var n int
		if err = r.Scan(&host, &n); err == nil {
			times[host] = n
		}
		return
	}, `SELECT host, times FROM cleared_hosts`)
	return times, err
}
