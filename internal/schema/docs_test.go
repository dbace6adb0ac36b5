package schema

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every example of the reference loads, and together they use every key.
func TestReferenceExamples(t *testing.T) {
	page, err := os.ReadFile("../../docs/schema.md")
	require.NoError(t, err)
	blocks := regexp.MustCompile("(?s)```yaml\n(.*?)```").FindAllStringSubmatch(string(page), -1)
	require.Greater(t, len(blocks), 10)
	all := ""
	for _, b := range blocks {
		_, err := Parse("docs/schema.md", []byte(b[1]))
		assert.NoError(t, err, b[1])
		all += b[1]
	}
	keys := append(append([]string(nil), RootKeys...), Types...)
	keys = append(append(keys, CommonKeys...), leafKeys...)
	for _, list := range TypeKeys {
		keys = append(keys, list...)
	}
	for _, list := range FormKeys {
		keys = append(keys, list...)
	}
	for _, k := range keys {
		assert.True(t, strings.Contains(all, k+":"), "no example uses %s", k)
	}
}

func TestAdvice(t *testing.T) {
	s, err := Parse("s.yaml", []byte(`schema: s
each: entry
fields:
  no: {text: Number of the report., printed_as: [No., Ref]}
  ref: {text: Reference of the sender., printed_as: [ref.]}
  day: {date: Day of the visit.}
  kind: {choice: Kind of thing., of: {rot: {also: [decay]}, rust: {also: [Decay]}}}
  bays: {list: The bays., fields: {x: Short}}
  since: date
`))
	require.NoError(t, err)
	var got []string
	for _, a := range s.Advice {
		got = append(got, a.Msg)
	}
	assert.Equal(t, []string{"the entries have no key", `other YAML readers take the name "no" for true or false`, `the label "ref." is also that of "no"`,
		`the date "day" does not say how documents write it`, `the word "Decay" means both "rot" and "rust"`, `the list "bays" has no key`, `these descriptions say almost nothing: bays[].x`, `the text "since" has the name of a type for its description`}, got)
}

func TestVersions(t *testing.T) {
	old := parse(t, "schema: s\nfields:\n  a: Same.\n  b: {integer: B., max: 3}\n  gone: Gone.\n  c: {choice: C., of: [x, y]}\n  g: {group: G., fields: {moved: Moved.}}\n")
	now := parse(t, "schema: s\nfields:\n  a: Other words.\n  b: {number: B., max: 4}\n  new: {text: New., required: true}\n  c: {choice: C., of: [x, z]}\n  g: {group: G., fields: {kept: Kept.}}\n  moved: Moved.\n")
	var got []string
	for _, c := range Changes(old, now) {
		mark := ""
		if c.Breaks {
			mark = " !"
		}
		got = append(got, c.Path+" "+c.What+" "+c.Note+mark)
	}
	assert.Equal(t, []string{"a description another description", "b type integer → number !", "b bounds max 3 → 4 !", "new added text; if it is what gone was, write `was: gone` !", "c choices without y; with z !",
		"g.kept added text", "moved moved from g.moved !", "gone gone text !"}, got)
	assert.Empty(t, Changes(old, old))
}

func TestAskedAndOnly(t *testing.T) {
	s, err := FromAsked([]Asked{{Text, "report_no"}, {Integer, "bays[].number"}, {Money, "bays[].finds[].cost"}, {Choice, "weather=dry,wet"}, {Date, "on=D.M.YYYY"}, {Text, "who.name"}, {Integer, "photos[]"}})
	require.NoError(t, err)
	var paths []string
	for _, f := range s.Leaves() {
		paths = append(paths, f.Path+" "+string(f.Type))
	}
	assert.Equal(t, []string{"report_no text", "bays[].number integer", "bays[].finds[].cost money", "weather choice", "on date", "who.name text", "photos[] integer"}, paths)
	for _, bad := range [][]Asked{{{Text, "a b"}}, {{Choice, "a"}}, {{Text, "a=b"}}, {{Text, "a"}, {Text, "a"}}, {{Text, "a.b"}, {Text, "a[].c"}}, {{Choice, "a=x"}}, {{Date, "a=YY"}}} {
		_, err := FromAsked(bad)
		assert.Error(t, err, bad)
	}
	demo, err := Load("../demo/project/schemas/inspection.yaml")
	require.NoError(t, err)
	part, err := demo.Only([]string{"bays[].defects", "inspector.name"})
	require.NoError(t, err)
	paths = nil
	for _, f := range part.Leaves() {
		paths = append(paths, f.Path)
	}
	assert.Equal(t, []string{"inspector.name", "bays[].number", "bays[].defects[].kind", "bays[].defects[].grade", "bays[].defects[].photos[]"}, paths)
	_, err = demo.Only([]string{"nothing"})
	assert.ErrorContains(t, err, "no field")
}
