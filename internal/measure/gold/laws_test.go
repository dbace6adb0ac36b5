package gold

import (
	"bytes"
	"encoding/json"
	"fmt"
	"hash/maphash"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

func smallSchema(t testing.TB) *schema.Schema {
	s, err := schema.Parse("s.yaml", []byte(small))
	require.NoError(t, err)
	return s
}

// Documents that are alike by way of a third stay together, whatever their order:
// no two alike ones are ever in two parts.
func TestAlikeByWayOfAThird(t *testing.T) {
	r := rand.New(rand.NewPCG(43, 1))
	texts := map[string]string{}
	var ids []string
	for chain := range 12 {
		words := make([]string, 120)
		for i := range words {
			words[i] = fmt.Sprintf("w%d-%d", chain, i)
		}
		for link := range 4 { // each a few words further from the first
			for range 4 {
				if link > 0 {
					words[r.IntN(len(words))] = fmt.Sprintf("x%d-%d-%d", chain, link, r.IntN(1000))
				}
			}
			id := fmt.Sprintf("c%02d-%d", chain, link)
			ids, texts[id] = append(ids, id), strings.Join(words, " ")
		}
	}
	shingles := map[string]document.Shingles{}
	for id, text := range texts {
		shingles[id] = document.NewShingles(text)
	}
	chained := 0 // pairs that are not alike, and stay together all the same
	for seed := range int64(20) {
		r.Shuffle(len(ids), func(i, j int) { ids[i], ids[j] = ids[j], ids[i] })
		s := Divide(ids, texts, func(string) string { return "" }, 0.4, seed)
		require.Len(t, s.Of, len(ids))
		for i, a := range ids {
			for _, b := range ids[:i] {
				if likeness := shingles[a].Likeness(shingles[b]); likeness >= alikeFrom {
					require.Equal(t, s.Of[a], s.Of[b], "%s and %s are %.2f alike", a, b, likeness)
				}
			}
		}
		for _, group := range s.Alike {
			for i, a := range group {
				for _, b := range group[:i] {
					if shingles[a].Likeness(shingles[b]) < alikeFrom {
						chained++
					}
				}
			}
		}
	}
	assert.Positive(t, chained, "some should be alike by way of a third alone")
}

// The file of a document's gold lies below the folder, whatever the document is
// called, and two documents of one folder have two files.
func TestFilesLieBelow(t *testing.T) {
	dir := t.TempDir()
	seen := map[string]string{}
	for _, id := range []string{"documents/a.txt", "documents/b/a.txt", "letters/a.txt", "../../etc/passwd", "/etc/passwd", "https://example.invalid/x?y=1", "table.csv#7", "table.csv#8", "documents/table.csv#7", "a.b.c.txt", "none", "documents/same.txt", "documents/same.md", "documents/same", "same.txt", "documents/..", "documents/%2E%2E", "documents//a.txt", "a:b", "a?b", "a_b", ".", ""} {
		file := FileOf(dir, id)
		rel, err := filepath.Rel(dir, file)
		require.NoError(t, err)
		assert.False(t, strings.HasPrefix(rel, ".."), "%s is kept in %s", id, file)
		assert.Equal(t, ".json", filepath.Ext(file))
		v := value.Obj(value.Str(id).Named("document"))
		require.NoError(t, Write(file, &v), id)
		require.Empty(t, seen[file], "%s and %s", id, seen[file])
		seen[file] = id
	}
	assert.NotEqual(t, FileOf(dir, "table.csv#7"), FileOf(dir, "table.csv#8"))
}

// A change rewrites the members that it names and nothing else of a file, and a
// file that can't be written stays what it was.
func TestChangeKeepsTheRest(t *testing.T) {
	file := filepath.Join(t.TempDir(), "g.json")
	const text = `{"document":"d","notes":{"/a":"hard to read"},"state":"draft","mine":[1.50,null],"record":{"b":"Ö"}}`
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	require.NoError(t, Change(file, value.Str(Reviewed).Named("state"), value.Str("Ada").Named("reviewer"), value.Str("2031-01-02").Named("on")))
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	var compact bytes.Buffer
	require.NoError(t, json.Compact(&compact, data))
	assert.Equal(t, `{"document":"d","notes":{"/a":"hard to read"},"state":"reviewed","on":"2031-01-02","reviewer":"Ada","mine":[1.50,null],"record":{"b":"Ö"}}`, compact.String())
	require.NoError(t, Change(file, value.Value{Name: "reviewer"}))
	data, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.NotContains(t, string(data), "Ada")

	require.NoError(t, os.WriteFile(file, []byte("{\n \"document\": oops}"), 0o644))
	assert.ErrorContains(t, Change(file, value.Str("x").Named("reviewer")), "g.json:2:14: not JSON")
	assert.ErrorContains(t, Change(filepath.Join(t.TempDir(), "none.json")), "can't be read")
	left, err := os.ReadDir(filepath.Dir(file))
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing is left behind")
}

// Findings name the line on which the value stands, in a file of any layout.
func TestFindingsNameTheLine(t *testing.T) {
	s := smallSchema(t)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(47, 1))
	for i := range 60 {
		items := 1 + r.IntN(6)
		var b strings.Builder
		fmt.Fprintf(&b, "{\"document\": \"d%d\",%s\"state\": \"reviewed\", \"reviewer\": \"Ada\",\n \"record\": {%s\"l\": [", i, strings.Repeat("\n", 1+r.IntN(3)), strings.Repeat("\n", r.IntN(3)))
		bad, at := r.IntN(items), 0
		for n := range items {
			if n > 0 {
				b.WriteString("," + strings.Repeat("\n", r.IntN(3)))
			}
			grade := "3"
			if n == bad {
				grade = `"three"`
				at = 1 + strings.Count(b.String(), "\n")
			}
			fmt.Fprintf(&b, `{"n": %s, "t": "x"}`, grade)
		}
		b.WriteString("\n]}}")
		file := filepath.Join(dir, fmt.Sprintf("g%d.json", i))
		require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
		set, err := Load(dir, s)
		require.NoError(t, err)
		found := Check(s, check, set[fmt.Sprintf("d%d", i)], nil, nil)
		require.Len(t, found, 1, b.String())
		require.Equal(t, []any{Breaks, at, value.Pointer(fmt.Sprintf("/l/%d/n", bad))}, []any{found[0].Kind, found[0].Line, found[0].Path}, b.String())
	}
}

