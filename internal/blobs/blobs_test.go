package blobs_test

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/blobs"
)

// bucketServer is as much of the S3 protocol as is used: put, get with ranges, head, delete.
func bucketServer(t *testing.T) string {
	t.Helper()
	var mu sync.Mutex
	kept := map[string][]byte{}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		if !strings.HasPrefix(r.Header.Get("Authorization"), "AWS4-HMAC-SHA256 ") {
			w.WriteHeader(http.StatusForbidden)
			return
		}
		body, there := kept[r.URL.Path]
		switch {
		case r.Method == http.MethodPut:
			got, err := io.ReadAll(r.Body)
			if err != nil {
				w.WriteHeader(http.StatusBadRequest)
				return
			}
			kept[r.URL.Path] = unchunked(got, r.Header.Get("X-Amz-Decoded-Content-Length"))
			w.Header().Set("ETag", `"1"`)
		case r.Method == http.MethodDelete:
			delete(kept, r.URL.Path)
			w.WriteHeader(http.StatusNoContent)
		case !there:
			w.Header().Set("Content-Type", "application/xml")
			w.WriteHeader(http.StatusNotFound)
			_, _ = io.WriteString(w, "<Error><Code>NoSuchKey</Code></Error>")
		default:
			w.Header().Set("ETag", `"1"`)
			http.ServeContent(w, r, "", time.Unix(1_700_000_000, 0), bytes.NewReader(body))
		}
	}))
	t.Cleanup(s.Close)
	return strings.TrimPrefix(s.URL, "http://")
}

// unchunked takes the signed chunks of a streamed body apart: "size;signature CRLF bytes CRLF".
func unchunked(body []byte, decoded string) []byte {
	if decoded == "" {
		return body
	}
	var whole []byte
	for {
		head, rest, found := bytes.Cut(body, []byte("\r\n"))
		size, err := strconv.ParseInt(strings.SplitN(string(head), ";", 2)[0], 16, 64)
		if !found || err != nil || size == 0 {
			return whole
		}
		whole, body = append(whole, rest[:size]...), rest[size+2:]
	}
}

func TestAFileIsKeptReadFromAnywhereAndRemoved(t *testing.T) {
	t.Setenv("AWS_ACCESS_KEY_ID", "key")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "secret")
	for name, address := range map[string]string{"folder": filepath.Join(t.TempDir(), "kept"),
		"s3": "s3://recordings?region=here&insecure=yes&endpoint=" + bucketServer(t)} {
		t.Run(name, func(t *testing.T) {
			s, err := blobs.New(address)
			require.NoError(t, err)
			ctx := t.Context()
			_, err = s.Open(ctx, "a.flac")
			require.ErrorIs(t, err, blobs.ErrNone)
			for _, text := range []string{"what was said", "what was said then"} {
				require.NoError(t, s.Put(ctx, "a.flac", "audio/flac", strings.NewReader(text), int64(len(text))))
			}
			f, err := s.Open(ctx, "a.flac")
			require.NoError(t, err)
			end, err := f.Seek(0, io.SeekEnd)
			require.NoError(t, err)
			assert.Equal(t, int64(18), end)
			_, err = f.Seek(9, io.SeekStart)
			require.NoError(t, err)
			rest, err := io.ReadAll(f)
			require.NoError(t, err)
			assert.Equal(t, "said then", string(rest))
			require.NoError(t, f.Close())
			require.NoError(t, s.Delete(ctx, "a.flac"))
			require.NoError(t, s.Delete(ctx, "a.flac"), "again")
			_, err = s.Open(ctx, "a.flac")
			require.ErrorIs(t, err, blobs.ErrNone)
		})
	}
}

func TestAFolderKeepsNoHalfFilesAndNothingOutsideOfIt(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "kept")
	s, err := blobs.New(dir)
	require.NoError(t, err)
	require.ErrorIs(t, s.Put(t.Context(), "a.flac", "audio/flac", strings.NewReader("half"), 100), io.ErrUnexpectedEOF)
	require.Error(t, s.Put(t.Context(), "../b.flac", "audio/flac", strings.NewReader("b"), 1))
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestAnAddressThatNamesNoStore(t *testing.T) {
	t.Parallel()
	for _, address := range []string{"s3://", "s3://bucket", "s3:// %"} {
		_, err := blobs.New(address)
		require.Error(t, err, address)
	}
}
