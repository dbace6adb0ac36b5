package cli

import (
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The secrets of the test's project. No piece of six letters of any may be found
// anywhere, in whatever form.
var canaries = map[string]string{"key": "zq7Kanari-Vkey/1+8=", "header": "hx3Kanari-Whead_92", "password": "pp5Kanari-Xpass!4", "query": "qy6Kanari-Yquery77", "page": "pg8Kanari-Zpage55"}

// repeating is a model server that repeats whatever it gets, in the manner that
// the path says: in a reply, an error, a redirect, a stream, a page, headers.
func repeating(manner *string) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		user, password, _ := r.BasicAuth()
		all := fmt.Sprintf("%v %s %s:%s ", r.Header, r.URL.RawQuery, user, password)
		all += base64.StdEncoding.EncodeToString([]byte(all)) + " " + base64.URLEncoding.EncodeToString([]byte("x"+all))
		digits := strings.ToUpper(hex.EncodeToString([]byte(all)))
		var escaped, units strings.Builder
		for at := 0; at < len(digits); at += 2 {
			escaped.WriteString("%" + digits[at:at+2])
		}
		all += " " + escaped.String() + " " + digits
		w.Header().Set("X-Got", strings.ReplaceAll(all, "\n", " "))
		content, _ := json.Marshal(`{"name": "Osier Plank", "note": ` + string(mustJSON(all)) + `, "` + r.Header.Get("X-Team") + `": 1} ` + all)
		for _, c := range all {
			fmt.Fprintf(&units, `\u%04x`, c)
		}
		reply := fmt.Sprintf(`{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":5,"completion_tokens":5},"seen":"%s"}`, content, &units)
		switch *manner {
		case "refuse", "fail":
			w.WriteHeader(map[string]int{"refuse": 401, "fail": 500}[*manner])
			fmt.Fprintf(w, `{"error":{"message":%s,"code":"%s"}}`, mustJSON("bad key "+all), &units)
		case "error": // in a reply that says it is one
			fmt.Fprintf(w, `{"error":{"message":%s}}`, mustJSON("no room for "+all))
		case "redirect":
			http.Redirect(w, r, "/"+strings.Fields(r.Header.Get("Authorization") + " x")[0]+"?"+r.URL.RawQuery, http.StatusFound)
		case "page":
			fmt.Fprintf(w, "<html><body>%s</body></html>", all)
		case "cut":
			w.Header().Set("Content-Length", fmt.Sprint(len(reply)))
			fmt.Fprint(w, reply[:len(reply)-9])
		case "stream":
			w.Header().Set("Content-Type", "text/event-stream")
			text := `{"name":"Osier Plank","note":` + string(mustJSON(all)) + `}`
			for at := 0; at < len(text); at += 3 { // no piece holds a key whole
				fmt.Fprintf(w, "data: {\"choices\":[{\"delta\":{\"content\":%s}}]}\n\n", mustJSON(text[at:min(at+3, len(text))]))
			}
			fmt.Fprint(w, "data: {\"choices\":[{\"delta\":{},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n")
		default:
			if len(body) == 0 { // a document
				fmt.Fprintf(w, "Name: Osier Plank\nNote: %s\n", all)
				return
			}
			fmt.Fprint(w, reply)
		}
	})
}

func mustJSON(v any) []byte {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return b
}

