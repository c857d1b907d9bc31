package main

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"trundo/internal/desk/firm"

	"runtime"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"

	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/demo"
	"trundo/internal/desk"
	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
)

// figures of the book at its second scale.
type figures struct {
	people, numbers          int
	candidates               pair      // ms
	prefix, digits, misspelt []float64 // ms
	list, scroll, goOn       []float64 // ms
	rings                    ringFigures
}

type importFigures struct {
	rows           int
	staged, loaded float64 // rows a second
	heap           float64 // MB, the most that was in use
}

// million makes a book of many people in a database of its own, measures reading it unless only rings are asked for,
// and rings with it.
func million(ctx context.Context, cluster *pgcluster.Cluster, dir string, people int, read bool) (figures, error) {
	f := figures{people: people}
	s, d, network, err := freshDesk(ctx, cluster, "million", dir)
	if err != nil {
		return f, err
	}
	if f.numbers, err = fillMillion(ctx, s, people); err == nil && read {
		err = f.read(ctx, s, d)
	}
	if err == nil {
		f.rings, err = ringing(ctx, s, d, network)
	}
	d.Close()
	s.Close()
	return f, err
}

// imports takes files of so many rows into a book that is empty at first.
func imports(ctx context.Context, cluster *pgcluster.Cluster, dir string,
	rows ...int) (all []importFigures, err error) {
	s, d, _, err := freshDesk(ctx, cluster, "imports", dir)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	defer d.Close()
	for _, n := range rows {
		one, err := importFile(ctx, s, d, dir, n)
		if err != nil {
			return all, err
		}
		all = append(all, one)
	}
	return all, nil
}

func freshDesk(ctx context.Context, cluster *pgcluster.Cluster, name,
	dir string) (*store.Store, *desk.Desk, *sim.Sim, error) {
	admin, err := store.Open(ctx, cluster.URL("postgres"), 1)
	if err != nil {
		return nil, nil, nil, err
	}
	defer admin.Close()
	if _, err := admin.Pool.Exec(ctx, "CREATE DATABASE "+name); err != nil {
		return nil, nil, nil, err
	}
	s, err := store.Open(ctx, cluster.URL(name), 8)
	if err != nil {
		return nil, nil, nil, err
	}
	if err := s.Migrate(ctx); err != nil {
		return nil, nil, nil, err
	}
	if err := demo.Fill(ctx, s, demo.First, time.Now()); err != nil {
		return nil, nil, nil, err
	}
	d, network, err := openDesk(ctx, s, name, dir)
	return s, d, network, err
}

// openDesk opens a desk over a database that is filled.
func openDesk(ctx context.Context, s *store.Store, name, dir string) (*desk.Desk, *sim.Sim, error) {
	network := sim.New(clockwork.NewRealClock(), "US", func(string) sim.Behaviour { return sim.Behaviour{} })
	d, err := desk.Open(ctx, firm.Config{Store: s, Clock: clockwork.NewRealClock(), Log: slog.New(slog.DiscardHandler),
		Server: "bench-" + name, Demo: true,
		JournalFile: filepath.Join(dir, "journal-"+name), FilesDir: filepath.Join(dir, name),
		Carrier: network})
	return d, network, err
}

// parts of made-up names: sixty given names and 1,600 family names.
var begins = strings.Fields("Oster Bright Oak Under Hollo Ash Hallo Merri Tall Fen Quil Sorrel Thistle Lark Dun " +
	"Aver Brack Cold Dell East Farrow Gorse Hazel Ingle Juniper Kestrel Lind Moss Nettle Orchard Pelle Quarring " +
	"Rush Stone Tama Umber Vanter Willow Yarrow Zephy")
var ends = strings.Fields("lund water hurst hill way dale den grass wright lan by wood moor mere ley en brook wyn " +
	"marsh field rigg son qvale grave combe ton beck rind pool rine garth well kin glove land mine worth stead " +
	"thorpe ridge")

