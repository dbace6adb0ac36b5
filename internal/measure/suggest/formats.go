package suggest

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// spelt is a value of gold as a document writes it.
type spelt struct {
	at      *gathered
	path    value.Pointer
	gold    *value.Value
	text    string
	where   Where
	start   int // of its line
	from    int // where it begins on it
	line    string
	inError bool
	read    bool // it is found as the schema is, and no other value was filled
}

// spellings gives how documents write gold's values of a field.
func (c *Collector) spellings(f *schema.Field) (all []spelt) {
	for i := range c.cases {
		g := &c.cases[i]
		if g.Doc == nil {
			continue
		}
		wrong, other := map[value.Pointer]bool{}, map[value.Pointer]bool{}
		for j := range g.Errors {
			if e := &g.Errors[j]; e.Field == f && (e.Outcome == score.Wrong || e.Outcome == score.Missed) {
				wrong[e.GoldPath], other[e.GoldPath] = true, e.Outcome == score.Wrong
			}
		}
		g.Gold.Record.Walk(func(p value.Pointer, v *value.Value) bool {
			if c.schema.At(p) != f || v.Empty() {
				return true
			}
			place := g.gold[p]
			from, to := place.Start, place.End
			if !place.Found() {
				from, to = onlyOne(f, v, g.Doc.Text)
			}
			if to > from {
				n, start, line := g.lineOf(from)
				all = append(all, spelt{at: g, path: p, gold: v, text: g.Doc.Text[from:to], start: start, from: from - start, line: line,
					where: Where{g.Gold.Document, n, strings.TrimSpace(line)}, inError: wrong[p], read: place.Found() && !other[p]})
			}
			return false
		})
	}
	return all
}

var day = lazy.New(`\d{1,4}[./-] ?\d{1,2}[./-] ?\d{1,4}`)

// onlyOne finds the only date or figure of a text that can be read as a value in a way that
// the schema does not declare; nothing where there are several.
func onlyOne(f *schema.Field, v *value.Value, text string) (from, to int) {
	var could func(token string) bool
	tokens := figure
	switch {
	case f.Type == schema.Date:
		tokens, could = day, func(token string) bool {
			return slices.ContainsFunc(schema.PossibleFormats(token), func(name string) bool {
				format, err := schema.ParseDateFormat(name)
				format.Pivot = f.Pivot
				read, ok := format.Read(token)
				return err == nil && ok && read == v.Text
			})
		}
	case isNumeric(f):
		want := amountOf(v)
		could = func(token string) bool {
			return want != nil && slices.ContainsFunc(append([]schema.NumberFormat{{Decimal: "."}}, separators...), func(n schema.NumberFormat) bool {
				got := written(n, token)
				return got != nil && got.Equal(want.Abs())
			})
		}
	default:
		return 0, 0
	}
	for _, at := range tokens.FindAllStringIndex(text, -1) {
		if !could(text[at[0]:at[1]]) {
			continue
		}
		if to > 0 {
			return 0, 0
		}
		from, to = at[0], at[1]
	}
	return from, to
}

// formats suggests how documents write a date or a number, where that is not declared and
// values so written are in error.
func (c *Collector) formats(f *schema.Field) []Suggestion {
	switch {
	case f.Type == schema.Date:
		return c.dateFormats(f)
	case isNumeric(f) && f.Numbers.Decimal == "":
		return c.numberFormats(f)
	}
	return nil
}

func isNumeric(f *schema.Field) bool {
	return slices.Contains([]schema.Type{schema.Integer, schema.Number, schema.Money, schema.Quantity}, f.Type)
}

