package architecture

import (
	"bufio"
	"os"
	"os/exec"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// columns is how wide a line may be, with a tab of four; wide is how many lines in a thousand may be wider all the
// same, since a text or a statement of SQL does not break everywhere.
const (
	columns = 120
	wide    = 5
)

// ourFiles are the hand-written files that git knows, by their ending.
func ourFiles(t *testing.T, ending string) []string {
	t.Helper()
	cmd := exec.Command("git", "ls-files", "*"+ending)
	cmd.Dir = "../.."
	out, err := cmd.Output()
	if err != nil {
		t.Skip("not in a repository: ", err)
	}
	var files []string
	for _, f := range strings.Fields(string(out)) {
		if !strings.HasSuffix(f, ".gen.go") && !strings.HasPrefix(f, "internal/store/db/") {
			files = append(files, f)
		}
	}
	require.NotEmpty(t, files)
	return files
}

// widths tells how many lines there are and which are too wide; those for which spare holds are not looked at.
func widths(t *testing.T, ending string, spare func(line string) bool) (all int, tooWide []string) {
	t.Helper()
	for _, name := range ourFiles(t, ending) {
		file, err := os.Open("../../" + name)
		if os.IsNotExist(err) {
			continue // removed, and not committed yet
		}
		require.NoError(t, err)
		for s := bufio.NewScanner(file); s.Scan(); {
			all++
			line := strings.ReplaceAll(s.Text(), "\t", "    ")
			if utf8.RuneCountInString(line) > columns && !spare(line) {
				tooWide = append(tooWide, name+": "+strings.TrimSpace(line))
			}
		}
		require.NoError(t, file.Close())
	}
	return all, tooWide
}

func TestLinesAreNotTooWide(t *testing.T) {
	all, tooWide := widths(t, ".go", func(string) bool { return false })
	assert.LessOrEqual(t, len(tooWide)*1000, all*wide, strings.Join(tooWide, "\n"))
	// Tables, pictures and what is to be typed stay on one line.
	_, prose := widths(t, ".md", func(line string) bool {
		return strings.HasPrefix(line, "|") || strings.HasPrefix(line, "!") || strings.HasPrefix(line, "    ") ||
			strings.Contains(line, "  ")
	})
	assert.LessOrEqual(t, len(prose), 3, strings.Join(prose, "\n"))
}
