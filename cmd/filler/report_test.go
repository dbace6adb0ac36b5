package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/demo"
	"filler/internal/source/document"
)

// evaluated gives what an expression is on the page.
func evaluated[T any](t *testing.T, ctx context.Context, expression string) (out T) {
	t.Helper()
	require.NoError(t, chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, page *chromedp.Target) (err error) {
		out, err = chromedp.Evaluate[T](expression)(ctx, page)
		return err
	})))
	return out
}

// becomes waits until something is so on the page, which may be on its way to another.
func becomes(t *testing.T, ctx context.Context, expression string) {
	t.Helper()
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		is := false
		err := chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, page *chromedp.Target) (err error) {
			is, err = chromedp.Evaluate[bool](expression)(ctx, page)
			return err
		}))
		if err == nil && is {
			return
		}
		if time.Now().After(end) {
			require.Fail(t, "it never becomes so", "%s (%v)", expression, err)
		}
	}
}

// inHand tells that a value is in hand.
const inHand = `document.getElementById("about") !== null && !document.getElementById("about").hidden`

// geometry asks the page, for the document that is shown, where each rule begins, where
// the words of its value are, and what they say.
const geometry = `(() => {
	const article = document.querySelector("article.shown") || document.querySelector("article"), sheet = article.querySelector(".sheet");
	if (!sheet) return [];
	const base = sheet.getBoundingClientRect();
	return [...sheet.querySelectorAll(".rules path")].map((p) => {
		const n = p.dataset.v, at = p.getAttribute("d").match(/^M(\S+) (\S+) L\S+ \S+ L(\S+) (\S+)$/).slice(1).map(Number);
		const marks = [...sheet.querySelectorAll('.source [data-v~="' + n + '"]')], rects = marks[0].getClientRects(), r = rects[rects.length - 1];
		const card = sheet.querySelector('.margin [data-v="' + n + '"]').getBoundingClientRect(), page = marks[0].closest("svg");
		const on = page ? page.getBoundingClientRect() : null, wide = page ? page.viewBox.baseVal.width : 0;
		return { path: article.querySelector('li[data-v="' + n + '"]').id.slice(article.id.length), words: page ? "" : marks.map((m) => m.textContent).join(""),
			box: page ? [(r.left - on.left) * wide / on.width, (r.top - on.top) * wide / on.width, (r.right - on.left) * wide / on.width, (r.bottom - on.top) * wide / on.width] : null,
			dx: at[0] + base.left - r.right, dy: at[1] + base.top - r.bottom, cardX: at[2] + base.left - card.left, cardY: at[3] + base.top - (card.top + card.bottom) / 2 };
	});
})()`

type ruled struct {
	Path   string    `json:"path"`
	Words  string    `json:"words"`
	Box    []float64 `json:"box"`
	DX, DY float64
	CardX  float64 `json:"cardX"`
	CardY  float64 `json:"cardY"`
}

