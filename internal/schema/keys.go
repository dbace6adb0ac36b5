package schema

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/place"
)

// The values that some keys take.
var (
	EvidenceKinds   = []string{"quoted", "restated", "lookalike", "pictured", "inferred"}
	Precisions      = []string{"day", "month", "year"}
	Comparisons     = []string{"exact", "loose", "set", "none"}
	AskStyles       = []string{"record", "by-group", "by-field", "by-pointer"}
	NormalizerNames = []string{"none", "upper", "lower", "no-end-stop", "digits-only", "plain-signs"}
)

// key reads one key of a field, other than its type.
func (l *loader) key(n *place.Node, f *Field) {
	switch n.Key() {
	case "required":
		f.Required = n.Bool()
	case "printed_as":
		f.PrintedAs = n.Texts()
	case "evidence":
		f.Evidence = oneOf(n, "kind of evidence", EvidenceKinds)
		f.Concludes = f.AllowsInferred()
	case "pattern":
		f.readPattern(n)
	case "min":
		f.Min = f.readBound(n)
	case "max":
		f.Max = f.readBound(n)
	case "written":
		f.readWritten(l, n)
	case "signs":
		f.readSigns(n)
	case "pivot":
		f.readPivot(n)
	case "zone":
		f.readZone(n)
	case "precision":
		f.Precision = oneOf(n, "precision", Precisions)
	case "of":
		if namesList(n) {
			l.list(n, f)
		} else {
			f.readOptions(n)
		}
	case "currency":
		if f.Currency = n.Filled("the currency"); f.Currency != "" && !lang.Code.Has(f.Currency) {
			n.Fault(fmt.Sprintf("%q is not a currency code", f.Currency), "write the three letters of ISO 4217, such as EUR")
		}
	case "unit":
		f.readUnit(n)
	case "true":
		f.Yes = readAlso(n)
	case "false":
		f.No = readAlso(n)
	case "to":
		if n.IsMap() { // to a row of a list in a file: a choice of it
			l.list(n, f)
			f.Type = Choice
			return
		}
		f.To = n.Texts()
		l.later = append(l.later, func() { l.link(n, f) })
	case "key":
		f.Key = n.Texts()
	case "removed_as":
		f.RemovedAs = n.Texts()
	case "ordered":
		f.Ordered = n.Bool()
	case "entity":
		f.Entity = readEntity(n)
		l.later = append(l.later, func() { checkEntity(n, f) })
	case "edge":
		f.Edge = readEdge(n)
		l.later = append(l.later, func() { checkEdge(n, f) })
	case "avoid":
		f.Avoid = n.Texts()
	case "style":
		f.readStyle(n)
	case "sensitive":
		f.Sensitive = n.Bool()
	case "basis":
		f.Basis = n.Bool()
	case "normalize":
		f.Normalize = n.Texts()
		for _, name := range f.Normalize {
			if !slices.Contains(NormalizerNames, name) {
				n.Fault(fmt.Sprintf("unknown normalizer %q", name), place.Suggest(name, NormalizerNames))
			}
		}
	case "compare":
		f.readCompare(n)
	case "weight":
		f.Weight = readDecimal(n)
		if strings.HasPrefix(f.Weight, "-") {
			n.Fault("a weight is 0 or more", "write 0 to leave the field out of the weighted score")
		}
	case "examples":
		l.examples(n, f)
	case "was":
		f.readWas(l, n)
	case "keywords":
		f.Extra = n.Value()
	case "item_keywords":
		kept := n.Value()
		l.later = append(l.later, func() {
			if f.Item != nil {
				f.Item.Extra = kept
			}
		})
	case "fields", "items", "uses":
		l.below(n, f)
	}
}

func (f *Field) readStyle(n *place.Node) {
	f.Style = oneOf(n, "style", AskStyles)
	switch {
	case f.Style == "by-field" && f.Type == List:
		n.Fault("a list can't be asked for by field", "write `style: by-group`, which asks for it in a request of its own")
	case f.Style == "by-group" && f.IsLeaf():
		n.Fault("only groups and lists are asked for by group", "write `style: by-field`")
	}
}

var currencyCode = lazy.New(`^[A-Z]{3}$`)

func oneOf(n *place.Node, what string, known []string) string {
	text := n.Text()
	if !slices.Contains(known, text) {
		n.Fault(fmt.Sprintf("unknown %s %q", what, text), place.Suggest(text, known))
		return ""
	}
	return text
}

