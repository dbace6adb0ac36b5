package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"image/png"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/demo/paper"
)

// hostile is a page that would do much if anybody let it.
const hostile = `<html><head><title>x</title><style>#margin, header { display: none } body { background: red }</style><script>document.title = "taken over"</script></head>
<body onload="document.title='taken over'"><form action="http://127.0.0.1:1/"><input name="a"><button>Send</button></form>
<p>Sheet: OR-2 &lt;script&gt;document.title = 'taken over'&lt;/script&gt; &lt;img src=x onerror="document.title='taken over'"&gt;</p><p>Picked on 2 April 2031</p>
<svg onload="document.title='taken over'"></svg><iframe src="http://127.0.0.1:1/"></iframe></body></html>`

// gallery writes a project of a text, a hostile page and a scan, with drafts in which
// the day is wrong.
func gallery(t *testing.T) string {
	dir := t.TempDir()
	write := func(name string, data []byte) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
	}
	write("filler.yaml", []byte("schema: s.yaml\ndocuments: [documents]\ngold: gold\n"))
	write("s.yaml", []byte("schema: picking\nfields:\n  ref: {text: Number of the sheet., printed_as: [Sheet]}\n  picked: {date: Day., written: [D MMMM YYYY]}\n"))
	write("documents/1.txt", []byte("Sheet: OR-1\nPicked on 1 April 2031\n"))
	write("documents/2.html", []byte(hostile))
	sheet := paper.New(1000, 600, 150)
	sheet.Line(80, 120, "Sheet: OR-3", paper.Style{Size: 14})
	sheet.Line(80, 220, "Picked on 3 April 2031", paper.Style{Size: 14})
	drawn, _ := sheet.Turned(0)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, drawn))
	write("documents/3.png", b.Bytes())
	for _, n := range []string{"1.txt", "2.html", "3.png"} {
		write("gold/documents/"+n+".json", []byte("{\n  \"document\": \"documents/"+n+"\",\n  \"state\": \"draft\",\n  \"record\": {\"ref\": \"OR-"+n[:1]+"\", \"picked\": \"2031-04-09\"}\n}"))
	}
	return dir
}

// served starts a review in a browser and gives its address.
func served(t *testing.T, dir string) string {
	cmd := exec.Command("filler", "-C", dir, "gold", "review", "--reviewer", "M. Harrow", "--browser")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	var said bytes.Buffer
	cmd.Stderr = &said
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		cmd.Process.Signal(syscall.SIGINT)
		assert.NoError(t, cmd.Wait(), "%s", said.String())
	})
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err, "%s", said.String())
	return strings.TrimSpace(line)
}

// chromium starts the browser.
func chromium(t *testing.T) context.Context {
	t.Helper()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(needs.Program(t, "chromium")), chromedp.NoSandbox, chromedp.Flag("disable-quic", true), chromedp.WindowSize(1280, 800), chromedp.UserDataDir(t.TempDir()))
	ctx, cancel := chromedp.NewExecAllocator(t.Context(), options...)
	t.Cleanup(cancel)
	ctx, cancel = chromedp.NewContext(ctx)
	t.Cleanup(cancel)
	return ctx
}

// shows waits until the page has a text somewhere.
func shows(t *testing.T, text string) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, page *chromedp.Target) error {
		for end := time.Now().Add(15 * time.Second); ; time.Sleep(20 * time.Millisecond) {
			all, err := chromedp.Evaluate[string](`document.body.innerText`)(ctx, page)
			if err != nil {
				return err
			}
			if strings.Contains(all, text) {
				return nil
			}
			if time.Now().After(end) {
				t.Fatalf("the page never shows %q:\n%s", text, all)
			}
		}
	})
}

// opened waits for the line in which something is typed. The protocol sends the character
// of a key after the key, into what it opened, where a keyboard does not: it is selected,
// so that what is typed takes its place.
func opened() chromedp.Action[chromedp.Void] {
	return chromedp.Steps(chromedp.WaitVisible("#typed"), chromedp.Evaluate[chromedp.Void](`document.querySelector("#typed").select()`))
}

