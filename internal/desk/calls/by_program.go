package calls

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Unconfirmed is the reason for the end of a call whose times its rep has not said yet.
const Unconfirmed = "unconfirmed"

// placeByProgram writes down a call that a's computer makes by its own calling program; the window opens the address
// for it. What becomes of the call cannot be seen from here, so its slip is open at once and its times are said by the
// rep.
func (cs *Calls) placeByProgram(ctx context.Context, a firm.Actor, key string, hash []byte, t target, override string,
	placement Placement) (uuid.UUID, error) {
	p := db.PlaceByProgramParams{CallID: store.NewID(), SlipID: store.NewID(), UserID: a.ID, RemoteE164: t.e164,
		RemoteExt: t.ext, RemoteTyped: t.typed, RemoteLabel: t.label,
		OwnerServer: cs.Server, OwnerEpoch: cs.Epoch, At: cs.Clock.Now(), AsksWho: t.asksWho,
		OpenRecordID: t.openRecord, CommandKey: key, RequestHash: hash,
		LinkRecords: []uuid.UUID{}, LinkRoles: []string{}, LinkReasons: []string{}}
	for _, l := range t.links {
		p.LinkRecords, p.LinkRoles, p.LinkReasons = append(p.LinkRecords, uuid.MustParse(l.Record)), append(p.LinkRoles,
			string(l.Role)), append(p.LinkReasons, l.Reason)
	}
	var err error
	if p.Response, err = json.Marshal(firm.CommandAnswer{ID: p.CallID}); err != nil {
		return uuid.Nil, err
	}
	if err := cs.Store.Tx(ctx, func(q *db.Queries) error {
		if override != "" {
			if err := cs.Audited(ctx, q, a, "call", p.CallID, "called in spite of do-not-call",
				map[string]string{"do-not-call": t.refused.Error()},
				map[string]string{"why": override}); err != nil {
				return err
			}
		}
		if err := q.PlaceByProgram(ctx, p); err != nil {
			return err
		}
		return enter(ctx, q, placement, a, p.CallID, p.At)
	}); err != nil {
		return uuid.Nil, err
	}
	cs.registry.slipOpened(p.SlipID, a.ID, p.CallID)
	cs.PublishSlip(a.ID, p.CallID, "")
	cs.PublishHistory(&p.CallID, p.LinkRecords...)
	return p.CallID, nil
}

// dialAddress is the address that a computer's calling program takes (RFC 3966).
func dialAddress(e164, ext, typed string) string {
	if e164 == "" {
		return "tel:" + typed // a number of emergency services, as it is
	}
	if ext != "" {
		return "tel:" + e164 + ";ext=" + ext
	}
	return "tel:" + e164
}

// ConfirmTimes says how long a talked in a call that their computer made; 0: nobody answered. Error: ErrNotFound where
// there is nothing to be said of it.
func (cs *Calls) ConfirmTimes(ctx context.Context, a firm.Actor, id uuid.UUID,
	t contract.CallTimes) (contract.Call, error) {
	p := db.ConfirmTimesParams{ID: id, UserID: &a.ID, TalkMs: int64(t.Seconds) * 1000, Secs: float64(t.Seconds),
		EndReason: string(call.NoAnswer)}
	if p.Talked = t.Seconds > 0; p.Talked {
		p.EndReason = string(call.EndedByUs)
	}
	n, err := cs.Store.ConfirmTimes(ctx, p)
	if err != nil {
		return contract.Call{}, err
	}
	if n == 0 {
		return contract.Call{}, firm.ErrNotFound
	}
	cs.PublishSlip(a.ID, id, "")
	return cs.TellAndView(ctx, a, id)
}