// fillMillion makes people with their numbers and calls, without the indexes, which are made anew afterwards. The
// numbers begin with +999, a country code that nobody has: the ranges for fiction are too small.
func fillMillion(ctx context.Context, s *store.Store, people int) (numbers int, err error) {
	rows, err := s.Pool.Query(
		ctx,
		`SELECT indexname, indexdef FROM pg_indexes WHERE tablename IN ('records', 'phone_numbers', 'history') AND indexname NOT LIKE '%pkey'`,
	)
	if err != nil {
		return 0, err
	}
	var drop, create []string
	for rows.Next() {
		var name, def string
		if err := rows.Scan(&name, &def); err != nil {
			return 0, err
		}
		drop, create = append(drop, "DROP INDEX "+name), append(create, def)
	}
	if rows.Err() != nil {
		return 0, rows.Err()
	}
	exec := func(sql string, args ...any) error {
		_, err := s.Pool.Exec(ctx, sql, args...)
		return err
	}
	for _, sql := range drop {
		if err := exec(sql); err != nil {
			return 0, err
		}
	}
	steps := []string{
		`INSERT INTO records (id, kind, name, company_id, owner_id, source, stage, created_at, given, family, email, tags)
		 SELECT gen_random_uuid(), CASE WHEN i % 6 = 0 THEN 'lead' ELSE 'contact' END, g.given || ' ' || g.family, c.ids[1 + i % array_length(c.ids, 1)],
		   u.ids[1 + i % array_length(u.ids, 1)], CASE WHEN i % 3 = 0 THEN 'Web offer form' ELSE 'Local radio spot' END,
		   (ARRAY['enquiry', 'planning', 'offer sent', 'customer', 'customer', 'former customer'])[1 + i % 6], now() - i % 900 * interval '1 day', g.given, g.family,
		   lower(g.given) || '.' || i || '@many.example', CASE WHEN i % 10 = 0 THEN ARRAY['spring show'] ELSE '{}' END
		 FROM generate_series(1, $1::int) i
		 CROSS JOIN LATERAL (SELECT ($2::text[])[1 + abs(hashint4(i)::bigint) % array_length($2::text[], 1)] AS given,
		   ($3::text[])[1 + abs(hashint4(i + 1000003)::bigint) % array_length($3::text[], 1)] || ($4::text[])[1 + abs(hashint4(i + 2000003)::bigint) % array_length($4::text[], 1)] AS family) g,
		   (SELECT array_agg(id) AS ids FROM records WHERE kind = 'company') c, (SELECT array_agg(id) AS ids FROM users WHERE role = 'rep') u`,
	}
	given := strings.Fields("Berit Ansel Fenna Joss Petra Corin Wren Linus Marit Odell Tamsin Ruben Signe Ivo Calla " +
		"Dario Elske Floris Greta Hollis Imke Jorun Kester Lovisa Merrin Nils Orla Pascal Quilla Roan Sanne Torben " +
		"Una Viggo Willa Yorick Zelda Arlen Bettina Cato Dagny Emlyn Freya Gideon Hester Isko Jonna Kaspar Leontine " +
		"Magnus Nell Oskar Perrin Rosalind Stellan Thea Ulric Vesna Winifred Anneliese")
	if err := exec(steps[0], people, given, begins, ends); err != nil {
		return 0, fmt.Errorf("people: %w", err)
	}
	for _, sql := range []string{
		`INSERT INTO phone_numbers (id, record_id, label, typed, e164, digits_reversed, valid, region, zones)
		 SELECT gen_random_uuid(), r.id, l.label, l.e164, l.e164, reverse(substr(l.e164, 2)), true, '', '{America/New_York}'
		 FROM (SELECT id, row_number() OVER () AS n FROM records WHERE email LIKE '%many.example') r
		 CROSS JOIN LATERAL (SELECT 'mobile' AS label, '+9991' || lpad(r.n::text, 8, '0') AS e164
		   UNION ALL SELECT 'office', '+9992' || lpad(r.n::text, 8, '0') WHERE r.n % 5 < 3) l`,
		`INSERT INTO history (record_id, at, kind, ref_id) SELECT r.id, now() - (r.n * 13 + k * 37) % 700 * interval '1 day', 'call', gen_random_uuid()
		 FROM (SELECT id, row_number() OVER () AS n FROM records WHERE email LIKE '%many.example') r CROSS JOIN generate_series(1, 2) k`,
	} {
		if err := exec(sql); err != nil {
			return 0, err
		}
	}
	for _, sql := range create {
		if err := exec(sql); err != nil {
			return 0, err
		}
	}
	if err := exec("VACUUM ANALYZE"); err != nil {
		return 0, err
	}
	err = s.Pool.QueryRow(ctx, "SELECT count(*) FROM phone_numbers").Scan(&numbers)
	return numbers, err
}