// drag drags the mouse over words that the page shows.
func drag(first, last string) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, page *chromedp.Target) error {
		at, err := chromedp.Evaluate[[]float64](`["`+first+`", "`+last+`"].flatMap((word) => {
			const r = [...document.querySelectorAll(".word")].find((w) => w.textContent === word).getBoundingClientRect();
			return [r.left + r.width / 2, r.top + r.height / 2]; })`)(ctx, page)
		if err != nil {
			return err
		}
		_, err = chromedp.DragAndDropXY(at[0], at[1], at[2], at[3], 5)(ctx, page)
		return err
	})
}

// Three documents are reviewed in a browser: by keys, by dragging over words of a hostile
// page, by dragging over words of a scan.
func TestReviewInABrowser(t *testing.T) {
	ctx := chromium(t)
	dir := gallery(t)
	address := served(t, dir)
	require.NoError(t, chromedp.Do(ctx,
		chromedp.Navigate(address),
		shows(t, "documents/1.txt"), shows(t, "1 of 3"),
		chromedp.KeyEvent(kb.Enter),
		shows(t, "1 of 2 decided"),
		chromedp.KeyEvent("e"), opened(), chromedp.KeyEvent("soon"+kb.Enter), shows(t, "YYYY-MM-DD"),
		chromedp.KeyEvent("1 April 2031"+kb.Enter),
		shows(t, "documents/2.html"), shows(t, "documents/1.txt is signed"),
		chromedp.KeyEvent(kb.Enter),
		shows(t, "1 of 2 decided"),
		drag("2", "2031"),
		shows(t, "documents/3.png"),
		chromedp.Func(func(ctx context.Context, page *chromedp.Target) error {
			title, err := chromedp.Title()(ctx, page)
			assert.Equal(t, "documents/3.png", title, "no script of a document ran")
			return err
		}),
		chromedp.WaitVisible(".page.pictured img"),
		chromedp.KeyEvent(kb.Enter),
		shows(t, "1 of 2 decided"),
		drag("3", "2031"),
		shows(t, "Nothing is left to decide"),
		chromedp.KeyEvent("u"),
		shows(t, "documents/3.png"), shows(t, "1 of 2 decided"),
		chromedp.KeyEvent("r"),
		shows(t, "2 of 2 decided"),
	))
	for n, want := range map[string]string{"1.txt": "changed", "2.html": "taken", "3.png": "taken"} {
		data, err := os.ReadFile(filepath.Join(dir, "gold/documents", n+".json"))
		require.NoError(t, err)
		var g struct {
			State, Reviewer string
			Record          map[string]string
			Decisions       map[string]string
		}
		require.NoError(t, json.Unmarshal(data, &g))
		assert.Equal(t, []string{"reviewed", "M. Harrow", "2031-04-0" + n[:1], "right", want}, []string{g.State, g.Reviewer, g.Record["picked"], g.Decisions["/ref"], g.Decisions["/picked"]}, n)
	}
}

