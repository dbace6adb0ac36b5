package review

import (
	"errors"
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Decide gives a verdict on something and leaves the record as it is.
func (sh *Sheet) Decide(p Point, v Verdict) {
	if v == Unsure {
		if sh.passed == nil {
			sh.passed = map[string]bool{}
		}
		sh.passed[p.Key()] = true
	}
	sh.begin(p)
	sh.setVerdict(p.Key(), v)
	sh.end()
}

// Note writes a note beside something; an empty one takes it away.
func (sh *Sheet) Note(p Point, note string) {
	sh.begin(p)
	sh.setNote(p.Key(), strings.TrimSpace(note))
	sh.end()
}

// Clear takes the value away: the document says nothing of the field.
func (sh *Sheet) Clear(p Point) {
	f := sh.Schema.At(p.Path)
	to := value.Value{}
	if f != nil && f.Type == schema.List {
		to = value.List()
	}
	verdict := Changed
	if at := sh.Record.At(p.Path); at == nil || at.Empty() {
		verdict = Right
	}
	sh.change(p, to, verdict, nil)
}

// Read gives the value that a reviewer's words mean in a field, and what the schema has
// against it in that place, in words; "" for nothing.
func (sh *Sheet) Read(p value.Pointer, words string) (to value.Value, fault string) {
	f := sh.Schema.At(p)
	if f == nil {
		return to, "the schema has no such field"
	}
	to = typed(f, p, words)
	return to, sh.fault(p, to)
}

// fault says what the schema has against a value in a place. Rules between values are
// no fault of one: until all are there a sum can't be right. They are decided about with
// the record.
func (sh *Sheet) fault(p value.Pointer, to value.Value) string {
	trial := with(sh.Record, p.Steps(), to)
	for _, problem := range sh.check.Check(&trial) {
		if problem.Path.Within(p) && problem.Code() != record.Missing && problem.Code() != record.Rule {
			return problem.Message()
		}
	}
	return ""
}

// typed reads words as the value of a field. A text is what it is.
func typed(f *schema.Field, p value.Pointer, words string) value.Value {
	words = strings.TrimSpace(words)
	if f.Type == schema.List && f.Item.IsLeaf() {
		return listed(f, p, words)
	}
	if words == "" || words == "null" && f.Kin().Type != schema.Text {
		return value.Value{}
	}
	if f.Type == schema.Any {
		return anyForm(f, p, words)
	}
	v := value.Str(words)
	if f.Kin().Type != schema.Text {
		normalize.Field(f, p, &v)
	}
	if t := f.Kin().Type; (t == schema.Number || t == schema.Integer) && v.Kind == value.String {
		if n, err := value.Parse(words); err == nil && n.Kind == value.Number { // as the record has it
			return n
		}
	}
	return v
}

// listed reads words as the items of a list: between commas, semicolons, "and"; those of
// texts, in which commas may stand, between semicolons alone.
func listed(f *schema.Field, p value.Pointer, words string) value.Value {
	if f.Item.Kin().Type != schema.Text {
		v := value.Str(words)
		if normalize.Field(f, p, &v); v.Kind == value.Array {
			return v
		}
	}
	list := value.List()
	for _, part := range strings.Split(words, ";") {
		if item := typed(f.Item, p.Index(len(list.Kids)), part); item.Kind != value.Null {
			list.Kids = append(list.Kids, item)
		}
	}
	return list
}

// Type makes the value what a reviewer's words mean. It is refused with the reason
// where the schema does not allow it.
func (sh *Sheet) Type(p Point, words string) error {
	to, fault := sh.Read(p.Path, words)
	if fault != "" {
		return errors.New(fault)
	}
	if to.Empty() {
		sh.Clear(p)
		return nil
	}
	verdict := Changed
	if at := sh.Record.At(p.Path); at != nil && value.Equal(at, &to) {
		verdict = sh.rightOr(p)
	}
	sh.change(p, to, verdict, nil)
	return nil
}

// Words gives what words of the source are as the value of a field: the value, where
// its words stand, and what the schema has against it; "" for nothing.
func (sh *Sheet) Words(p value.Pointer, start, end int) (to value.Value, at reading.Span, fault string) {
	f := sh.Schema.At(p)
	if f == nil || sh.Source == nil || start < 0 || end > len(sh.Source.Text) || start >= end {
		return to, at, "no words are marked"
	}
	whole := f
	if f.Type == schema.List {
		f = f.Item
	}
	tx := sh.Index.Text
	text, at := evidence.Taken(f, tx, evidence.Words{Text: oneLine(sh.Source.Text[start:end]), At: reading.Span{Start: start, End: end}, Lines: sh.isLine(start, end)})
	if whole.Type == schema.List {
		to = listed(whole, p, text)
		if now := sh.Record.At(p); now != nil && sh.Made[string(p)] == Taken { // a second place adds to the first
			to.Kids = append(append([]value.Value(nil), now.Kids...), to.Kids...)
		}
		return to, at, sh.fault(p, to)
	}
	to = value.Str(text)
	if f.Kin().Type == schema.Quantity || f.Kin().Type == schema.Money {
		to = sh.measured(f.Kin(), to, at)
	}
	normalize.Field(f, p, &to)
	return to, at, sh.fault(p, to)
}

// measured adds what a bare figure measures by the text around it.
func (sh *Sheet) measured(f *schema.Field, v value.Value, at reading.Span) value.Value {
	if strings.ContainsFunc(v.Text, func(r rune) bool { return r > ' ' && !strings.ContainsRune("0123456789.,'-+−", r) }) {
		return v
	}
	figure, ok := sh.Index.Text.FigureIn(at)
	if !ok {
		return v
	}
	m := sh.Index.Text.MeasureOf(figure)
	word := m.Code
	if f.Type == schema.Quantity && m.Unit != "" {
		word = m.Unit
	} // a sum of money is no quantity, and is refused as what it is
	if word == "" {
		return v
	}
	return value.Str(v.Text + " " + word)
}

// isLine tells whether a stretch is all of its line.
func (sh *Sheet) isLine(start, end int) bool {
	text := sh.Source.Text
	from := strings.LastIndexByte(text[:start], '\n') + 1
	to := len(text)
	if n := strings.IndexByte(text[end:], '\n'); n >= 0 {
		to = end + n
	}
	return strings.TrimSpace(text[from:start]) == "" && strings.TrimSpace(text[end:to]) == ""
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// Take makes words of the source the value, with their place. A word that a choice has
// no name for is refused, with the reason.
func (sh *Sheet) Take(p Point, start, end int) error {
	to, at, fault := sh.Words(p.Path, start, end)
	if fault != "" {
		return errors.New(fault)
	}
	place := evidence.Place{Kind: evidence.Quoted, Start: at.Start, End: at.End, Line: sh.Index.LineOf(at.Start) + 1}
	if Shown(&to) != oneLine(sh.Source.Text[at.Start:at.End]) {
		place.Kind = evidence.Restated
	}
	sh.change(p, to, Taken, &place)
	return nil
}

// Move says that the value stands in another place.
func (sh *Sheet) Move(p Point, start, end int) {
	sh.begin(p)
	was := sh.Places[p.Path]
	place := evidence.Place{Kind: was.Kind, Start: start, End: end, Line: sh.Index.LineOf(start) + 1}
	if place.Kind == evidence.None || place.Kind == "" {
		place.Kind = evidence.Restated
	}
	sh.setPlace(p.Path, place, true)
	sh.setVerdict(p.Key(), sh.rightOr(p))
	sh.end()
}

// rightOr gives what a value is once it was looked at: what a reviewer made it stays
// what it is.
func (sh *Sheet) rightOr(p Point) Verdict {
	if v := sh.Made[p.Key()]; v == Changed || v == Taken {
		return v
	}
	return Right
}

// Accept says that a value is right as it stands.
func (sh *Sheet) Accept(p Point) { sh.Decide(p, sh.rightOr(p)) }

// change puts a value into the record with its verdict and its place; nil: it is looked
// for.
func (sh *Sheet) change(p Point, to value.Value, verdict Verdict, place *evidence.Place) {
	sh.begin(p)
	adds := place != nil && sh.Made[p.Key()] == Taken // to a list that was taken from another place before
	for _, at := range sh.leavesAt(p.Path) {
		if !adds || at == p.Path {
			sh.setPlace(at, evidence.Place{}, false)
		}
	}
	sh.setValue(p.Path, to)
	sh.setVerdict(p.Key(), verdict)
	leaves := sh.leavesAt(p.Path)
	if place != nil {
		for _, at := range leaves {
			if _, known := sh.Places[at]; !known {
				sh.setPlace(at, *place, true)
			}
		}
	} else if sh.Index != nil && !to.Empty() {
		found := evidence.Full(sh.Schema, &sh.Record, sh.Index, sh.Places)
		for _, at := range leaves {
			if place, ok := found[at]; ok {
				sh.setPlace(at, place, true)
			}
		}
	}
	sh.end()
}

// AcceptItem accepts at once what is open in an item, or in a whole record (""), and
// what nothing speaks against; that a list is empty too. It gives how many there were.
func (sh *Sheet) AcceptItem(p value.Pointer) int {
	return sh.acceptAll(Point{Kind: OfItem, Path: p}, func(q Point) bool { return q.Kind != OfLine && q.Path.Within(p) && len(sh.Said(q)) == 0 })
}

// AcceptQuoted accepts at once the open values that stand in the document letter for
// letter, with a risk below a limit.
func (sh *Sheet) AcceptQuoted(below float64) int {
	return sh.acceptAll(Point{}, func(q Point) bool { return sh.Quoted(q, below) })
}

// Quoted tells whether a value stands in the document letter for letter, nothing speaks
// against it, and its risk, where it is known, is below a limit.
func (sh *Sheet) Quoted(q Point, below float64) bool {
	if q.Kind != OfValue || len(sh.Said(q)) > 0 {
		return false
	}
	if r, known := sh.RiskOf(q.Path); known && r >= below {
		return false
	}
	places := sh.PlacesOf(q.Path)
	for _, place := range places {
		if place.Kind != evidence.Quoted {
			return false
		}
	}
	return len(places) > 0
}

func (sh *Sheet) acceptAll(at Point, meant func(Point) bool) (n int) {
	sh.begin(at)
	for _, q := range sh.points {
		if sh.Verdict(q) == "" && meant(q) {
			sh.setVerdict(q.Key(), Unseen)
			n++
		}
	}
	if n == 0 {
		sh.now = nil
		return 0
	}
	sh.end()
	return n
}

// Options gives what a field can be, where that is a list of words.
func Options(f *schema.Field) (options []string) {
	if f == nil {
		return nil
	}
	if f.Type == schema.List {
		f = f.Item
	}
	switch kin := f.Kin(); kin.Type {
	case schema.Choice:
		for _, o := range kin.Of {
			options = append(options, o.Value)
		}
	case schema.Boolean:
		options = []string{"true", "false"}
	}
	return options
}

// About says in one line what a field is.
func About(f *schema.Field) string {
	if f == nil {
		return ""
	}
	if f.Type == schema.Group {
		return oneLine(f.About)
	}
	parts := []string{string(f.Type)}
	switch {
	case f.Type == schema.Any:
		parts[0] = f.Inside().Name()
	case f.Type == schema.List && f.Item.IsLeaf():
		parts[0] = "list of " + string(f.Item.Type)
	}
	if f.Required {
		parts = append(parts, "required")
	}
	for _, measure := range []string{f.Unit, f.Currency} {
		if measure != "" {
			parts = append(parts, "in "+measure)
		}
	}
	if f.Pattern != nil {
		parts = append(parts, "form "+f.Pattern.String())
	}
	switch {
	case f.Min != "" && f.Max != "":
		parts = append(parts, fmt.Sprintf("%s to %s", f.Min, f.Max))
	case f.Min != "":
		parts = append(parts, "at least "+f.Min)
	case f.Max != "":
		parts = append(parts, "at most "+f.Max)
	}
	if len(f.To) > 0 {
		parts = append(parts, "links to "+strings.Join(f.To, ", "))
	}
	text := strings.Join(parts, ", ")
	if f.About != "" {
		text += " · " + oneLine(f.About)
	}
	return text
}