func (f *Field) readPattern(n *place.Node) {
	text := n.Filled("the pattern")
	re, err := regexp.Compile(text)
	if err != nil {
		n.Fault(fmt.Sprintf("the pattern does not compile: %s", patternError(err)), "patterns are RE2: no look-around, no back-references")
	}
	f.Pattern = re
}

func patternError(err error) string {
	return strings.TrimPrefix(err.Error(), "error parsing regexp: ")
}

func readDecimal(n *place.Node) string {
	d, err := decimal.NewFromString(n.Text())
	if err != nil || len(n.Text()) > 40 || d.Exponent() > 40 || d.Exponent() < -40 {
		n.Fault(fmt.Sprintf("%q is not a number", n.Text()), "write it in digits, without a unit")
		return ""
	}
	return d.String()
}

// readBound reads a number; of texts and lists it bounds the length.
func (f *Field) readBound(n *place.Node) string {
	text := readDecimal(n)
	if text == "" {
		return ""
	}
	d := decimal.RequireFromString(text)
	if (f.Type == Text || f.Type == List) && (!d.IsInteger() || d.IsNegative()) {
		n.Fault("a length is a whole number from 0", "of texts and lists, min and max bound the length")
		return ""
	}
	return text
}

// readWritten reads how documents write the value: date formats, or the signs
// in a number.
func (f *Field) readWritten(l *loader, n *place.Node) {
	if f.Type != Date && f.Type != DateTime {
		f.readNumberFormat(n)
		return
	}
	l.later = append(l.later, func() { f.pivoted(n) })
	for _, text := range n.Texts() {
		format, err := ParseDateFormat(text)
		if err != nil {
			n.Fault(fmt.Sprintf("%q: %s", text, err), "known signs: D, DD, M, MM, MMM, MMMM, YYYY, YY")
		}
		f.Written = append(f.Written, format)
		l.later = append(l.later, func() {
			if err == nil && !format.Suits(f.Precision) {
				n.Fault(fmt.Sprintf("%q is coarser than the field, which holds a %s", text, cmp.Or(f.Precision, "day")), fmt.Sprintf("add `precision: %s`", format.finest))
			}
		})
	}
}

// readSigns reads the words that say whether a figure is below 0 or above.
func (f *Field) readSigns(n *place.Node) {
	if !n.IsMap() {
		n.Fault("`signs` holds the words that stand for a sign", "write `{minus: [loses, credit], plus: [gains]}`")
		return
	}
	n.Known("minus", "plus")
	if words := n.Get("minus"); words != nil {
		f.Minus = words.Texts()
	}
	if words := n.Get("plus"); words != nil {
		f.Plus = words.Texts()
	}
}

// readUnit reads a unit, with other words for it, if there are any.
func (f *Field) readUnit(n *place.Node) {
	if !n.IsMap() {
		f.Unit = n.Filled("the unit")
		return
	}
	pairs := n.Pairs()
	if len(pairs) != 1 {
		n.Fault("a quantity has one unit", "write `unit: {s/day: {also: [seconds a day]}}`")
		return
	}
	f.Unit, f.UnitAlso = pairs[0].Key(), readAlso(pairs[0])
}

// readAlso reads `{also: [WORD, …]}`.
func readAlso(n *place.Node) []string {
	also := n.Get("also")
	if also == nil {
		n.Fault("the other words are missing", "write `{also: [intact]}`")
		return nil
	}
	n.Known("also")
	return also.Texts()
}

// readPivot reads the first of the hundred years that two digits mean.
func (f *Field) readPivot(n *place.Node) {
	if year, err := strconv.Atoi(n.Text()); err == nil && year >= 1000 && year <= 9900 {
		f.Pivot = year
		return
	}
	n.Fault("`pivot` is the first of the hundred years that two digits stand for", "write a year, such as pivot: 1950 for 1950 to 2049")
}

// pivoted tells the formats which years two digits mean, once all keys are read.
func (f *Field) pivoted(n *place.Node) {
	for i := range f.Written {
		f.Written[i].Pivot = f.Pivot
		if f.Written[i].Short() && f.Pivot == 0 {
			n.Fault(fmt.Sprintf("%q has a two-digit year, and no `pivot` gives the century", f.Written[i].Text), "add `pivot: 1950` for 1950 to 2049, or another year")
		}
	}
}

