package httpapi_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/rights"
	"trundo/internal/httpapi"
)

// guarded is a route that asks for one of some rights, as the contract says.
type guarded struct {
	method, path string
	item         *openapi3.PathItem
	op           *openapi3.Operation
	rights       []rights.Right
}

// guardedRoutes reads the contract's table of routes and rights.
func guardedRoutes(t *testing.T) []guarded {
	t.Helper()
	spec, err := httpapi.GetSpec()
	require.NoError(t, err)
	var all []guarded
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			g := guarded{method, path, item, op, nil}
			switch r := op.Extensions["x-right"].(type) {
			case nil:
				continue
			case string:
				g.rights = []rights.Right{rights.Right(r)}
			case []any:
				for _, one := range r {
					g.rights = append(g.rights, rights.Right(fmt.Sprint(one)))
				}
			}
			for _, r := range g.rights {
				require.True(
					t,
					slices.ContainsFunc(rights.Definitions, func(d rights.Definition) bool { return d.Right == r }),
					"%s %s asks for %s",
					method,
					path,
					r,
				)
			}
			all = append(all, g)
		}
	}
	slices.SortFunc(all, func(a, b guarded) int { return strings.Compare(a.method+a.path, b.method+b.path) })
	return all
}

// TestEachRouteAsksForItsRight goes through the contract's table: each route that asks for a right refuses whoever has
// all others, and does not refuse whoever has just this one, whatever else is wrong with the request.
func TestEachRouteAsksForItsRight(t *testing.T) {
	s := newSite(t)
	ctx := t.Context()
	role := func(set rights.Set) {
		text, err := json.Marshal(set)
		require.NoError(t, err)
		key := uuid.NewString()
		_, err = s.store.Pool.Exec(ctx, `INSERT INTO roles (key, name, rights) VALUES ($1, $1, $2)`, key, text)
		require.NoError(t, err)
		_, err = s.store.Pool.Exec(ctx, `UPDATE users SET role = $1 WHERE login = 'ines'`, key)
		require.NoError(t, err)
		s.forgetActors()
	}
	routes := guardedRoutes(t)
	require.Greater(t, len(routes), 50)
	g := generator{rand.New(rand.NewPCG(1, 2)), []string{uuid.NewString()}}
	s.signIn("ines")
	byRight := map[string][]guarded{}
	for _, r := range routes {
		byRight[fmt.Sprint(r.rights)] = append(byRight[fmt.Sprint(r.rights)], r)
	}
	for _, same := range byRight {
		without, only := rights.Shipped(rights.RoleAdmin), rights.Set{}
		for _, right := range same[0].rights {
			delete(without, right)
		}
		only[same[0].rights[0]] = rights.All
		for _, have := range []rights.Set{without, rights.Shipped(rights.RoleRep), only} {
			role(have)
			may := have.May(same[0].rights[0])
			for _, r := range same {
				address, body := g.fitting(r)
				answer, text := s.ask(r.method, address, body)
				what := fmt.Sprintf("%s %s asks for %s: %s", r.method, r.path, r.rights, text)
				if may {
					assert.NotEqual(t, http.StatusForbidden, answer.StatusCode, what)
				} else {
					assert.Equal(t, http.StatusForbidden, answer.StatusCode, what)
				}
			}
		}
	}
}

// fitting makes a request that fits the contract.
func (g *generator) fitting(r guarded) (address, body string) {
	address = r.path
	for _, p := range append(slices.Clone(r.item.Parameters), r.op.Parameters...) {
		v := fit(p.Value.Schema)
		switch {
		case p.Value.In == "path":
			address = strings.ReplaceAll(address, "{"+p.Value.Name+"}", fmt.Sprint(v))
		case p.Value.In == "query" && p.Value.Required:
			sign := "?"
			if strings.Contains(address, "?") {
				sign = "&"
			}
			address += sign + p.Value.Name + "=" + fmt.Sprint(v)
		}
	}
	if r.op.RequestBody == nil {
		return address, ""
	}
	text, err := json.Marshal(fit(r.op.RequestBody.Value.Content["application/json"].Schema))
	if err != nil {
		panic(err)
	}
	return address, string(text)
}

// fit is a value that fits a schema, as short as may be.
func fit(ref *openapi3.SchemaRef) any {
	s := ref.Value
	switch {
	case len(s.AllOf) > 0:
		return fit(s.AllOf[0])
	case len(s.Enum) > 0:
		return s.Enum[0]
	case s.Type.Is("boolean"):
		return true
	case s.Type.Is("integer"), s.Type.Is("number"):
		if s.Min != nil {
			return *s.Min
		}
		return 1
	case s.Type.Is("array"):
		list := []any{}
		for range s.MinItems {
			list = append(list, fit(s.Items))
		}
		return list
	case s.Type.Is("object"):
		object := map[string]any{}
		for _, name := range s.Required {
			object[name] = fit(s.Properties[name])
		}
		return object
	case s.Format == "uuid":
		return uuid.NewString()
	case s.Format == "date-time":
		return "2026-03-02T15:00:00Z"
	case s.Format == "date":
		return "2026-03-02"
	}
	return "x"
}