// In a file of JSON Lines a finding names the record's line.
func TestFindingsInLines(t *testing.T) {
	s := smallSchema(t)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "g.jsonl")
	require.NoError(t, os.WriteFile(file, []byte("{\"document\":\"d\",\"record\":{\"a\":1}}\n\n{\"document\":\"e\",\"record\":{\"a\":\"one\"}}\n"), 0o644))
	set, err := Load(file, s)
	require.NoError(t, err)
	assert.Empty(t, Check(s, check, set["d"], nil, nil))
	found := Check(s, check, set["e"], nil, nil)
	require.Len(t, found, 1)
	assert.Equal(t, []any{Breaks, 3, value.Pointer("/a")}, []any{found[0].Kind, found[0].Line, found[0].Path})
}

// What is read from a long file again and again, by many at once and in any order,
// is what a file in memory gives; a line that has become another is named.
func TestLongFilesAreReadAgain(t *testing.T) {
	s := smallSchema(t)
	file := filepath.Join(t.TempDir(), "gold.jsonl")
	var b bytes.Buffer
	b.WriteString("\ufeff")
	n := 0
	for ; b.Len() <= inMemory; n++ {
		state, k := "reviewed", "x"
		switch n % 5 {
		case 0:
			state = "disputed"
		case 1:
			k = "neither"
		}
		if n%7 == 0 {
			b.WriteString("\n  \n")
		}
		head := fmt.Sprintf(`"document":"d%d",`, n)
		if n%11 == 0 { // where the id does not stand at the head, or has escapes
			head = fmt.Sprintf(`"split":"tune","document":"\u0064%d",`, n)
		}
		fmt.Fprintf(&b, "{%s\"state\":%q,\"by\":\"Ada\",\"source\":\"h%d\",\"record\":{\"a\":%d,\"b\":%q,\"k\":%q,\"l\":[]}}\r\n", head, state, n, n, strings.Repeat("ü", 200), k)
	}
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
	set, err := Load(file, s)
	require.NoError(t, err)
	shelf, err := Open(file, s)
	require.NoError(t, err)
	require.NotNil(t, shelf.long)
	require.Equal(t, []int{n, n}, []int{len(set), shelf.Len()})
	var wait sync.WaitGroup
	for step := range 4 { // forwards, backwards, in leaps
		wait.Go(func() {
			hand := shelf.Hand()
			for i := range n {
				at := []int{i, n - 1 - i, i * 37 % n, i / 2}[step]
				number, g, err := hand.Find(fmt.Sprintf("d%d", at))
				if !assert.NoError(t, err) || !assert.Equal(t, at, number) {
					return
				}
				same := *g
				same.Record, same.n = g.Record.Detach(), set[g.Document].n
				if !assert.Equal(t, *set[g.Document], same) {
					return
				}
			}
			number, g, err := hand.Find("nobody")
			assert.Equal(t, []any{-1, (*Record)(nil), nil}, []any{number, g, err})
		})
	}
	wait.Wait()
	require.NoError(t, os.WriteFile(file, bytes.Replace(b.Bytes(), []byte(`"a":100,`), []byte(`"a":1 0,`), 1), 0o644))
	line := 1 + bytes.Count(b.Bytes()[:bytes.Index(b.Bytes(), []byte(`"a":100,`))], []byte("\n"))
	hand := shelf.Hand()
	_, _, err = hand.Find("d100")
	assert.ErrorContains(t, err, fmt.Sprintf("line %d, is not a record", line))
	require.NoError(t, os.Truncate(file, 10))
	_, _, err = hand.Find("d7")
	assert.ErrorContains(t, err, "can't be read any more")
}

