package fill

import (
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// registers joins the documents of each trade into one.
func registers(t *testing.T, every int) (all []tradeDoc) {
	by := map[string][]tradeDoc{}
	var names []string
	for _, d := range tradeDocs(t, every) {
		name, _, _ := strings.Cut(d.name, " ")
		if by[name] == nil {
			names = append(names, name)
		}
		by[name] = append(by[name], d)
	}
	for _, name := range names {
		if len(by[name]) < 2 {
			continue
		}
		data, err := os.ReadFile("../../record/evidence/testdata/trades/" + strings.TrimSuffix(name, ".txtar") + ".yaml")
		require.NoError(t, err)
		src := strings.Replace(string(data), "\nfields:", "\neach: entry\nfields:", 1)
		s, err := schema.Parse("s.yaml", []byte(src))
		require.NoError(t, err, name)
		text := ""
		list := value.List()
		for _, d := range by[name] {
			b, _ := os.ReadFile(d.file)
			text += strings.TrimSpace(string(b)) + "\n\n\n"
			list.Kids = append(list.Kids, d.right)
		}
		file := filepath.Join(t.TempDir(), "r.txt")
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		all = append(all, tradeDoc{name, file, s, record.Arrange(s, &list)})
	}
	return all
}

// Of a document with many entries, right ones stay as they are, and what a first reply lost
// of them comes back where the model is asked again and says what it is shown: an entry as a
// whole, an item of one, a value.
func TestEntriesLostAndFound(t *testing.T) {
	r := rand.New(rand.NewSource(3))
	lost, asked, back := map[string]int{}, map[string]int{}, map[string]int{}
	for _, d := range registers(t, some()) {
		line, _ := d.fill(t, d.right, everything)
		if d.name != "visits.txtar" { // its unit "Tr." becomes "Tr"
			assert.Equal(t, d.right.String(), line.Record.String(), d.name)
		}
		i := r.Intn(len(d.right.Kids))
		less := d.right.Clone()
		less.Kids = slices.Delete(slices.Clone(less.Kids), i, i+1)
		all := []lapse{{"entry", less}}
		for _, x := range lapses(r, &d.right.Kids[i]) {
			first := d.right.Clone()
			first.Kids[i] = x.first
			all = append(all, lapse{x.what, first})
		}
		for _, x := range all {
			line, c := d.fill(t, x.first, everything)
			lost[x.what]++
			if slices.Contains(c.asked, "again") {
				asked[x.what]++
			}
			if len(line.Record.Kids) == len(d.right.Kids) && (x.what == "entry" || line.Record.String() == d.right.String()) {
				back[x.what]++
			}
		}
	}
	t.Logf("of %v lost, %v were asked about, and %v came back", lost, asked, back)
	for what, least := range map[string]int{"entry": 60, "item": 33, "value": 33} {
		assert.GreaterOrEqual(t, back[what]*100, lost[what]*least, what)
	}
}
