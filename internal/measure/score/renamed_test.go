package score

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/schema"
)

// Gold and records under the names that fields once had count as they did then, whether
// gold is read with `was` or brought to the new schema; nothing else of a gold file changes,
// and bringing it twice changes nothing more.
func TestRenamedFieldsCountTheSame(t *testing.T) {
	old, golds, filled := pairsOfRecords(t, 600, 71)
	text := strings.NewReplacer("  name: A name.", "  title: {text: A name., was: name}", "  on: {date: A day.}\n", "",
		"who: {group: Who., fields: {", "who: {group: Who., fields: {day: {date: A day., was: /on}, ",
		"  bays:\n    list: Bays.", "  spans:\n    list: Bays.\n    was: bays", "no: {integer: Number.}", "number: {integer: Number., was: no}",
		"fields: {kind: Kind.", "fields: {what: {text: Kind., was: kind}").Replace(fmt.Sprintf(nested, "document", ""))
	now, err := schema.Parse("now.yaml", []byte(text))
	require.NoError(t, err)

	dir := t.TempDir()
	goldFile, records := filepath.Join(dir, "gold.jsonl"), filepath.Join(dir, "records.jsonl")
	write := func(file string, all []*value.Value) {
		var b bytes.Buffer
		for i, v := range all {
			fmt.Fprintf(&b, "{\"document\":%q,\"record\":%s,\"note\":\"kept\"}\n", docName(i), v)
		}
		require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
	}
	write(goldFile, golds)
	write(records, filled)
	count := func(s *schema.Schema) Report {
		shelf, err := gold.Open(goldFile, s)
		require.NoError(t, err)
		sc := New(s, shelf)
		require.NoError(t, sc.AddFile(records))
		return sc.Report()
	}
	before := count(old)
	require.Greater(t, before.Overall.Right, 500)
	require.Greater(t, before.Overall.Errors(), 300)
	same := func(after Report) {
		t.Helper()
		assert.Equal(t, before.Documents, after.Documents)
		assert.Equal(t, before.Overall, after.Overall)
		for _, f := range after.Fields {
			was := map[string]string{"title": "name", "who.day": "on"}[f.Path]
			if was == "" {
				was = strings.NewReplacer("spans", "bays", "number", "no", "what", "kind").Replace(f.Path)
			}
			for _, g := range before.Fields {
				if g.Path == was {
					assert.Equal(t, g.Counts, f.Counts, f.Path)
				}
			}
		}
	}
	same(count(now))
	done, err := gold.MigrateAll(goldFile, now, time.Now(), false)
	require.NoError(t, err)
	require.Len(t, done, len(golds))
	data, err := os.ReadFile(goldFile)
	require.NoError(t, err)
	assert.Equal(t, len(golds), strings.Count(string(data), `"note":"kept"`))
	assert.NotContains(t, string(data), `"bays":[`)
	same(count(now))
	_, err = gold.MigrateAll(goldFile, now, time.Now(), false)
	require.NoError(t, err)
	again, err := os.ReadFile(goldFile)
	require.NoError(t, err)
	assert.Equal(t, string(data), string(again))
}
