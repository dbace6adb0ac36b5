package evidence

import (
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
	case place.Kind == Lookalike && Misread(f, v, ix.Source[place.Start:place.End]):
	case place.Kind == Lookalike && strict:
		return record.OnlyLookalike{Words: ix.Source[place.Start:place.End]}
	case place.Kind == None:
		return ix.missing(f, place)
	case f.Evidence == "quoted" && place.Kind != Quoted:
		return record.OnlyRestated{}
	}
	return nil
}

// missing says of a value that stands nowhere whether its figure does.
func (ix *Index) missing(f *schema.Field, place Place) record.What {
	said := ""
	if line := max(place.Against, place.Open, place.Unsaid); line > 0 && !f.Sensitive {
		said = ix.Line(line)
	}
	switch {
	case place.Open > 0:
		return record.TwoFigures{Line: place.Open, Said: said}
	case place.Unsaid > 0:
		return record.NoOffset{Line: place.Unsaid, Said: said}
	case place.Against > 0:
		return record.SaysOther{Line: place.Against, Said: said}
	}
	return record.Nowhere{}
}
