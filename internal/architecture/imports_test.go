package architecture

import (
	"encoding/json"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers are the parts of the program from the ground up. A part may import those below it, and those beside it in the
// same line only where allowed says so.
var layers = [][]string{
	{"core/datetime"},
	{"core/phone", "core/call", "core/lane", "core/callable", "core/callerid", "core/match", "core/meeting", "core/money",
		"core/duplicate", "core/presence", "core/finding", "core/promise", "core/audio",
		"core/recording", "core/prepared", "core/workday", "core/wording", "core/card", "core/script", "core/touch",
		"core/agenda", "core/password",
		"core/totp", "core/provided", "core/rights", "core/chain", "core/erasure", "core/absence", "core/usage",
		"core/answerrate",
		"core/whom",
		"core/queue", "core/estimate", "core/survey", "core/columns", "core/topics", "core/scorecard",
		"core/wall"},
	{"core/report", "core/slip", "core/proposal", "core/routing", "core/fields", "core/briefing", "core/outcome", "core/texting",
		"core/round"},
	{"core/filter", "core/sequence", "core/summary"},
	{"core/route"},
	{"contract", "carrier", "formats", "blobs", "post", "recogniser", "optional"},
	{"carrier/sim", "carrier/carriertest", "journal", "store/db", "media"},
	{"switchboard", "store", "live"},
	{"store/pgcluster", "backup"},
	{"store/pgtest"},
	{"desk/firm"},
	{"desk/book"},
	{"desk/outreach", "desk/calls", "desk/staff", "desk/entry", "desk/privacy", "desk/usage"},
	{"desk/surveys", "desk/filing"},
	{"desk/queues"},
	{"desk/rounds", "desk/webforms", "desk/insight"},
	{"desk"},
	{"httpapi", "demo"},
	{"app"},
	{"bench", "generated", "architecture", "program", "idptest"},
}

// areas are those of the desk, and which others each may look at besides firm, which all may. What would run the other
// way is an interface of the lower one that the desk hands in.
var areas = map[string][]string{
	"firm": {}, "staff": {}, "entry": {}, "privacy": {}, "usage": {}, "book": {}, "outreach": {}, "calls": {"book"},
	"surveys": {"calls", "outreach"},
	"queues":  {"book", "calls", "outreach", "surveys"}, "webforms": {"outreach", "queues"},
	"filing": {"book", "outreach", "calls"}, "rounds": {"book", "calls", "filing"},
	"insight": {"book", "calls", "queues"},
}

// pure is what core may import besides itself.
var pure = map[string]bool{"github.com/nyaruka/phonenumbers": true, "golang.org/x/text/currency": true,
	"github.com/rickar/cal/v2": true, "github.com/pquerna/otp": true,
	"github.com/pquerna/otp/hotp": true, "github.com/rickar/cal/v2/au": true, "github.com/rickar/cal/v2/fr": true,
	"github.com/rickar/cal/v2/gb": true, "github.com/rickar/cal/v2/us": true}

// forbiddenInCore are those of the standard library that do I/O or know the time of day by themselves.
var forbiddenInCore = []string{"os", "net", "net/http", "database/sql", "log", "log/slog", "sync", "context"}

type pkg struct {
	ImportPath string
	Imports    []string
	Standard   bool
}

func packages(t *testing.T) []pkg {
	t.Helper()
	cmd := exec.Command("go", "list", "-json=ImportPath,Imports", "./...")
	cmd.Dir = "../.."
	out, err := cmd.Output()
	require.NoError(t, err)
	var all []pkg
	for dec := json.NewDecoder(strings.NewReader(string(out))); ; {
		var p pkg
		if err := dec.Decode(&p); errors.Is(err, io.EOF) {
			return all
		} else {
			require.NoError(t, err)
		}
		all = append(all, p)
	}
}

func level(name string) int {
	for i, layer := range layers {
		for _, l := range layer {
			if l == name {
				return i
			}
		}
	}
	return -1
}

func TestImportsPointDownward(t *testing.T) {
	const internal = "trundo/internal/"
	seen := 0
	for _, p := range packages(t) {
		name, inside := strings.CutPrefix(p.ImportPath, internal)
		if !inside {
			continue
		}
		mine := level(name)
		if !assert.GreaterOrEqual(t, mine, 0, "%s has no place in the layers", name) {
			continue
		}
		seen++
		for _, imported := range p.Imports {
			if below, ours := strings.CutPrefix(imported, internal); ours {
				assert.Less(t, level(below), mine, "%s must not import %s", name, below)
			}
		}
	}
	assert.Greater(t, seen, 15)
}

func TestCoreHasNoWorldAroundIt(t *testing.T) {
	for _, p := range packages(t) {
		if !strings.HasPrefix(p.ImportPath, "trundo/internal/core/") {
			continue
		}
		for _, imported := range p.Imports {
			assert.NotContains(t, forbiddenInCore, imported, p.ImportPath)
			first, _, _ := strings.Cut(imported, "/")
			if strings.Contains(first, ".") {
				assert.True(t, pure[imported], "%s must not import %s", p.ImportPath, imported)
			}
		}
	}
}

func TestOnlyTheDeskTalksToTheStoreForTheInterface(t *testing.T) {
	for _, p := range packages(t) {
		if p.ImportPath == "trundo/internal/httpapi" {
			assert.NotContains(t, p.Imports, "trundo/internal/store/db", "handlers have no queries")
			assert.NotContains(t, p.Imports, "trundo/internal/switchboard")
		}
	}
}

func TestAreasLookOneWay(t *testing.T) {
	const desk = "trundo/internal/desk/"
	seen := 0
	for _, p := range packages(t) {
		name, is := strings.CutPrefix(p.ImportPath, desk)
		if !is {
			continue
		}
		may, known := areas[name]
		if !assert.True(t, known, "desk/%s is no area yet: say what it may look at", name) {
			continue
		}
		seen++
		for _, imported := range p.Imports {
			if other, is := strings.CutPrefix(imported, desk); is && other != "firm" {
				assert.Contains(t, may, other, "%s must not look at %s", name, other)
			}
		}
	}
	assert.Equal(t, len(areas), seen)
}

func TestEveryRuleAndAreaShowsItsUse(t *testing.T) {
	for _, p := range packages(t) {
		name, _ := strings.CutPrefix(p.ImportPath, "trundo/internal/")
		if !strings.HasPrefix(name, "core/") && !strings.HasPrefix(name, "desk/") {
			continue
		}
		tests, err := filepath.Glob(filepath.Join("..", name, "*_test.go"))
		require.NoError(t, err)
		shows := false
		for _, file := range tests {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			shows = shows || strings.Contains(string(text), "\nfunc Example")
		}
		assert.True(t, shows, "%s has no Example", name)
	}
}
