package standin

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/schema"
	"filler/internal/source/document"
)

func ask(t *testing.T, url, model, path, shape string, s *schema.Schema) string {
	t.Helper()
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	d, err := document.Parse(path, data)
	require.NoError(t, err)
	req := prompt.Fill(&project.Model{Name: model, Reply: 4096}, s, d, shape, prompt.Settings{Layout: "rows"})
	resp, err := http.Post(url+"/chat/completions", "application/json", bytes.NewReader(chat.Body(req)))
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Equal(t, 200, resp.StatusCode, string(body))
	reply, err := chat.ReadReply(body)
	require.NoError(t, err)
	assert.True(t, reply.HasUsage && reply.TokensIn > 100 && reply.TokensOut > 5)
	return reply.Text
}

// Under shape schema every character's reply follows the schema that was sent;
// the same request gets the same reply; characters differ.
func TestCharacters(t *testing.T) {
	s, err := schema.Load("../demo/project/schemas/inspection.yaml")
	require.NoError(t, err)
	wire := s.Wire()
	var native any
	require.NoError(t, json.Unmarshal(wire.JSON(), &native))
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("wire.json", native))
	compiled, err := c.Compile("wire.json")
	require.NoError(t, err)
	server, err := Start("127.0.0.1:0", Options{})
	require.NoError(t, err)
	defer server.Close()
	files, _ := filepath.Glob("../demo/project/documents/[^t]*/*") // all but the typeset ones, which a child would read
	require.Len(t, files, 23)
	plain, odd := 0, 0
	replies := map[string]bool{}
	for _, f := range files {
		for _, name := range []string{"hasty", "steady", "careful"} {
			text := ask(t, server.URL, name, f, "schema", s)
			var v any
			require.NoError(t, json.Unmarshal([]byte(text), &v), "%s %s", name, f)
			require.NoError(t, compiled.Validate(v), "%s %s", name, f)
			assert.Equal(t, text, ask(t, server.URL, name, f, "schema", s))
			replies[text] = true
			if name != "careful" && json.Valid([]byte(ask(t, server.URL, name, f, "plain", s))) {
				plain++
			} else {
				odd++
			}
		}
	}
	assert.Greater(t, len(replies), 24, "characters should differ")
	assert.Greater(t, odd, 8)
	assert.Greater(t, plain, 8)
}

func TestProtocol(t *testing.T) {
	server, err := Start("127.0.0.1:0", Options{Key: "k"})
	require.NoError(t, err)
	defer server.Close()
	post := func(path, key, body string) (int, string) {
		req, _ := http.NewRequest("POST", strings.TrimSuffix(server.URL, "/v1")+path, strings.NewReader(body))
		req.Header.Set("Authorization", "Bearer "+key)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		data, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, string(data)
	}
	for _, c := range []struct {
		path, key, body string
		status          int
		says            string
	}{
		{"/v1/chat/completions", "x", `{}`, 401, "key is missing or wrong"},
		{"/v1/chat/completions", "k", `{`, 400, "needs `model`"},
		{"/v1/chat/completions", "k", `{"model":"m","messages":[]}`, 400, "needs `model`"},
		{"/v1/elsewhere", "k", `{}`, 404, "no such endpoint"},
		{"/v1/chat/completions", "k", `{"model":"m","messages":[{"role":"user","content":"hello"}]}`, 200, "which fields"},
		{"/v1/chat/completions", "k", `{"model":"m","messages":[{"role":"user","content":[{"type":"text","text":"- name (text): A name.\n===1\nName: Osk\n===1\n"}]}],"max_tokens":1000}`, 200, `Osk`},
		{"/v1/chat/completions", "k", `{"model":"m","messages":[{"role":"user","content":"- name (text): A name.\n===1\nName: Osk Osk Osk\n===1\n"}],"max_tokens":3}`, 200, `"finish_reason":"length"`},
	} {
		status, body := post(c.path, c.key, c.body)
		assert.Equal(t, c.status, status, c.body)
		assert.Contains(t, body, c.says)
	}
}

// Without any list of fields in the prompt the reply's schema is enough.
func TestSchemaAlone(t *testing.T) {
	server, err := Start("127.0.0.1:0", Options{Character: "careful"})
	require.NoError(t, err)
	defer server.Close()
	body := `{"model":"m","messages":[{"role":"user","content":"Kiln: 6\nFired on: 3 May 2031\nGlaze: ash"}],"response_format":{"type":"json_schema","json_schema":{"name":"x","schema":
		{"type":"object","properties":{"kiln":{"type":["integer","null"]},"fired_on":{"type":["string","null"],"description":"As YYYY-MM-DD."},"glaze":{"type":["string","null"],"enum":["ash","salt",null]}}}}}}`
	resp, err := http.Post(server.URL+"/chat/completions", "application/json", strings.NewReader(body))
	require.NoError(t, err)
	defer resp.Body.Close()
	data, _ := io.ReadAll(resp.Body)
	reply, err := chat.ReadReply(data)
	require.NoError(t, err)
	assert.JSONEq(t, `{"kiln":6,"fired_on":"2031-05-03","glaze":"ash"}`, reply.Text)
}
