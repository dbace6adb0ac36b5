package standin

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/schema"
)

// character says how often the stand-in errs, and how. Figures are the chance
// for each value, item or reply.
type character struct {
	asPrinted float64 // a date, number or choice left as the document has it
	dropped   float64 // a value left out
	invented  float64 // a value where the document has none
	slip      float64 // a wrong figure, a neighbouring choice
	lostItem  float64 // a list item left out
	twice     float64 // a list item given twice
	cut       float64 // a reply cut short
	mess      float64 // each kind of untidiness in the reply's text
	badPatch  float64 // a repair that is wrong or out of bounds
}

var characters = map[string]character{
	"hasty":   {asPrinted: 0.45, dropped: 0.05, invented: 0.10, slip: 0.03, lostItem: 0.04, twice: 0.02, cut: 0.04, mess: 0.55, badPatch: 0.25},
	"steady":  {asPrinted: 0.10, dropped: 0.02, invented: 0.04, slip: 0.02, lostItem: 0.03, twice: 0.01, mess: 0.10, badPatch: 0.08},
	"careful": {asPrinted: 0.01, dropped: 0.004, invented: 0.004, slip: 0.003, lostItem: 0.003, badPatch: 0.01},
}

// writer composes one reply.
type writer struct {
	character
	rng   *rand.Rand
	task  *task
	typed bool // values must fit the types of a schema that was sent
	neat  bool // the reply must be a JSON object, whatever is in it
}

// seeded gives the chance of one request by what it is about and not by its
// words: the character, the fields, the document, what is asked of them, and
// the request's own seed. So the same question gets the same reply, however it
// is put.
func seeded(name string, t *task, seed *int64) *rand.Rand {
	h := fnv.New64a()
	fmt.Fprintf(h, "%s\n%s\n%t %t %t %v %d %s\n", name, strings.Join(strings.Fields(t.document), " "), t.short, t.inLines, t.update, t.form, t.refused, t.again)
	for _, leaf := range t.schema.Leaves() {
		fmt.Fprintln(h, leaf.Path, leaf.Type)
	}
	for _, p := range t.repair {
		fmt.Fprintln(h, p.Path, p.Code)
	}
	second := uint64(0)
	if seed != nil {
		second = uint64(*seed)
	}
	return rand.New(rand.NewPCG(h.Sum64(), second))
}

func (w *writer) chance(p float64) bool { return w.rng.Float64() < p }

// answer gives the text of the reply, and whether it was cut short.
func (w *writer) answer() (text string, cut bool) {
	if w.task.repair != nil {
		return w.dress(w.patch()), false
	}
	if w.task.update {
		return w.dress(w.update()), false
	}
	if w.task.short {
		return w.short(), false
	}
	if w.task.inLines {
		return w.inLines(), false
	}
	var v value.Value
	switch {
	case isOpen(w.task.schema):
		v = w.open()
	case isStatement(w.task.schema):
		v = w.statement()
	case isQuestion(w.task.schema):
		v = w.said()
	case isDocument(w.task.schema):
		v = w.document()
	default:
		v = w.filled()
	}
	if w.task.schema.EachEntry() {
		v = value.Obj(v.Named(schema.Wrapper))
	}
	text = w.dress(v)
	if !w.typed && !w.neat && w.chance(w.cut) && len(text) > 40 {
		return text[:len(text)/2+w.rng.IntN(len(text)/2)], true
	}
	return text, false
}

// filled gives the record by what the document prints.
func (w *writer) filled() value.Value {
	raw := printed.Fill(w.task.schema, w.task.document)
	if w.task.form.Values == outline.Places {
		v := w.field(w.task.schema.Root, &raw)
		return w.places(w.task.schema.Root, &v)
	}
	if w.task.form.Values != outline.IDs {
		return w.field(w.task.schema.Root, &raw)
	}
	v := w.field(w.task.schema.Root, &raw)
	last := 0
	w.points(w.task.schema.Root, &v, &last)
	return v
}

// field gives the value of a field as this character writes it.
func (w *writer) field(f *schema.Field, raw *value.Value) value.Value {
	switch f.Type {
	case schema.Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			v := w.field(kid, raw.Get(kid.Name))
			if v.Kind == value.Null && !w.typed && kid.IsLeaf() && w.chance(w.dropped*3) {
				continue // a careless writer leaves nulls out
			}
			out.Kids = append(out.Kids, v.Named(kid.Name))
		}
		return out
	case schema.List:
		out := value.List()
		for i := range raw.Kids {
			if w.chance(w.lostItem) {
				continue
			}
			v := w.field(f.Item, &raw.Kids[i])
			out.Kids = append(out.Kids, v)
			if w.chance(w.twice) {
				out.Kids = append(out.Kids, v.Clone())
			}
		}
		return out
	}
	v := w.leaf(f, raw)
	if f.Basis {
		basis := value.Value{}
		if raw != nil && raw.Text != "" && v.Kind != value.Null {
			basis = value.Str(raw.Text)
		}
		return value.Obj(v.Named("value"), basis.Named("basis"))
	}
	return v
}

