package evidence

import (
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// fits tells whether something may be the value of a field.
func (left leftover) fits(f *schema.Field) bool {
	switch f.Kin().Type {
	case schema.Date:
		return left.form == aDay || left.form == aMonth && f.Precision != ""
	case schema.DateTime:
		return left.form == aDay
	case schema.Time:
		return left.form == aTime
	case schema.Money:
		return left.form == aSum || left.form == anAmount && (left.measure.Code != "" || left.measure.Minor)
	case schema.Quantity:
		return left.form == anAmount && left.measure.Unit != "" && (f.Unit == "" || left.measure.Has(f.Unit) || reading.Convert("1", left.measure.Unit, f.Unit) != "")
	case schema.Integer:
		return left.form == aCount
	case schema.Number:
		return left.form == aCount || left.form == aSum
	case schema.Choice:
		return left.form == aChoice
	case schema.Text:
		return left.form == aText
	}
	return false
}

// choices gives the places in a region where a choice of a field stands that no value came from.
func (l *leaving) choices(f *schema.Field, region span) (found []leftover) {
	ix := l.w.ix
	for _, option := range f.Of {
		for _, name := range append([]string{schema.Spoken(option.Value)}, option.Also...) {
			words := strings.Fields(folded(name))
			if len(words) == 0 || utf8.RuneCountInString(name) < 3 || saysNone(name) || lang.Unknown.Has(words[0]) || lang.Yes.Has(words[0]) {
				continue
			}
			for _, s := range ix.wordsIn(words, region) {
				if l.isFree(s) && ix.Denial(s) == reading.Said && !l.w.labelsOther(f, s) {
					found = append(found, leftover{span: s, form: aChoice, option: option.Value})
				}
			}
		}
	}
	return found
}