// A second record of a document is told with its line, also where ids share a
// hash.
func TestTwiceInALongFile(t *testing.T) {
	s := smallSchema(t)
	file := filepath.Join(t.TempDir(), "gold.jsonl")
	var b bytes.Buffer
	n := 0
	for ; b.Len() <= inMemory; n++ {
		fmt.Fprintf(&b, "{\"document\":\"d%d\",\"record\":{\"a\":%d,\"b\":%q}}\n", n, n, strings.Repeat("x", 200))
	}
	fmt.Fprintf(&b, "{\"document\":\"d5\",\"record\":{\"a\":1}}\n")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
	_, err := Open(file, s)
	assert.ErrorContains(t, err, fmt.Sprintf("gold.jsonl:%d", n+1))
	assert.ErrorContains(t, err, "a second gold record for d5")

	_, l, err := begin(file, s)
	require.NoError(t, err)
	f, err := os.Open(file)
	require.NoError(t, err)
	defer f.Close()
	crowded := &long{file: f, path: file, loader: l, end: int64(b.Len()), few: 97, seed: maphash.MakeSeed(), first: map[uint32]int32{}, more: map[uint32][]int32{}}
	require.NoError(t, crowded.index())
	require.Len(t, l.faults, 1, "only the one that has two records")
	hand := (&Shelf{long: crowded}).Hand()
	for i := 0; i < n; i += 501 {
		number, g, err := hand.Find(fmt.Sprintf("d%d", i))
		require.NoError(t, err)
		require.Equal(t, i, number)
		require.Equal(t, fmt.Sprint(i), g.Record.Get("a").Text)
	}
	number, _, _ := hand.Find("another")
	assert.Equal(t, -1, number)
}

