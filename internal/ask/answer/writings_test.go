package answer

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// The record that models write in many ways: two texts, a figure, a group and a
// list of groups.
var recordNames = []string{"report_no", "bridge", "grade", "inspector", "name", "licence", "defects", "kind", "photo"}

func knownNames(name string) bool { return slices.Contains(recordNames, name) }

var someWords = []string{"Heron", "Plank", "rot", "loose rail", "QL-058", "Marl Steps", "scour at the pier", "O'Dell", "b & c", "half <done>", "ok (see 4)"}

func someRecord(r *rand.Rand) value.Value {
	word := func() value.Value { return value.Str(someWords[r.IntN(len(someWords))]) }
	v := value.Obj(word().Named("report_no"), word().Named("bridge"), value.Num(fmt.Sprint(r.IntN(90))).Named("grade"),
		value.Obj(word().Named("name"), word().Named("licence")).Named("inspector"))
	list := value.List()
	for range 2 + r.IntN(3) {
		list.Kids = append(list.Kids, value.Obj(word().Named("kind"), value.Num(fmt.Sprint(r.IntN(9))).Named("photo")))
	}
	v.Kids = append(v.Kids, list.Named("defects"))
	return v
}

// asYAML writes a record as YAML with every text in quotes.
func asYAML(b *strings.Builder, v *value.Value, indent string) {
	for i := range v.Kids {
		k := &v.Kids[i]
		switch k.Kind {
		case value.Object:
			fmt.Fprintf(b, "%s%s:\n", indent, k.Name)
			asYAML(b, k, indent+"  ")
		case value.Array:
			fmt.Fprintf(b, "%s%s:\n", indent, k.Name)
			for j := range k.Kids {
				var item strings.Builder
				asYAML(&item, &k.Kids[j], indent+"    ")
				b.WriteString(indent + "  - " + strings.TrimPrefix(item.String(), indent+"    "))
			}
		default:
			fmt.Fprintf(b, "%s%s: %s\n", indent, k.Name, k.Named(""))
		}
	}
}

var escaped = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")

// asTags writes a record as elements, the items of lists in elements of their own.
func asTags(b *strings.Builder, v *value.Value) {
	for i := range v.Kids {
		k := &v.Kids[i]
		fmt.Fprintf(b, "<%s>", k.Name)
		switch k.Kind {
		case value.Object:
			asTags(b, k)
		case value.Array:
			for j := range k.Kids {
				b.WriteString("<item>")
				asTags(b, &k.Kids[j])
				b.WriteString("</item>")
			}
		default:
			b.WriteString(escaped.Replace(k.Text))
		}
		fmt.Fprintf(b, "</%s>\n", k.Name)
	}
}

// asOutline writes a record for people: bold names, and items either in one line
// or below a heading of their own.
func asOutline(r *rand.Rand, b *strings.Builder, v *value.Value) {
	inLine := r.IntN(2) == 0
	for i := range v.Kids {
		k := &v.Kids[i]
		switch k.Kind {
		case value.Object:
			fmt.Fprintf(b, "**%s:**\n", k.Name)
			for j := range k.Kids {
				fmt.Fprintf(b, "  - %s: %s\n", k.Kids[j].Name, k.Kids[j].Text)
			}
		case value.Array:
			fmt.Fprintf(b, "**%s:**\n", k.Name)
			for j := range k.Kids {
				item := k.Kids[j].Kids
				if inLine {
					fmt.Fprintf(b, "%d. %s: %s; %s: %s\n", j+1, item[0].Name, item[0].Text, item[1].Name, item[1].Text)
				} else {
					fmt.Fprintf(b, "- %s: %s\n  %s: %s\n", item[0].Name, item[0].Text, item[1].Name, item[1].Text)
				}
			}
		default:
			fmt.Fprintf(b, "**%s:** %s\n", k.Name, k.Text)
		}
	}
}

// A record comes back whole from whatever a model writes it as, with words
// around it or not, and the reply says how it was read.
func TestWritingsOfOneRecord(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	around := []string{"%s", "Here is what the report says.\n\n%s", "```\n%s```\nThat is all.", "<think>\nLet me see.\n</think>\n%s"}
	for range 400 {
		v := someRecord(r)
		var yaml, tags, outline strings.Builder
		asYAML(&yaml, &v, "")
		asTags(&tags, &v)
		asOutline(r, &outline, &v)
		for form, text := range map[string]string{"JSON": v.String(), "YAML": yaml.String(), "tags": tags.String(), "outline": outline.String()} {
			said := fmt.Sprintf(around[r.IntN(len(around))], text)
			if form == "YAML" && !strings.Contains(said, "```") && said != text {
				continue // YAML with words around it is read as an outline, and that has its own signs
			}
			got, err := ReadKnown(said, value.Object, knownNames)
			require.NoError(t, err, said)
			require.True(t, value.Equal(&v, &got.Value), "%s\nwas read as\n%s\nand is\n%s", said, got.Value, v)
			require.False(t, got.Cut)
			if form != "JSON" {
				require.Contains(t, kindsOf(got.Deviations), Plain, said)
			}
		}
	}
}

