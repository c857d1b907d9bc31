package provided_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/provided"
)

func claims(t *testing.T, text string) provided.Claims {
	t.Helper()
	var c provided.Claims
	require.NoError(t, json.Unmarshal([]byte(text), &c))
	return c
}

func TestWhoSomebodyIs(t *testing.T) {
	for text, want := range map[string]provided.Person{
		`{}`: {},
		`{"name":"Ines Calloway","email":"Ines@Lindenfall.example","email_verified":true}`: {Name: "Ines Calloway",
			Mail: "Ines@Lindenfall.example", Login: "ines"},
		`{"name":"Ines Calloway","email":"ines@lindenfall.example","email_verified":"true","preferred_username":"I Calloway"}`: {
			Name: "Ines Calloway", Mail: "ines@lindenfall.example", Login: "i.calloway"},
		// An address that anybody may have typed is none.
		`{"name":"Ines","email":"odile@lindenfall.example"}`:                              {Name: "Ines"},
		`{"name":"Ines","email":"odile@lindenfall.example","email_verified":false}`:       {Name: "Ines"},
		`{"given_name":"Tomas","family_name":"Reyl","preferred_username":"tomas@x.test"}`: {Name: "Tomas Reyl", Login: "tomas"},
		`{"name":7,"email":["a"],"email_verified":true,"preferred_username":"odile"}`:     {Name: "odile", Login: "odile"},
	} {
		assert.Equal(t, want, provided.PersonOf(claims(t, text)), text)
	}
}

func TestTheFirstRuleThatFitsCounts(t *testing.T) {
	rules := []provided.Rule{
		{Claim: "groups", Value: "calls-leads", Role: "supervisor", Team: "Sales"},
		{Claim: "department", Value: "Service", Role: "rep", Team: "Service"},
		{Claim: "email", Value: "@lindenfall.example", Role: "rep"},
		{Claim: "email", Value: "boss@elsewhere.example", Role: "admin"},
		{Claim: "groups", Value: "", Role: "admin"}, // says nothing, and so fits nobody
	}
	for text, want := range map[string]string{
		`{"groups":["staff","Calls-Leads"],"department":"Service"}`: "supervisor Sales",
		`{"groups":"calls-leads"}`:                                  "supervisor Sales",
		`{"department":"service"}`:                                  "rep Service",
		`{"email":"a@LINDENFALL.example","email_verified":true}`:    "rep ",
		`{"email":"a@lindenfall.example"}`:                          "", // not made sure of
		`{"email":"@lindenfall.example","email_verified":true}`:     "", // nobody's
		`{"email":"a@notlindenfall.example","email_verified":true}`: "",
		`{"email":"boss@elsewhere.example","email_verified":true}`:  "admin ",
		`{"groups":["calls-lead",7,null,{}]}`:                       "",
		`{"groups":""}`:                                             "",
		`{}`:                                                        "",
	} {
		r, fits := provided.First(rules, claims(t, text))
		got := ""
		if fits {
			got = r.Role + " " + r.Team
		}
		assert.Equal(t, want, got, text)
	}
}

func Example() {
	rules := []provided.Rule{{Claim: "groups", Value: "reps", Role: "rep", Team: "Sales"}}
	c := provided.Claims{"groups": []any{"reps"}, "name": "Pilar Winterbourne", "preferred_username": "pilar"}
	r, _ := provided.First(rules, c)
	fmt.Println(provided.PersonOf(c).Name, "becomes a", r.Role, "of", r.Team)
	// Output: Pilar Winterbourne becomes a rep of Sales
}