func (c *Collector) dateFormats(f *schema.Field) []Suggestion {
	all := c.spellings(f)
	found, erring := map[string]*Suggestion{}, map[string]bool{}
	for _, w := range all {
		if _, known := f.ReadDate(w.text); known || w.gold == nil {
			continue
		}
		formats := c.possible(f, w.text)
		if readBy(formats, w) > 1 { // 4.4.2031 tells no format from another
			continue
		}
		for _, format := range formats {
			name := format.Text
			if found[name] == nil {
				names := []string{}
				for _, d := range f.Written {
					names = append(names, d.Text)
				}
				s := write(f, longer(names, name), "written")
				found[name] = &s
			}
			if day, ok := format.Read(w.text); ok && day == w.gold.Text {
				found[name].For = append(found[name].For, w.where)
				erring[name] = erring[name] || w.inError
			} else {
				found[name].Against = append(found[name].Against, w.where)
			}
		}
	}
	return erringOnly(found, erring)
}

// possible gives the formats in which a text could be a date of a field.
func (c *Collector) possible(f *schema.Field, text string) (formats []schema.DateFormat) {
	for _, name := range schema.PossibleFormats(text) {
		format, err := schema.ParseDateFormat(name)
		if err != nil || format.Short() && f.Pivot == 0 || !format.Suits(f.Precision) {
			continue
		}
		format.Pivot = f.Pivot
		formats = append(formats, format)
	}
	return formats
}

// readBy counts the formats that read a spelling as gold has it.
func readBy(formats []schema.DateFormat, w spelt) (n int) {
	for _, format := range formats {
		if day, ok := format.Read(w.text); ok && day == w.gold.Text {
			n++
		}
	}
	return n
}

// erringOnly keeps the suggestions of which some value is in error.
func erringOnly(found map[string]*Suggestion, erring map[string]bool) (out []Suggestion) {
	for _, name := range sortedKeys(found) {
		if erring[name] {
			order(found[name].For)
			out = append(out, *found[name])
		}
	}
	return out
}

var figure = lazy.New(`\d(?:[\d.,'’ \x{a0}]*\d)?`)

// separators are the pairs of signs that numbers are written with besides a point alone.
var separators = []schema.NumberFormat{{Decimal: ",", Group: "."}, {Decimal: ".", Group: ","}, {Decimal: ",", Group: " "}, {Decimal: ",", Group: ""}, {Decimal: ".", Group: "'"}}

func (c *Collector) numberFormats(f *schema.Field) []Suggestion {
	found, erring := map[string]*Suggestion{}, map[string]bool{}
	for _, w := range c.spellings(f) {
		text, want := figure.FindString(w.text), amountOf(w.gold)
		if text == "" || want == nil || !strings.ContainsAny(text, ".,'’ \u00a0") {
			continue
		}
		if got := written(schema.NumberFormat{Decimal: "."}, text); got != nil && got.Abs().Equal(want.Abs()) {
			continue
		}
		for _, n := range separators {
			got := written(n, text)
			if got == nil {
				continue
			}
			name := "{decimal: " + schema.Quote(n.Decimal) + ", group: " + schema.Quote(n.Group) + "}"
			if found[name] == nil {
				s := write(f, name, "written")
				found[name] = &s
			}
			if got.Abs().Equal(want.Abs()) {
				if w.read { // 12,50 has one reading
					continue
				}
				found[name].For = append(found[name].For, w.where)
				erring[name] = erring[name] || w.inError
			} else {
				found[name].Against = append(found[name].Against, w.where)
			}
		}
	}
	return mostFor(erringOnly(found, erring))
}

// mostFor keeps the suggestion that most speaks for; of equals the first.
func mostFor(all []Suggestion) []Suggestion {
	best := -1
	for i := range all {
		if best < 0 || len(all[i].For)-len(all[i].Against) > len(all[best].For)-len(all[best].Against) {
			best = i
		}
	}
	if best < 0 {
		return nil
	}
	return all[best : best+1]
}

// amountOf gives the figure of a value, or nil.
func amountOf(v *value.Value) *decimal.Decimal {
	if v != nil && v.Kind == value.Object {
		v = v.Get("amount")
	}
	if v == nil || v.Kind != value.Number {
		return nil
	}
	d, err := decimal.NewFromString(v.Text)
	if err != nil {
		return nil
	}
	return &d
}