func (f *Field) readNumberFormat(n *place.Node) {
	if !n.IsMap() {
		n.Fault("for numbers, `written` holds their separators", "write `{decimal: \",\", group: \".\"}`")
		return
	}
	n.Known("decimal", "group")
	f.Numbers.Decimal = "."
	if d := n.Get("decimal"); d != nil {
		f.Numbers.Decimal = d.Text()
	}
	if g := n.Get("group"); g != nil {
		f.Numbers.Group = g.Text()
	}
	if !slices.Contains([]string{".", ","}, f.Numbers.Decimal) || !slices.Contains([]string{"", ".", ",", " ", "'", "’"}, f.Numbers.Group) || f.Numbers.Decimal == f.Numbers.Group {
		n.Fault("these separators are equal or not allowed", "decimal is \".\" or \",\", group another of \".\", \",\", \" \", \"'\"")
	}
}

func (f *Field) readCompare(n *place.Node) {
	if n.IsScalar() {
		f.Compare.Kind = oneOf(n, "comparison", Comparisons)
	} else if pairs := n.Pairs(); len(pairs) == 1 {
		n.Known("within", "similar")
		f.Compare = Comparison{Kind: pairs[0].Key(), Bound: readDecimal(pairs[0])}
	} else {
		n.Fault("a comparison is missing", "write exact, loose, set, none, {within: 0.01} or {similar: 0.9}")
		return
	}
	numeric := f.Type == Integer || f.Type == Number || f.Type == Money || f.Type == Quantity
	switch k := f.Compare.Kind; {
	case k == "within" && !numeric:
		n.Fault("within compares numbers, money and quantities", "use exact, loose or similar")
	case (k == "loose" || k == "similar" || k == "set") && f.Type != Text && f.Type != Choice && f.Type != Link:
		n.Fault(k+" compares texts", "use exact or within")
	case k == "similar" && f.Compare.Bound != "" && decimal.RequireFromString(f.Compare.Bound).GreaterThan(decimal.NewFromInt(1)):
		n.Fault("a similarity is from 0 to 1", "write `{similar: 0.9}`")
	}
}

func (f *Field) readOptions(n *place.Node) {
	switch {
	case n.IsList():
		for _, text := range n.Texts() {
			f.Of = append(f.Of, Option{Value: text})
		}
	case n.IsMap():
		for _, kid := range n.Pairs() {
			f.Of = append(f.Of, readOption(kid))
		}
	default:
		n.Fault("the choices are missing", "write `of: [dry, wet]`, or one line a choice")
		return
	}
	seen := map[string]bool{}
	for _, o := range f.Of {
		if seen[o.Value] {
			n.Fault(fmt.Sprintf("the choice %q is here twice", o.Value), "keep one")
		}
		seen[o.Value] = true
	}
	if len(f.Of) < 2 && f.Type == Choice { // else the key itself is the fault
		n.Fault("a choice needs at least two values to choose from", "add the others, or make the field a text")
	}
}

// namesList tells a list in a file from choices of these names.
func namesList(n *place.Node) bool {
	file := n.Get("file")
	if file == nil || !file.IsScalar() {
		return false
	}
	return n.Get("value") != nil && n.Get("value").IsScalar() || strings.HasSuffix(file.Text(), ".csv") || strings.HasSuffix(file.Text(), ".tsv")
}

func readOption(n *place.Node) Option {
	o := Option{Value: n.Key()}
	switch {
	case n.IsNull():
	case n.IsScalar():
		o.About = n.Prose("what the choice means")
	case n.IsMap():
		n.Known("also", "about")
		o.Also = n.Get("also").Texts()
		if about := n.Get("about"); about != nil {
			o.About = about.Prose("what the choice means")
		}
	default:
		n.Fault("a choice holds `also` and `about`", "write `{also: [one, other]}`")
	}
	return o
}

// below reads what a group or list holds.
func (l *loader) below(n *place.Node, f *Field) {
	switch {
	case f.Type == Group:
		l.fields(n, f)
	case f.Item != nil:
		// checked as a whole: fields, items and uses exclude each other
	case n.Key() == "items":
		f.Item = &Field{Path: f.Path + "[]", Type: Text}
		l.field(n, f.Item)
		if !f.Item.IsLeaf() {
			n.Fault("items are plain values", "for items with fields write `fields:`")
		}
	default:
		f.Item = &Field{Type: Group, Path: f.Path + "[]"}
		if n.Key() == "uses" {
			l.uses(n, n.Text(), f.Item)
		} else {
			l.fields(n, f.Item)
		}
	}
}