// Every value of the demo that stands in its document is joined by a rule to just the
// words at its offsets, in texts and on pages; keys step through values and errors; the
// page can be read without scripts, and at twice the size.
func TestReportOfTheDemo(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "demo")
	require.NoError(t, demo.Write("bridges", dir))
	ran(t, "-C", dir, "fill")
	ran(t, "-C", dir, "report", "-o", "out/report.html")
	ran(t, "-C", dir, "export", "-o", "records.jsonl", "--evidence")
	data, err := os.ReadFile(filepath.Join(dir, "records.jsonl"))
	require.NoError(t, err)
	ctx := chromium(t)
	address := "file://" + filepath.Join(dir, "out/report.html")
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(address)))
	reader := &document.Reader{}
	seen := 0
	for line := range strings.Lines(string(data)) {
		var l struct {
			Document string
			Evidence map[string]struct {
				Start, End, Page int
				Box              []float64
				Boxes            [][]float64
			}
		}
		require.NoError(t, json.Unmarshal([]byte(line), &l))
		if strings.Contains(l.Document, "#") || len(l.Evidence) == 0 {
			continue
		}
		d, err := reader.Read(t.Context(), document.Source{ID: l.Document, File: filepath.Join(dir, l.Document)})
		require.NoError(t, err)
		evaluated[string](t, ctx, fmt.Sprintf(`(location.hash = "#" + encodeURIComponent(%q), "")`, l.Document))
		becomes(t, ctx, fmt.Sprintf(`shown() !== null && shown().id === %q`, l.Document))
		drawn := map[string]ruled{}
		for _, r := range evaluated[[]ruled](t, ctx, geometry) {
			drawn[r.Path] = r
			assert.InDelta(t, 0, r.DX, 1, "%s%s: the rule begins where its words end", l.Document, r.Path)
			assert.InDelta(t, 0, r.DY, 1, "%s%s: and just below them", l.Document, r.Path)
			assert.InDelta(t, 0, r.CardX, 1.5, "%s%s: it ends at its value", l.Document, r.Path)
			assert.InDelta(t, 0, r.CardY, 3, "%s%s: at the middle of it", l.Document, r.Path)
		}
		for path, place := range l.Evidence {
			if place.End == 0 {
				continue
			}
			r, is := drawn[path]
			if !assert.True(t, is, "%s%s has no rule", l.Document, path) {
				continue
			}
			seen++
			if r.Box == nil {
				assert.Equal(t, strings.ReplaceAll(d.Text[place.Start:place.End], "\n", ""), r.Words, "%s%s", l.Document, path)
				continue
			}
			box := place.Box
			if len(place.Boxes) > 0 {
				box = place.Boxes[0]
			}
			for i := range box {
				assert.InDelta(t, box[i], r.Box[i], 4, "%s%s: %v on the page, %v in the record", l.Document, path, r.Box, box)
			}
		}
	}
	assert.Greater(t, seen, 400)

	// Keys.
	evaluated[string](t, ctx, `(location.hash = "#run", "")`)
	becomes(t, ctx, `shown() === null`)
	now := func() string { return evaluated[string](t, ctx, `(now && now.id) || ""`) }
	press := func(keys string) {
		for _, k := range keys {
			require.NoError(t, chromedp.Do(ctx, chromedp.KeyEvent(string(k))))
		}
	}
	press("3n")
	becomes(t, ctx, inHand)
	errors := map[string]bool{}
	for range 200 {
		at := now()
		if errors[at] {
			break
		}
		errors[at] = true
		class := evaluated[string](t, ctx, `now.className`)
		assert.Regexp(t, "wrong|missed|extra", class, at)
		press("n")
	}
	counted := evaluated[float64](t, ctx, `document.querySelectorAll("li.wrong, li.missed, li.extra").length`)
	assert.Equal(t, int(counted), len(errors), "n goes through every error once")
	press("1p")
	assert.NotEmpty(t, now())
	press("/")
	assert.Equal(t, "search", evaluated[string](t, ctx, `document.activeElement.id`))

	// A link to a value brings it up.
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(address+"#documents/forms/FB-2031-04.txt/bays/0/number"), chromedp.Reload()))
	becomes(t, ctx, inHand)
	assert.Equal(t, "documents/forms/FB-2031-04.txt/bays/0/number", now())

	// Twice the size: half the width in the page's own pixels.
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(640, 400)))
	assert.LessOrEqual(t, evaluated[float64](t, ctx, `document.documentElement.scrollWidth`), 640.0, "nothing is pushed aside")
	assert.Equal(t, 0.0, evaluated[float64](t, ctx, `document.querySelectorAll(".rules path").length`))

	// Without scripts all is there.
	require.NoError(t, chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, page *chromedp.Target) error {
		_, err := cdp.Call(ctx, page, emulation.SetScriptExecutionDisabled, emulation.SetScriptExecutionDisabledParams{Value: true})
		return err
	}), chromedp.EmulateViewport(1280, 800), chromedp.Navigate(address)))
	text := evaluated[string](t, ctx, `document.body.innerText`)
	for _, part := range []string{"Accuracy", "Dear Ms Harrow", "FB-2031-12", "Record"} {
		assert.Contains(t, text, part)
	}
}

// names are what documents are called that would do much if anybody let them.
var names = []string{`<img src=x onerror=document.title='taken'>.txt`, `"><script>document.title='taken'</script>.txt`, "a b%41#c?d.txt", "javascript:document.title='taken'.txt", "\u202etxt.exe.txt"}

