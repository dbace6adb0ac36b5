package place

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"sort"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tree is what a YAML file of ours may hold: a text, a list or keys.
type tree struct {
	text string
	list []tree
	keys []string
	kids []tree
	kind int // 0 text, 1 list, 2 keys
}

func randomTree(r *rand.Rand, depth int) tree {
	kind := r.IntN(3)
	if depth > 3 {
		kind = 0
	}
	t := tree{kind: kind}
	switch kind {
	case 0:
		words := []string{"Heron Plank", "no", "3", "'quoted'", `say "so"`, "a: b", "# none", "ü – ä", "- dash", "null", "0x1F", "1e3", "{x}", "[y]", "*a", "&b", "!t", "|", "> f", "%", "@", "`", "yes", "~", "2031-04-03", "3.10", "007", "a\tb"}
		t.text = words[r.IntN(len(words))]
	case 1:
		for range r.IntN(4) {
			t.list = append(t.list, randomTree(r, depth+1))
		}
	case 2:
		for i := range 1 + r.IntN(4) {
			t.keys, t.kids = append(t.keys, fmt.Sprintf("k%d", i)), append(t.kids, randomTree(r, depth+1))
		}
	}
	return t
}

// write writes a tree in one of the styles of YAML, chosen at random.
func (t tree) write(b *strings.Builder, r *rand.Rand, indent string) {
	quoted := func(s string) string {
		if r.IntN(2) == 0 {
			return "'" + strings.ReplaceAll(s, "'", "''") + "'"
		}
		return strconv.Quote(s)
	}
	switch {
	case t.kind == 0:
		b.WriteString(" " + quoted(t.text) + "\n")
	case t.kind == 1 && len(t.list) == 0:
		b.WriteString(" []\n")
	case t.kind == 1:
		b.WriteString("\n")
		for _, item := range t.list {
			b.WriteString(indent + "-")
			item.write(b, r, indent+"  ")
		}
	default:
		b.WriteString("\n")
		for i, key := range t.keys {
			b.WriteString(indent + key + ":")
			if r.IntN(6) == 0 && t.kids[i].kind != 0 && (t.kids[i].kind == 2 || len(t.kids[i].list) > 0) {
				b.WriteString(" # a remark")
			}
			t.kids[i].write(b, r, indent+"  ")
		}
	}
}

func (t tree) check(test *testing.T, n *Node, about string) {
	require.NotNil(test, n, about)
	switch t.kind {
	case 0:
		require.True(test, n.IsScalar(), about)
		require.Equal(test, t.text, n.Text(), about)
	case 1:
		require.True(test, n.IsList(), about)
		require.Len(test, n.Items(), len(t.list), about)
		for i, item := range n.Items() {
			t.list[i].check(test, item, about)
		}
	default:
		require.True(test, n.IsMap(), about)
		require.Len(test, n.Pairs(), len(t.keys), about)
		for i, kid := range n.Pairs() {
			require.Equal(test, t.keys[i], kid.Key(), about)
			t.kids[i].check(test, n.Get(t.keys[i]), about)
		}
	}
}

// What is quoted comes back as it was written, at any depth, and a fault at any
// node names the line that its key stands in.
func TestTreesComeBack(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	for range 1500 {
		top := tree{kind: 2}
		for i := range 1 + r.IntN(4) {
			top.keys, top.kids = append(top.keys, fmt.Sprintf("k%d", i)), append(top.kids, randomTree(r, 0))
		}
		var b strings.Builder
		top.write(&b, r, "")
		text := strings.TrimPrefix(b.String(), "\n")
		f, root := Load("x.yaml", []byte(text))
		require.NoError(t, f.Faults.Err(), text)
		top.check(t, root, text)
		lines := strings.Split(text, "\n")
		for _, kid := range root.Pairs() {
			kid.Fault("is at fault", "correct it")
			fault := f.Faults[len(f.Faults)-1]
			require.Equal(t, lines[fault.Line-1], f.Excerpt(fault.Line), text)
			key := ""
			for _, line := range lines[:fault.Line] {
				if strings.HasPrefix(line, "k") {
					key, _, _ = strings.Cut(line, ":")
				}
			}
			require.Equal(t, kid.Key(), key, "line %d of\n%s", fault.Line, text)
			require.Equal(t, kid.Key(), fault.Path, text)
		}
		var v any
		require.NoError(t, json.Unmarshal(root.JSON(), &v), "%s\n%s", text, root.JSON())
	}
}

// The nearest word is found after any one slip of the hand, and never a word that
// is as near to another.
func TestOneSlip(t *testing.T) {
	known := []string{"schema", "documents", "gold", "models", "prompt", "repair", "budget", "metadata"}
	r := rand.New(rand.NewPCG(33, 34))
	for range 4000 {
		word := known[r.IntN(len(known))]
		at := r.IntN(len(word))
		slip := word
		switch r.IntN(4) {
		case 0:
			slip = word[:at] + word[at+1:]
		case 1:
			slip = word[:at] + string(rune('a'+r.IntN(26))) + word[at:]
		case 2:
			slip = word[:at] + string(rune('a'+r.IntN(26))) + word[at+1:]
		case 3:
			if at > 0 {
				slip = word[:at-1] + word[at:at+1] + word[at-1:at] + word[at+1:]
			}
		}
		require.Equal(t, word, Nearest(slip, known), slip)
		require.Contains(t, Suggest(slip, known), word)
	}
	for _, far := range []string{"", "x", "elephant", "zzzzzz"} {
		assert.Empty(t, Nearest(far, known), far)
		hint := Suggest(far, known)
		for _, w := range known {
			assert.Contains(t, hint, w, "all are named where none is near")
		}
	}
}

// Faults are told in the order of their places, each once, whatever order they
// were found in.
func TestFaultsInOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(35, 36))
	for range 300 {
		var fs Faults
		for range r.IntN(12) {
			fs = append(fs, Fault{File: "f.yaml", Line: 1 + r.IntN(5), Col: 1 + r.IntN(3), Msg: fmt.Sprint("m", r.IntN(2)), Hint: "h"})
		}
		unique := map[string]bool{}
		for _, f := range fs {
			unique[f.Error()] = true
		}
		require.Len(t, fs.Unique(), len(unique))
		err := fs.Err()
		if len(fs) == 0 {
			require.NoError(t, err)
			continue
		}
		var told Faults
		require.ErrorAs(t, err, &told)
		require.Len(t, told, len(fs))
		require.True(t, sort.SliceIsSorted(told, func(i, j int) bool {
			return told[i].Line < told[j].Line || told[i].Line == told[j].Line && told[i].Col < told[j].Col
		}))
		require.Len(t, strings.Split(err.Error(), "\n"), len(fs), "one line each")
	}
}
