package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/standin"
)

// slip is what one document says.
type slip struct {
	no, bridge string
	grade      int
	decks      []string
}

func newSlip(r *rand.Rand, n int) slip {
	s := slip{no: fmt.Sprintf("FB-%04d", n), bridge: []string{"Plank", "Millrace", "Ferrow", "Lower Ash"}[r.IntN(4)] + fmt.Sprintf(" %d", n), grade: r.IntN(4)}
	for range 2 + r.IntN(3) {
		s.decks = append(s.decks, []string{"oak", "larch", "steel", "ash"}[r.IntN(4)])
	}
	return s
}

func (s slip) text() string {
	var b strings.Builder
	fmt.Fprintf(&b, "Report no.: %s\nBridge: %s\nGrade: %d\n\n", s.no, s.bridge, s.grade)
	for i, d := range s.decks {
		fmt.Fprintf(&b, "Bay %d\nDeck: %s\n\n", i+1, d)
	}
	return b.String()
}

func (s slip) record() string {
	var bays []string
	for i, d := range s.decks {
		bays = append(bays, fmt.Sprintf(`{"number": %d, "deck": %q}`, i+1, d))
	}
	return fmt.Sprintf(`{"report_no": %q, "bridge": %q, "grade": %d, "bays": [%s]}`, s.no, s.bridge, s.grade, strings.Join(bays, ", "))
}

const slipSchema = `schema: slip
fields:
  report_no: {text: Number of the report., printed_as: [Report no.]}
  bridge: {text: Name of the bridge., printed_as: [Bridge]}
  grade: {integer: Grade of the bridge., printed_as: [Grade]}
  bays:
    list: The bays.
    key: [number]
    fields:
      number: {integer: Number of the bay., printed_as: [Bay]}
      deck: {text: What its deck is of., printed_as: [Deck]}
`

// pileOfNights is a project whose documents come and go, before a model that may change.
type pileOfNights struct {
	t        *testing.T
	dir      string
	counting *countingServer
	r        *rand.Rand
	made     int
}

func newPile(t *testing.T) (*pileOfNights, *atomic.Bool) {
	var worse atomic.Bool
	inner := standin.Handler(standin.Options{Character: "careful"})
	counting := &countingServer{times: map[string]int{}, inner: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !worse.Load() {
			inner.ServeHTTP(w, r)
			return
		}
		answer := httptest.NewRecorder()
		inner.ServeHTTP(answer, r)
		w.WriteHeader(answer.Code)
		_, _ = w.Write(misled(answer.Body.Bytes()))
	})}
	s := httptest.NewServer(counting)
	t.Cleanup(s.Close)
	p := &pileOfNights{t: t, dir: t.TempDir(), counting: counting, r: rand.New(rand.NewPCG(28, 6))}
	p.write("filler.yaml", "schema: s.yaml\ndocuments: [documents]\ngold: gold\nuse: m\nmodels:\n  m: {at: \""+s.URL+"/v1\", name: some-model, price: {in: 1, out: 2}}\npace: {at_once: 2}\nnotify: {command: [sh, -c, 'cat > told.md']}\n")
	p.write("s.yaml", slipSchema)
	return p, &worse
}

var texts = regexp.MustCompile(`\\"(deck|bridge)\\":\\"[^"\\]*\\"`)

// misled gives a reply without the bridge and every other deck: what a model says that has got worse.
func misled(reply []byte) []byte {
	n := 0
	return texts.ReplaceAllFunc(reply, func(m []byte) []byte {
		if n++; n%2 == 0 {
			return m
		}
		name, _, _ := bytes.Cut(m, []byte(":"))
		return append(bytes.Clone(name), ":null"...)
	})
}

func (p *pileOfNights) write(name, text string) {
	at := filepath.Join(p.dir, name)
	require.NoError(p.t, os.MkdirAll(filepath.Dir(at), 0o755))
	require.NoError(p.t, os.WriteFile(at, []byte(text), 0o644))
}

// add adds documents, and gold for them where it is asked for.
func (p *pileOfNights) add(n int, withGold bool) (names []string) {
	for range n {
		p.made++
		s := newSlip(p.r, p.made)
		name := fmt.Sprintf("documents/%04d.txt", p.made)
		p.write(name, s.text())
		if withGold {
			p.write("gold/"+name+".json", fmt.Sprintf(`{"document": %q, "record": %s}`, name, s.record()))
		}
		names = append(names, name)
	}
	return names
}

func (p *pileOfNights) run(args ...string) (string, int) {
	out, err := run(p.dir, args...)
	var end *exec.ExitError
	if err != nil && !errors.As(err, &end) {
		require.NoError(p.t, err, out)
	}
	if end != nil {
		return out, end.ExitCode()
	}
	return out, 0
}

