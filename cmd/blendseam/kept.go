package main

import (
	"context"
	"errors"
	"os"
	"path/filepath"

	"blendseam/dbserver"
	"blendseam/media"
	"blendseam/store"
	"blendseam/work"
)

// kept is a database and its recordings, for commands that work beside a
// server or without one.
type kept struct {
	store   *store.Store
	library *media.Library
	files   *work.Files
	stop    func()
}

// openKept opens the database that BLENDSEAM_DSN names, or the private one of
// the data folder: that of the server that runs there, or else one for as long
// as the command takes.
func openKept(ctx context.Context, data string) (*kept, error) {
	k := &kept{stop: func() {}}
	dsn := os.Getenv("BLENDSEAM_DSN")
	if dsn == "" {
		dir := filepath.Join(data, "mariadb")
		running, ok := dbserver.Running(dir, "blendseam")
		if !ok {
			if _, err := os.Stat(dir); err != nil {
				return nil, errors.New("there is no database in " + data + "; name its folder with --data, or another database in BLENDSEAM_DSN")
			}
			db, err := dbserver.Start(ctx, dir)
			if err != nil {
				return nil, err
			}
			k.stop, running = db.Stop, db.DSN("blendseam")
		}
		dsn = running
	}
	var err error
	if k.store, err = store.Open(ctx, dsn); err != nil {
		k.stop()
		return nil, err
	}
	if k.library, err = media.OpenLibrary(filepath.Join(data, "recordings")); err != nil {
		_ = k.store.Close()
		k.stop()
		return nil, err
	}
	if k.files, err = work.OpenFiles(filepath.Join(data, "exports")); err != nil {
		k.close()
		return nil, err
	}
	return k, nil
}

func (k *kept) close() {
	_ = k.library.Close()
	_ = k.store.Close()
	k.stop()
}
