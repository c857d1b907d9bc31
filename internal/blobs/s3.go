package blobs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"
)

// S3 makes a store of s3://bucket?endpoint=host:port&region=name, with insecure=yes for one without TLS. The keys come
// from the environment: AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY.
func S3(u *url.URL) (Store, error) {
	q := u.Query()
	if u.Host == "" || q.Get("endpoint") == "" {
		return nil, errors.New("a store is named like s3://bucket?endpoint=host&region=name")
	}
	client, err := minio.New(q.Get("endpoint"),
		&minio.Options{Creds: credentials.NewEnvAWS(), Region: q.Get("region"), Secure: q.Get("insecure") != "yes",
			BucketLookup: minio.BucketLookupPath})
	if err != nil {
		return nil, fmt.Errorf("the store of recordings: %w", err)
	}
	return bucket{client, u.Host}, nil
}

type bucket struct {
	client *minio.Client
	name   string
}

func (b bucket) Put(ctx context.Context, name, kind string, r io.Reader, size int64) error {
	if _, err := b.client.PutObject(ctx, b.name, name, r, size,
		minio.PutObjectOptions{ContentType: kind, DisableMultipart: true}); err != nil {
		return fmt.Errorf("keeping %s: %w", name, err)
	}
	return nil
}

func (b bucket) Open(ctx context.Context, name string) (io.ReadSeekCloser, error) {
	o, err := b.client.GetObject(ctx, b.name, name, minio.GetObjectOptions{})
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", name, err)
	}
	if _, err := o.Stat(); err != nil {
		err = errors.Join(fmt.Errorf("reading %s: %w", name, err), o.Close())
		if absent(err) {
			return nil, ErrNone
		}
		return nil, err
	}
	return o, nil
}

// absent tells whether an error says that there is no such file.
func absent(err error) bool {
	var answer minio.ErrorResponse
	return errors.As(err, &answer) && answer.StatusCode == 404
}

func (b bucket) Delete(ctx context.Context, name string) error {
	if err := b.client.RemoveObject(ctx, b.name, name, minio.RemoveObjectOptions{}); err != nil && !absent(err) {
		return fmt.Errorf("removing %s: %w", name, err)
	}
	return nil
}
