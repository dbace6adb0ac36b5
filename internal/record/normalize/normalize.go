// Package normalize changes values by rule, without a model.
//
// Rules it keeps:
//
//   - A normalizer never guesses between two readings: 03.04.2031 under formats that
//     read it as two different days stays as it is, and validation says so.
//   - Every change is told: where, by which rule, from what, to what.
//   - Normalizing twice changes nothing more.
package normalize

import (
	"strconv"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Change is one value changed by one rule.
type Change struct {
	Path value.Pointer
	Rule string
	From value.Value
	To   value.Value
}

// The rules, by the names that traces show.
const (
	RuleSpaces     = "spaces"      // white space at the ends and in runs
	RuleFigures    = "figures"     // figures of another script, which texts are read without
	RuleBlank      = "blank"       // an empty text is no value, nor is a tuple of nothing
	RuleAsText     = "as-text"     // a number where a text belongs
	RuleDigits     = "digits"      // a number inside a string
	RuleWhole      = "whole"       // 3.0 where an integer belongs
	RuleYesNo      = "yes-no"      // a word for true or false
	RuleDate       = "date"        // a date in a declared or plain format
	RuleChoice     = "choice"      // a choice by synonym, case or spacing
	RuleListed     = "listed"      // a list written as one text
	RuleListOne    = "list-of-one" // one item where a list belongs
	RuleNumber     = "number"      // a number in the field's declared signs
	RuleTime       = "time"        // a time of day
	RuleMoment     = "datetime"    // a date with a time, and the zone that is said or declared
	RuleAmount     = "amount"      // money or a quantity written as a text
	RuleKey        = "key"         // a field name in another case or style
	RuleMeasure    = "measure"     // the schema's own currency or unit where none stands
	RuleUnit       = "unit"        // a quantity in the schema's own unit
	RuleUnknown    = "unknown"     // a word that says there is no value
	RuleTwice      = "twice"       // an item that says nothing beyond one with its key
	RuleSentence   = "sentence"    // a sentence around the value
	RuleMisread    = "misread"     // a choice or a code, but for letters and figures that look alike
	RuleLookalikes = "lookalikes"  // letters that look like figures
	RuleInPlace    = "in-place"    // words of the document, by where they stand in it
	RuleCode       = "code"        // the code of a currency or a country that a text names
	RulePattern    = "pattern"     // what a pattern takes of a text: without its blanks, or one word of it
	RuleJSON       = "json"        // a text that holds JSON where any value belongs
	RulePairs      = "pairs"       // names and values in a list where an object of any names belongs
)

// Record normalizes all values of a record in place.
func Record(s *schema.Schema, record *value.Value) []Change {
	var t pass
	t.field(s.Root, "", record)
	return t.changes
}

// Field normalizes the value of one field in place, with all below it.
func Field(f *schema.Field, p value.Pointer, v *value.Value) []Change {
	var t pass
	t.field(f, p, v)
	return t.changes
}

type pass struct{ changes []Change }

func (t *pass) set(p value.Pointer, rule string, v *value.Value, to value.Value) {
	to.Name = v.Name
	t.changes = append(t.changes, Change{Path: p, Rule: rule, From: v.Clone(), To: to.Clone()})
	*v = to
}

func (t *pass) field(f *schema.Field, p value.Pointer, v *value.Value) {
	switch f.Type {
	case schema.Group:
		if v.Kind == value.Object {
			t.keys(f, p, v)
		}
		if v.Kind == value.String {
			if to, ok := grouped(f, v.Text); ok {
				t.set(p, RuleAmount, v, to)
			}
		}
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil && v.Kind == value.Object {
				t.field(kid, p.Key(kid.Name), &v.Kids[i])
			}
		}
	case schema.List:
		if v.Kind == value.String {
			t.listed(f, p, v)
		}
		if v.Kind == value.Object && f.Item.Type == schema.Group || v.Kind == value.String && v.Text != "" && f.Item.IsLeaf() {
			t.set(p, RuleListOne, v, value.List(v.Clone().Named("")))
		}
		if v.Kind == value.Array {
			t.items(p, v)
			for i := range v.Kids {
				t.field(f.Item, p.Index(i), &v.Kids[i])
			}
			t.items(p, v)
			t.twice(f, p, v)
		}
	default:
		t.leaf(f, p, v)
	}
}

