package book

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/duplicate"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// sweepLimit is how many pairs a sweep looks at for each way of finding them.
const sweepLimit = 20_000

// subjectOf is a record as it is compared.
func subjectOf(s db.DuplicateSubjectsRow) duplicate.Record {
	r := duplicate.Record{Company: s.Kind == string(fields.Company), Name: s.Name, Mail: s.Email,
		CompanyID: optional.ID(s.CompanyID)}
	for i, n := range s.Numbers {
		r.Numbers = append(r.Numbers, duplicate.Number{E164: n, Ext: s.Exts[i]})
	}
	return r
}

// CheckDuplicates tells who is probably meant by a record that is being entered.
func (bk *Book) CheckDuplicates(ctx context.Context, a firm.Actor,
	n contract.NewRecord) ([]contract.DuplicateHit, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return nil, err
	}
	kind := fields.Kind(n.Kind)
	r := duplicate.Record{Company: kind == fields.Company, Mail: strings.TrimSpace(n.Values["email"]),
		Name: strings.TrimSpace(n.Values["name"]), CompanyID: n.Values["company"]}
	if kind.Person() {
		r.Name = cmp.Or(strings.TrimSpace(n.Values["given"]+" "+n.Values["family"]), r.Name)
	} else if kind != fields.Company {
		return []contract.DuplicateHit{}, nil
	}
	if n.Numbers != nil {
		for _, x := range *n.Numbers {
			if p, err := phone.Parse(x.Typed, f.Region); err == nil {
				r.Numbers = append(r.Numbers, duplicate.Number{E164: p.E164, Ext: p.Ext})
			}
		}
	}
	return bk.hits(ctx, a, f, r, uuid.Nil, len(r.Name) >= 3)
}

// DuplicatesOf tells which records are probably the same as one that is there, as long as nobody has said that they
// differ.
func (bk *Book) DuplicatesOf(ctx context.Context, a firm.Actor, id uuid.UUID) ([]contract.DuplicateHit, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return nil, err
	}
	subjects, err := bk.Store.DuplicateSubjects(ctx, []uuid.UUID{id})
	if err != nil || len(subjects) == 0 {
		return []contract.DuplicateHit{}, err
	}
	s := subjects[0]
	if k := fields.Kind(s.Kind); !k.Person() && k != fields.Company {
		return []contract.DuplicateHit{}, nil
	}
	return bk.hits(ctx, a, f, subjectOf(s), id, false)
}