// What a file of choices says is read line by line, open ones passed over, and
// all faulty lines are named at once.
func TestReadChoices(t *testing.T) {
	file := filepath.Join(t.TempDir(), "c.jsonl")
	write := func(lines ...string) {
		require.NoError(t, os.WriteFile(file, []byte(strings.Join(lines, "\n")), 0o644))
	}
	write(`{"document":"d","path":"/a","first":1,"second":2,"choose":"first"}`, ``, `{"document":"d","path":"/b","choose":null}`, `{"document":"e","path":"/l/0/t","first":"x","second":null,"choose":"second"}`, `{"document":"e","path":"/k","choose":"value","value":"y"}`)
	all, err := ReadChoices(file)
	require.NoError(t, err)
	assert.True(t, all.Has("d", "/a"))
	assert.False(t, all.Has("d", "/b"))
	assert.False(t, all.Has("e", "/a"))
	assert.Equal(t, []Choice{{"e", "/l/0/t", value.Value{}}, {"e", "/k", value.Str("y")}}, all["e"])
	write(`{"document":"d"}`, `nothing`, `{"document":"d","path":"a","choose":"first"}`, `{"document":"d","path":"/a","choose":"value"}`)
	_, err = ReadChoices(file)
	for n, says := range []string{"needs `document` and `path`", "not JSON", "needs `document` and `path`", "with a member `value`"} {
		assert.ErrorContains(t, err, fmt.Sprintf("c.jsonl:%d:1: ", n+1))
		assert.ErrorContains(t, err, says)
	}
	none, err := ReadChoices("")
	require.NoError(t, err)
	assert.Empty(t, none)
	_, err = ReadChoices(file + "x")
	assert.ErrorContains(t, err, "check the path")
}

// A settled record says who the two were, who settled it and what; it is made of
// signed records alone.
func TestNewSettled(t *testing.T) {
	s := smallSchema(t)
	a := &Record{Document: "d", Hashes: record.Hashes{Text: "h"}, State: Reviewed, Reviewer: "Ada", Split: Test, Version: "3", Record: parse(t, `{"a":1,"b":"x","k":null,"l":[]}`)}
	b := &Record{Document: "d", State: Reviewed, Reviewer: "Bo", Record: parse(t, `{"a":2,"b":"x","k":null,"l":[]}`)}
	v := NewAdjudicated(s, a, b, []Choice{{"d", "/a", value.Num("2")}}, "Cy", time.Date(2031, 5, 6, 0, 0, 0, 0, time.UTC))
	assert.Equal(t, `{"document":"d","text_sha256":"h","version":"3","state":"reviewed","split":"test","reviewer":"Cy","on":"2031-05-06","adjudicated":{"first":"Ada","second":"Bo","values":[{"path":"/a","value":2}]},"record":{"a":2,"b":"x","k":null,"l":[]}}`, v.String())
	assert.Equal(t, `{"a":1,"b":"x","k":null,"l":[]}`, a.Record.String(), "the first's stays as it is")
	assert.Empty(t, NotAdjudicable(a, b))
	b.State = Draft
	assert.Equal(t, "B's record is a draft; sign it", NotAdjudicable(a, b))
	assert.Equal(t, "A's record is a draft; sign it", NotAdjudicable(b, a))
	assert.Equal(t, "only A has it", NotAdjudicable(a, nil))
}

// Nothing is signed that breaks its schema, or whose document is another now.
func TestUnsignable(t *testing.T) {
	hash := func(h string, err error) func() (record.Hashes, error) {
		return func() (record.Hashes, error) { return record.Hashes{Text: h}, err }
	}
	g := &Record{Hashes: record.Hashes{Text: "h"}}
	assert.Empty(t, g.Unsignable(hash("h", nil)))
	assert.Contains(t, g.Unsignable(hash("other", nil)), "its document has changed since the draft")
	g.Hashes.File = "f"
	assert.Empty(t, g.Unsignable(func() (record.Hashes, error) { return record.Hashes{Text: "other", File: "f"}, nil }), "a file that is read differently now is the same file")
	assert.Contains(t, g.Unsignable(hash("", os.ErrNotExist)), "can't be read")
	g.Fault = "/a: not a number"
	assert.Contains(t, g.Unsignable(hash("h", nil)), "it breaks the schema: /a")
	assert.Empty(t, (&Record{}).Unsignable(nil), "gold without hashes needs no document")
}
