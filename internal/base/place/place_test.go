package place

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func load(t *testing.T, text string) (*File, *Node) {
	t.Helper()
	f, root := Load("x.yaml", []byte(text))
	require.NotNil(t, root, f.Faults)
	return f, root
}

func TestValuesStayAsWritten(t *testing.T) {
	_, root := load(t, "a: 007\nb: no\nc: 1.10\nd: '12'\ne: null\nf: ~\ng: [1, x, \"2\"]\nh: {i: true}\nj: 2031-04-03\nk:\n")
	for key, want := range map[string]string{"a": "007", "b": "no", "c": "1.10", "d": "12", "e": "null", "f": "~", "j": "2031-04-03", "k": ""} {
		assert.Equal(t, want, root.Get(key).Text(), key)
	}
	assert.True(t, root.Get("k").IsNull())
	assert.False(t, root.Get("e").IsNull(), "the word null is a word")
	assert.Equal(t, `{"a":"007","b":"no","c":1.10,"d":"12","e":null,"f":"~","g":[1,"x","2"],"h":{"i":true},"j":"2031-04-03","k":null}`, string(root.JSON()))
	line, col := root.Get("h").Get("i").Place()
	assert.Equal(t, []int{8, 8}, []int{line, col})
}

func TestReadingFaults(t *testing.T) {
	f, root := load(t, "a: x\nb: [1, 2]\nc: -3\nd: {e: f}\ng: maybe\nh: {file: x}\n")
	root.Known("a", "b", "c", "d", "h")
	root.Get("h").Filled("the table's path")
	root.Get("b").Text()
	root.Get("c").Int(0)
	root.Get("a").Float()
	root.Get("d").Texts()
	root.Get("g").Bool()
	err := f.Faults.Err()
	require.Error(t, err)
	assert.Equal(t, strings.Join([]string{
		"x.yaml:1:4: a: expected a number of at least 0, not `x`; write it without quotes or units",
		"x.yaml:2:4: b: expected a text, not a list; write one value",
		"x.yaml:3:4: c: expected a whole number of at least 0, not `-3`; write it without quotes or units",
		"x.yaml:4:4: d: expected a list of texts, not keys and values; write [one, two]",
		`x.yaml:5:1: unknown key "g"; known here: a, b, c, d, h`,
		"x.yaml:5:4: g: expected true or false, not `maybe`; write true or false",
		"x.yaml:6:4: h: expected the table's path, not keys and values; write it behind the colon, as one value",
	}, "\n"), err.Error())
	assert.NoError(t, Faults(nil).Err())
}

func TestTraps(t *testing.T) {
	for text, says := range map[string]string{
		"a: b: c\n": "a second `: ` on one line", "a: &x b\n": "an anchor", "a: *x\n": "an alias", "a: > b\n": "starts with `>`", "a: 'it's b'\n": "ends it too early", "a: !secret\n": "a tag (!secret)", "a: >\nb: c\n": "a leading `>` or `|`",
		"a: x\na: y\n": "is here twice (first in line 1)", "a: x\n---\nb: y\n": "a second YAML document", "a:\n\tb: c\n": "a tab in the indentation",
		"- a\n": "should hold keys and values, not a list", "just text\n": "not `just text`", "": "the file is empty", "# only\n": "the file is empty",
		"a: \xff\n": "not UTF-8", "a: [b\n": "not YAML", "a: 'b\n": "not YAML", "a: @b\n": "a text starts with a character", "a: b\n  c: d\n": "",
	} {
		f, _ := Load("x.yaml", []byte(text))
		require.NotEmpty(t, f.Faults, text)
		assert.Contains(t, f.Faults.Error(), says, text)
		for _, fault := range f.Faults {
			assert.NotContains(t, fault.Error(), "\n")
			assert.NotEmpty(t, fault.Hint, text)
		}
	}
}

func TestNearest(t *testing.T) {
	known := []string{"required", "labels", "pattern"}
	assert.Equal(t, "required", Nearest("requird", known))
	assert.Equal(t, "labels", Nearest("Label", known))
	assert.Equal(t, "", Nearest("zzz", known))
	assert.Equal(t, `did you mean "pattern"?`, Suggest("patern", known))
	assert.Equal(t, "known here: required, labels, pattern", Suggest("zzz", known))
}

func TestUnique(t *testing.T) {
	a := Fault{File: "f", Line: 1, Col: 2, Path: "x", Msg: "m", Hint: "h"}
	b := a
	b.Path = "y"
	c := a
	c.Line = 2
	assert.Equal(t, Faults{a, c}, Faults{a, b, c}.Unique())
}