// midnight is a day written with a time of no meaning.
var midnight = lazy.New(`^(\d{4}-\d{2}-\d{2})[T ]00:00(?::00(?:\.0+)?)?(?:Z|[+-]00:?00)?$`)

// keys gives members that are called like a field but for case and style
// (`reportNo`, `Report No.`) the field's name, where no member has it already
// and no other field could be meant.
func (t *pass) keys(f *schema.Field, p value.Pointer, v *value.Value) {
	for i := range v.Kids {
		kid := &v.Kids[i]
		if f.Child(kid.Name) != nil {
			continue
		}
		var meant *schema.Field
		for _, field := range f.Fields {
			if PlainName(field.Name) == PlainName(kid.Name) {
				meant = field
			}
		}
		if meant == nil || v.Get(meant.Name) != nil {
			continue
		}
		t.changes = append(t.changes, Change{Path: p.Key(meant.Name), Rule: RuleKey, From: value.Str(kid.Name), To: value.Str(meant.Name)})
		kid.Name = meant.Name
	}
}

// PlainName gives the letters and digits of a name in lower case.
func PlainName(name string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, name)
}

// isLegal tells a text that is an option of its field, or one that its pattern takes.
func isLegal(f *schema.Field, text string) bool {
	_, option := Choice(f, text)
	return f.Type == schema.Choice && option || f.Pattern != nil && f.Pattern.MatchString(text)
}

func (t *pass) leaf(f *schema.Field, p value.Pointer, v *value.Value) {
	if f.Type == schema.Any {
		if to, ok := unpacked(f, v); ok && !f.KeptAsIs() {
			t.set(p, RuleJSON, v, to)
		}
		if form := f.AnyForm(); form != nil && !f.KeptAsIs() {
			if to, turned := form.Turned(v); turned {
				t.set(p, RulePairs, v, to)
			}
		}
		if f.IsTuple() && v.Kind == value.Array && len(v.Kids) == 0 && !f.KeptAsIs() {
			t.set(p, RuleBlank, v, value.Value{})
		}
		if !f.KeptAsIs() && (v.Kind == value.Object || v.Kind == value.Array) {
			t.inside(f.Inside(), p, v)
		}
		return
	}
	if v.Kind == value.String {
		clean := strings.Join(strings.Fields(v.Text), " ")
		if f.KeptAsIs() { // lines stay lines
			clean = strings.TrimSpace(v.Text)
		}
		if clean != v.Text {
			t.set(p, RuleSpaces, v, value.Str(clean))
		}
		if v.Text == "" {
			t.set(p, RuleBlank, v, value.Value{})
		}
	}
	if f.KeptAsIs() {
		return
	}
	if v.Kind == value.String {
		if figures, n := lang.ASCIIDigits(v.Text); n > 0 && !isLegal(f.Kin(), v.Text) {
			t.set(p, RuleFigures, v, value.Str(figures))
		}
	}
	if v.Kind == value.String && Unknown(f.Kin(), v.Text) {
		t.set(p, RuleUnknown, v, value.Value{})
		return
	}
	t.byType(f.Kin(), p, v)
	for _, name := range f.Normalize {
		if to, ok := byName(name, v); ok {
			t.set(p, name, v, to)
		}
	}
}

// byType makes the change that the type asks for; where it finds none, for what
// is left without a sentence around the value, or with figures in place of
// letters that look like them.
func (t *pass) byType(f *schema.Field, p value.Pointer, v *value.Value) {
	if rule, to, ok := ByType(f, v); ok {
		t.set(p, rule, v, to)
	} else if v.Kind == value.String {
		t.clearer(f, p, v)
	}
	if to, ok := converted(f, v); ok {
		rule := RuleUnit
		if to.Get("amount").Text == v.Get("amount").Text {
			rule = RuleMeasure
		}
		t.set(p, rule, v, to)
	}
}

