package normalize

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Each row of docs/normalizers.md does what it says, and every normalizer has one.
func TestTheTableOfNormalizers(t *testing.T) {
	text, err := os.ReadFile("../../../docs/normalizers.md")
	require.NoError(t, err)
	shown := map[string]bool{RuleKey: true}
	for _, line := range strings.Split(string(text), "\n") {
		cells := strings.Split(line, " | ")
		if len(cells) != 4 || !strings.HasPrefix(line, "| `") {
			continue
		}
		rule, field := code(t, strings.TrimPrefix(cells[0], "| ")), code(t, cells[1])
		shown[rule] = true
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+field+"\n"))
		require.NoError(t, err, field)
		run := func(from string) (string, string) {
			v, err := value.Parse(`{"f":` + from + `}`)
			require.NoError(t, err, from)
			rules := ""
			for _, c := range Record(s, &v) {
				rules += " " + c.Rule
			}
			return v.Get("f").Named("").String(), rules + " "
		}
		for _, change := range strings.Split(cells[2], "; ") {
			from, to, ok := strings.Cut(change, " → ")
			require.True(t, ok, change)
			got, rules := run(code(t, from))
			assert.Equal(t, code(t, to), got, "%s of %s", change, field)
			assert.Contains(t, rules, " "+rule+" ", change)
		}
		for _, left := range strings.Split(strings.TrimSuffix(cells[3], " |"), "; ") {
			want, err := value.Parse(code(t, left))
			require.NoError(t, err)
			got, _ := run(code(t, left))
			assert.Equal(t, want.String(), got, "%s of %s stays", left, field)
		}
	}
	for _, r := range Rules {
		assert.True(t, shown[r.Name], "docs/normalizers.md has no row for %s", r.Name)
	}
}

// code gives what stands between the marks of code.
func code(t *testing.T, cell string) string {
	require.True(t, len(cell) > 2 && cell[0] == '`' && cell[len(cell)-1] == '`', cell)
	return cell[1 : len(cell)-1]
}
