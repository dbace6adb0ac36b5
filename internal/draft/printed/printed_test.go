package printed

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// The trades below are not those of the demo, and no code knows their words.
func TestFill(t *testing.T) {
	for name, c := range map[string]struct{ schema, text, want string }{
		"pairs in one line": {
			"fields: {parcel: {text: Parcel number., printed_as: [Parcel no.]}, weighed: {date: Day., written: [D.M.YYYY]}, weight: {number: Weight.}}",
			"Parcel no.: P-7, weighed: 3.4.2031   Weight: 12.5 kg\n",
			`{"parcel":"P-7","weighed":"3.4.2031","weight":"12.5"}`},
		"labels in running text": {
			"fields: {ref: {text: Number., printed_as: [Ref.]}, bridge: Name of the bridge., deck: What the deck is.}",
			"Ref.: FB-7. Bridge: Heron Plank; Deck: oak planks. The rail is loose, as we said.\n",
			`{"ref":"FB-7","bridge":"Heron Plank","deck":"oak planks"}`},
		"abbreviated and misread labels": {
			"fields: {quantity: {integer: How many.}, supplier: Who delivers., address: Where to.}",
			"Qty  40\nSuppiier: Osk & Sons\nAddr.: 4 Weir Lane\n",
			`{"quantity":"40","supplier":"Osk & Sons","address":"4 Weir Lane"}`},
		"a label from the description": {
			"fields: {issuer: The office that stamped the form.}",
			"Stamped office: Quennaford\n",
			`{"issuer":"Quennaford"}`},
		"a table of bars": {
			"fields: {lines: {list: Lines., fields: {article: Article., pieces: {integer: Pieces.}, sound: {boolean: Sound.}}}}",
			"Delivery\n\n| Article | Pieces | Sound |\n|---|---|---|\n| plank | 4 | yes |\n| bolt | 16 | no |\n\nThanks\n",
			`{"lines":[{"article":"plank","pieces":"4","sound":"yes"},{"article":"bolt","pieces":"16","sound":"no"}]}`},
		"a table by columns, with a gap in it": {
			"fields: {lines: {list: Lines., fields: {article: Article., pieces: {integer: Pieces.}, remark: Remark.}}}",
			"Article      Pieces   Remark\nplank        4        wet\nbolt                  bent\n",
			`{"lines":[{"article":"plank","pieces":"4","remark":"wet"},{"article":"bolt","pieces":null,"remark":"bent"}]}`},
		"bullets under a title": {
			"fields: {tasks: {list: Tasks., fields: {what: What., due: {date: Due.}}}}",
			"Tasks\n- oil the hinge, due 2031-05-01\n- sweep (whole yard)\n\nEnd.\n",
			`{"tasks":[{"what":"oil the hinge","due":"2031-05-01"},{"what":"sweep","due":null}]}`},
		"headings, nested twice": {
			"fields: {owner: Owner., hives: {list: Hives., key: [number], fields: {number: {integer: No.}, queen: Queen., frames: {list: Frames., key: [number], fields: {number: {integer: No.}, state: {choice: State., of: {full: , empty: {also: [bare]}}}}}}}}",
			"Owner: Ada Lunn\n\nHive 1\nQueen: Vesna\nFrame 1: full\nFrame 2: bare\n\nHive 2\nQueen: Mora\n\nRemarks\nNone so far.\n",
			`{"owner":"Ada Lunn","hives":[{"number":"1","queen":"Vesna","frames":[{"number":"1","state":"full"},{"number":"2","state":"bare"}]},{"number":"2","queen":"Mora","frames":[]}]}`},
		"choices in a sentence": {
			"fields: {finds: {list: Finds., fields: {kind: {choice: Kind., of: [moss, crack]}, grade: {integer: Grade.}}}}",
			"We saw moss of grade 2 and a crack of grade 1.\n",
			`{"finds":[{"kind":"moss","grade":"2"},{"kind":"crack","grade":"1"}]}`},
		"unknowns": {
			"fields: {name: Name., count: {integer: Count.}, parts: {list: Parts., fields: {part: Part.}}}",
			"Name: n/a\nCount: -\nParts: none\n",
			`{"name":null,"count":null,"parts":[]}`},
		"entries": {
			"each: entry\nfields: {tag: {text: Tag., printed_as: [Tag]}, kind: Kind.}",
			"Tag: A1\nKind: oak\nTag: A2\nKind: elm\n",
			`[{"tag":"A1","kind":"oak"},{"tag":"A2","kind":"elm"}]`},
		"two groups with the same fields": {
			"fields: {buyer: {group: Who buys., fields: {name: Name., phone: {text: Phone., printed_as: [Tel.]}}}, seller: {group: Who sells., fields: {name: Name., phone: {text: Phone., printed_as: [Tel.]}}}}",
			"Seller: Tam Brill, tel. 12-9\nBuyer: Ada Lunn    Tel.: 77-1\n",
			`{"buyer":{"name":"Ada Lunn","phone":"77-1"},"seller":{"name":"Tam Brill","phone":"12-9"}}`},
		"money, quantities and times": {
			"fields: {cost: {money: Cost., currency: EUR, written: {decimal: ',', group: '.'}}, weight: {quantity: Weight., unit: kg}, start: {time: Start.}}",
			"Cost: EUR 1.250,00\nWeight: 12.5 kg net\nStart: 9.30 h\n",
			`{"cost":"EUR 1.250,00","weight":"12.5 kg","start":"9.30"}`},
		"opposites": {
			"fields: {open: {boolean: Open., printed_as: [Gate]}, signed: {boolean: Signed.}}",
			"Gate: closed\nSigned: yes\n",
			`{"open":"closed","signed":"yes"}`},
		"entries under numbered headings": {
			"each: entry\nfields: {lot: {integer: Lot., printed_as: [Lot]}, title: {text: T., printed_as: [Item]}, price: {number: Price.}}",
			"SALE\n\nLot 1\nItem: Sextant\nPrice: 120\n\nLot 2\nItem: Chart\n",
			`[{"lot":"1","title":"Sextant","price":"120"},{"lot":"2","title":"Chart","price":null}]`},
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\n"+c.schema+"\n"))
		require.NoError(t, err, name)
		got := Fill(s, c.text)
		assert.Equal(t, c.want, got.String(), name)
	}
}

