package document

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
)

func TestParse(t *testing.T) {
	d, err := Parse("a", []byte("\ufeffa\r\nb\rc\n"))
	require.NoError(t, err)
	assert.Equal(t, "a\nb\nc\n", d.Text)
	assert.Equal(t, Hash("a\nb\nc\n"), d.Hash)
	for data, says := range map[string]string{"": "empty", " \n": "empty", "a\x81b": "byte 0x81 at offset 1 is not UTF-8", "gr\xc3\xbcn caf\xe9": "byte 0xe9 at offset 9 is not UTF-8", "\x01\x02\xff\xfe": "is not UTF-8", "\x00\x01\xff": "NUL", "a\x00": "NUL"} {
		_, err := Parse("a", []byte(data))
		require.Error(t, err)
		assert.Contains(t, err.Error(), says)
	}
}

func TestFind(t *testing.T) {
	dir := t.TempDir()
	for _, f := range []string{"docs/b.txt", "docs/sub/a b.md", "docs/.hidden/x.txt", "docs/c.pdf", "docs/ü.TXT"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(f)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, f), []byte("x"), 0o644))
	}
	found, err := Find(dir, []string{filepath.Join(dir, "docs"), filepath.Join(dir, "docs/b.txt")})
	require.NoError(t, err)
	var ids []string
	for _, s := range found {
		ids = append(ids, s.ID)
	}
	assert.Equal(t, []string{"docs/b.txt", "docs/c.pdf", "docs/sub/a b.md", "docs/ü.TXT"}, ids)
	_, err = Find(dir, []string{filepath.Join(dir, "nowhere")})
	assert.ErrorContains(t, err, "no such file")
	_, err = Source{ID: "docs", File: filepath.Join(dir, "docs")}.Read()
	assert.ErrorContains(t, err, "folder")
}

// Patterns stand for what a shell would take, and for what lies in the folders that
// they name; what is no document only where its ending is named.
func TestFindByPattern(t *testing.T) {
	dir := t.TempDir()
	for _, f := range []string{"in/a.txt", "in/b.txt", "in/c.pdf", "in/.d.txt", "in/e.bin", "in/2031/f.txt", "in/2031/x/g.txt", "in/empty/h.bin", "in/[1].txt", "out.txt"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(f)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, f), []byte("x"), 0o644))
	}
	require.NoError(t, os.Symlink("/etc", filepath.Join(dir, "in/zetc")))
	for pattern, want := range map[string]string{
		"in/*.txt":    "in/[1].txt in/a.txt in/b.txt",
		"in/[ab].txt": "in/a.txt in/b.txt",
		"in/{a,c}.*":  "in/a.txt in/c.pdf",
		"in/?.bin":    "in/e.bin",
		"in/**/*.txt": "in/2031/f.txt in/2031/x/g.txt in/[1].txt in/a.txt in/b.txt",
		"in/20*":      "in/2031/f.txt in/2031/x/g.txt",
		"in/*":        "in/2031/f.txt in/2031/x/g.txt in/[1].txt in/a.txt in/b.txt in/c.pdf",
		"in/[1].txt":  "in/[1].txt", // a file of that name comes first
		"in/**/x":     "in/2031/x/g.txt",
	} {
		found, err := Find(dir, []string{filepath.Join(dir, pattern)})
		require.NoError(t, err, pattern)
		var ids []string
		for _, s := range found {
			ids = append(ids, s.ID)
		}
		assert.Equal(t, want, strings.Join(ids, " "), pattern)
	}
	for pattern, says := range map[string]string{"in/*.html": "no document matches this pattern", "in/[a.txt": "a pattern that can't be read", "in/empty*": "no document matches"} {
		_, err := Find(dir, []string{filepath.Join(dir, pattern)})
		assert.ErrorContains(t, err, says, pattern)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte("a\r\nb"))
	f.Add([]byte("\xef\xbb\xbf\r"))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := Parse("a", data)
		if err != nil {
			return
		}
		require.False(t, strings.ContainsAny(d.Text, "\r\x00"))
		again, err := Parse("a", []byte(d.Text))
		if strings.HasPrefix(d.Text, "\ufeff") {
			return // two marks: the second is text
		}
		require.NoError(t, err)
		require.Equal(t, d.Hash, again.Hash)
		l := NewLines(d.Text)
		at := 0
		for n := 1; n <= l.Len(); n++ {
			require.Equal(t, n, l.Of(at))
			at += len(l.Text(n)) + 1
		}
	})
}

func TestEncodings(t *testing.T) {
	for name, c := range map[string]struct{ data, text, note string }{
		"UTF-8 with a mark":        {"\xef\xbb\xbfcafé", "café", ""},
		"UTF-16, little end first": {"\xff\xfec\x00a\x00f\x00\xe9\x00", "café", "read as UTF-16"},
		"UTF-16, big end first":    {"\xfe\xff\x00c\x00a\x00f\x00\xe9", "café", "read as UTF-16"},
		"UTF-16 without a mark":    {"c\x00a\x00f\x00e\x00 \x00=\x00", "cafe =", "read as UTF-16 without a mark"},
		"UTF-16 beyond the plane":  {"\xff\xfe\x3d\xd8\x00\xdea\x00", "\U0001F600a", "read as UTF-16"},
		"Latin-1":                  {"caf\xe9 au lait", "café au lait", "read as Latin-1, by guess"},
		"Windows-1252":             {"\x93caf\xe9\x94 \x80 5", "“café” € 5", "read as Windows-1252, by guess"},
	} {
		d, err := Parse("a.txt", []byte(c.data))
		require.NoError(t, err, name)
		assert.Equal(t, c.text, d.Text, name)
		assert.Equal(t, c.note, strings.Join(d.Notes, ""), name)
	}
	_, err := Parse("a.txt", []byte("\xff\xfec\x00a"))
	assert.ErrorContains(t, err, "odd number of bytes")
	_, err = Parse("a.txt", []byte("\xff\xfe\x00\xd8a\x00"))
	assert.ErrorContains(t, err, "not UTF-16 at byte")
}

