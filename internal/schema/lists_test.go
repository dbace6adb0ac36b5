package schema

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const ofList = "schema: s\nfields:\n  river: {choice: River., of: {file: lists/rivers.csv, value: code, also: [name, old], about: reach}}\n  deck: {choice: Deck., of: [sound, loose]}\n"

func withList(t testing.TB, list, text string) (*Schema, error) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "lists"), 0o755))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "schemas"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "filler.yaml"), nil, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "lists", "rivers.csv"), []byte(list), 0o644))
	file := filepath.Join(dir, "schemas", "s.yaml")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	return Load(file)
}

const rivers = "code,name,old,reach\nK-1,Heron Brook,Hern,upper\nK-2,Long Heron Brook,,\nK-3,Otter Beck,Hern,\nK-3,Otter Beck,Oter,\n"

// A schema keeps its lists: read again it is the same, also where the file has changed or gone; its
// own text stays without them; and another list is another schema.
func TestListsAreKept(t *testing.T) {
	s, err := withList(t, rivers, ofList)
	require.NoError(t, err)
	f := s.Find("river")
	assert.Equal(t, []Option{{Value: "K-1", Also: []string{"Heron Brook", "Hern"}, About: "upper"}, {Value: "K-2", Also: []string{"Long Heron Brook"}}, {Value: "K-3", Also: []string{"Otter Beck", "Hern", "Oter"}}}, f.Of)
	assert.Equal(t, ofList, string(s.Written()))
	require.NoError(t, os.Remove(filepath.Join(filepath.Dir(s.File), "..", "lists", "rivers.csv")))
	again, err := Parse(s.File, s.Source)
	require.NoError(t, err)
	assert.Equal(t, f.Of, again.Find("river").Of)
	assert.Equal(t, s.Hash(), again.Hash())
	_, err = Parse(s.File, s.Written())
	require.ErrorContains(t, err, "the list lists/rivers.csv is not there")
	part, err := again.Only([]string{"river"})
	require.NoError(t, err)
	assert.Len(t, part.Find("river").Of, 3)
	edited, err := again.Edited(Edit{Field: "river", Key: []string{"printed_as"}, Write: "[Over]"})
	require.NoError(t, err)
	assert.Equal(t, f.Of, edited.Find("river").Of)
	assert.NotContains(t, string(edited.Written()), keptList)

	other, err := withList(t, strings.Replace(rivers, "upper", "lower", 1), ofList)
	require.NoError(t, err)
	assert.NotEqual(t, s.Hash(), other.Hash())
	cut := append([]byte(nil), s.Source[:len(s.Source)-20]...)
	_, err = Parse(s.File, cut)
	require.ErrorContains(t, err, "damaged")
}