func (t *pass) clearer(f *schema.Field, p value.Pointer, v *value.Value) {
	if m := fourFigures.FindStringSubmatch(v.Text); m != nil && f.Type == schema.Time {
		t.set(p, RuleTime, v, value.Str(m[1]+":"+m[2]))
		return
	}
	if code := coded(f, v.Text); f.Type == schema.Text && code != "" {
		t.set(p, RuleCode, v, value.Str(code))
		return
	}
	if bare := bareOf(f, v.Text); bare != "" {
		said := value.Str(bare)
		rule, to, ok := ByType(f, &said)
		switch {
		case ok:
			t.set(p, RuleSentence, v, said)
			t.set(p, rule, v, to)
		case f.Type == schema.Text:
			t.set(p, RuleSentence, v, said)
		}
		return
	}
	if iso := asFormat(f, v.Text); iso != "" {
		t.set(p, RulePattern, v, value.Str(iso))
		return
	}
	if iso := asPattern(f, v.Text); iso != "" {
		t.set(p, RulePattern, v, value.Str(iso))
		return
	}
	if way := fitted(f, v.Text); way != "" {
		t.set(p, RulePattern, v, value.Str(way))
		return
	}
	if legal := misread(f, v.Text); legal != "" {
		t.set(p, RuleMisread, v, value.Str(legal))
		return
	}
	if figures := Figures(v.Text); figures != "" && isFigure(f) {
		said := value.Str(figures)
		if rule, to, ok := ByType(f, &said); ok {
			t.set(p, RuleLookalikes, v, said)
			t.set(p, rule, v, to)
		} else if f.Type == schema.Date && schema.IsISODate(figures) {
			t.set(p, RuleLookalikes, v, said)
		}
	}
}

// byName gives the change of a normalizer that a field asks for by name.
func byName(name string, v *value.Value) (value.Value, bool) {
	if v.Kind != value.String {
		return value.Value{}, false
	}
	to := v.Text
	switch name {
	case "upper":
		to = strings.ToUpper(to)
	case "lower":
		to = strings.ToLower(to)
	case "no-end-stop":
		to = strings.TrimRight(to, ".,;: ")
	case "plain-signs":
		to = norm.NFC.String(plainSigns.Replace(to))
	case "digits-only":
		to = strings.Map(func(r rune) rune {
			if r >= '0' && r <= '9' {
				return r
			}
			return -1
		}, to)
	}
	return value.Str(to), to != v.Text && to != ""
}

var plainSigns = strings.NewReplacer("“", "\"", "”", "\"", "„", "\"", "«", "\"", "»", "\"", "‘", "'", "’", "'", "‚", "'", "–", "-", "—", "-", "‑", "-", "\u00a0", " ", "\u202f", " ", "\u00ad", "")