func (w *writer) leaf(f *schema.Field, raw *value.Value) value.Value {
	if raw == nil || raw.Empty() {
		if w.chance(w.invented) && w.task.form.Values != outline.IDs {
			return w.invent(f)
		}
		return value.Value{}
	}
	if w.chance(w.dropped) {
		return value.Value{}
	}
	if w.task.form.Values == outline.IDs && outline.ByID(f) {
		return value.Str(raw.Text)
	}
	v, ok := printed.Value(f, raw.Text)
	if !ok {
		if w.typed && f.Type != schema.Text && f.Type != schema.Date && f.Type != schema.Time && f.Type != schema.DateTime {
			return value.Value{}
		}
		return value.Str(raw.Text)
	}
	if w.chance(w.slip) {
		return w.slipped(f, v)
	}
	if w.chance(w.asPrinted) && (!w.typed || f.Type == schema.Date) {
		return value.Str(raw.Text)
	}
	return v
}

// invent makes up a value, as models do where a document has none.
func (w *writer) invent(f *schema.Field) value.Value {
	switch f.Type {
	case schema.Integer:
		return value.Num(fmt.Sprint(w.rng.IntN(9) + 1))
	case schema.Number:
		return value.Num(fmt.Sprintf("%d.5", w.rng.IntN(40)+1))
	case schema.Boolean:
		return value.Boolean(w.rng.IntN(2) == 0)
	case schema.Money, schema.Quantity:
		name, own := f.Measure()
		if own == "" {
			own = "EUR"
		}
		return value.Obj(value.Num(fmt.Sprint(w.rng.IntN(90)*10+10)).Named("amount"), value.Str(own).Named(name))
	case schema.Time:
		return value.Str(fmt.Sprintf("%02d:00", w.rng.IntN(24)))
	case schema.Date:
		return value.Str(fmt.Sprintf("20%02d-%02d-%02d", 20+w.rng.IntN(20), 1+w.rng.IntN(12), 1+w.rng.IntN(28)))
	case schema.Choice:
		if len(f.Of) > 0 {
			return value.Str(f.Of[w.rng.IntN(len(f.Of))].Value)
		}
	}
	return value.Str([]string{"N/A", "see above", "not specified", "as before"}[w.rng.IntN(4)])
}

// slipped gives a value that is wrong in the way of the trade.
func (w *writer) slipped(f *schema.Field, v value.Value) value.Value {
	switch f.Type {
	case schema.Choice:
		if len(f.Of) > 0 {
			return value.Str(f.Of[w.rng.IntN(len(f.Of))].Value)
		}
	case schema.Boolean:
		return value.Boolean(v.Text != "true")
	case schema.Date:
		if len(v.Text) == 10 { // day and month changed places
			day, month := v.Text[8:], v.Text[5:7]
			if day <= "12" {
				return value.Str(v.Text[:5] + day + "-" + month)
			}
		}
		return v
	}
	if amount := v.Get("amount"); amount != nil {
		v = v.Clone()
		*v.Get("amount") = w.slipped(&schema.Field{Type: schema.Number}, *amount).Named("amount")
		return v
	}
	digits := []byte(v.Text)
	for i := len(digits) - 1; i >= 0; i-- {
		if digits[i] >= '1' && digits[i] <= '8' {
			digits[i]++
			v.Text = string(digits)
			return v
		}
	}
	if f.Type == schema.Text {
		if words := strings.Fields(v.Text); len(words) > 1 {
			v.Text = strings.Join(words[:len(words)-1], " ")
		}
	}
	return v
}

// patch answers a repair request with corrections.
func (w *writer) patch() value.Value {
	raw := printed.Fill(w.task.schema, w.task.document)
	ops := value.List()
	for _, f := range byField(w.task.repair, w.task.now) {
		field := w.task.schema.At(f.Path)
		op, v, ok := w.correct(f, field, &raw)
		if !ok {
			continue
		}
		path := f.Path
		if w.chance(w.badPatch) {
			switch w.rng.IntN(3) {
			case 0:
				path = path.Parent() // touches more than it may
			case 1:
				v = value.Str("see the document")
			default:
				continue
			}
		}
		ops.Kids = append(ops.Kids, correction(op, path, v, w.wordsOf(f.Path, &raw)))
	}
	return value.Obj(ops.Named("corrections"))
}

