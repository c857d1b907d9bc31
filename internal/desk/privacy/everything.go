package privacy

import (
	"archive/zip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// WriteEverything writes all that the firm keeps about somebody as a ZIP file, for themselves: what is known of them,
// their
// calls with what was written down, messages with their files, follow-ups, promises, consents, and recordings as sound
// with their transcripts. It stands in the trail that it was taken. Errors: firm.ErrForbidden, firm.ErrNotFound,
// *firm.FieldError.
func (pv *Privacy) WriteEverything(ctx context.Context, a firm.Actor, id uuid.UUID, w io.Writer) error {
	if !a.MayDo(rights.Privacy) {
		return firm.ErrForbidden
	}
	p, err := pv.find(ctx, pv.Store.Queries, id)
	if err != nil {
		return err
	}
	if err := pv.Audited(ctx, pv.Store.Queries, a, "record", id, "took everything about them", map[string]string{},
		map[string]string{}); err != nil {
		return err
	}
	all, err := pv.Store.EverythingAbout(ctx, db.EverythingAboutParams{Ids: p.ids, Calls: p.calls})
	if err != nil {
		return err
	}
	out := zip.NewWriter(w)
	add := func(name string, at time.Time) (io.Writer, error) {
		return out.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: at})
	}
	file, err := add("everything.json", pv.Clock.Now())
	if err != nil {
		return err
	}
	text, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	if _, err := file.Write(text); err != nil {
		return err
	}
	messages, err := pv.Store.FilesOfPerson(ctx, p.ids)
	if err != nil {
		return err
	}
	for i, m := range messages {
		file, err := add(fmt.Sprintf("messages/%03d %s", i+1, safeName(m.Name)), m.At)
		if err != nil {
			return err
		}
		if _, err := file.Write(m.Content); err != nil {
			return err
		}
	}
	sounds, err := pv.Store.SoundsOfPerson(ctx, p.calls)
	if err != nil {
		return err
	}
	for _, r := range sounds {
		if err := pv.addSound(ctx, add, r); err != nil {
			return err
		}
	}
	return out.Close()
}

func (pv *Privacy) addSound(ctx context.Context, add func(string, time.Time) (io.Writer, error),
	r db.SoundsOfPersonRow) error {
	sound, err := pv.sounds.SoundOf(ctx, r.ID)
	if err != nil {
		return nil // its file is on another server, or gone: what is known of it stands in the JSON
	}
	defer sound.Close()
	file, err := add(fmt.Sprintf("recordings/%s %s%s", r.BeganAt.UTC().Format("2006-01-02 15.04.05"), r.Kind,
		sound.Ending), r.BeganAt)
	if err != nil {
		return err
	}
	_, err = io.Copy(file, sound)
	return err
}

// safeName is a file's name without what would lead out of its folder.
func safeName(name string) string {
	safe := []rune{}
	for _, r := range name {
		if r == '/' || r == '\\' || r < ' ' {
			r = '_'
		}
		safe = append(safe, r)
	}
	return string(safe)
}