func (p *pileOfNights) must(args ...string) string {
	out, code := p.run(args...)
	require.Zero(p.t, code, "%v\n%s", args, out)
	return out
}

// told reads the summary of a night.
func (p *pileOfNights) told(file string) (v struct {
	Verdict   string
	Exit      int
	Documents struct {
		New, Changed, As_they_were, Failed_before int
		Gone                                      []string
		Renamed                                   []struct{ Was, Is string }
	}
	Filled  struct{ Documents, Failed, Exchanges, From_cache int }
	Recheck *struct {
		P, F1_then, F1_now float64
		Worse              bool
		Documents          int
	}
}) {
	data, err := os.ReadFile(filepath.Join(p.dir, file))
	require.NoError(p.t, err)
	require.NoError(p.t, json.Unmarshal(data, &v), string(data))
	return v
}

// Ten nights of a pile: documents come, change, go, are renamed, are broken. Each night fills what is
// new and nothing else, pays nothing twice, and the newest records are those of a filling from nothing.
// The model that is another from the sixth night on is named that night, and not before.
func TestTenNights(t *testing.T) {
	large(t)
	p, worse := newPile(t)
	p.add(30, true)
	p.must("gold", "sign", "documents", "--reviewer", "ann")
	p.must("fill", "--unfilled", "--changed", "--name", "first")
	p.must("runs", "approve", "first")
	for night := 1; night <= 10; night++ {
		asked := p.counting.count()
		fresh := p.add(3, false)
		changed, gone, renamed := 0, 0, 0
		switch night {
		case 2, 7:
			p.write("documents/0031.txt", newSlip(p.r, 4000+night).text())
			changed = 1
		case 3:
			require.NoError(t, os.Remove(filepath.Join(p.dir, "documents/0032.txt")))
			gone = 1
		case 4:
			require.NoError(t, os.Rename(filepath.Join(p.dir, "documents/0033.txt"), filepath.Join(p.dir, "documents/moved.txt")))
			renamed = 1
		case 5:
			p.write("documents/broken.txt", "")
		case 6:
			worse.Store(true)
		case 8:
			p.write("documents/broken.txt", newSlip(p.r, 5000).text())
		}
		summary := fmt.Sprintf("night%d.json", night)
		_, code := p.run("fill", "--unfilled", "--changed", "--max-flagged", "100%", "--max-failed", "100%", "--summary", summary)
		require.Zero(t, code)
		told := p.told(summary)
		again := 0
		if night == 6 || night == 7 || night == 8 { // broken before, each time
			again = 1
		}
		broken := 0
		if night == 5 {
			broken = 1
		}
		assert.Equal(t, len(fresh)+renamed+broken, told.Documents.New, "night %d", night)
		assert.Equal(t, changed, told.Documents.Changed, "night %d", night)
		assert.Equal(t, again, told.Documents.Failed_before, "night %d", night)
		assert.Len(t, told.Documents.Renamed, renamed)
		if gone > 0 {
			assert.Equal(t, []string{"documents/0032.txt"}, told.Documents.Gone)
		}
		assert.Equal(t, len(fresh)+renamed+changed+again+broken, told.Filled.Documents, "night %d", night)
		if renamed > 0 {
			assert.Positive(t, told.Filled.From_cache, "what was only renamed costs nothing")
		}
		page, err := os.ReadFile(filepath.Join(p.dir, "told.md"))
		require.NoError(t, err)
		assert.Contains(t, string(page), "Run ", "who is to be told was told")
		for body, times := range p.counting.times {
			require.Equal(t, 1, times, "night %d paid twice: %s", night, body)
		}
		assert.Greater(t, p.counting.count(), asked)

		out, code := p.run("fill", "--unfilled", "--recheck", "20", "--seed", fmt.Sprint(night), "--summary", "recheck.json")
		r := p.told("recheck.json").Recheck
		require.NotNil(t, r, out)
		assert.Equal(t, 20, r.Documents)
		t.Logf("night %d: F1 %.3f then, %.3f now, p = %.4f", night, r.F1_then, r.F1_now, r.P)
		if night < 6 {
			assert.False(t, r.Worse, "night %d: p = %g", night, r.P)
			assert.Contains(t, []int{0, 3}, code)
		} else {
			assert.True(t, r.Worse, "night %d: p = %g", night, r.P)
			assert.Less(t, r.P, 0.01)
			assert.Equal(t, 5, code)
			assert.Contains(t, p.told("recheck.json").Verdict, "model m is worse than when run 1 was approved")
		}
		clear(p.counting.times) // the recheck asks again on purpose
	}
	p.must("export", "--newest", "-o", "newest.jsonl")
	p.must("export", "--newest", "-o", "newest.sqlite")
	assert.Equal(t, fromNothing(t, p), documentsIn(t, filepath.Join(p.dir, "newest.jsonl")))
}