func kindsOf(deviations []Deviation) (kinds []string) {
	for _, m := range deviations {
		kinds = append(kinds, m.Kind)
	}
	return kinds
}

// harms are what models do to JSON without changing what it says.
var harms = []func(r *rand.Rand, s string) string{
	func(_ *rand.Rand, s string) string { return "```json\n" + s + "\n```" },
	func(_ *rand.Rand, s string) string { return "Sure! Here it is:\n" + s + "\nAnything else?" },
	func(_ *rand.Rand, s string) string { return strings.ReplaceAll(s, "}", ",}") },
	func(_ *rand.Rand, s string) string { return strings.ReplaceAll(s, "]", ", ]") },
	func(_ *rand.Rand, s string) string { return strings.ReplaceAll(s, `":`, `" :`) },
	func(_ *rand.Rand, s string) string { return strings.ReplaceAll(s, ",", ",\n\n  ") },
	func(_ *rand.Rand, s string) string { return strings.Replace(s, `{"report_no"`, `{report_no`, 1) },
	func(_ *rand.Rand, s string) string {
		return strings.Replace(s, `"grade":`, "\"grade\": /* of the worst */ ", 1)
	},
	func(_ *rand.Rand, s string) string {
		return strings.Replace(s, `"bridge":`, "// the name\n\"bridge\":", 1)
	},
	func(_ *rand.Rand, s string) string { return strings.TrimSuffix(s, "}") },
	func(r *rand.Rand, s string) string { return s + strings.Repeat("}", 1+r.IntN(2)) },
}

// Harms of form, one or two at a time, change nothing of what is read; each
// leaves a deviation that lies within the reply.
func TestHarmsOfForm(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 24))
	for range 3000 {
		v := someRecord(r)
		text := v.String()
		for range 1 + r.IntN(2) {
			text = harms[r.IntN(len(harms))](r, text)
		}
		got, err := ReadKnown(text, value.Object, knownNames)
		require.NoError(t, err, text)
		require.True(t, value.Equal(&v, &got.Value), "%s\nwas read as\n%s", text, got.Value)
		for _, m := range got.Deviations {
			require.GreaterOrEqual(t, m.Offset, 0)
			require.LessOrEqual(t, m.Offset, len(text))
			require.NotEmpty(t, m.Note)
		}
	}
}

// Wherever a reply is cut, what it gives is a part of what it would have said:
// no value is another, none is made up, and of the objects none is reordered.
func TestCutAnywhere(t *testing.T) {
	r := rand.New(rand.NewPCG(25, 26))
	for range 60 {
		v := someRecord(r)
		var tags strings.Builder
		asTags(&tags, &v)
		for form, whole := range map[string]string{"JSON": v.String(), "tags": tags.String()} {
			for at := range len(whole) {
				got, err := ReadKnown(whole[:at], value.Object, knownNames)
				if err != nil {
					continue
				}
				got.Value.Walk(func(p value.Pointer, n *value.Value) bool {
					if n.Kind == value.Object || n.Kind == value.Array || n.Kind == value.Null {
						return true
					}
					want := v.At(p)
					if form == "tags" && want == nil { // a list whose second item has not come is a group yet
						return true
					}
					require.NotNil(t, want, "%s in %q", p, whole[:at])
					if n.Kind == value.Number { // a figure may go on behind the cut
						require.True(t, form == "JSON" || strings.HasPrefix(want.Text, n.Text), "%s in %q", p, whole[:at])
						return true
					}
					require.Equal(t, want.Text, n.Text, "%s in %q", p, whole[:at])
					return true
				})
			}
		}
	}
}

// Prose is no record, whatever signs are in it.
func TestProseIsNoRecord(t *testing.T) {
	for _, said := range []string{
		"I can't make out the report.", "# Summary\nThe bridge is closed.\n- see page 4\n- ask the keeper",
		"<p>Nothing of that kind stands here.</p>", "Dear colleague: no.", "1. First\n2. Second", "---\n---", "<>", "<<<<", "# #", "* * *",
	} {
		_, err := ReadKnown(said, value.Object, knownNames)
		assert.Error(t, err, said)
	}
}
