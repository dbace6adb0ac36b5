package merge

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

const oneVisit = `schema: s
fields:
  no: {text: Number., printed_as: [No.]}
  bridge: {text: Name of the bridge., printed_as: [Bridge]}
  bays:
    list: Bays.
    key: [n]
    fields:
      n: {integer: Number., printed_as: [Bay]}
      deck: {text: Deck., printed_as: [Deck]}
      defects: {list: Defects., fields: {kind: {text: Kind., printed_as: [Defect]}, grade: {integer: Grade., printed_as: [grade]}}}
  actions: {list: Actions., fields: {what: {text: What., printed_as: [Action]}, by: {text: By whom., printed_as: [by]}}}
`

// piece is some lines of a document with what of the record they hold: the name
// of a list and an item of it, or single fields.
type block struct {
	lines  []string
	fields value.Value // an object of single fields
	list   string
	item   value.Value
}

func randomVisit(r *rand.Rand) (blocks []block, whole value.Value) {
	no, bridge := fmt.Sprintf("V-%d", r.IntN(900)), []string{"Heron Plank", "Rushy Ford", "Nine Alders"}[r.IntN(3)]
	head := value.Obj(value.Str(no).Named("no"), value.Str(bridge).Named("bridge"))
	blocks = append(blocks, block{lines: []string{"No.: " + no, "Bridge: " + bridge}, fields: head})
	bays, actions := value.List(), value.List()
	for i := range 1 + r.IntN(5) {
		deck := []string{"oak", "steel", "larch"}[r.IntN(3)]
		lines := []string{fmt.Sprintf("Bay %d", i+1), "Deck: " + deck}
		defects := value.List()
		for range r.IntN(4) { // the same defect may come twice, and is then two
			kind, grade := []string{"rot", "rust"}[r.IntN(2)], fmt.Sprint(1+r.IntN(2))
			lines = append(lines, fmt.Sprintf("Defect: %s, grade %s", kind, grade))
			defects.Kids = append(defects.Kids, value.Obj(value.Str(kind).Named("kind"), value.Num(grade).Named("grade")))
		}
		bay := value.Obj(value.Num(fmt.Sprint(i+1)).Named("n"), value.Str(deck).Named("deck"), defects.Named("defects"))
		blocks = append(blocks, block{lines: lines, list: "bays", item: bay})
		bays.Kids = append(bays.Kids, bay)
	}
	for range r.IntN(5) {
		what, by := []string{"oil the hinge", "paint the rail"}[r.IntN(2)], []string{"Ada", "Tam"}[r.IntN(2)]
		action := value.Obj(value.Str(what).Named("what"), value.Str(by).Named("by"))
		blocks = append(blocks, block{lines: []string{"Action: " + what + ", by " + by}, list: "actions", item: action})
		actions.Kids = append(actions.Kids, action)
	}
	return blocks, value.Obj(head.Kids[0], head.Kids[1], bays.Named("bays"), actions.Named("actions"))
}

// A report cut between its items, with parts that overlap as they like, merges to
// what it holds: items that are the same stay as many as they are, and none comes
// twice. One part alone stays as it is.
func TestAnyCutOfOneRecord(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(oneVisit))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(73, 74))
	for range 400 {
		blocks, whole := randomVisit(r)
		var text strings.Builder
		var at []layout.Span
		for _, b := range blocks {
			from := text.Len()
			text.WriteString(strings.Join(b.lines, "\n") + "\n")
			at = append(at, layout.Span{Start: from, End: text.Len()})
		}
		ix := evidence.NewIndex(text.String())
		part := func(from, to int) Part {
			v := value.Obj(value.Value{Name: "no"}, value.Value{Name: "bridge"}, value.List().Named("bays"), value.List().Named("actions"))
			for _, b := range blocks[from:to] {
				for _, f := range b.fields.Kids {
					v.Set(f.Name, f)
				}
				if b.list != "" {
					list := v.Get(b.list)
					list.Kids = append(list.Kids, b.item.Clone())
				}
			}
			return Part{Record: v, Places: evidence.Of(s, &v, ix.Within([][2]int{{at[from].Start, at[to-1].End}}))}
		}
		one := Parts(s, []Part{part(0, len(blocks))}, nil)
		require.Equal(t, whole.String(), one.Record.String(), text.String())
		require.Empty(t, one.Conflicts)

		var ps []Part
		var cuts []string
		for from := 0; ; {
			to := min(from+1+r.IntN(4), len(blocks))
			ps = append(ps, part(from, to))
			cuts = append(cuts, fmt.Sprintf("%d-%d", from, to))
			if to == len(blocks) {
				break
			}
			from = max(from+1, to-r.IntN(3))
		}
		got := Parts(s, ps, nil)
		require.Equal(t, whole.String(), got.Record.String(), "%v\n%s", cuts, text.String())
		require.Empty(t, got.Conflicts, "%v\n%s", cuts, text.String())
		again := Parts(s, ps, nil)
		require.Equal(t, got, again, "the same, whenever it is merged")
		for path, place := range got.Places {
			v := got.Record.At(path)
			require.NotNil(t, v, "%s has a place and no value", path)
			if place.Found() && v.Kind == value.String {
				require.Equal(t, v.Text, text.String()[place.Start:place.End], "%s: places are those of the values", path)
			}
		}
	}
}