// whole finds faults that lie between keys.
func (l *loader) whole(n *place.Node, f *Field) {
	switch f.Type {
	case Choice:
		if n.Get("of") == nil && f.List == nil {
			n.KeyFault(fmt.Sprintf("the choice %q does not say what to choose from", f.Name), "add `of: [one, other]`")
		}
	case Link:
		if n.Get("to") == nil {
			n.KeyFault(fmt.Sprintf("the link %q does not say what it points to", f.Name), "add `to: 'bays[].number'`")
		}
	case Group:
		if n.Get("fields") == nil {
			n.KeyFault(fmt.Sprintf("the group %q has no fields", f.Name), "add `fields:`")
		}
	case List:
		f.checkList(n)
	}
	if f.Min != "" && f.Max != "" {
		least, most := decimal.RequireFromString(f.Min), decimal.RequireFromString(f.Max)
		if least.GreaterThan(most) {
			n.Get("min").Fault(fmt.Sprintf("min (%s) is above max (%s)", f.Min, f.Max), "swap or correct them")
		}
	}
	if f.Basis && f.Evidence != "inferred" && (f.Evidence != "" || f.defaultEvidence() != "inferred") {
		n.Get("basis").Fault("a basis is asked of values that may be inferred", "add `evidence: inferred`")
	}
}

func (f *Field) checkList(n *place.Node) {
	below := 0
	for _, key := range []string{"fields", "items", "uses"} {
		if n.Get(key) != nil {
			below++
		}
	}
	if below != 1 {
		n.KeyFault(fmt.Sprintf("the list %q needs exactly one of `fields`, `items` and `uses`", f.Name), "add `fields:` for items with fields, or `items: {text: What one item is.}`")
	}
	if f.Item == nil {
		f.Item = &Field{Type: Text, Path: f.Path + "[]"}
	}
	if len(f.Key) > 0 && below == 1 {
		checkKey(n.Get("key"), f.Item, f.Key)
	}
}

// checkKey: the key of a list names values of its items.
func checkKey(n *place.Node, item *Field, key []string) {
	for _, name := range key {
		kid := item.Child(name)
		if kid != nil && kid.IsLeaf() {
			continue
		}
		var names []string
		for _, c := range item.Fields {
			if c.IsLeaf() {
				names = append(names, c.Name)
			}
		}
		n.Fault(fmt.Sprintf("the key names %q, not a value of an item", name), place.Suggest(name, names))
	}
}

// link resolves what a link points to: a value in the items of a list.
func (l *loader) link(n *place.Node, f *Field) {
	var paths []string
	for _, leaf := range l.s.Leaves() {
		if strings.Contains(leaf.Path, "[].") && leaf.Type != Link {
			paths = append(paths, leaf.Path)
		}
	}
	for _, to := range f.To {
		target := l.s.Find(to)
		switch {
		case target == nil || !slices.Contains(paths, to):
			n.Fault(fmt.Sprintf("the link points to %q, not a value in the items of a list", to), place.Suggest(to, paths))
		case len(f.Targets) > 0 && jsonTypes[target.Type] != jsonTypes[f.Targets[0].Type]:
			n.Fault("the fields that the link may point to have different types", "let them be of one type")
		default:
			f.Targets = append(f.Targets, target)
		}
	}
}

// examples reads solved snippets; their answers are checked when the whole
// schema is known.
func (l *loader) examples(n *place.Node, f *Field) {
	if !n.IsList() {
		n.Fault("examples are a list", "write `- {text: \"…\", gives: …}`")
		return
	}
	for _, kid := range n.Items() {
		kid.Known("text", "gives")
		text, gives := kid.Get("text"), kid.Get("gives")
		if text == nil || gives == nil {
			kid.Fault("an example has a text and what it gives", "write `{text: \"…\", gives: …}`; an answer without a value is null or []")
			continue
		}
		e := Example{Text: text.Filled("the example's text"), Gives: gives.Value()}
		f.Examples = append(f.Examples, e)
		l.later = append(l.later, func() {
			if why := f.misfit(&e.Gives, ""); why != "" {
				gives.Fault("the example's answer breaks the schema: "+why, "correct it: an example teaches the model")
			}
		})
	}
}

// plainDecimal gives a JSON number as digits without an exponent, or "" beyond
// what a bound may be.
func plainDecimal(literal string) string {
	d, err := decimal.NewFromString(literal)
	if err != nil || d.Exponent() > 40 || d.Exponent() < -40 || len(d.String()) > 40 {
		return ""
	}
	return d.String()
}
