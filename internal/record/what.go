package record

import (
	"fmt"
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What is what is wrong: a small type for each kind of problem, with what it
// takes to say it. Its text is made last.
type What interface {
	Code() Code
	Text() string
}

// What the schema finds wrong.
type (
	// NotThere is a required value that is missing.
	NotThere struct{}
	// OfType is a value of another type than the field's.
	OfType struct {
		Want schema.Type
		Got  *value.Kind // nil: of the right kind and incomplete
	}
	// Unfit is a value that breaks the schema in a way that has no name here.
	Unfit struct{}
	// NoChoice is a value that is none of the choices; of a list in a file, these are the ones that it
	// may mean.
	NoChoice struct {
		Choices []string
		List    string `json:",omitempty"` // the file
		Rows    int    `json:",omitempty"`
		Several bool   `json:",omitempty"` // its words mean each of Choices
	}
	// NoMatch is a text that breaks the field's pattern.
	NoMatch struct{ Pattern string }
	// Limit is a number, a text or a list beyond the field's bounds.
	Limit struct {
		Of    string // "", characters or items
		Is    string
		Bound string
		Above bool
	}
	// OutOfBounds is an amount beyond the field's bounds, each "" where there is
	// none.
	OutOfBounds struct{ Is, Min, Max string }
	// OtherMeasure is an amount in another currency or unit than the field's.
	OtherMeasure struct{ Name, Is, Want string }
	// NoCurrency is money in what is no currency.
	NoCurrency struct{ Is string }
	// Exponent is a number that is too large or small to be computed with.
	Exponent struct{}
	// NotInForm is a value that is not written as its type asks.
	NotInForm struct {
		Type schema.Type
		Form string
	}
	// OtherForm is a day in a form that the field could declare.
	OtherForm struct{ Form, Written string }
	// TwoDays is a day that two declared forms read differently.
	TwoDays struct{ One, Other string }
	// TwoForms is a day in one of several forms, of which none is declared.
	TwoForms struct {
		Said  string
		Forms []string
	}
	// NoSuchDay is a day that no calendar has.
	NoSuchDay struct{}
	// NoField is a member that the schema has not, with the field that may be
	// meant, if any.
	NoField struct{ Meant string }
	// TwiceNamed is a member whose name the object has twice.
	TwiceNamed struct{}
	// Keyword is a kept keyword of an imported schema that is broken, in its own
	// words.
	Keyword struct{ Says string }
	// BrokenRule is a rule of the schema that does not hold, with what it says
	// of itself, if anything. Stands: all values that it names stand in their
	// place in the document. Mixed: two currencies or units that it would have
	// to put together, so that nobody can tell whether it holds. Sides: what the
	// sides of its comparisons come to.
	BrokenRule struct {
		Holds, Say string
		Stands     bool
		Mixed      []string
		Sides      []string
	}
	// SameKey is an item with the key of one before it.
	SameKey struct {
		Key   string // FIELD VALUE, …
		First value.Pointer
	}
	// DeadLink is a link to a value that no target has.
	DeadLink struct{ Targets []string }
)

func (NotThere) Code() Code     { return Missing }
func (OfType) Code() Code       { return Type }
func (Unfit) Code() Code        { return Type }
func (NoChoice) Code() Code     { return Choice }
func (NoMatch) Code() Code      { return Pattern }
func (Exponent) Code() Code     { return Range }
func (OutOfBounds) Code() Code  { return Range }
func (OtherMeasure) Code() Code { return Format }
func (NoCurrency) Code() Code   { return Format }
func (NotInForm) Code() Code    { return Format }
func (OtherForm) Code() Code    { return Format }
func (TwoDays) Code() Code      { return Format }
func (TwoForms) Code() Code     { return Format }
func (NoSuchDay) Code() Code    { return Format }
func (NoField) Code() Code      { return Unexpected }
func (TwiceNamed) Code() Code   { return Syntax }
func (Keyword) Code() Code      { return Schema }
func (BrokenRule) Code() Code   { return Rule }
func (DeadLink) Code() Code     { return Link }
func (SameKey) Code() Code      { return Twice }

// Code is range for numbers and length for texts and lists.
func (l Limit) Code() Code {
	if l.Of == "" {
		return Range
	}
	return Length
}

func (NotThere) Text() string { return "required, but missing" }

func (t OfType) Text() string {
	if t.Got == nil {
		return fmt.Sprintf("expected %s", typeWords[t.Want])
	}
	return fmt.Sprintf("expected %s, got %s", typeWords[t.Want], kindWords[*t.Got])
}

func (Unfit) Text() string { return "does not fit the schema" }

// quotedAll quotes values that are told because of what a record holds: where that is sensitive, what a
// message quotes is hidden.
func quotedAll(values []string) string {
	quoted := make([]string, len(values))
	for i, v := range values {
		quoted[i] = strconv.Quote(v)
	}
	return strings.Join(quoted, ", ")
}

func (c NoChoice) Text() string {
	switch {
	case c.List == "":
		return "not one of the choices: " + strings.Join(c.Choices, ", ")
	case c.Several:
		return fmt.Sprintf("means several of %s: %s", c.List, quotedAll(c.Choices))
	case len(c.Choices) > 0:
		return fmt.Sprintf("not one of the %d of %s; near: %s", c.Rows, c.List, quotedAll(c.Choices))
	}
	return fmt.Sprintf("not one of the %d of %s", c.Rows, c.List)
}
func (m NoMatch) Text() string { return "does not match the pattern " + m.Pattern }

func (l Limit) Text() string {
	switch {
	case l.Of == "" && l.Above:
		return fmt.Sprintf("%s is above the maximum, %s", l.Is, l.Bound)
	case l.Of == "":
		return fmt.Sprintf("%s is below the minimum, %s", l.Is, l.Bound)
	case l.Above:
		return fmt.Sprintf("%s %s; the maximum is %s", l.Is, l.Of, l.Bound)
	}
	return fmt.Sprintf("%s %s; the minimum is %s", l.Is, l.Of, l.Bound)
}

func (o OutOfBounds) Text() string {
	var bounds []string
	if o.Min != "" {
		bounds = append(bounds, "at least "+o.Min)
	}
	if o.Max != "" {
		bounds = append(bounds, "at most "+o.Max)
	}
	return fmt.Sprintf("%s is out of bounds (%s)", o.Is, strings.Join(bounds, ", "))
}

func (o OtherMeasure) Text() string {
	return fmt.Sprintf("the %s is %q; the schema requires %q", o.Name, o.Is, o.Want)
}

func (n NoCurrency) Text() string {
	return fmt.Sprintf("%q is no currency code of ISO 4217", n.Is)
}

func (Exponent) Text() string { return "a number with an excessive exponent" }

func (n NotInForm) Text() string {
	return fmt.Sprintf("not %s in the form %s", typeWords[n.Type], n.Form)
}

func (o OtherForm) Text() string {
	return fmt.Sprintf("not written as %s: declare written: [%s]", o.Form, o.Written)
}

func (d TwoDays) Text() string {
	return fmt.Sprintf("ambiguous date: the formats under `written` read this as %s and as %s; keep one of the formats", d.One, d.Other)
}

func (f TwoForms) Text() string {
	return fmt.Sprintf("ambiguous date %q: declare written: [%s]", f.Said, strings.Join(f.Forms, "] or ["))
}

func (NoSuchDay) Text() string { return "no such day in the calendar" }

func (n NoField) Text() string {
	if n.Meant != "" {
		return fmt.Sprintf("the schema has no such field; did you mean %q?", n.Meant)
	}
	return "the schema has no such field"
}

func (TwiceNamed) Text() string { return "duplicate key" }
func (k Keyword) Text() string  { return "does not fit the schema: " + k.Says }

func (r BrokenRule) Text() string {
	says := strings.TrimSuffix(r.Say, ".")
	if r.Say == "" {
		says = "rule broken: " + strings.TrimSuffix(r.Holds, ".")
	}
	if len(r.Mixed) == 2 {
		return fmt.Sprintf("the rule %s puts %s and %s together, so that it can't be checked", strings.TrimSuffix(r.Holds, "."), r.Mixed[0], r.Mixed[1])
	}
	if len(r.Sides) > 0 {
		says += " (" + strings.Join(r.Sides, ", ") + ")"
	}
	if r.Stands {
		says += "; its values stand in the document, so that a person decides"
	}
	return says
}

func (s SameKey) Text() string {
	return fmt.Sprintf("has the key of %s (%s), and says something else", s.First, s.Key)
}

func (l DeadLink) Text() string {
	return "points to nothing: no " + strings.Join(l.Targets, " or ") + " has this value"
}

// What the source text finds wrong.
type (
	// Nowhere is a value that stands nowhere in the document.
	Nowhere struct{}
	// SaysOther is a value whose figure stands in the document once, with another
	// unit, currency or sign. Said is the line, unless the field is sensitive.
	SaysOther struct {
		Line int
		Said string
	}
	// SaysOpposite is a boolean or a choice of which the document says nothing, while a
	// line says the opposite, or another option. Said is the line, unless the field is
	// sensitive.
	SaysOpposite struct {
		Line int
		Said string
	}
	// NameNowhere is a value in a map whose name the document does not have, while it has those of
	// the others; Name is empty where it may not be shown.
	NameNowhere struct{ Name string }

	// OthersLabel is a value whose label in the document, before it or as the head of its column, is
	// that of another field.
	OthersLabel struct{ Label string }

	// OtherColumn is a figure that stands in another column than those of all other items of its
	// list, or ByHead than that under Head, of which its item speaks. Said is what stands there in
	// its row. Both are empty where the field is sensitive.
	OtherColumn struct {
		Line       int
		Said, Head string
		ByHead     bool
	}

	// BreaksOff is a text that is a part of a name, a cell or what stands behind its label. Whole is all
	// that stands there, unless the field is sensitive.
	BreaksOff struct{ Whole string }

	// OtherEnd is a value that stands at the other end of a range. Range is as the document has it,
	// unless the field is sensitive.
	OtherEnd struct{ Range string }

	// OthersLine is a value that stands in the line of another item of its list alone, or InParts
	// in another part of a line or another sentence. Said is the line, unless the field is sensitive.
	OthersLine struct {
		Line    int
		Said    string
		InParts bool
	}
	// ReadTwice is an item that comes from just the words of one before it.
	ReadTwice struct {
		First value.Pointer
		Line  int
	}
	// TwoFigures is a value whose figure, or day in figures, stands in the document in
	// a form that can be read as another one too. Said is the line, unless the field is
	// sensitive.
	TwoFigures struct {
		Line int
		Said string
		Day  bool
	}
	// TakenBack is a value that stands in the document where that takes it back, and nowhere else: struck
	// out, or replaced by another. Said is the line, unless the field is sensitive.
	TakenBack struct {
		Line int
		Said string
	}
	// Unfounded is a value whose words are missing or not in the document.
	Unfounded struct{}
	// OnlyPictured is a value that must be quoted, and of which the model says
	// where it is on the page.
	OnlyPictured struct{}
	// OnlyLookalike is a value whose evidence must be tighter.
	OnlyLookalike struct{ Words string }
	// OnlyRestated is a value that must be quoted.
	OnlyRestated struct{}
	// Unread is a line that names a field, and no value comes from it. Said is
	// the line, unless the field is sensitive.
	Unread struct {
		Line        int
		Field, Said string
	}
	// MoreUnread are further lines of the kind.
	MoreUnread struct{ Lines int }
	// ChunksDisagree is a value for which other chunks of the document have
	// others.
	ChunksDisagree struct{ Others []string }
	// DocumentsDisagree is a value for which a new document has another.
	DocumentsDisagree struct{ Document, Says string }
)

func (Nowhere) Code() Code           { return NoEvidence }
func (SaysOther) Code() Code         { return Against }
func (SaysOpposite) Code() Code      { return Against }
func (OthersLine) Code() Code        { return Against }
func (NameNowhere) Code() Code       { return NoEvidence }
func (OthersLabel) Code() Code       { return Against }
func (OtherColumn) Code() Code       { return Against }
func (OtherEnd) Code() Code          { return Against }
func (BreaksOff) Code() Code         { return Against }
func (ReadTwice) Code() Code         { return Twice }
func (TwoFigures) Code() Code        { return NoEvidence }
func (TakenBack) Code() Code         { return NoEvidence }
func (Unfounded) Code() Code         { return NoEvidence }
func (OnlyPictured) Code() Code      { return NoEvidence }
func (OnlyLookalike) Code() Code     { return NoEvidence }
func (OnlyRestated) Code() Code      { return NoEvidence }
func (Unread) Code() Code            { return Uncovered }
func (MoreUnread) Code() Code        { return Uncovered }
func (ChunksDisagree) Code() Code    { return Conflict }
func (DocumentsDisagree) Code() Code { return Conflict }

func (Nowhere) Text() string { return "the value is nowhere in the document" }
func (Unfounded) Text() string {
	return "the words that this value rests on are missing or not in the document"
}
func (OnlyPictured) Text() string {
	return "evidence must be quoted, but the value is only pictured: the model says where it is on the page"
}
func (l OnlyLookalike) Text() string {
	return fmt.Sprintf("evidence must be tighter than a lookalike (%q)", l.Words)
}
func (OnlyRestated) Text() string {
	return "evidence must be quoted, but the document has the value in another spelling"
}

// MostSaid is how many characters of a line a problem shows.
const MostSaid = 60

func (s SaysOther) Text() string {
	if s.Said == "" {
		return fmt.Sprintf("line %d has the figure with another unit, currency or sign", s.Line)
	}
	return fmt.Sprintf("line %d has the figure with another unit, currency or sign (%q)", s.Line, Clipped(s.Said))
}

func (t TwoFigures) Text() string {
	said := ""
	if t.Said != "" {
		said = fmt.Sprintf(" (%q)", Clipped(t.Said))
	}
	if t.Day {
		return fmt.Sprintf("line %d has the day in a form with two readings%s: declare written, such as %s", t.Line, said, formsOf(t.Said))
	}
	return fmt.Sprintf("line %d has the figure in a form with two readings%s: declare written, such as {decimal: \",\", group: \".\"}", t.Line, said)
}

func (t TakenBack) Text() string {
	if t.Said == "" {
		return fmt.Sprintf("line %d takes it back", t.Line)
	}
	return fmt.Sprintf("line %d takes it back (%q)", t.Line, Clipped(t.Said))
}

func (s SaysOpposite) Text() string {
	if s.Said == "" {
		return fmt.Sprintf("line %d says otherwise", s.Line)
	}
	return fmt.Sprintf("line %d says otherwise (%q)", s.Line, Clipped(s.Said))
}

func (n NameNowhere) Text() string {
	if n.Name == "" {
		return "its name is nowhere in the document"
	}
	return fmt.Sprintf("its name, %q, is nowhere in the document", n.Name)
}

func (o OthersLabel) Text() string {
	return fmt.Sprintf("its label in the document, %q, is that of another field", o.Label)
}

func (o OtherColumn) Text() string {
	switch {
	case o.Head != "" && o.Said != "":
		return fmt.Sprintf("line %d has %q under %q", o.Line, Clipped(o.Said), Clipped(o.Head))
	case o.Head != "":
		return fmt.Sprintf("line %d has nothing under %q", o.Line, Clipped(o.Head))
	case o.ByHead:
		return fmt.Sprintf("line %d has something else in the cell under its head", o.Line)
	}
	said := ""
	if o.Said != "" {
		said = fmt.Sprintf(", which has %q in line %d", Clipped(o.Said), o.Line)
	}
	return "the other items have theirs in another column" + said
}

func (b BreaksOff) Text() string {
	if b.Whole == "" {
		return "it breaks off: the document goes on"
	}
	return fmt.Sprintf("it breaks off: the document has %q", Clipped(b.Whole))
}

func (o OtherEnd) Text() string {
	if o.Range == "" {
		return "the document has it at the other end of its range"
	}
	return fmt.Sprintf("the document has it at the other end of its range (%q)", Clipped(o.Range))
}

func (o OthersLine) Text() string {
	where := fmt.Sprintf("it stands in line %d, and not in that of its item", o.Line)
	if o.InParts {
		where = fmt.Sprintf("it stands in line %d beside another item, and not beside its own", o.Line)
	}
	if o.Said == "" {
		return where
	}
	return fmt.Sprintf("%s (%q)", where, Clipped(o.Said))
}

func (r ReadTwice) Text() string {
	return fmt.Sprintf("comes from the same words as %s, in line %d", r.First, r.Line)
}

// Clipped gives the beginning of words of a document, or of a value, for a line that people read.
func Clipped(said string) string {
	if r := []rune(said); len(r) > MostSaid {
		return string(r[:MostSaid-1]) + "…"
	}
	return said
}

func (u Unread) Text() string {
	if u.Said == "" {
		return fmt.Sprintf("line %d names %s, but no value came from it", u.Line, u.Field)
	}
	return fmt.Sprintf("line %d names %s, but no value came from it (%q)", u.Line, u.Field, Clipped(u.Said))
}

func (m MoreUnread) Text() string {
	return fmt.Sprintf("no value came from %d more lines that name fields", m.Lines)
}
func (d ChunksDisagree) Text() string {
	return "another chunk of the document says " + strings.Join(d.Others, " and ")
}
func (d DocumentsDisagree) Text() string {
	return fmt.Sprintf("%s says %s, and both have evidence", d.Document, d.Says)
}

// What of the reply is wrong.
type (
	// ReplyCut is a reply that ended early; Request names it, where there are
	// several.
	ReplyCut struct{ Request string }
	// ReplyUnused is a stretch of a reply that no value came from.
	ReplyUnused struct {
		Line         int
		Reason, Said string
	}
	// ReplyGarbled is a reply that is not all UTF-8.
	ReplyGarbled struct{}
	// Failure is what kept a record from being made, or read: no answer, a reply
	// or a document that can't be read. Of names the request, where there are
	// several.
	Failure struct {
		Kind    Code
		Of, Why string
	}
	// Told is a problem read from its machine form.
	Told struct {
		Kind Code
		Says string
	}
)

func (ReplyCut) Code() Code     { return Truncated }
func (ReplyUnused) Code() Code  { return Unused }
func (ReplyGarbled) Code() Code { return Encoding }
func (f Failure) Code() Code    { return f.Kind }
func (t Told) Code() Code       { return t.Kind }

func (c ReplyCut) Text() string {
	const says = "the reply was cut short; its complete values were kept"
	if c.Request != "" {
		return c.Request + ": " + says
	}
	return says
}
func (u ReplyUnused) Text() string {
	return fmt.Sprintf("line %d of the reply: %s (%q)", u.Line, u.Reason, u.Said)
}
func (ReplyGarbled) Text() string {
	return "the reply holds bytes that are not UTF-8, or half a letter; U+FFFD stands in their place"
}
func (f Failure) Text() string {
	if f.Of != "" {
		return f.Of + ": " + f.Why
	}
	return f.Why
}
func (t Told) Text() string { return t.Says }
