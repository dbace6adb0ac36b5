package cli

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// The values of sensitive fields are in records, which are data, and in what shows a
// document; nothing else shows them unless it is told to: no message, trace, tree,
// comparison or list of errors, in whatever state a reply came.
func TestSensitiveValuesAreMasked(t *testing.T) {
	t.Chdir(t.TempDir())
	put := func(name, text string) { require.NoError(t, os.WriteFile(name, []byte(text), 0o600)) }
	put("filler.yaml", "schema: s.yaml\ndocuments: [docs]\nuse: m\nmodels: {m: {at: 'standin:careful'}, n: {at: 'standin:hasty'}, s: {at: 'http://127.0.0.1:1/v1'}}\n")
	put("s.yaml", `schema: s
fields:
  name: {text: Name of the bridge., printed_as: [Name]}
  owner: {text: Name of the owner., printed_as: [Owner], sensitive: true, pattern: '^[A-Z][a-z]+ [A-Z][a-z]+$', required: true}
  fee: {money: What the owner pays., currency: EUR, printed_as: [Fee], sensitive: true, max: 900}
  born: {date: Birthday of the owner., printed_as: [Born], sensitive: true, written: [D.M.YYYY]}
  code: {choice: Code., of: [stripe, hump], printed_as: [Code], sensitive: true}
  people: {list: Who works there., fields: {who: {text: Name., printed_as: [Works there], sensitive: true}, days: {integer: Days.}}}
rules:
  - {holds: 'fee.amount < 500', say: The fee is small.}
`)
	require.NoError(t, os.Mkdir("docs", 0o755))
	put("docs/a.txt", "Name: Osier Plank\nOwner: Quilliam Brask\nFee: EUR 777,31\nBorn: 3.4.1971\nCode: stripe\n\nWorks there: Sunniva Tolk\nDays: 3\n")
	put("docs/b.txt", "Name: Heron Plank\nOwner: quilliam brask\nFee: EUR 1.777,31\nBorn: 30.4.1971\nCode: zebra\n\nWorks there: Sunniva Tolk\nDays: 3\n")
	put("r.jsonl", `{"document":"docs/a.txt","record":{"name":"Osier Plank","owner":"Quilliam","fee":{"amount":9777.31,"currency":"USD"},"born":"1971-04-33","code":"zebu","people":[{"who":"Sunniva Tolk","days":"x"},{"who":["Sunniva Tolk"]}]}}`+"\n"+
		`{"document":"docs/b.txt","record":{"owner":"Quilliam Brask","fee":"777,31 euros","people":"Sunniva Tolk"}}`+"\n")
	replies := `{"request":null,"status":200,"reply":{}}` + "\n"
	put("e.jsonl", replies)
	code, _, errOut := call("", "fill", "-o", "out.jsonl")
	require.Contains(t, []int{0, 3}, code, errOut)
	canaries := []string{"uilliam", "rask", "777", "1971", "3.4.19", "zeb", "unniva", "Tolk"}
	for _, c := range []string{"fill --fresh --name two --model n -o out2.jsonl", "trace docs/a.txt", "trace docs/a.txt --full", "trace docs/b.txt", "trace docs/b.txt --full", "trace docs/b.txt --full --json", "trace docs/a.txt --run two --full", "validate", "validate --json", "validate --records r.jsonl", "validate --records r.jsonl --json",
		"repair --records r.jsonl -o out3.jsonl --name three", "trace docs/a.txt --run three --full", "trace docs/b.txt --run three --full --json", "gold draft", "gold check", "gold check --json", "gold sign --reviewer ann", "gold status", "score", "score --json", "score two", "score --confusion code", "errors", "errors two", "errors --all", "errors --json", "errors --records r.jsonl", "errors --records r.jsonl --json",
		"compare 1 two", "compare 1 two --json", "compare 1 two --no-gold", "compare r.jsonl out2.jsonl", "repeat docs/b.txt -n 3 --model n", "repeat docs/b.txt -n 3 --model n --json", "vary --sample 2", "vary --sample 2 --json", "update docs/b.txt --run 1 --of docs/a.txt -o out4.jsonl --name four", "trace docs/a.txt --run four --full", "runs", "schema check"} {
		_, out, errOut := call("", strings.Fields(c)...)
		assert.NotContains(t, errOut, "unknown flag", c)
		if strings.HasSuffix(c, "--json") && out != "" {
			for _, line := range strings.Split(strings.TrimSpace(out), "\n") {
				_, err := value.Parse(line)
				assert.NoError(t, err, "%s: %.200s", c, line)
			}
		}
		for _, canary := range canaries {
			for _, line := range strings.Split(out+errOut, "\n") {
				if strings.Contains(line, canary) && !strings.Contains(line, "maximum") {
					assert.Failf(t, "shown", "%s: %q in %.300s", c, canary, line)
					break
				}
			}
		}
	}
	_, out, _ := call("", "trace", "docs/a.txt", "--full", "--sensitive")
	assert.Contains(t, out, "Quilliam Brask")
}

// Under a schema with sensitive fields no line of a document is shown: one that a value in error
// stands on may hold another that is sensitive.
func TestLinesBesideSensitiveValues(t *testing.T) {
	t.Chdir(t.TempDir())
	put := func(name, text string) { require.NoError(t, os.WriteFile(name, []byte(text), 0o600)) }
	put("s.yaml", "schema: s\nfields:\n  name: {text: Name of the bridge.}\n  owner: {text: Name of the owner., sensitive: true}\n")
	var records, golds []string
	for _, id := range []string{"a.txt", "b.txt", "c.txt"} {
		put(id, "Structure: Osier Plank "+id[:1]+", kept by Quilliam Brask\n")
		records = append(records, `{"document":"`+id+`","record":{"name":"Heron","owner":"Quilliam Brask"}}`)
		golds = append(golds, `{"document":"`+id+`","state":"reviewed","record":{"name":"Osier Plank `+id[:1]+`","owner":"Quilliam Brask"}}`)
	}
	put("r.jsonl", strings.Join(records, "\n")+"\n")
	put("g.jsonl", strings.Join(golds, "\n")+"\n")
	of := []string{"errors", "--schema", "s.yaml", "--records", "r.jsonl", "--gold", "g.jsonl", "--all"}
	for _, more := range [][]string{nil, {"--json"}} {
		_, out, errOut := call("", append(of, more...)...)
		assert.Contains(t, out, "Heron", errOut)
		assert.NotContains(t, out, "Quilliam")
		_, out, errOut = call("", append(append(of, more...), "--sensitive")...)
		assert.Contains(t, out, "kept by Quilliam Brask", errOut)
	}
}
