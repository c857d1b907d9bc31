package main

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"trundo/internal/backup"
	"trundo/internal/blobs"
	"trundo/internal/store"
)

// runBackup writes everything into an archive, or with -check reads one to its end.
func runBackup(ctx context.Context, args []string) error {
	f := flags(
		"backup",
		os.Stdout,
		"trundo backup FILE writes everything that the firm has into one archive, while the "+
			"program may go on working. Keep it as safe as the firm's data: the key that seals secrets is in it.",
	)
	dir := ownDir(f)
	check := f.Bool("check", false, "write nothing: read FILE to its end and say whether it is whole")
	if err := f.Parse(args); err != nil {
		return err
	}
	name := f.Arg(0)
	if name == "" {
		return errors.New("say into which file: trundo backup FILE")
	}
	if *check {
		file, err := os.Open(name)
		if err != nil {
			return err
		}
		defer file.Close()
		return told(backup.Check(file))
	}
	return withPlace(ctx, *dir, func(p backup.Place) error {
		// half a backup never has the name of one
		file, err := os.OpenFile(name+".part", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		s, err := backup.Write(ctx, file, p, time.Now())
		if err = errors.Join(err, file.Sync(), file.Close()); err == nil {
			err = os.Rename(name+".part", name)
		}
		if err != nil {
			return errors.Join(err, os.Remove(name+".part"))
		}
		return told(s, nil)
	})
}

// runRestore makes an installation of an archive.
func runRestore(ctx context.Context, args []string) error {
	f := flags("restore", os.Stdout, "trundo restore FILE makes the firm of an archive, in a database and a folder "+
		"(TRUNDO_DATA) that are empty. All of it is restored or nothing.")
	dir := ownDir(f)
	if err := f.Parse(args); err != nil {
		return err
	}
	if f.Arg(0) == "" {
		return errors.New("say of which file: trundo restore FILE")
	}
	file, err := os.Open(f.Arg(0))
	if err != nil {
		return err
	}
	defer file.Close()
	return withPlace(ctx, *dir, func(p backup.Place) error { return told(backup.Restore(ctx, file, p)) })
}

func told(s backup.Summary, err error) error {
	if err == nil {
		fmt.Printf("%d tables and %d files of %s, %.1f MB: whole\n", s.Tables, s.Files,
			s.At.Local().Format(time.DateTime), float64(s.Bytes)/1e6)
	}
	return err
}

func ownDir(f *flag.FlagSet) *string {
	return f.String(
		"dir",
		"",
		"the folder of a firm that trundo start serves; empty: DATABASE_URL and TRUNDO_DATA name it",
	)
}

// withPlace opens the database and the places of files: those that the settings name, or those of a firm that has a
// database of its own. Nothing is migrated.
func withPlace(ctx context.Context, dir string, do func(backup.Place) error) error {
	address, data := value("DATABASE_URL"), value("TRUNDO_DATA")
	if dir != "" {
		cluster, stop, err := ownCluster(ctx, dir)
		if err != nil {
			return err
		}
		defer stop()
		admin, err := store.Open(ctx, cluster.URL("postgres"), 1)
		if err != nil {
			return err
		}
		err = ownDatabaseMade(ctx, admin, ownName)
		admin.Close()
		if err != nil {
			return err
		}
		address, data = cluster.URL(ownName), filepath.Join(dir, "data")
	}
	if address == "" {
		return errors.New(
			"DATABASE_URL is not set: it names the PostgreSQL database (trundo serve -h lists all settings)",
		)
	}
	s, err := store.Open(ctx, address, 4)
	if err != nil {
		return err
	}
	defer s.Close()
	p := backup.Place{Store: s, Dir: data}
	inside := filepath.Join(p.Dir, "kept")
	if at := cmp.Or(value("TRUNDO_RECORDINGS"), inside); strings.HasPrefix(at, "s3://") ||
		filepath.Clean(at) != inside {
		if p.Kept, err = blobs.New(at); err != nil {
			return fmt.Errorf("TRUNDO_RECORDINGS: %w", err)
		}
	}
	return do(p)
}