// likely finds and judges those who may be r.
func likely(ctx context.Context, q *db.Queries, r duplicate.Record, self uuid.UUID,
	byName bool) (map[uuid.UUID]duplicate.Judgement, []db.DuplicateSubjectsRow, error) {
	p := db.CandidatesOfParams{Alike: duplicate.Alike, Numbers: []string{}, Email: r.Mail, Name: r.Name, ByName: byName && r.Name != "",
		Kinds: []string{"contact", "lead"}}
	if r.Company {
		p.Kinds = []string{"company"}
	}
	if id, err := uuid.Parse(r.CompanyID); err == nil {
		p.CompanyID = id
	}
	for _, n := range r.Numbers {
		p.Numbers = append(p.Numbers, n.E164)
	}
	ids, err := q.CandidatesOf(ctx, p)
	if err != nil {
		return nil, nil, err
	}
	subjects, err := q.DuplicateSubjects(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	apart, err := q.DifferentFrom(ctx, self)
	if err != nil {
		return nil, nil, err
	}
	differs := map[uuid.UUID]bool{self: true}
	for _, x := range apart {
		differs[x] = true
	}
	judged := map[uuid.UUID]duplicate.Judgement{}
	var found []db.DuplicateSubjectsRow
	for _, s := range subjects {
		j := duplicate.Judge(r, subjectOf(s))
		// Somebody of exactly this name is worth a look while they are being entered, though it may well be another.
		if differs[s.ID] || j.Score < duplicate.Likely && !(self == uuid.Nil && j.Score >= 40) {
			continue
		}
		judged[s.ID] = j
		found = append(found, s)
	}
	return judged, found, nil
}

// hits are those who may be r, the likeliest first, five at most.
func (bk *Book) hits(ctx context.Context, a firm.Actor, f *firm.Settings, r duplicate.Record, self uuid.UUID,
	byName bool) ([]contract.DuplicateHit, error) {
	judged, _, err := likely(ctx, bk.Store.Queries, r, self, byName)
	if err != nil {
		return nil, err
	}
	rows, err := bk.RecordRowsByID(ctx, a, f, slices.Collect(maps.Keys(judged)))
	if err != nil {
		return nil, err
	}
	list := []contract.DuplicateHit{}
	for score := 100; score >= 40 && len(list) < 5; score-- {
		for _, row := range rows {
			if j := judged[row.ID]; j.Score == score && len(list) < 5 {
				list = append(list, contract.DuplicateHit{Record: row, Score: j.Score, Reasons: j.Reasons})
			}
		}
	}
	return list, nil
}

// Duplicates are the pairs that wait for somebody to say whether they are the same, surest first.
func (bk *Book) Duplicates(ctx context.Context, a firm.Actor) (contract.DuplicatePage, error) {
	page := contract.DuplicatePage{Pairs: []contract.DuplicatePair{}, Running: bk.sweeping.Load()}
	f, err := bk.Settings(ctx)
	if err != nil {
		return page, err
	}
	total, err := bk.Store.CountOpenPairs(ctx)
	if err != nil {
		return page, err
	}
	page.Total = int(total)
	pairs, err := bk.Store.OpenPairs(ctx, 100)
	if err != nil {
		return page, err
	}
	var ids []uuid.UUID
	for _, p := range pairs {
		ids = append(ids, p.AID, p.BID)
	}
	rows, err := bk.RecordRowsByID(ctx, a, f, ids)
	if err != nil {
		return page, err
	}
	byID := map[uuid.UUID]contract.RecordRow{}
	for _, r := range rows {
		byID[r.ID] = r
	}
	for _, p := range pairs {
		page.Pairs = append(page.Pairs,
			contract.DuplicatePair{ID: p.ID, A: byID[p.AID], B: byID[p.BID], Score: p.Score, Reasons: p.Reasons})
	}
	return page, nil
}

// SweepDuplicates begins to look through the whole book for pairs that are probably the same; one sweep at a time. Who
// looks at the pairs is told when it is done.
func (bk *Book) SweepDuplicates(ctx context.Context, a firm.Actor) (contract.DuplicatePage, error) {
	if bk.sweeping.CompareAndSwap(false, true) {
		bk.InBackground(func(ctx context.Context) {
			if err := bk.sweep(ctx); err != nil && ctx.Err() == nil {
				bk.Log.Error("looking for duplicates", "error", err)
			}
			bk.sweeping.Store(false)
			bk.BookChanged()
		})
	}
	return bk.Duplicates(ctx, a)
}

// sweep finds pairs by number, by mail and by name, and judges each.
func (bk *Book) sweep(ctx context.Context) error {
	pairs := map[[2]uuid.UUID]bool{}
	add := func(x, y uuid.UUID) {
		if strings.Compare(x.String(), y.String()) > 0 {
			x, y = y, x
		}
		pairs[[2]uuid.UUID{x, y}] = true
	}
	byNumber, err := bk.Store.SweepByNumber(ctx, sweepLimit)
	if err != nil {
		return err
	}
	for _, p := range byNumber {
		add(p.AID, p.BID)
	}
	byMail, err := bk.Store.SweepByMail(ctx, sweepLimit)
	if err != nil {
		return err
	}
	for _, p := range byMail {
		add(p.AID, p.BID)
	}
	byName, err := bk.Store.SweepByName(ctx, db.SweepByNameParams{Alike: duplicate.Alike, Count: sweepLimit})
	if err != nil {
		return err
	}
	for _, p := range byName {
		add(p.AID, p.BID)
	}
	list := make([][2]uuid.UUID, 0, len(pairs))
	for p := range pairs {
		list = append(list, p)
	}
	const chunk = 1000
	for from := 0; from < len(list); from += chunk {
		if err := bk.judgePairs(ctx, list[from:min(len(list), from+chunk)]); err != nil {
			return err
		}
	}
	return nil
}

func (bk *Book) judgePairs(ctx context.Context, pairs [][2]uuid.UUID) error {
	var ids []uuid.UUID
	for _, p := range pairs {
		ids = append(ids, p[0], p[1])
	}
	subjects, err := bk.Store.DuplicateSubjects(ctx, ids)
	if err != nil {
		return err
	}
	of := map[uuid.UUID]duplicate.Record{}
	for _, s := range subjects {
		of[s.ID] = subjectOf(s)
	}
	return bk.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range pairs {
			a, there := of[p[0]]
			b, both := of[p[1]]
			if j := duplicate.Judge(a, b); there && both && j.Score >= duplicate.Likely {
				if err := q.PutPair(ctx, db.PutPairParams{ID: store.NewID(), AID: p[0], BID: p[1], Score: j.Score,
					Reasons: j.Reasons, FoundAt: bk.Clock.Now()}); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// KeepApart says that two records are different. Errors: *FieldError.
func (bk *Book) KeepApart(ctx context.Context, a firm.Actor, two contract.TwoRecords) error {
	if two.A == two.B {
		return firm.Wrong("b", "this is the same record")
	}
	for field, id := range map[string]uuid.UUID{"a": two.A, "b": two.B} {
		if _, err := bk.Store.RecordName(ctx, id); store.NotFound(err) {
			return firm.About(field, firm.ErrNotFound)
		} else if err != nil {
			return err
		}
	}
	return bk.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.SettlePair(ctx, db.SettlePairParams{ID: store.NewID(), X: two.A, Y: two.B, State: "different",
			At: bk.Clock.Now()}); err != nil {
			return err
		}
		return bk.Audited(ctx, q, a, "duplicate", two.A, "kept apart", map[string]string{},
			map[string]string{"from": two.B.String()})
	})
}
