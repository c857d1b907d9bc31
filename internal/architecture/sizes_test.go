package architecture

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a reader can keep in mind of the desk.
const (
	linesOfFile     = 500  // of an area
	linesOfRoot     = 1500 // of desk itself
	methodsOfStruct = 90
)

// goFiles are the hand-written files of a folder of the desk, without its tests; the folder is named from the module's
// root.
func goFiles(t *testing.T, folder string) []string {
	t.Helper()
	all, err := filepath.Glob(filepath.Join("../..", folder, "*.go"))
	require.NoError(t, err)
	var files []string
	for _, f := range all {
		if !strings.HasSuffix(f, "_test.go") {
			files = append(files, f)
		}
	}
	require.NotEmpty(t, files, folder)
	return files
}

func lines(t *testing.T, file string) int {
	t.Helper()
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	return strings.Count(string(text), "\n")
}

func TestAnAreaCanBeRead(t *testing.T) {
	folders := []string{"internal/desk"}
	for name := range areas {
		folders = append(folders, "internal/desk/"+name)
	}
	for _, folder := range folders {
		methods := map[string]int{}
		for _, file := range goFiles(t, folder) {
			assert.LessOrEqual(t, lines(t, file), linesOfFile, "%s has more than one subject: split it", file)
			parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
			require.NoError(t, err)
			for _, d := range parsed.Decls {
				if f, is := d.(*ast.FuncDecl); is && f.Recv != nil {
					methods[receiver(f)]++
				}
			}
		}
		for name, n := range methods {
			assert.Less(t, n, methodsOfStruct, "%s in %s does too much", name, folder)
		}
	}
}

// receiver is the name of the type that has a method.
func receiver(f *ast.FuncDecl) string {
	of := f.Recv.List[0].Type
	if star, is := of.(*ast.StarExpr); is {
		of = star.X
	}
	if generic, is := of.(*ast.IndexExpr); is {
		of = generic.X
	}
	name, _ := of.(*ast.Ident)
	return name.Name
}

func TestTheDeskItselfOnlyPutsTogether(t *testing.T) {
	all := 0
	for _, file := range goFiles(t, "internal/desk") {
		all += lines(t, file)
	}
	assert.Less(t, all, linesOfRoot)
}