const page = `<!DOCTYPE html><html><head><title>x</title><style>p{}</style></head><body>
<nav><a href="/">Home</a></nav><div class="top-menu"><ul><li><a href="/">Start</a></li></ul></div><script>alert(1)</script>
<h1>Report FB_2031-07</h1><p>Visited on <b>3&nbsp;April</b> by <a href="/q">Dana *Quill*</a>.</p><p hidden>secret</p>
<form><label>Bridge</label><input value="Heron Plank"><br><label>Closed</label><input type="checkbox" checked>
<select><option>dry</option><option selected>rain</option></select><input type="hidden" value="token"><textarea>All well</textarea></form>
<table><tr><th>Bay</th><th>Length</th></tr><tr><td>1</td><td>12.4 m</td></tr><tr><td>2</td><td></td></tr></table>
<footer>Imprint</footer></body></html>`

func TestWebPage(t *testing.T) {
	d, err := Parse("a.html", []byte(page))
	require.NoError(t, err)
	assert.Equal(t, WebPage, d.Format)
	for _, part := range []string{"# Report FB_2031-07", "Visited on 3 April by Dana *Quill*.", "Bridge Heron Plank", "[x]", "rain", "All well", "| Bay | Length |", "| 1   | 12.4 m |"} {
		assert.Contains(t, d.Text, part)
	}
	for _, part := range []string{"Home", "Start", "alert", "secret", "dry", "token", "Imprint", "p{}", "\\"} {
		assert.NotContains(t, d.Text, part)
	}
	same, err := Parse("no-name", []byte(page))
	require.NoError(t, err)
	assert.Equal(t, d.Text, same.Text, "told by content")
	assert.NotEmpty(t, d.Raw)
}

func TestHostilePages(t *testing.T) {
	deep := strings.Repeat("<div>", 100_000) + "found" + strings.Repeat("</div>", 100_000)
	d, err := Parse("deep.html", []byte("<html><body>"+deep+"<p>and after"))
	require.NoError(t, err)
	assert.Contains(t, d.Text, "found")
	assert.Contains(t, d.Text, "and after")
	_, err = Parse("empty.html", []byte("<html><script>x</script>"))
	assert.ErrorContains(t, err, "empty")
}

func TestMail(t *testing.T) {
	text := "From: =?utf-8?q?J=C3=B6rg_Quill?= <q@ossel.example>\r\nTo: a@b.example\r\nSubject: Report\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=XX\r\n\r\n" +
		"--XX\r\nContent-Type: multipart/alternative; boundary=YY\r\n\r\n--YY\r\nContent-Type: text/plain; charset=iso-8859-1\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\nGr=FC=DFe, bay 1=\r\n is fine\r\n--YY\r\nContent-Type: text/html\r\n\r\n<p>page</p>\r\n--YY--\r\n" +
		"--XX\r\nContent-Type: application/pdf; name=plan.pdf\r\nContent-Disposition: attachment; filename=plan.pdf\r\nContent-Transfer-Encoding: base64\r\n\r\nAAAA\r\n--XX--\r\n"
	d, err := Parse("a.eml", []byte(text))
	require.NoError(t, err)
	assert.Equal(t, "From: Jörg Quill <q@ossel.example>\nTo: a@b.example\nSubject: Report\n\nGrüße, bay 1 is fine\n\nAttached: plan.pdf (#1)\n", d.Text)
	d, err = Parse("b.eml", []byte("From: a@b.example\nContent-Type: text/html\nContent-Transfer-Encoding: base64\n\nPHA+aGkgPGI+dGhlcmU8L2I+PC9wPg==\n"))
	require.NoError(t, err)
	assert.Contains(t, d.Text, "\nhi there\n")
	d, err = Parse("c.eml", []byte("just some text"))
	require.NoError(t, err)
	assert.Equal(t, Plain, d.Format, "what is no message is read as text")
}

func FuzzFormats(f *testing.F) {
	f.Add("a.html", []byte(page))
	f.Add("a.eml", []byte("From: a\nContent-Type: multipart/mixed; boundary=X\n\n--X\n\nhi\n--X--\n"))
	f.Add("a", []byte("\xff\xfea\x00"))
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		d, err := Parse(name, data)
		if err != nil {
			require.NotContains(t, strings.ReplaceAll(err.Error(), name, ""), "\n")
			return
		}
		require.True(t, utf8.ValidString(d.Text))
		require.False(t, strings.ContainsAny(d.Text, "\r"))
	})
}

var bigPage = []byte(strings.Replace(page, "</table>", strings.Repeat("<tr><td>3</td><td>4.5 m</td></tr>", 2000)+"</table>"+
	strings.Repeat(`<div class="entry"><p>The deck of the <b>upper</b> bay is sound, and its <a href="/x">handrail</a> was replaced.</p></div>`, 1000), 1))

func BenchmarkPage(b *testing.B) {
	b.SetBytes(int64(len(bigPage)))
	for b.Loop() {
		if _, err := Parse("a.html", bigPage); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkPageParse is what the HTML library takes merely to parse the page
// of BenchmarkPage.
func BenchmarkPageParse(b *testing.B) {
	b.SetBytes(int64(len(bigPage)))
	for b.Loop() {
		if _, err := html.Parse(bytes.NewReader(bigPage)); err != nil {
			b.Fatal(err)
		}
	}
}