func TestValue(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields: {i: {integer: I.}, n: {number: N.}, d: {date: D., written: [D.M.YYYY]}, open: {boolean: O.}, c: {choice: C., of: {rot: {also: [decay]}, rust: }}}\n"))
	require.NoError(t, err)
	for _, c := range []struct{ field, raw, want string }{
		{"i", "12", "12"}, {"i", "twelve", "12"}, {"i", "three", "3"}, {"n", "1,5", "1.5"}, {"d", "3. 4. 2031", `"2031-04-03"`}, {"d", "3rd of April 2031", `"2031-04-03"`},
		{"open", "yes", "true"}, {"open", "open", "true"}, {"open", "closed", "false"}, {"c", "some decay", `"rot"`},
	} {
		v, ok := Value(s.Find(c.field), c.raw)
		assert.True(t, ok, c)
		assert.Equal(t, c.want, v.String(), c)
	}
	for _, c := range [][2]string{{"i", "1.5"}, {"d", "31.2.2031"}, {"open", "perhaps"}, {"c", "moss"}} {
		_, ok := Value(s.Find(c[0]), c[1])
		assert.False(t, ok, c)
	}
}

func FuzzFill(f *testing.F) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields: {a: {text: A., printed_as: [Alpha]}, l: {list: Ls., printed_as: [L], fields: {n: {integer: N.}, k: {choice: K., of: [x, y]}, m: {list: M., items: {integer: M.}}, z: {list: Zs., fields: {q: Q.}}}}}\n"))
	require.NoError(f, err)
	f.Add("Alpha: 1\nL 1: x\nL 2: y, m 3, 4\n| n | k |\n| 1 | x |\n")
	f.Add("Ls\n- x\n- y, n 3\n\nq: z")
	f.Fuzz(func(t *testing.T, text string) {
		v := Fill(s, text)
		v.Walk(func(_ value.Pointer, n *value.Value) bool {
			require.Contains(t, []value.Kind{value.Null, value.String, value.Array, value.Object}, n.Kind)
			return true
		})
	})
}

// The line that a document begins with says the mark of what it is.
func TestTitled(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  loan_slip: Mark of the slip.\n  lent_to: Who has it.\n"))
	require.NoError(t, err)
	for _, text := range []string{"LOAN SLIP LS-41\nLent to: Ada Penn\n", "Reed & Quill        Loan slip no. LS-41\nLent to: Ada Penn\n"} {
		v := Fill(s, text)
		assert.JSONEq(t, `{"loan_slip":"LS-41","lent_to":"Ada Penn"}`, string(v.JSON()), text)
	}
	v := Fill(s, "Loans of 2031\nLent to: Ada Penn\n")
	assert.JSONEq(t, `{"loan_slip":null,"lent_to":"Ada Penn"}`, string(v.JSON()))
}