func documentsIn(t *testing.T, file string) (names []string) {
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	for line := range strings.Lines(string(data)) {
		var v struct{ Document string }
		require.NoError(t, json.Unmarshal([]byte(line), &v))
		names = append(names, v.Document)
	}
	return names
}

// fromNothing fills the pile as it is now in another folder, and gives its documents.
func fromNothing(t *testing.T, p *pileOfNights) []string {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(p.dir)))
	require.NoError(t, os.RemoveAll(filepath.Join(dir, ".filler")))
	_, err := run(dir, "fill", "-o", "all.jsonl", "--max-flagged", "100%")
	require.NoError(t, err)
	_, err = run(dir, "export", "-o", "all2.jsonl")
	require.NoError(t, err)
	return documentsIn(t, filepath.Join(dir, "all2.jsonl"))
}

// With a model that stays the same, what nights export is what one filling of the pile as it is
// exports, byte for byte; and a night that was cut off is gone on with by the next.
func TestNightsEqualOneFilling(t *testing.T) {
	p, _ := newPile(t)
	for night := range 5 {
		p.add(4, false)
		if night == 2 {
			p.write("documents/0002.txt", newSlip(p.r, 900).text())
			require.NoError(t, os.Remove(filepath.Join(p.dir, "documents/0003.txt")))
		}
		if night == 3 { // cut off, at any moment
			cmd := exec.Command("filler", "fill", "--unfilled", "--changed")
			cmd.Dir = p.dir
			require.NoError(t, cmd.Start())
			p.counting.wait(p.counting.count())
			_ = cmd.Process.Kill()
			_ = cmd.Wait()
		}
		p.run("fill", "--unfilled", "--changed")
	}
	for body, times := range p.counting.times {
		assert.LessOrEqual(t, times, 2, body) // one may have been on its way when the night was cut off
	}
	p.must("export", "--newest", "-o", "newest.csv", "--to", "csv")
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(p.dir)))
	require.NoError(t, os.RemoveAll(filepath.Join(dir, ".filler")))
	_, _ = run(dir, "fill")
	_, err := run(dir, "export", "-o", "once.csv", "--to", "csv")
	require.NoError(t, err)
	for _, name := range []string{"slip.csv", "bays.csv"} {
		a, err := os.ReadFile(filepath.Join(p.dir, "newest.csv", name))
		require.NoError(t, err)
		b, err := os.ReadFile(filepath.Join(dir, "once.csv", name))
		require.NoError(t, err)
		assert.Equal(t, string(b), string(a), name)
	}
	out, code := p.run("fill", "--unfilled", "--changed", "-o", "none.jsonl")
	assert.Zero(t, code)
	assert.Contains(t, out, "nothing to fill: 19 filled and as they were · 1 gone")
	data, err := os.ReadFile(filepath.Join(p.dir, "none.jsonl"))
	require.NoError(t, err)
	assert.Empty(t, data)
}

