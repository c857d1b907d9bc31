// Package blobs keeps files by name: in a folder, or in a store that speaks the S3 protocol.
//
// It must not know what a file holds, nor the database.
package blobs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"strings"

	"github.com/google/uuid"
)

// ErrNone is told of a name under which nothing is kept.
var ErrNone = errors.New("there is no such file")

// Store keeps files. A name is letters, digits, "-", "_" and ".".
type Store interface {
	// Put keeps size bytes of r under a name; afterwards there is the whole file, or the one before it.
	Put(ctx context.Context, name, kind string, r io.Reader, size int64) error
	// Open reads a file, from anywhere in it. Error: ErrNone.
	Open(ctx context.Context, name string) (io.ReadSeekCloser, error)
	// Delete removes a file; one that is not there is no error.
	Delete(ctx context.Context, name string) error
}

// New makes the store that an address names: a folder's path, or s3://bucket?endpoint=host&region=name with its keys in
// the environment (see S3).
func New(address string) (Store, error) {
	if strings.HasPrefix(address, "s3://") {
		u, err := url.Parse(address)
		if err != nil {
			return nil, err
		}
		return S3(u)
	}
	if err := os.MkdirAll(address, 0o700); err != nil {
		return nil, fmt.Errorf("the folder of a store: %w", err)
	}
	root, err := os.OpenRoot(address)
	if err != nil {
		return nil, fmt.Errorf("the folder of a store: %w", err)
	}
	return folder{root}, nil
}

// folder keeps files in a folder, and never out of it.
type folder struct{ root *os.Root }

func (f folder) Put(_ context.Context, name, _ string, r io.Reader, size int64) error {
	part := ".part-" + uuid.NewString()
	out, err := f.root.OpenFile(part, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return fmt.Errorf("keeping %s: %w", name, err)
	}
	n, err := io.Copy(out, r)
	if err == nil && n != size {
		err = io.ErrUnexpectedEOF
	}
	if err = errors.Join(err, out.Sync(), out.Close()); err == nil {
		err = f.root.Rename(part, name)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("keeping %s: %w", name, err), f.root.Remove(part))
	}
	return nil
}

func (f folder) Open(_ context.Context, name string) (io.ReadSeekCloser, error) {
	file, err := f.root.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, ErrNone
	} else if err != nil {
		return nil, fmt.Errorf("reading %s: %w", name, err)
	}
	return file, nil
}

func (f folder) Delete(_ context.Context, name string) error {
	if err := f.root.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("removing %s: %w", name, err)
	}
	return nil
}