// Nobody gets in without the token, by another name of this machine, or from another
// host's page; what another tab changed meanwhile is not done over.
func TestReviewPageIsClosed(t *testing.T) {
	address := served(t, gallery(t))
	ask := func(method, url, body string, head map[string]string) (int, string, http.Header) {
		r, err := http.NewRequest(method, url, strings.NewReader(body))
		require.NoError(t, err)
		for name, v := range head {
			r.Header.Set(name, v)
			if name == "Host" {
				r.Host = v
			}
		}
		resp, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer resp.Body.Close()
		data, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, string(data), resp.Header
	}
	code, body, head := ask("GET", address, "", nil)
	assert.Equal(t, 200, code)
	assert.Contains(t, head.Get("Content-Security-Policy"), "default-src 'none'; script-src 'self'")
	assert.NotContains(t, body, "http://", "nothing from outside")
	host := strings.TrimPrefix(address[:strings.LastIndex(strings.TrimSuffix(address, "/"), "/")], "http://")
	for name, try := range map[string]struct {
		url  string
		head map[string]string
	}{
		"no token":      {"http://" + host + "/state", nil},
		"another token": {"http://" + host + "/" + strings.Repeat("A", 32) + "/state", nil},
		"another name":  {address + "state", map[string]string{"Host": "review.example:80"}},
		"another page":  {address + "state", map[string]string{"Origin": "http://review.example"}},
		"another site":  {address + "state", map[string]string{"Sec-Fetch-Site": "cross-site"}},
	} {
		code, body, _ := ask("GET", try.url, "", try.head)
		assert.Equal(t, 403, code, name)
		assert.NotContains(t, body, "OR-1", name)
	}
	for _, url := range []string{"../../../etc/passwd", "picture?document=documents/3.png&page=1", "picture?document=/etc/passwd&page=1", "gold/documents/1.txt.json"} {
		code, _, _ := ask("GET", address+url, "", nil)
		assert.NotEqual(t, 200, code, "%s is no part of the document at hand", url)
	}
	js := map[string]string{"Content-Type": "application/json"}
	code, _, _ = ask("POST", address+"act", `{"do":"right","key":"/ref","version":0}`, map[string]string{"Content-Type": "text/plain"})
	assert.Equal(t, 404, code, "a form of another page can't send JSON")
	_, body, _ = ask("POST", address+"act", `{"do":"right","key":"/ref","version":0}`, js)
	assert.Contains(t, body, `"1 of 2 decided"`)
	_, body, _ = ask("POST", address+"act", `{"do":"empty","key":"/picked","version":0}`, js)
	assert.Contains(t, body, "changed in another tab")
	assert.Contains(t, body, `"1 of 2 decided"`)
	code, _, _ = ask("POST", address+"act", strings.Repeat("x", 1<<17), js)
	assert.Equal(t, 400, code)
}

// Words are pointed to by keys alone, a value is gone to and put in another place, and a
// note is written.
func TestReviewPageByKeys(t *testing.T) {
	ctx := chromium(t)
	dir := gallery(t)
	require.NoError(t, chromedp.Do(ctx,
		chromedp.Navigate(served(t, dir)),
		shows(t, "documents/1.txt"),
		chromedp.KeyEvent("g"), opened(), chromedp.KeyEvent("pic"+kb.Enter),
		shows(t, "picked date"),
		chromedp.KeyEvent("t"), shows(t, "take: 1 April 2031"),
		chromedp.KeyEvent("oct"), chromedp.KeyEvent(kb.Escape),
		chromedp.KeyEvent("t"), chromedp.KeyEvent(kb.ArrowLeft), shows(t, "take: on "),
		chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight, chromedp.KeyModifiers(chromedp.ModifierShift)), chromedp.KeyEvent(kb.ArrowRight, chromedp.KeyModifiers(chromedp.ModifierShift)),
		shows(t, "take: 1 April 2031"),
		chromedp.KeyEvent(kb.Enter),
		shows(t, "1 of 2 decided"),
		chromedp.KeyEvent("c"), opened(), chromedp.KeyEvent("a remark"+kb.Enter),
		shows(t, "note: a remark"),
		chromedp.KeyEvent("?"), shows(t, "make two of the item"), chromedp.KeyEvent("x"),
		chromedp.KeyEvent("z"), chromedp.KeyEvent("R"),
		chromedp.KeyEvent(kb.Enter),
		shows(t, "documents/1.txt is signed"),
	))
	data, err := os.ReadFile(filepath.Join(dir, "gold/documents/1.txt.json"))
	require.NoError(t, err)
	assert.Contains(t, string(data), `"/ref": "a remark"`)
	assert.Contains(t, string(data), `"/picked": "taken"`)
}
