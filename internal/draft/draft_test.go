package draft

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

func texts(t *testing.T, pattern string) []string {
	t.Helper()
	files, err := filepath.Glob(pattern)
	require.NoError(t, err)
	require.NotEmpty(t, files)
	var all []string
	for _, f := range files {
		data, err := os.ReadFile(f)
		require.NoError(t, err)
		all = append(all, string(data))
	}
	return all
}

// shareFound gives how many leaves of a schema a draft has: a leaf counts as
// found where the draft has a leaf of a fitting type, as many lists deep, that
// is called like the field, like one of its labels, or like the group or list
// item that it is the first value of.
func shareFound(t *testing.T, s, d *schema.Schema) (found, all int) {
	t.Helper()
	for _, leaf := range s.Leaves() {
		all++
		hit := false
		for _, other := range d.Leaves() {
			if strings.Count(leaf.Path, "[]") != strings.Count(other.Path, "[]") {
				continue
			}
			for _, name := range namesOf(s, leaf) {
				last := other.Path[strings.LastIndexByte("."+other.Path, '.'):]
				hit = hit || alike(short(nameOf(name)), short(strings.TrimSuffix(last, "[]")))
				for _, label := range other.PrintedAs {
					hit = hit || alike(short(nameOf(name)), short(nameOf(label)))
				}
			}
		}
		if hit {
			found++
		} else {
			t.Logf("not found: %s", leaf.Path)
		}
	}
	return found, all
}

// short takes the two spellings of "number" for one.
func short(name string) string { return strings.ReplaceAll(name, "number", "no") }

func namesOf(s *schema.Schema, leaf *schema.Field) []string {
	path := strings.TrimSuffix(leaf.Path, "[]")
	names := append([]string{path[strings.LastIndexByte("."+path, '.'):]}, leaf.PrintedAs...)
	if i := strings.LastIndexByte(path, '.'); i > 0 {
		parent := s.Find(strings.TrimSuffix(path[:i], "[]"))
		if parent.Type == schema.Group && parent.Fields[0] == leaf {
			names = append(append(names, parent.Name), parent.PrintedAs...)
		}
		if parent.Type == schema.List && parent.Item.Fields[0] == leaf {
			names = append(names, strings.TrimSuffix(parent.Name, "s"))
		}
	}
	return names
}

func TestDraftOfDocuments(t *testing.T) {
	for name, c := range map[string]struct {
		schema, documents string
		share             float64
	}{
		"the demo":           {"../demo/project/schemas/inspection.yaml", "../demo/project/documents/*/*.txt", 0.8},
		"the second project": {"../../cmd/filler/testdata/projects/organ/schemas/survey.yaml", "../../cmd/filler/testdata/projects/organ/documents/*", 0.6},
	} {
		s, err := schema.Load(c.schema)
		require.NoError(t, err)
		d, err := FromTexts(texts(t, c.documents))
		require.NoError(t, err)
		t.Logf("%s:\n%s", name, d.YAML)
		found, all := shareFound(t, s, d.Schema)
		t.Logf("%s: %d of %d leaves found (%.0f %%)", name, found, all, 100*float64(found)/float64(all))
		assert.GreaterOrEqual(t, float64(found), c.share*float64(all), name)
	}
}

func TestTypes(t *testing.T) {
	for want, values := range map[string][]string{
		"integer: A.":                         {"3", "12"},
		"text: A.":                            {"007", "12"},
		"number: A.":                          {"3", "1.5"},
		`number: A., written: {decimal: ","}`: {"1,5", "2"},
		"date: A., written: [D.M.YYYY, D MMMM YYYY]": {"3.4.2031", "5 May 2031"},
		"date: A.":              {"2031-04-03"},
		"boolean: A.":           {"yes", "No"},
		"time: A.":              {"9:30", "14:00"},
		"quantity: A., unit: m": {"3 m", "2.5 m"},
		"money: A., currency: EUR, written: {decimal: \",\", group: \".\"}": {"EUR 1.250,00", "85,00 €"},
		"choice: A., of: [dry, wet]":                                        {"dry", "wet", "dry", "wet"},
		"text: A., ":                                                        nil,
	} {
		assert.Equal(t, strings.TrimSuffix(want, ", "), typeText(values, "A."), values)
	}
}