// No script, style, link or entity of a document, a value, a name or a message does
// anything, in a file or a folder; what they say is shown as it is.
func TestReportOfHostileDocuments(t *testing.T) {
	dir := t.TempDir()
	var asked atomic.Int64
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	server := &http.Server{Handler: http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked.Add(1) })}
	go server.Serve(listener)
	defer server.Close()
	outside := "http://" + listener.Addr().String() + "/"
	evil := `<script>document.title='taken'</script><style>*{display:none}</style><img src="` + outside + `"><a href="javascript:document.title='taken'">x</a><svg onload="document.title='taken'"><link rel=stylesheet href="` + outside + `"> &lt;b&gt; </mark></article></script><!-- {{.}} ${1} ` + "\u202e\u0007"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "s.yaml"), []byte("schema: s\nabout: S.\nfields:\n  a: {text: A.}\n  b: {text: B.}\n"), 0o644))
	var records strings.Builder
	for i, name := range names {
		text := evil + "\n" + evil + "\n"
		if i == 1 {
			text += strings.Repeat("word <b>", 1<<17) + "\n"
		}
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		value, _ := json.Marshal(evil)
		id, _ := json.Marshal(name)
		fmt.Fprintf(&records, `{"document": %s, "status": "flagged", "record": {"a": %s, "b": null}, "problems": [{"path": "/b", "code": "missing", "message": %s}], "evidence": {"/a": {"kind": "quoted", "start": 0, "end": %d, "line": 1}}}`+"\n", id, value, value, len(evil))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "r.jsonl"), []byte(records.String()), 0o644))
	ran(t, "-C", dir, "report", "--schema", "s.yaml", "--records", "r.jsonl", "-o", "one.html")
	ran(t, "-C", dir, "report", "--schema", "s.yaml", "--records", "r.jsonl", "-o", "many")
	ctx := chromium(t)
	check := func(what string) {
		t.Helper()
		assert.NotEqual(t, "taken", evaluated[string](t, ctx, `document.title`), what)
		assert.Equal(t, 0.0, evaluated[float64](t, ctx, `document.querySelectorAll("main script, main style, main link, main img, main iframe, article article").length`), what)
	}
	page, err := os.ReadFile(filepath.Join(dir, "one.html"))
	require.NoError(t, err)
	assert.Empty(t, regexp.MustCompile(`the document is not shown: [^<]*`).FindAllString(string(page), -1))
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate("file://"+filepath.Join(dir, "one.html"))))
	check("the run")
	assert.Equal(t, float64(len(names)), evaluated[float64](t, ctx, `rows.length`))
	for i := range names {
		evaluated[string](t, ctx, fmt.Sprintf(`(rows[%d].querySelector("a").click(), "")`, i))
		becomes(t, ctx, `shown() !== null`)
		require.NoError(t, chromedp.Do(ctx, chromedp.KeyEvent("n")))
		becomes(t, ctx, inHand)
		check(names[i])
		words := evaluated[string](t, ctx, `document.querySelector("article.shown mark").textContent`)
		assert.Equal(t, strings.NewReplacer("\u202e", "⟨U+202E⟩", "\u0007", "␇").Replace(evil), words, "the words stand as they are")
		assert.Len(t, evaluated[[]ruled](t, ctx, geometry), 1)
	}
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate("file://"+filepath.Join(dir, "many", "index.html"))))
	check("the index")
	for i := range names { // a link with the path of a value leads to it
		evaluated[string](t, ctx, fmt.Sprintf(`(location.hash = "#" + encodeURIComponent(rows[%d].dataset.document + "/a"), "")`, i))
		becomes(t, ctx, inHand)
		check(names[i])
		assert.Equal(t, 1.0, evaluated[float64](t, ctx, `document.querySelectorAll("mark.now").length`))
		require.NoError(t, chromedp.Do(ctx, chromedp.KeyEvent("u")))
		becomes(t, ctx, `typeof isIndex !== "undefined" && isIndex`)
	}
	assert.Zero(t, asked.Load(), "nothing is fetched")
}
