package store

import "context"

// Facts are settings of the database on which its promises hang.
type Facts struct {
	FlushAtCommit int   // 1 when a commit waits until it is on the disk
	Packet        int64 // bytes that it takes at once
	Version       string
}

// Facts asks the database how it is set.
func (s *Store) Facts(ctx context.Context) (f Facts, err error) {
	defer s.guard(&ctx, &err)()
	err = s.db.QueryRowContext(ctx, "SELECT @@innodb_flush_log_at_trx_commit, @@max_allowed_packet, @@version").Scan(&f.FlushAtCommit, &f.Packet, &f.Version)
	return f, err
}