// A night that can't begin is told as one that ran: no page of the night before is taken for its.
func TestNightThatCannotBegin(t *testing.T) {
	p, _ := newPile(t)
	p.add(3, false)
	night := []string{"fill", "--unfilled", "--max-flagged", "100%", "-o", "night.jsonl", "--summary", "night.json", "--metrics", "night.prom", "--log", "night.log"}
	p.must(night...)
	assert.Zero(t, p.told("night.json").Exit)
	require.NoError(t, os.Remove(filepath.Join(p.dir, "told.md")))

	p.write("s.yaml", strings.Replace(slipSchema, "integer: Grade", "intege: Grade", 1))
	_, code := p.run(night...)
	assert.Equal(t, 1, code)
	var told struct {
		Verdict, Ended string
		Exit, Run      int
	}
	data, err := os.ReadFile(filepath.Join(p.dir, "night.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &told))
	assert.Equal(t, 1, told.Exit)
	assert.Zero(t, told.Run)
	assert.Contains(t, told.Ended, `did you mean "integer"`)
	for file, says := range map[string]string{"told.md": `did you mean "integer"`, "night.prom": "filler_exit_code", "night.log": `did you mean`} {
		data, err := os.ReadFile(filepath.Join(p.dir, file))
		require.NoError(t, err)
		assert.Contains(t, string(data), says, file)
		assert.NotContains(t, string(data), "filler_pile_documents", file)
	}
}

// Where a pile goes to several jobs, each is told of a night that can't begin, and of its own that fails.
func TestNightOfJobsThatCannotBegin(t *testing.T) {
	p, _ := newPile(t)
	p.add(1, false)
	conf, err := os.ReadFile(filepath.Join(p.dir, "filler.yaml"))
	require.NoError(t, err)
	p.write("filler.yaml", strings.Replace(string(conf), "schema: s.yaml\n", "jobs:\n  slips: {schema: s.yaml}\n  others: {schema: o.yaml}\nroute: [{when: 'true', job: slips}]\n", 1))
	p.write("o.yaml", "schema: other\nfields:\n  weight: {intege: Weight.}\n")
	_, code := p.run("fill", "--unfilled", "-o", "night-{job}.jsonl", "--summary", "night-{job}.json")
	assert.Equal(t, 1, code)
	for _, job := range []string{"slips", "others"} {
		data, err := os.ReadFile(filepath.Join(p.dir, "night-"+job+".json"))
		require.NoError(t, err)
		assert.Contains(t, string(data), `did you mean \"integer\"`, job)
	}
}

// Files that come into a watched folder, some of them slowly, are filled once they are whole, added to
// the output once each, and moved; also where the program is killed at random moments and started
// again. Nothing that was answered is paid twice.
func TestWatchedFolder(t *testing.T) {
	p, _ := newPile(t)
	inbox, done := filepath.Join(p.dir, "inbox"), filepath.Join(p.dir, "done")
	require.NoError(t, os.MkdirAll(inbox, 0o755))
	watch := func() *exec.Cmd {
		cmd := exec.Command("filler", "fill", "--watch", "inbox", "--every", "25ms", "--move-to", "done", "-o", "out.jsonl")
		cmd.Dir = p.dir
		require.NoError(t, cmd.Start())
		return cmd
	}
	const files = 24
	texts := map[string]string{}
	running := watch()
	for i := range files {
		name, text := fmt.Sprintf("%02d.txt", i), newSlip(p.r, 100+i).text()
		texts[name] = text
		f, err := os.Create(filepath.Join(inbox, name))
		require.NoError(t, err)
		half := len(text) / 2
		_, _ = f.WriteString(text[:half])
		if i%3 == 0 { // written slowly
			time.Sleep(10 * time.Millisecond)
		}
		_, _ = f.WriteString(text[half:])
		require.NoError(t, f.Close())
		time.Sleep(time.Duration(p.r.IntN(60)) * time.Millisecond)
		if i%5 == 4 {
			_ = running.Process.Kill()
			_ = running.Wait()
			running = watch()
		}
	}
	require.Eventually(t, func() bool {
		left, _ := os.ReadDir(inbox)
		moved, _ := os.ReadDir(done)
		return len(left) == 0 && len(moved) == files
	}, 20*time.Second, 50*time.Millisecond)
	require.NoError(t, running.Process.Signal(os.Interrupt))
	require.NoError(t, running.Wait())
	names := documentsIn(t, filepath.Join(p.dir, "out.jsonl"))
	assert.Len(t, names, files)
	seen := map[string]bool{}
	for _, name := range names {
		assert.False(t, seen[name], "%s is there twice", name)
		seen[name] = true
	}
	for name, text := range texts {
		assert.True(t, seen["inbox/"+name], name)
		data, err := os.ReadFile(filepath.Join(done, name))
		require.NoError(t, err)
		assert.Equal(t, text, string(data))
	}
	twice := 0
	for _, times := range p.counting.times {
		if times > 1 { // two may have been on their way each of the four times that the program was killed
			twice += times - 1
		}
	}
	assert.LessOrEqual(t, twice, 8)

	// The same file again is not filled again; one that says something else is.
	asked := p.counting.count()
	p.write("inbox/00.txt", texts["00.txt"])
	p.write("inbox/01.txt", newSlip(p.r, 999).text())
	running = watch()
	require.Eventually(t, func() bool { left, _ := os.ReadDir(inbox); return len(left) == 0 }, 20*time.Second, 50*time.Millisecond)
	require.NoError(t, running.Process.Signal(os.Interrupt))
	require.NoError(t, running.Wait())
	assert.Greater(t, p.counting.count(), asked)
	assert.Len(t, documentsIn(t, filepath.Join(p.dir, "out.jsonl")), files+1)
	assert.FileExists(t, filepath.Join(done, "00-2.txt"))
	assert.FileExists(t, filepath.Join(done, "01-2.txt"))
}
