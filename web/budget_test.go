package web_test

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/web"
)

// budget is what a first load may bring of JavaScript, in bytes as sent.
const budget = 225_000

func TestTheFirstLoadKeepsToItsBudget(t *testing.T) {
	dist := web.Dist()
	index, err := fs.ReadFile(dist, "index.html")
	require.NoError(t, err, "the front end has to be built: make build")
	scripts := regexp.MustCompile(`(?:src|href)="/(assets/[^"]+\.js)"`).FindAllSubmatch(index, -1)
	require.NotEmpty(t, scripts)
	var packed bytes.Buffer
	z, err := gzip.NewWriterLevel(&packed, gzip.BestCompression)
	require.NoError(t, err)
	for _, s := range scripts {
		text, err := fs.ReadFile(dist, string(s[1]))
		require.NoError(t, err)
		_, err = z.Write(text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	t.Logf("%d bytes", packed.Len())
	assert.LessOrEqual(t, packed.Len(), budget)
}

func TestNothingInThePageIsInline(t *testing.T) {
	index, err := fs.ReadFile(web.Dist(), "index.html")
	require.NoError(t, err)
	assert.NotRegexp(t, `<script(?:[^>]*)>[^<]`, string(index))
	assert.NotRegexp(t, `<style|style=|onload=|https?://`, string(index))
}
