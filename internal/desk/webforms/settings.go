package webforms

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"net/url"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// FormPath is where forms are on this server.
const FormPath = "/form/"

const (
	saltBytes = 16
	markBytes = 12 // of the signature in an address
)

// sign signs what belongs to a form with the server's key and the form's own salt.
func (wf *Forms) sign(f *db.WebForm, what string) string {
	mac := hmac.New(sha256.New, append(append([]byte{}, wf.SecretKey...), f.Salt...))
	mac.Write([]byte(what))
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil)[:markBytes])
}

// mark is what stands in a form's address.
func (wf *Forms) mark(f *db.WebForm) string {
	return base64.RawURLEncoding.EncodeToString(f.ID[:]) + "." + wf.sign(f, f.ID.String())
}

// formOf is the form whose mark stands in an address. Error: firm.ErrNotFound, also of one that is switched off.
func (wf *Forms) formOf(ctx context.Context, mark string) (*db.WebForm, error) {
	name, _, _ := strings.Cut(mark, ".")
	raw, err := base64.RawURLEncoding.DecodeString(name)
	if err != nil {
		return nil, firm.ErrNotFound
	}
	id, err := uuid.FromBytes(raw)
	if err != nil {
		return nil, firm.ErrNotFound
	}
	// Anybody may ask, as often as they like: that must not keep the database from who works here.
	forms, err := firm.SharedAnswer(ctx, wf.Firm, "web forms", func(ctx context.Context) (map[uuid.UUID]db.WebForm, error) {
		rows, err := wf.Store.WebForms(ctx)
		forms := map[uuid.UUID]db.WebForm{}
		for _, f := range rows {
			forms[f.ID] = f
		}
		return forms, err
	})
	if err != nil {
		return nil, err
	}
	f, there := forms[id]
	if !there || !f.Active || !hmac.Equal([]byte(mark), []byte(wf.mark(&f))) {
		return nil, firm.ErrNotFound
	}
	return &f, nil
}

func (wf *Forms) formView(f *db.WebForm) contract.WebForm {
	path := FormPath + wf.mark(f)
	return contract.WebForm{ID: &f.ID, Name: f.Name, QueueID: f.QueueID, LineID: f.LineID, Title: f.Title, Hello: f.Hello,
		Calls: f.Calls, Messages: f.Messages, MakesCase: f.MakesCase, Sites: firm.OrEmpty(f.Sites), Active: f.Active,
		Version: &f.Version, Path: &path}
}

// WebForms are the forms of the firm. Error: firm.ErrForbidden.
func (wf *Forms) WebForms(ctx context.Context, a firm.Actor) ([]contract.WebForm, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	rows, err := wf.Store.WebForms(ctx)
	list := []contract.WebForm{}
	for i := range rows {
		list = append(list, wf.formView(&rows[i]))
	}
	return list, err
}

// PutWebForm adds a form, or changes the one with an id. Errors: firm.ErrForbidden, firm.ErrNotFound,
// firm.ErrChangedElse, *firm.FieldError.
func (wf *Forms) PutWebForm(ctx context.Context, a firm.Actor, id *uuid.UUID,
	v contract.WebForm) (contract.WebForm, error) {
	if !a.MayDo(rights.Telephony) {
		return v, firm.ErrForbidden
	}
	f, err := wf.formFrom(ctx, v)
	if err != nil {
		return v, err
	}
	before := map[string]string{}
	err = wf.Store.Tx(ctx, func(q *db.Queries) error {
		action := "form changed"
		if id == nil {
			f.ID, action = store.NewID(), "form added"
			f.Salt = make([]byte, saltBytes)
			if _, err := rand.Read(f.Salt); err != nil {
				return err
			}
			if err := q.InsertWebForm(ctx, db.InsertWebFormParams{ID: f.ID, QueueID: f.QueueID, LineID: f.LineID,
				Name: f.Name, Title: f.Title, Hello: f.Hello, Calls: f.Calls, Messages: f.Messages,
				MakesCase: f.MakesCase, Sites: f.Sites, Salt: f.Salt, Active: f.Active}); err != nil {
				return err
			}
		} else {
			was, err := q.WebForm(ctx, *id)
			if store.NotFound(err) {
				return firm.ErrNotFound
			} else if err != nil {
				return err
			}
			before, f.ID = formWords(&was), was.ID
			version := 0
			if v.Version != nil {
				version = *v.Version
			}
			n, err := q.UpdateWebForm(ctx, db.UpdateWebFormParams{QueueID: f.QueueID, LineID: f.LineID, Name: f.Name,
				Title: f.Title, Hello: f.Hello, Calls: f.Calls, Messages: f.Messages, MakesCase: f.MakesCase,
				Sites: f.Sites, Active: f.Active, ID: *id, Version: version})
			if err != nil {
				return err
			} else if n == 0 {
				return firm.ErrChangedElse
			}
		}
		return wf.Audited(ctx, q, a, "web_form", f.ID, action, before, formWords(f))
	})
	if store.Duplicate(err) {
		return v, firm.Wrong("name", "there is a form of this name already")
	} else if err != nil {
		return v, err
	}
	return wf.webForm(ctx, f.ID)
}

