package httpapi_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/httpapi"
)

// generator makes requests out of the contract: mostly such that fit it, with values that are there, and some that are
// wrong in every way.
type generator struct {
	*rand.Rand
	known []string // ids of things that are there
}

// odd are texts that have broken something somewhere.
var odd = []string{"", " ", "\x00", "\xff\xfe", "%00", "'; DROP TABLE records; --", "{{1}}", strings.Repeat("a", 5000),
	"\u202e", "😀", "1e999", "NaN", "-1", "=1+1", "<b>", "../../etc", "\r\nX: 1",
	"2026-13-45", "+1 413 555 0142", "Berit", "99999999999999999999", "null", "\\", "\"", `\ud800`}

func (g *generator) text() string {
	if g.IntN(3) == 0 {
		return odd[g.IntN(len(odd))]
	}
	return []string{"Berit", "tank", "ines@lindenfall.example", "413 555 0142", "Mon-Fri 08:00-17:00", "0.5", "USD",
		"America/New_York", "{given name}"}[g.IntN(9)]
}

// value makes one for a schema, depth deep at most.
func (g *generator) value(ref *openapi3.SchemaRef, depth int) any {
	s := ref.Value
	switch {
	case g.IntN(40) == 0:
		return []any{nil, "x", 1, true, []any{}, map[string]any{}, g.text()}[g.IntN(7)]
	case s.Nullable && g.IntN(4) == 0:
		return nil
	case len(s.AllOf) > 0:
		return g.value(s.AllOf[0], depth)
	case len(s.Enum) > 0:
		return s.Enum[g.IntN(len(s.Enum))]
	case s.Type.Is("boolean"):
		return g.IntN(2) == 0
	case s.Type.Is("integer"), s.Type.Is("number"):
		return []float64{0, 1, 2, -1, 10, 1e6, 1e9, 1e12, 2147483648, 0.5}[g.IntN(10)]
	case s.Type.Is("array"):
		list := []any{}
		for range g.IntN(3) {
			if depth > 0 {
				list = append(list, g.value(s.Items, depth-1))
			}
		}
		return list
	case s.Type.Is("object"):
		object := map[string]any{}
		for name, p := range s.Properties {
			if depth > 0 && (slices.Contains(s.Required, name) && g.IntN(20) > 0 || g.IntN(3) == 0) {
				object[name] = g.value(p, depth-1)
			}
		}
		if s.AdditionalProperties.Schema != nil && depth > 0 {
			object[g.text()] = g.value(s.AdditionalProperties.Schema, depth-1)
		}
		return object
	case s.Format == "uuid":
		return g.id()
	case s.Format == "date-time":
		return []string{"2026-03-02T15:00:00Z", "0001-01-01T00:00:00Z", "9999-12-31T23:59:59Z", "2026-02-30T00:00:00Z",
			"soon", "300000-01-01T00:00:00Z"}[g.IntN(6)]
	}
	return g.text()
}

func (g *generator) id() string {
	switch g.IntN(8) {
	case 0:
		return uuid.NewString()
	case 1:
		return g.text()
	}
	return g.known[g.IntN(len(g.known))]
}

// request makes one for an operation.
func (g *generator) request(path string, item *openapi3.PathItem,
	op *openapi3.Operation) (address string, body string, key string) {
	query := url.Values{}
	key = uuid.NewString()
	for _, p := range append(slices.Clone(item.Parameters), op.Parameters...) {
		v := fmt.Sprint(g.value(p.Value.Schema, 2))
		switch {
		case p.Value.In == "path":
			path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", url.PathEscape(v))
		case p.Value.In == "query" && (p.Value.Required && g.IntN(10) > 0 || g.IntN(2) == 0):
			query.Set(p.Value.Name, v)
		case p.Value.In == "header" && g.IntN(20) == 0:
			key = strings.Map(func(r rune) rune {
				if r < ' ' || r > '~' {
					return -1
				}
				return r
			}, g.text())
		}
	}
	if address = path; len(query) > 0 {
		address += "?" + query.Encode()
	}
	if op.RequestBody != nil {
		if media := op.RequestBody.Value.Content.Get("application/json"); media != nil {
			text, err := json.Marshal(g.value(media.Schema, 5))
			if err == nil {
				body = string(text)
			}
		}
		if g.IntN(50) == 0 {
			body = g.text()
		}
	}
	return address, body, key
}

// TestNoRequestIsAnsweredWithOurFault sends requests that are made out of the contract: whatever is asked, it is never
// our fault. TRUNDO_REQUESTS says how many, TRUNDO_SEED where they begin.
func TestNoRequestIsAnsweredWithOurFault(t *testing.T) {
	s := newSite(t)
	s.signIn("ada")
	count, seed := 2_000, uint64(1)
	if n, err := strconv.Atoi(os.Getenv("TRUNDO_REQUESTS")); err == nil {
		count = n
	}
	if n, err := strconv.ParseUint(os.Getenv("TRUNDO_SEED"), 10, 64); err == nil {
		seed = n
	}
	g := &generator{Rand: rand.New(rand.NewPCG(seed, 0))}
	rows, err := s.store.Pool.Query(t.Context(), `(SELECT id::text FROM records LIMIT 30) UNION ALL (SELECT id::text FROM calls LIMIT 20) UNION ALL (SELECT id::text FROM slips LIMIT 20)
		UNION ALL (SELECT id::text FROM outcomes) UNION ALL (SELECT id::text FROM users) UNION ALL (SELECT id::text FROM lines) UNION ALL (SELECT id::text FROM phone_numbers LIMIT 20)
		UNION ALL (SELECT id::text FROM follow_ups LIMIT 10) UNION ALL (SELECT id::text FROM messages LIMIT 10) UNION ALL (SELECT id::text FROM templates) UNION ALL (SELECT id::text FROM sequences)
		UNION ALL (SELECT id::text FROM call_types) UNION ALL (SELECT id::text FROM lists)`)
	require.NoError(t, err)
	for rows.Next() {
		var id string
		require.NoError(t, rows.Scan(&id))
		g.known = append(g.known, id)
	}
	require.NoError(t, rows.Err())
	spec, err := httpapi.GetSpec()
	require.NoError(t, err)
	type operation struct {
		method, path string
		item         *openapi3.PathItem
		op           *openapi3.Operation
	}
	var all []operation
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			if path != "/api/session" && path != "/api/sessions" { // which end the test's own
				all = append(all, operation{method, path, item, op})
			}
		}
	}
	slices.SortFunc(all, func(x, y operation) int { return strings.Compare(x.path+x.method, y.path+y.method) })
	statuses := map[int]int{}
	for i := range count {
		o := all[i%len(all)]
		address, body, key := g.request(o.path, o.item, o.op)
		r, text := s.ask(o.method, address, body, func(r *http.Request) { r.Header.Set("Idempotency-Key", key) })
		statuses[r.StatusCode]++
		if r.StatusCode >= 500 {
			var p contract.Problem
			_ = json.Unmarshal(text, &p)
			assert.NotEqual(t, "internal", p.Code, "%s %s %s\n%s", o.method, address, body, text)
			assert.NotEqual(t, "database_away", p.Code, "%s %s %s\n%s", o.method, address, body, text)
		}
	}
	t.Log(statuses)
	assert.Positive(t, statuses[200], "some do what they ask")
}