// written reads a figure with given signs, or gives nil: groups have three digits.
func written(n schema.NumberFormat, text string) *decimal.Decimal {
	text = strings.NewReplacer("’", "'", "\u00a0", " ").Replace(text)
	whole, part, has := strings.Cut(text, n.Decimal)
	if has && (part == "" || strings.Trim(part, "0123456789") != "") {
		return nil
	}
	groups := []string{whole}
	if n.Group != "" {
		groups = strings.Split(whole, n.Group)
	}
	for i, g := range groups {
		if g == "" || strings.Trim(g, "0123456789") != "" || len(groups) > 1 && (i > 0 && len(g) != 3 || len(g) > 3) {
			return nil
		}
	}
	whole = strings.Join(groups, "")
	if has {
		whole += "." + part
	}
	d, err := decimal.NewFromString(whole)
	if err != nil {
		return nil
	}
	return &d
}

// signs suggests words beside a figure that say that it is below 0, or above, where the
// figure is right and its sign is not.
func (c *Collector) signs(f *schema.Field) (out []Suggestion) {
	if !isNumeric(f) || len(f.Minus)+len(f.Plus) > 0 {
		return nil
	}
	swapped := map[*gathered]map[value.Pointer]bool{}
	for i := range c.cases {
		g := &c.cases[i]
		swapped[g] = map[value.Pointer]bool{}
		for j := range g.Errors {
			e := &g.Errors[j]
			a, b := amountOf(&e.Gold), amountOf(&e.Filled)
			swapped[g][e.GoldPath] = e.Field == f && a != nil && b != nil && a.Equal(b.Neg())
		}
	}
	minus, plus := map[string]*Suggestion{}, map[string]*Suggestion{}
	erring := map[string]bool{}
	for _, w := range c.spellings(f) {
		want := amountOf(w.gold)
		if want == nil || want.IsZero() {
			continue
		}
		for _, word := range wordsBeside(w.line, w.from, w.from+len(w.text)) {
			for i, found := range []map[string]*Suggestion{minus, plus} {
				if found[word] == nil {
					name := [2]string{"minus", "plus"}[i]
					s := write(f, "{"+name+": "+schema.QuoteList([]string{word})+"}", "signs")
					found[word] = &s
				}
				if want.IsNegative() == (i == 0) {
					found[word].For = append(found[word].For, w.where)
					erring[word] = erring[word] || swapped[w.at][w.path]
				} else {
					found[word].Against = append(found[word].Against, w.where)
				}
			}
		}
	}
	for _, found := range []map[string]*Suggestion{minus, plus} {
		for _, s := range erringOnly(found, erring) {
			if len(s.Against) == 0 {
				out = append(out, s)
			}
		}
	}
	return mostFor(out)
}

// wordsBeside gives the words right before and right behind a stretch of a line, in small
// letters.
func wordsBeside(line string, from, to int) (words []string) {
	before := strings.TrimRightFunc(line[:from], func(r rune) bool { return !unicode.IsLetter(r) && r != ':' && r != '\t' && r != '|' })
	if i := strings.LastIndexFunc(before, func(r rune) bool { return !unicode.IsLetter(r) }); utf8.RuneCountInString(before[i+1:]) > 1 {
		words = append(words, strings.ToLower(before[i+1:]))
	}
	behind := strings.TrimLeftFunc(line[to:], func(r rune) bool { return !unicode.IsLetter(r) })
	end := strings.IndexFunc(behind, func(r rune) bool { return !unicode.IsLetter(r) })
	if end < 0 {
		end = len(behind)
	}
	if utf8.RuneCountInString(behind[:end]) > 1 {
		words = append(words, strings.ToLower(behind[:end]))
	}
	return words
}