// wordsOf gives the line that the printed value of a path stands in, or "".
func (w *writer) wordsOf(p value.Pointer, raw *value.Value) string {
	at := raw.At(p)
	if at == nil || at.Text == "" {
		return ""
	}
	for _, line := range strings.Split(w.task.document, "\n") {
		if strings.Contains(line, at.Text) {
			return strings.TrimSpace(line)
		}
	}
	return ""
}

// correction writes one.
func correction(op string, at value.Pointer, v value.Value, words string) value.Value {
	o := value.Obj(value.Str(string(at)).Named("at"))
	if op == "remove" {
		o.Kids = append(o.Kids, value.Boolean(true).Named("remove"))
	} else {
		o.Kids = append(o.Kids, v.Named("value"))
	}
	if words != "" {
		o.Kids = append(o.Kids, value.Str(words).Named("quote"))
	}
	return o
}

// byField makes a problem of each field that a broken rule speaks of: one of them
// may have been read wrong.
func byField(problems []outline.Problem, record *outline.Placed) (all []outline.Problem) {
	for _, f := range problems {
		if len(f.Fields) == 0 {
			if f.Path != "" {
				all = append(all, f)
			}
			continue
		}
		for _, p := range f.Fields {
			named := false
			for _, other := range problems {
				named = named || other.Path == p
			}
			if now := at(record, p); !named && now != nil && now.Kind != value.Object && now.Kind != value.Array {
				all = append(all, outline.Problem{Path: p, Code: f.Code, Now: now})
			}
		}
	}
	return all
}

// at gives the value of the record so far at a path of the whole record.
func at(so *outline.Placed, p value.Pointer) *value.Value {
	if so == nil {
		return nil
	}
	rest, ok := strings.CutPrefix(string(p), string(so.At))
	if !ok || rest != "" && rest[0] != '/' {
		return nil
	}
	return so.Record.At(value.Pointer(rest))
}

// correct finds what corrects a problem: the value at hand read as the field asks, or
// what the document prints for the field.
func (w *writer) correct(f outline.Problem, field *schema.Field, raw *value.Value) (op string, v value.Value, ok bool) {
	if f.Code == "unexpected" {
		return "remove", v, true
	}
	if field == nil || !field.IsLeaf() {
		return "", v, false
	}
	if f.Now != nil && f.Now.Kind == value.String && f.Code != "no-evidence" && f.Code != "rule" {
		if v, ok := printed.Value(field, f.Now.Text); ok {
			return "replace", v, true
		}
	}
	if stands := raw.At(f.Path); stands != nil && !stands.Empty() {
		if v, ok := printed.Value(field, stands.Text); ok && (f.Now == nil || !value.Equal(&v, f.Now)) {
			if f.Code == "missing" {
				return "add", v, true
			}
			return "replace", v, true
		}
	}
	if f.Code == "no-evidence" {
		return "replace", value.Value{}, true
	}
	return "", v, false
}

// dress writes a value as this character does: bare, or in a fence between
// words, with the slips of a hurried hand.
func (w *writer) dress(v value.Value) string {
	if w.typed || w.neat {
		return string(v.JSON())
	}
	text := string(v.Indent())
	if w.chance(w.mess / 4) {
		text = strings.ReplaceAll(text, ": null", ": None")
	}
	if w.chance(w.mess) {
		text = trailingCommas(text, w.rng)
	}
	if w.chance(w.mess) {
		text = "```json\n" + text + "\n```"
		if w.chance(w.mess) {
			text = "Here is what I found in the document:\n\n" + text
		}
		if w.chance(w.mess) {
			text += "\n\nLet me know if anything else is needed."
		}
	}
	return text
}

// trailingCommas puts commas before some of the closing brackets.
func trailingCommas(text string, rng *rand.Rand) string {
	lines := strings.Split(text, "\n")
	for i := 0; i+1 < len(lines); i++ {
		next := strings.TrimSpace(lines[i+1])
		last := strings.TrimSpace(lines[i])
		if strings.HasPrefix(next, "}") && last != "{" && last != "[" && last != "" && rng.IntN(3) == 0 {
			lines[i] += ","
		}
	}
	return strings.Join(lines, "\n")
}
