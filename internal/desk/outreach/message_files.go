package outreach

import (
	"context"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// MaxFile is how large a file may be that goes with a mail, in bytes, and all of one mail together.
	MaxFile = 15 << 20
	// unsentFiles is how long a file is kept that was brought and not sent.
	unsentFiles = 24 * time.Hour
)

// AddMessageFile keeps a file for a mail that a writes. Errors: *FieldError.
func (ou *Outreach) AddMessageFile(ctx context.Context, a firm.Actor, name string,
	r io.Reader) (contract.MessageFile, error) {
	name = firm.PlainText(path.Base(strings.ReplaceAll(name, "\\", "/")))
	name = strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f {
			return -1
		}
		return c
	}, name)
	if name == "" || name == "." || name == "/" || len(name) > 200 {
		return contract.MessageFile{}, firm.Wrong("name", "a file has a name of 1 to 200 characters")
	}
	content, err := io.ReadAll(io.LimitReader(r, MaxFile+1))
	switch {
	case err != nil:
		return contract.MessageFile{}, firm.About("file",
			fmt.Errorf("the file did not arrive whole; send it again (%w)", err))
	case len(content) > MaxFile:
		return contract.MessageFile{}, firm.Wrong("file",
			fmt.Sprintf("a file that goes with a mail may have %d MB", MaxFile>>20))
	case len(content) == 0:
		return contract.MessageFile{}, firm.Wrong("file", "this file is empty")
	}
	kind := mime.TypeByExtension(path.Ext(name))
	if kind == "" {
		kind = http.DetectContentType(content)
	}
	now := ou.Clock.Now()
	f := contract.MessageFile{ID: store.NewID(), Name: name, Bytes: len(content)}
	return f, ou.Store.InsertMessageFile(ctx,
		db.InsertMessageFileParams{ID: f.ID, UserID: a.ID, Name: name, Type: kind, Content: content, At: now,
			UnsentBefore: now.Add(-unsentFiles)})
}

// attachFiles puts files that a brought on a mail. Error: *FieldError where one is not there, or somebody else's, or
// they are too large together.
func attachFiles(ctx context.Context, q *db.Queries, a firm.Actor, message uuid.UUID, ids []uuid.UUID) error {
	if len(ids) == 0 {
		return nil
	}
	sizes, err := q.AttachFiles(ctx, db.AttachFilesParams{MessageID: &message, Ids: ids, UserID: a.ID})
	if err != nil {
		return err
	}
	all := 0
	for _, n := range sizes {
		all += n
	}
	switch {
	case len(sizes) != len(ids):
		return firm.Wrong("file_ids", "one of the files is not there any more: attach it again")
	case all > MaxFile:
		return firm.Wrong("file_ids", fmt.Sprintf("the files of a mail may have %d MB together", MaxFile>>20))
	}
	return nil
}

// MessageFile is a file of a mail, for who may read that, or one that a has brought. Errors: ErrNotFound, ErrForbidden,
// ErrGone.
func (ou *Outreach) MessageFile(ctx context.Context, a firm.Actor,
	id uuid.UUID) (name, kind string, content []byte, err error) {
	f, err := ou.Store.MessageFile(ctx, id)
	switch {
	case store.NotFound(err):
		return "", "", nil, firm.ErrNotFound
	case err != nil:
		return "", "", nil, err
	case f.MessageID == nil && f.UserID != a.ID:
		return "", "", nil, firm.ErrForbidden
	}
	if f.RecordID != nil {
		if err := ou.Readable(ctx, *f.RecordID); err != nil {
			return "", "", nil, err
		}
	}
	return f.Name, f.Type, f.Content, nil
}