// bounds suggests the least and the most that a figure can be, where all of gold keeps it
// and something that was filled breaks it. There is room above: twice the most of gold.
func (c *Collector) bounds(f *schema.Field) (out []Suggestion) {
	if !isNumeric(f) {
		return nil
	}
	var golds []decimal.Decimal
	for i := range c.cases {
		eachLeaf(c.schema, &c.cases[i].Gold.Record, func(at *schema.Field, v *value.Value) {
			if d := amountOf(v); at == f && d != nil {
				golds = append(golds, *d)
			}
		})
	}
	if len(golds) < enough {
		return nil
	}
	least, most := decimal.Min(golds[0], golds[1:]...), decimal.Max(golds[0], golds[1:]...)
	if f.Min == "" && !least.IsNegative() {
		out = append(out, c.beyond(f, write(f, "0", "min"), func(d decimal.Decimal) bool { return d.IsNegative() }))
	}
	if f.Max == "" && most.IsPositive() {
		bound := roundUp(most.Mul(decimal.NewFromInt(2)))
		out = append(out, c.beyond(f, write(f, bound.String(), "max"), bound.LessThan))
	}
	return out
}

// beyond counts the filled values that a bound would refuse.
func (c *Collector) beyond(f *schema.Field, s Suggestion, refused func(decimal.Decimal) bool) Suggestion {
	for i := range c.cases {
		for j := range c.cases[i].Errors {
			e := &c.cases[i].Errors[j]
			if d := amountOf(&e.Filled); e.Field == f && d != nil && refused(*d) {
				s.For = append(s.For, Where{e.Document, e.FilledLine.N, strings.TrimSpace(e.FilledLine.Text)})
			}
		}
	}
	return s
}

// roundUp gives the next of 1, 2 and 5 times a power of ten.
func roundUp(d decimal.Decimal) decimal.Decimal {
	at := decimal.New(1, int32(d.NumDigits())+d.Exponent()-1)
	for _, times := range []int64{1, 2, 5, 10} {
		if up := at.Mul(decimal.NewFromInt(times)); up.GreaterThanOrEqual(d) {
			return up
		}
	}
	return d
}

// ordered suggests that the order of a list counts: where nothing tells items apart and all
// of gold has them in the order of the page.
func (c *Collector) ordered(f *schema.Field) []Suggestion {
	s := write(f, "true", "ordered")
	erring := false
	for i := range c.cases {
		g := &c.cases[i]
		for j := range g.Errors {
			erring = erring || strings.HasPrefix(g.Errors[j].Field.Path, f.Path)
		}
		at := Where{Document: g.Gold.Document}
		for _, p := range g.lists(c.schema, f) {
			last, same, rising := -1, false, true
			seen := map[string]bool{}
			items := pair.Items(g.Gold.Record.At(p))
			for k := range items {
				from := g.firstOf(p.Index(k))
				rising = rising && from > last
				last = from
				text := pair.Canonical(f.Item, &items[k])
				same = same || seen[text]
				seen[text] = true
			}
			switch {
			case !rising:
				s.Against = append(s.Against, at)
			case same:
				s.For = append(s.For, at)
			}
		}
	}
	if !erring || len(s.Against) > 0 {
		return nil
	}
	return []Suggestion{s}
}

// lists gives the places of the lists of a field in gold's record.
func (g *gathered) lists(s *schema.Schema, f *schema.Field) (at []value.Pointer) {
	g.Gold.Record.Walk(func(p value.Pointer, v *value.Value) bool {
		if v.Kind == value.Array && s.At(p) == f {
			at = append(at, p)
		}
		return true
	})
	return at
}

// firstOf gives where the first value at or below a place stands, or -1.
func (g *gathered) firstOf(p value.Pointer) int {
	first := -1
	for q, place := range g.gold {
		if q.Within(p) && place.Found() && (first < 0 || place.Start < first) {
			first = place.Start
		}
	}
	return first
}