// Whatever a server sends back, no key, password or header is shown or kept: not
// by any command, not in any file.
func TestKeysStayIn(t *testing.T) {
	manner := ""
	s := httptest.NewServer(repeating(&manner))
	defer s.Close()
	dir := t.TempDir()
	t.Chdir(dir)
	t.Setenv("TMPDIR", filepath.Join(dir, "tmp"))
	require.NoError(t, os.Mkdir("tmp", 0o755))
	put := func(name, text string) { require.NoError(t, os.WriteFile(name, []byte(text), 0o600)) }
	at := strings.Replace(s.URL, "//", "//ann:"+canaries["password"]+"@", 1) + "/v1?token=" + canaries["query"]
	page := strings.Replace(s.URL, "//", "//bea:"+canaries["page"]+"@", 1) + "/doc.txt?sig=" + canaries["page"]
	// Keys are the one file of the project that holds any; the settings name the rest.
	project := fmt.Sprintf("schema: s.yaml\ndocuments: [a.txt, '%s']\npace: {attempts: 2}\nread: {links: keep}\nuse: m\nmodels:\n  m: {at: '%s', key_from: THE_KEY, price: {in: 1, out: 1}, headers: {X-Team: '%s'}}\n  streamed: {at: '%s', key_from: THE_KEY, price: {in: 1, out: 1}, stream: true, headers: {X-Team: '%s'}}\n", page, at, canaries["header"], s.URL+"/v1", canaries["header"])
	put("filler.yaml", project)
	put(".env", "THE_KEY="+canaries["key"]+"\n")
	put("s.yaml", "schema: s\nfields:\n  name: {text: Name of the bridge., required: true}\n  note: {text: A note., required: true, sensitive: true}\n")
	put("a.txt", "Name: Osier Plank\nNote: none\n")
	hidden := func(what, text string) {
		low := strings.ToLower(text)
		for name, key := range canaries {
			for from := 0; from+6 <= len(key); from++ {
				piece := key[from : from+6]
				if piece == "Kanari" || strings.Contains(piece, "anari") || strings.Contains(piece, "Kanar") {
					continue
				}
				require.NotContains(t, text, piece, "%s: a piece of the %s", what, name)
			}
			for _, form := range []string{"kanari", fmt.Sprintf("%x", "Kanari"), `\u004b\u0061\u006e`, "%4b%61%6e"} {
				require.NotContains(t, low, form, "%s: of the %s", what, name)
			}
			for before := range 3 {
				form := base64.StdEncoding.EncodeToString([]byte(strings.Repeat("x", before) + key))
				require.NotContains(t, text, form[4:12], "%s: the %s in base64", what, name)
			}
		}
	}
	for _, m := range []string{"", "error", "refuse", "fail", "redirect", "page", "cut", "stream"} {
		manner = m
		model := "m"
		if m == "stream" {
			model = "streamed"
		}
		for _, c := range []string{"probe", "fill --model MODEL --refetch -o out.jsonl --save-exchanges exchanges.jsonl", "fill --model MODEL --style by-field a.txt --json", "fill --model MODEL --style open --fresh a.txt", "fill --dry-run", "trace a.txt --full", "trace a.txt --full --json --sensitive",
			"runs", "runs --json", "validate --json", "repair --model MODEL", "repair --model MODEL --records out.jsonl", "update a.txt --model MODEL", "repeat a.txt --model MODEL -n 2", "vary --model MODEL --sample 1", "read", "read a.txt", "read --json " + page, "prompt a.txt", "prompt " + page, "schema draft --model MODEL",
			"gold draft", "gold status", "gold check", "score", "errors", "compare 1 1", "ledger check", "ledger prune --dry-run", "fill --model " + at + " a.txt", "score --gold " + page, "schema check", "schema outline", "read " + at + "x", "version"} {
			args := strings.Fields(strings.ReplaceAll(c, "MODEL", model))
			_, out, errOut := call("", args...)
			hidden(m+": "+c+": output", out)
			hidden(m+": "+c+": messages", errOut)
			assert.NotContains(t, errOut, "panic")
		}
	}
	files := 0
	require.NoError(t, filepath.Walk(dir, func(path string, info os.FileInfo, err error) error {
		if err != nil || info.IsDir() || info.Name() == ".env" || info.Name() == "filler.yaml" {
			return err
		}
		files++
		data, err := os.ReadFile(path)
		hidden(path, path+string(data))
		return err
	}))
	assert.Greater(t, files, 5, "there was something to search")
}