// RenewWebForm gives a form a new address. Errors: firm.ErrForbidden, firm.ErrNotFound.
func (wf *Forms) RenewWebForm(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.WebForm, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.WebForm{}, firm.ErrForbidden
	}
	salt := make([]byte, saltBytes)
	if _, err := rand.Read(salt); err != nil {
		return contract.WebForm{}, err
	}
	err := wf.Store.Tx(ctx, func(q *db.Queries) error {
		if n, err := q.RenewWebForm(ctx, db.RenewWebFormParams{Salt: salt, ID: id}); err != nil {
			return err
		} else if n == 0 {
			return firm.ErrNotFound
		}
		return wf.Audited(ctx, q, a, "web_form", id, "form got a new address", map[string]string{}, map[string]string{})
	})
	if err != nil {
		return contract.WebForm{}, err
	}
	return wf.webForm(ctx, id)
}

func (wf *Forms) webForm(ctx context.Context, id uuid.UUID) (contract.WebForm, error) {
	f, err := wf.Store.WebForm(ctx, id)
	if err != nil {
		return contract.WebForm{}, err
	}
	return wf.formView(&f), nil
}

func formWords(f *db.WebForm) map[string]string {
	yes := map[bool]string{true: "yes", false: "no"}
	return map[string]string{"name": f.Name, "title": f.Title, "hello": f.Hello, "calls": yes[f.Calls],
		"messages": yes[f.Messages], "case": yes[f.MakesCase], "pages": strings.Join(f.Sites, " "), "active": yes[f.Active]}
}

// formFrom checks a form that somebody has entered. Error: *firm.FieldError.
func (wf *Forms) formFrom(ctx context.Context, v contract.WebForm) (*db.WebForm, error) {
	f := db.WebForm{QueueID: v.QueueID, LineID: v.LineID, Name: firm.CleanText(v.Name), Title: firm.CleanText(v.Title),
		Hello: firm.CleanText(v.Hello), Calls: v.Calls, Messages: v.Messages, MakesCase: v.MakesCase, Active: v.Active,
		Sites: []string{}}
	s, err := wf.Settings(ctx)
	if err != nil {
		return nil, err
	}
	switch {
	case f.Name == "":
		return nil, firm.Wrong("name", "a form needs a name")
	case f.Title == "":
		return nil, firm.Wrong("title", "a form needs a heading")
	case !f.Calls && !f.Messages:
		return nil, firm.Wrong("calls", "a form takes calls, messages or both")
	case f.LineID != nil && s.LineLabels[*f.LineID] == "":
		return nil, firm.About("line_id", firm.ErrNotFound)
	}
	if _, err := wf.Queues.HoursOf(ctx, f.QueueID); err != nil {
		return nil, firm.About("queue_id", err)
	}
	for _, site := range v.Sites {
		origin, err := originOf(site)
		if err != nil {
			return nil, firm.About("sites", err)
		}
		f.Sites = append(f.Sites, origin)
	}
	return &f, nil
}

var errNoSite = errors.New("say the beginning of a page's address, such as https://www.example.com")

// originOf is the origin of a page that somebody has entered (RFC 6454, 4): nothing else may stand in a policy.
func originOf(site string) (string, error) {
	site = strings.TrimSpace(site)
	if !strings.Contains(site, "://") {
		site = "https://" + site
	}
	u, err := url.Parse(site)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Hostname() == "" || u.User != nil ||
		strings.ContainsFunc(u.Host, func(r rune) bool {
			return r > 126 || !strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.-:[]", r)
		}) {
		return "", errNoSite
	}
	return strings.ToLower(u.Scheme + "://" + u.Host), nil
}