// What is wrong with a list, or with what names it, is said with its place.
func TestListFaults(t *testing.T) {
	for name, c := range map[string]struct{ list, of, want string }{
		"no column":  {rivers, "{file: lists/rivers.csv, value: kode}", `it has no column "kode"; did you mean "code"?`},
		"no value":   {"code,name\nK-1,a\n,b\n", "{file: lists/rivers.csv, value: code}", `line 3: no value in column "code"`},
		"one row":    {"code\nK-1\n", "{file: lists/rivers.csv, value: code}", "fewer than two values"},
		"empty":      {"", "{file: lists/rivers.csv, value: code}", "no head line"},
		"no file":    {rivers, "{file: lists/other.csv, value: code}", "the list lists/other.csv is not there"},
		"elsewhere":  {rivers, "{file: /etc/passwd, value: code}", "a path from elsewhere"},
		"out of it":  {rivers, "{file: ../../../../etc/passwd, value: code}", "is not there"},
		"not UTF-8":  {"code\nK\xff\nL\n", "{file: lists/rivers.csv, value: code}", "not UTF-8"},
		"a quote":    {"code\n\"K\nL\n", "{file: lists/rivers.csv, value: code}", "can't be read as CSV"},
		"no columns": {rivers, "{file: lists/rivers.csv}", "has a path and a column of values"},
		"a key":      {rivers, "{file: lists/rivers.csv, value: code, column: x}", "column"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := withList(t, c.list, "schema: s\nfields:\n  river: {choice: River., of: "+c.of+"}\n")
			require.ErrorContains(t, err, c.want)
		})
	}
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secret.csv"), []byte(rivers), 0o644))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "p", "lists"), 0o755))
	require.NoError(t, os.Symlink(filepath.Join(dir, "secret.csv"), filepath.Join(dir, "p", "lists", "rivers.csv")))
	_, err := Parse(filepath.Join(dir, "p", "s.yaml"), []byte(ofList))
	require.ErrorContains(t, err, "is not there", "a link that leads out")
	s, err := withList(t, "code;name\nK-1;a, b\nK-2;c\n", "schema: s\nfields:\n  river: {choice: River., of: {file: ../lists/rivers.csv, value: code, also: [name]}}\n")
	require.NoError(t, err)
	assert.Equal(t, []string{"a, b"}, s.Find("river").Of[0].Also)
	linked, err := withList(t, rivers, "schema: s\nfields:\n  river: {link: River., to: {file: lists/rivers.csv, value: code, also: [name]}}\n")
	require.NoError(t, err)
	assert.Len(t, linked.Find("river").Of, 3)
	again, err := Parse(linked.File, linked.with(linked.YAML()))
	require.NoError(t, err)
	assert.Equal(t, linked.Find("river").Of, again.Find("river").Of)
	plain, err := Parse("s.yaml", []byte("schema: s\nfields:\n  kind: {choice: Kind., of: {file: A file., folder: A folder.}}\n"))
	require.NoError(t, err, "choices may be called so")
	assert.Len(t, plain.Find("kind").Of, 2)
}

// Of a list of thousands the option that a text names is among the candidates, whole or with one
// letter wrong; a text that names none has none; and the words of a whole name do not bring others.
func TestCandidates(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	var list strings.Builder
	list.WriteString("code,name,old,reach\n")
	var names []string
	first, last := []string{"Heron", "Otter", "Alder", "Willow", "Stone", "Kestrel", "Clear", "Hazel"}, []string{"Brook", "Beck", "Water", "Burn", "Stream", "Bourne"}
	for i := range 4000 {
		name := fmt.Sprintf("%s%s %s", first[r.IntN(len(first))], strings.ToLower(first[r.IntN(len(first))]), last[r.IntN(len(last))])
		if i%3 > 0 {
			name = fmt.Sprintf("%c%c%c%s %s", 'A'+r.IntN(26), 'a'+r.IntN(26), 'a'+r.IntN(26), strings.ToLower(first[r.IntN(len(first))]), last[r.IntN(len(last))])
		}
		names = append(names, name)
		fmt.Fprintf(&list, "K-%04d,%s,,\n", i, name)
	}
	s, err := withList(t, list.String(), ofList)
	require.NoError(t, err)
	ref := s.Find("river").List
	told, wrong := 0, 0
	for range 300 {
		i := r.IntN(len(names))
		text := "The bridge over the " + names[i] + " was visited, and its deck is sound."
		found, _ := ref.Candidates(text)
		require.True(t, hasName(found, names[i]), text)
		told += len(found)
		letters := []rune(names[i])
		letters[r.IntN(len(letters))] = 'x'
		if found, _ = ref.Candidates("over the " + string(letters) + " it is"); !hasName(found, names[i]) {
			wrong++
		}
	}
	assert.Less(t, float64(told)/300, 4.0, "candidates a document")
	assert.Less(t, wrong, 45, "a letter wrong: not found in so many of 300")
	found, _ := ref.Candidates("The deck is sound and the rail was painted in May.")
	assert.Empty(t, found)
	found, more := ref.Candidates(strings.Join(names, ". "))
	assert.Len(t, found, MostCandidates)
	assert.True(t, more)
}

func hasName(found []*Option, name string) bool {
	for _, o := range found {
		for _, also := range o.Also {
			if also == name {
				return true
			}
		}
	}
	return false
}