func TestDraftOfRecords(t *testing.T) {
	c := NewCollector()
	for _, text := range []string{
		`{"no":"A1","on":"2031-04-03","cost":{"amount":12.50,"currency":"EUR"},"tags":["x","y"],"bays":[{"n":1,"open":true},{"n":2}],"who":{"name":"Ada"}}`,
		`{"no":"A2","on":null,"bays":[],"who":{"name":"Tam","age":4}}`,
	} {
		v, err := value.Parse(text)
		require.NoError(t, err)
		require.NoError(t, c.Add(&v))
	}
	d, err := c.Result()
	require.NoError(t, err)
	var got []string
	for _, f := range d.Schema.Leaves() {
		got = append(got, f.Path+" "+string(f.Type))
	}
	assert.Equal(t, []string{"no text", "on date", "cost money", "tags[] text", "bays[].n integer", "bays[].open boolean", "who.name text", "who.age integer"}, got)
	assert.Contains(t, string(d.YAML), "seen in 1 of 2, such as 2031-04-03")
	_, err = NewCollector().Result()
	assert.Error(t, err)
}

func FuzzFromTexts(f *testing.F) {
	f.Add("Bay 1: x\nBay 2: y\n  A: 1\nHead  Two\na  b\n- c, d 3\n")
	f.Add("A: 1\n B: 2\nA: 3\n B: \"x\" # y\n")
	f.Fuzz(func(t *testing.T, text string) {
		text = strings.ToValidUTF8(text, "?") // a source text is UTF-8
		d, err := FromTexts([]string{text, text})
		if err != nil {
			require.NotContains(t, err.Error(), "does not load", text)
			return
		}
		require.NotEmpty(t, d.Schema.Leaves())
	})
}

// What a draft makes of kinds of values and lists that are often taken for others.
func TestDraftTellsApart(t *testing.T) {
	sheet := func(no int) string {
		return strings.NewReplacer("NO", []string{"7", "8", "9"}[no], "WHO", []string{"Ada Quill", "Tam Osk", "Ada Quill"}[no], "DAY", []string{"wet", "dry", "wet"}[no]).Replace(
			"COUNTY SEED STORE      Packing list\n\nSheet: NO\nPacker: WHO\nWeather: DAY\n\n" +
				"Lot   Seed      Crates\nK-1   poppy     1, 2\nK-2   poppy     3\nK-NO5  cress     4 and 6\n")
	}
	d, err := FromTexts([]string{sheet(0), sheet(1), sheet(2), sheet(0), sheet(1)})
	require.NoError(t, err)
	s := d.Schema
	for path, kind := range map[string]schema.Type{"packer": schema.Text, "weather": schema.Choice, "lots[].lot": schema.Text, "lots[].crates": schema.List, "lots": schema.List} {
		f := s.Find(path)
		require.NotNil(t, f, "%s in\n%s", path, d.YAML)
		assert.Equal(t, kind, f.Type, path)
	}
	assert.Equal(t, []string{"lot"}, s.Find("lots").Key, "what tells the rows apart is the key, whatever its name")
	assert.Nil(t, s.Find("county_seed_store"), "a letterhead is no field")

	d, err = FromTexts([]string{"bay:\n  number: 1\n  deck: oak\nbay:\n  number: 2\n  deck: ash\n"})
	require.NoError(t, err)
	assert.Equal(t, []string{"bay[].number", "bay[].deck"}, paths(d.Schema), "an item that comes again is a list, and no list lies in itself")
}

func paths(s *schema.Schema) (all []string) {
	for _, f := range s.Leaves() {
		all = append(all, f.Path)
	}
	return all
}

// The line that documents begin with names what they are and bears their mark; figures
// of a table are one number each, whatever signs they are written with.
func TestTitlesAndFigures(t *testing.T) {
	sample := func(mark, hours, price string) string {
		return "Reed & Quill          LOAN SLIP no. " + mark + "\nLent to: Ada Penn\n\nArticle      Hours   Price\nBow case     " + hours + "     " + price + "\nRosin tin    0,5     8,00\n"
	}
	r, err := FromTexts([]string{sample("LS-41", "3,5", "1.150,00"), sample("LS-44", "1,25", "60,50")})
	require.NoError(t, err)
	s := r.Schema
	require.NotNil(t, s.Find("loan_slip"), string(r.YAML))
	assert.Equal(t, schema.Number, s.Find("articles[].hours").Type)
	assert.Equal(t, schema.Number, s.Find("articles[].price").Type)
	assert.Equal(t, schema.NumberFormat{Decimal: ",", Group: "."}, s.Find("articles[].price").Numbers)
	assert.NotEqual(t, []string{"hours"}, s.Find("articles").Key)

	r, err = FromTexts([]string{"Slip 7\nNo: 4\nPhotos: 3,5,8\n", "Note 9\nNo: 5\nPhotos: 3,5\n"})
	require.NoError(t, err)
	assert.Nil(t, r.Schema.Find("slip"), "what one sample alone begins with")
	assert.Equal(t, schema.List, r.Schema.Find("photos").Type)
	assert.NotContains(t, fmt.Sprint(r.Schema.Advice), "true or false")
}
