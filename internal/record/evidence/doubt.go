package evidence

import (
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Doubt says what speaks against a value by where it stands, or nil. pictures says that
// the model was shown the pages, where a value may have come from.
func (ix *Index) Doubt(f *schema.Field, v *value.Value, place Place, pictures bool) record.What {
	strict := f.Evidence == "quoted" || f.Evidence == "restated"
	switch {
	case f.Basis && place.Kind == Inferred && !place.Found() && !pictures:
		return record.Unfounded{}
	case place.Kind == Pictured && f.Evidence == "quoted":
		return record.OnlyPictured{}
	case place.Kind == Lookalike && (Misread(f, v, ix.Source[place.Start:place.End]) || ix.accentsLost(v, place)):
	case place.Kind == Lookalike && strict:
		return record.OnlyLookalike{Words: ix.Source[place.Start:place.End]}
	case place.Misplaced > 0:
		return record.OthersLine{Line: place.Misplaced, Said: ix.said(f, place.Misplaced, place.Says), InParts: place.InParts}
	case place.Column > 0:
		return record.OtherColumn{Line: place.Column, Said: ix.unless(f, strings.TrimSpace(ix.Source[place.Says.Start:place.Says.End])), Head: ix.unless(f, place.Under), ByHead: place.Under != ""}
	case place.Under != "":
		return record.OthersLabel{Label: place.Under}
	case place.Whole.End > 0:
		return record.BreaksOff{Whole: ix.unless(f, ix.Source[place.Whole.Start:place.Whole.End])}
	case place.Range != "":
		return record.OtherEnd{Range: ix.unless(f, place.Range)}
	case place.Unnamed != "" && isHidden(f): // the name may be what must not be seen
		return record.NameNowhere{}
	case place.Unnamed != "":
		return record.NameNowhere{Name: place.Unnamed}
	case place.Again != "":
		return record.ReadTwice{First: place.Again, Line: place.Line}
	case place.Opposed > 0:
		return record.SaysOpposite{Line: place.Opposed, Said: ix.said(f, place.Opposed, place.Says)}
	case place.Kind == None:
		return ix.missing(f, v, place)
	case f.Evidence == "quoted" && place.Kind != Quoted:
		return record.OnlyRestated{}
	}
	return nil
}

// accentsLost tells whether a text was recognised in a picture with all its letters, and but
// for their accents, which engines lose that don't know the language: Anhanger for Anhänger.
func (ix *Index) accentsLost(v *value.Value, place Place) bool {
	return ix.Unsure != nil && v != nil && v.Kind == value.String && lang.PlainLetters(v.Text) == lang.PlainLetters(ix.Source[place.Start:place.End])
}

// isHidden tells whether the values of a field may not be shown: it is sensitive, or what it lies in.
func isHidden(f *schema.Field) bool { return f.Sensitive || f.IsHidden() }

// said gives a line that speaks against a value, unless it may not be shown; of a long one from the
// sentence on that does, or from a little before the words.
func (ix *Index) said(f *schema.Field, line int, at span) string {
	if line == 0 || isHidden(f) {
		return ""
	}
	whole := ix.LineSpan(line - 1)
	if at.End == 0 || at.Start < whole.Start || at.End > whole.End || at.End-whole.Start < record.MostSaid {
		return ix.Line(line)
	}
	from := max(whole.Start, ix.SentenceSpan(at.Start, at.End).Start)
	if at.End-from >= record.MostSaid {
		from = max(from, at.Start-record.MostSaid/2)
		from += strings.IndexByte(ix.Source[from:at.Start]+" ", ' ')
	}
	return "… " + strings.TrimSpace(ix.Source[min(from, at.Start):whole.End])
}

// unless gives words of the document, unless they may not be shown.
func (ix *Index) unless(f *schema.Field, words string) string {
	if isHidden(f) {
		return ""
	}
	return words
}

// missing says of a value that stands nowhere whether its figure does.
func (ix *Index) missing(f *schema.Field, v *value.Value, place Place) record.What {
	said := ix.said(f, max(place.Against, place.Open), place.Says)
	switch {
	case place.Open > 0:
		t := f.Kin().Type
		return record.TwoFigures{Line: place.Open, Said: said, Day: t == schema.Date || t == schema.DateTime || t == schema.Any && v != nil && v.Kind == value.String}
	case place.Against > 0:
		return record.SaysOther{Line: place.Against, Said: said}
	case place.Back > 0:
		return record.TakenBack{Line: place.Back, Said: ix.said(f, place.Back, place.Says)}
	}
	return record.Nowhere{}
}