// ByType gives the change that the field's type asks for, if its value needs
// one and there is only one way to make it.
func ByType(f *schema.Field, v *value.Value) (rule string, to value.Value, ok bool) {
	switch {
	case f.Type == schema.Text && v.Kind == value.Number:
		return RuleAsText, value.Str(v.Text), true
	case f.Type == schema.Integer && v.Kind == value.Number:
		if whole, fits := wholeNumber(v.Text); fits && whole != v.Text {
			return RuleWhole, value.Num(whole), true
		}
		if cents := fromFull(f, v.Text); cents != "" {
			return RuleUnit, value.Num(cents), true
		}
	case f.Type == schema.Integer && v.Kind == value.String:
		literal, rule := number(f, v.Text)
		if whole, fits := wholeNumber(literal); fits {
			return rule, value.Num(whole), true
		}
		if n := reading.FromRoman(v.Text); n > 0 {
			return RuleNumber, value.Num(strconv.Itoa(n)), true
		}
		if whole, fits := wholeNumber(inOwn(f, v)); fits {
			return RuleUnit, value.Num(whole), true
		}
		inFull, _ := oneOf(reading.Whole(v.Text, f.Numbers, false), f, v.Text)
		if cents := fromFull(f, inFull); cents != "" {
			return RuleUnit, value.Num(cents), true
		}
	case f.Type == schema.Number && v.Kind == value.String:
		if literal, rule := number(f, v.Text); literal != "" {
			return rule, value.Num(literal), true
		}
		if literal := inOwn(f, v); literal != "" {
			return RuleUnit, value.Num(literal), true
		}
		if literal := ofCurrency(f, v.Text); literal != "" {
			return RuleNumber, value.Num(literal), true
		}
	case (f.Type == schema.Integer || f.Type == schema.Number) && v.Kind == value.Object:
		literal := inOwn(f, v)
		if whole, fits := wholeNumber(literal); fits {
			literal = whole
		}
		if literal != "" {
			return RuleUnit, value.Num(literal), true
		}
	case f.Type == schema.Time && v.Kind == value.String:
		if at, read := reading.TimeOfDay(v.Text); read && at != v.Text {
			return RuleTime, value.Str(at), true
		} else if at := reading.SpokenTime(v.Text); !read && at != "" {
			return RuleTime, value.Str(at), true
		}
	case f.Type == schema.DateTime && v.Kind == value.String && !f.IsDateTime(v.Text):
		if to := moment(f, v.Text); to != "" && to != v.Text {
			return RuleMoment, value.Str(to), true
		}
	case f.Type == schema.DateTime && v.Kind == value.String && strings.HasSuffix(v.Text, "+00:00"): // one form for one offset
		return RuleMoment, value.Str(strings.TrimSuffix(v.Text, "+00:00") + "Z"), true
	case f.Type == schema.Money || f.Type == schema.Quantity:
		return amount(f, v)
	case f.Type == schema.Boolean && v.Kind == value.String:
		if b, known := Says(f, v.Text); known {
			return RuleYesNo, value.Boolean(b), true
		}
	case f.Type == schema.Date && v.Kind == value.String && midnight.MatchString(v.Text):
		return RuleDate, value.Str(midnight.FindStringSubmatch(v.Text)[1]), true
	case f.Type == schema.Date && v.Kind == value.String:
		if d, read := f.ReadDate(v.Text); read && d != v.Text && !f.IsDate(v.Text) {
			return RuleDate, value.Str(d), true
		}
		if m := monthOf(f, v.Text); m != "" {
			return RuleDate, value.Str(m), true
		}
		if !f.IsDate(v.Text) && len(f.DateReadings(v.Text)) == 0 {
			if d := reading.Date(v.Text); d != "" {
				return RuleDate, value.Str(d), true
			}
			if m := basicDay.FindStringSubmatch(v.Text); m != nil && schema.IsISODate(m[1]+"-"+m[2]+"-"+m[3]) {
				return RuleDate, value.Str(m[1] + "-" + m[2] + "-" + m[3]), true
			}
		}
	case f.Type == schema.Date && v.Kind == value.Number && f.IsDate(v.Text): // a year
		return RuleAsText, value.Str(v.Text), true
	case f.Type == schema.Choice && v.Kind == value.String:
		if option, found := Choice(f, v.Text); found && option != v.Text {
			return RuleChoice, value.Str(option), true
		}
	case f.Type == schema.Choice && v.Kind == value.Number:
		// Of choices that are figures ("1", "2") models give the bare number.
		if option, found := Choice(f, v.Text); found {
			return RuleChoice, value.Str(option), true
		}
	}
	return "", value.Value{}, false
}

// jsonNumber gives the JSON literal of a number in figures, or "". Signs and
// leading zeros are taken; separators of thousands are not, since a comma can
// be read two ways.
func jsonNumber(text string) string {
	text = strings.TrimPrefix(text, "+")
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign, text = "-", text[1:]
	}
	trimmed := strings.TrimLeft(text, "0")
	if trimmed == "" || trimmed[0] == '.' {
		if trimmed == text && trimmed == "" {
			return ""
		}
		trimmed = "0" + trimmed
	}
	v, err := value.Parse(sign + trimmed)
	if err != nil || v.Kind != value.Number || strings.ContainsAny(text, "eE") {
		return ""
	}
	return sign + trimmed
}

// wholeNumber gives a number's literal without decimals that are all zero.
func wholeNumber(literal string) (string, bool) {
	if literal == "" || strings.ContainsAny(literal, "eE") {
		return "", false
	}
	whole, fraction, _ := strings.Cut(literal, ".")
	if strings.Trim(fraction, "0") != "" {
		return "", false
	}
	if whole == "-0" {
		whole = "0"
	}
	return whole, true
}