func ms(since time.Time) float64 { return time.Since(since).Seconds() * 1000 }

// read measures looking numbers up beside a bare look-up, finding, and lists.
func (f *figures) read(ctx context.Context, s *store.Store, d *desk.Desk) error {
	r := rand.New(rand.NewPCG(1, 2))
	number := func() string { return fmt.Sprintf("+9991%08d", 1+r.IntN(f.people)) }
	for i := range 1100 {
		n := number()
		start := time.Now()
		rows, err := s.NumberCandidates(ctx, &n)
		if err != nil || len(rows) != 1 {
			return fmt.Errorf("candidates of %s: %d %w", n, len(rows), err)
		}
		ours := ms(start)
		n = number()
		start = time.Now()
		var id uuid.UUID
		if err := s.Pool.QueryRow(ctx, `SELECT record_id FROM phone_numbers WHERE e164 = $1`, n).Scan(&id); err != nil {
			return err
		}
		if bare := ms(start); i >= 100 {
			f.candidates.ours, f.candidates.bare = append(f.candidates.ours, ours), append(f.candidates.bare, bare)
		}
	}
	var user uuid.UUID
	if err := s.Pool.QueryRow(ctx, `SELECT id FROM users WHERE login = 'ines'`).Scan(&user); err != nil {
		return err
	}
	a, err := d.Actor(ctx, user)
	if err != nil {
		return err
	}
	find := func(into *[]float64, q string) error {
		start := time.Now()
		found, err := d.Find(ctx, a, q)
		*into = append(*into, ms(start))
		if err == nil && len(found.Records) == 0 {
			err = fmt.Errorf("nothing was found for %q", q)
		}
		return err
	}
	for i := range 210 { // somebody of the book each time
		n := number()
		var given, family string
		if err := s.Pool.QueryRow(ctx,
			`SELECT r.given, r.family FROM phone_numbers n JOIN records r ON r.id = n.record_id WHERE n.e164 = $1`,
			n).Scan(&given, &family); err != nil {
			return err
		}
		var p, g, m []float64
		if err := find(&p, family[:3+r.IntN(len(family)-3)]); err != nil {
			return err
		}
		if err := find(&g, n[len(n)-5-r.IntN(4):]); err != nil {
			return err
		}
		at := 2 + r.IntN(len(family)-3)
		if err := find(&m, given+" "+family[:at]+family[at+1:]); err != nil {
			return err
		}
		if i >= 10 {
			f.prefix, f.digits, f.misspelt = append(f.prefix, p...), append(f.digits, g...), append(f.misspelt, m...)
		}
	}
	people := []contract.RecordKind{contract.RecordKindContact, contract.RecordKindLead}
	stages := []string{"planning", "offer sent", "customer", "former customer"}
	for i := range 70 {
		filter := fmt.Sprintf(
			`{"all":[{"field":"stage","op":"is","value":%q},{"field":"last_call","op":"not_past","value":"%d"},{"field":"source","op":"is","value":"Local radio spot"}]}`,
			stages[r.IntN(len(stages))],
			10+r.IntN(60),
		)
		start := time.Now()
		page, err := d.Book.Rows(ctx, a, contract.RowQuery{Kinds: people, Filter: &filter})
		if err != nil || len(page.Rows) != 100 {
			return fmt.Errorf("a list of %d: %w", len(page.Rows), err)
		}
		took := ms(start)
		offset := 1 + r.IntN(min(99_900, f.people/2))
		before, err := d.Book.Rows(ctx, a, contract.RowQuery{Kinds: people, Offset: new(offset - 1), Limit: new(1)})
		if err != nil || len(before.Rows) != 1 {
			return fmt.Errorf("the row before row %d: %w", offset, err)
		}
		start = time.Now()
		if _, err = d.Book.Rows(ctx, a,
			contract.RowQuery{Kinds: people, Offset: &offset, After: &before.Rows[0].ID}); err != nil {
			return err
		}
		if i >= 10 {
			f.goOn = append(f.goOn, ms(start))
		}
		wide := `{"all":[{"field":"source","op":"is","value":"Local radio spot"}]}`
		start = time.Now()
		page, err = d.Book.Rows(ctx, a, contract.RowQuery{Kinds: people, Filter: &wide, Offset: &offset})
		if err != nil || len(page.Rows) != 100 {
			return fmt.Errorf("at row %d of a list: %d %w", offset, len(page.Rows), err)
		}
		if i >= 10 {
			f.list, f.scroll = append(f.list, took), append(f.scroll, ms(start))
		}
	}
	return nil
}

