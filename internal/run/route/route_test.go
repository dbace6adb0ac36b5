package route

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/demo"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/pdf"
)

func TestMain(m *testing.M) {
	pdf.Main()
	os.Exit(m.Run())
}

// trades gives the documents and schemas of trades from elsewhere.
func trades(t *testing.T) (jobs []Job, texts map[string][]string) {
	texts = map[string][]string{}
	files, err := filepath.Glob("../fill/testdata/replies/*.yaml")
	require.NoError(t, err)
	for _, file := range files {
		s, err := schema.Load(file)
		require.NoError(t, err)
		name := strings.TrimSuffix(filepath.Base(file), ".yaml")
		a, err := txtar.ParseFile(strings.TrimSuffix(file, ".yaml") + ".txtar")
		require.NoError(t, err)
		for _, f := range a.Files {
			if strings.HasSuffix(f.Name, ".txt") {
				texts[name] = append(texts[name], string(f.Data))
			}
		}
		jobs = append(jobs, Job{Name: name, Schema: s})
	}
	require.Greater(t, len(jobs), 15)
	return jobs, texts
}

func count(got, want string, right, wrong, open *int) {
	switch got {
	case want:
		*right++
	case "":
		*open++
	default:
		*wrong++
	}
}

// The demo's documents, mixed with those of another trade, are routed by what they print, whichever
// trade it is: at least 19 of 20 right over all, and none wrong; what is open is what prints no words of
// its schema, such as a letter in another language.
func TestDemoAmongAnotherTrade(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, demo.Write("bridges", dir))
	bridges, err := schema.Load(filepath.Join(dir, "schemas", "inspection.yaml"))
	require.NoError(t, err)
	var own []string
	found, err := document.Find(dir, []string{filepath.Join(dir, "documents")})
	require.NoError(t, err)
	for _, s := range found {
		d, err := s.Read()
		require.NoError(t, err)
		own = append(own, d.Text)
	}
	require.Greater(t, len(own), 20)
	jobs, texts := trades(t)
	right, wrong, open := 0, 0, 0
	for _, other := range jobs {
		r := New([]Job{{Name: "inspections", Schema: bridges}, other}, nil)
		r0, w0 := right, wrong
		for name, list := range map[string][]string{"inspections": own, other.Name: texts[other.Name]} {
			for _, text := range list {
				count(r.ByText("", text).Job, name, &right, &wrong, &open)
			}
		}
		n := len(own) + len(texts[other.Name])
		assert.GreaterOrEqual(t, float64(right-r0)/float64(n), 0.93, "%s: %d of %d right, %d wrong", other.Name, right-r0, n, wrong-w0)
	}
	assert.Zero(t, wrong)
	assert.GreaterOrEqual(t, float64(right)/float64(right+wrong+open), 0.97)
	t.Logf("%d right, %d wrong, %d open", right, wrong, open)
}

// All trades at once: what is decided is right, and most is decided.
func TestAllTrades(t *testing.T) {
	jobs, texts := trades(t)
	r := New(jobs, nil)
	right, wrong, open := 0, 0, 0
	for name, list := range texts {
		for _, text := range list {
			got := r.ByText("", text)
			if count(got.Job, name, &right, &wrong, &open); got.Job != "" && got.Job != name {
				t.Logf("%s taken for %s (%.2f, %v)", name, got.Job, got.Sure, got.Words)
			}
		}
	}
	t.Logf("%d trades: %d right, %d wrong, %d open", len(jobs), right, wrong, open)
	all := right + wrong + open
	assert.LessOrEqual(t, float64(wrong), 0.02*float64(all))
	assert.GreaterOrEqual(t, float64(right), 0.7*float64(all))
}

// A text of no job, or of two that are the same, is open.
func TestOpen(t *testing.T) {
	jobs, _ := trades(t)
	r := New(jobs[:6], nil)
	for _, text := range []string{"", "12 34 56", "The quick fox is in the garden and it rains.", strings.Repeat("lorem ipsum ", 400)} {
		assert.Equal(t, Open, r.ByText("x", text).By, text)
	}
	same := New([]Job{jobs[0], {Name: "again", Schema: jobs[0].Schema}}, nil)
	assert.Equal(t, Open, same.ByText("x", "Customer: a\nTotal: 3").By)
	assert.Equal(t, Open, New(nil, nil).ByText("x", "Customer: a").By)
}

// Words that stand in any text or on any bill, and the head of any message, do not decide.
func TestWordsOfAnyPaper(t *testing.T) {
	load := func(name, fields string) Job {
		s, err := schema.Parse(name+".yaml", []byte("schema: "+name+"\nfields:\n"+fields))
		require.NoError(t, err)
		return Job{Name: name, Schema: s}
	}
	bills := load("bills", "  from: {date: First day.}\n  total: {number: Sum.}\n  deposit: {number: Sum.}\n  berth: Berth.\n")
	falls := load("falls", "  fell: {boolean: Whether somebody fell.}\n  wrist: What broke.\n")
	r := New([]Job{bills, falls}, nil)
	assert.Equal(t, Open, r.ByText("", "The guest from the north slipped.").By)
	assert.Equal(t, Open, r.ByText("", "Soup 3\nTotal 9\nDeposit 2").By)
	assert.Equal(t, "falls", r.ByText("", "From: The office\nSubject: a guest\n\nShe fell, and broke her wrist.").Job)
	kinds := New([]Job{bills, load("kinds", "  kind: Kind.\n  place: Place.\n")}, nil)
	assert.Equal(t, "bills", kinds.ByText("", "Berth: C 4\nTotal 20\n\nKind regards,\nInes Vold").Job)
	assert.Equal(t, "bills", r.ByText("", "From: 3 May\nBerth: C 4\nTotal: 20").Job)
}