// importFile writes a CSV file of so many rows and takes it into the book, as an admin does.
func importFile(ctx context.Context, s *store.Store, d *desk.Desk, dir string, rows int) (importFigures, error) {
	f := importFigures{rows: rows}
	var user uuid.UUID
	if err := s.Pool.QueryRow(ctx, `SELECT id FROM users WHERE login = 'ada'`).Scan(&user); err != nil {
		return f, err
	}
	a, err := d.Actor(ctx, user)
	if err != nil {
		return f, err
	}
	file, err := os.Create(filepath.Join(dir, fmt.Sprintf("rows-%d.csv", rows)))
	if err != nil {
		return f, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	r := rand.New(rand.NewPCG(3, 4))
	fmt.Fprintln(file, "Given name,Family name,Mail,Mobile,Office,Source,Note")
	for i := range rows {
		office := ""
		if i%5 < 3 {
			office = fmt.Sprintf(`"(%d) 555-01%02d x %d"`, 201+r.IntN(700), r.IntN(100), r.IntN(90))
		}
		fmt.Fprintf(file, "Una%d,%s%s,una%d.%d@many.example,%d 555 01%02d,%s,Local radio spot,\"Wants a tank, asks "+
			"for the price\"\n", i%97, begins[r.IntN(len(begins))], ends[r.IntN(len(ends))],
			rows, i, 413+i%3, r.IntN(100), office)
	}
	if _, err := file.Seek(0, 0); err != nil {
		return f, err
	}
	i, err := d.Files.AddImport(ctx, a,
		contract.NewImport{Kind: contract.RecordKindContact, Format: contract.NewImportFormatCsv, FileName: "rows.csv"})
	if err != nil {
		return f, err
	}
	if i, err = d.Files.ReceiveImport(ctx, a, i.ID, file); err != nil {
		return f, err
	}
	runtime.GC()
	var most atomic.Uint64
	watching, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		for watching.Err() == nil {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			most.Store(max(most.Load(), m.HeapInuse))
			time.Sleep(100 * time.Millisecond)
		}
	}()
	until := func(state contract.ImportState) error {
		for {
			now, err := d.Files.Import(ctx, a, i.ID)
			switch {
			case err != nil:
				return err
			case now.State == state:
				return nil
			case now.State == contract.ImportStateFailed:
				return fmt.Errorf("the import failed: %s", now.Problem)
			}
			time.Sleep(50 * time.Millisecond)
		}
	}
	start := time.Now()
	if _, err := d.Files.PlanImport(ctx, a, i.ID,
		contract.ImportPlan{Columns: i.Columns, Same: contract.ImportPlanSameMake}); err != nil {
		return f, err
	}
	if err := until(contract.ImportStateChecked); err != nil {
		return f, err
	}
	f.staged = float64(rows) / time.Since(start).Seconds()
	start = time.Now()
	if _, err := d.Files.LoadImport(ctx, a, i.ID); err != nil {
		return f, err
	}
	if err := until(contract.ImportStateDone); err != nil {
		return f, err
	}
	f.loaded = float64(rows) / time.Since(start).Seconds()
	f.heap = float64(most.Load()) / (1 << 20)
	var count int
	if err := s.Pool.QueryRow(ctx, `SELECT count(*) FROM records WHERE email LIKE $1`,
		fmt.Sprintf("una%d.%%", rows)).Scan(&count); err != nil {
		return f, err
	}
	if count != rows {
		return f, fmt.Errorf("%d rows were in the file, %d are in the book", rows, count)
	}
	return f, nil
}
