package schema

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/place"
)

// misread are names that other YAML readers turn into booleans.
var misread = map[string]bool{"y": true, "n": true, "yes": true, "no": true, "on": true, "off": true, "true": true, "false": true}

// advise gathers what is no fault and may still go wrong.
func (l *loader) advise(f *place.File) {
	a := &adviser{loader: l, labels: map[string]*Field{}}
	if l.s.EachEntry() && len(l.s.Root.Key) == 0 {
		l.s.Advice = append(l.s.Advice, place.Fault{File: f.Name, Msg: "the entries have no key", Hint: "add `key: [field]` at the top; scores pair entries by it"})
	}
	l.s.Root.Walk(func(f *Field, _ int) {
		if n := l.nodes[f]; n != nil {
			a.field(f, n)
		}
	})
	a.together(a.bare, "these descriptions say almost nothing: %s", "say what each value is, as to a colleague")
	a.together(a.plain, "these figures do not say how documents write them: %s", "add `written: {decimal: \",\", group: \".\"}`; without it, 1.250 is what the document's other figures and its language make of it, and a problem where they tell nothing")
	l.s.Advice = l.s.Advice.Unique()
	_ = l.s.Advice.Err() // puts them in order
}

type adviser struct {
	*loader
	labels map[string]*Field
	plain  []*Field // figures that do not say how documents write them
	bare   []*Field // whose descriptions say next to nothing
}

// together gives one piece of advice for several fields.
func (a *adviser) together(fields []*Field, msg, hint string) {
	if len(fields) == 0 {
		return
	}
	var names []string
	for i, f := range fields {
		if i == 4 && len(fields) > 5 {
			names = append(names, fmt.Sprintf("and %d more", len(fields)-4))
			break
		}
		names = append(names, f.Path)
	}
	a.note(a.nodes[fields[0]], fmt.Sprintf(msg, strings.Join(names, ", ")), hint)
}

func (a *adviser) note(n *place.Node, msg, hint string) {
	a.s.Advice = append(a.s.Advice, n.Note(msg, hint))
}

func (a *adviser) field(f *Field, n *place.Node) {
	if misread[strings.ToLower(f.Name)] && !n.KeyIsQuoted() {
		a.note(n, fmt.Sprintf("other YAML readers take the name %q for true or false", f.Name), "rename the field, or put the name in quotes")
	}
	if f.modelsOwn() != nil {
		a.note(n, fmt.Sprintf("documents seldom print %q", f.Name), "add `evidence: inferred`; without it, each value that stands nowhere in the document is a problem, and asked for again")
	}
	switch f.Type {
	case List:
		if f.Item.Type == Group && len(f.Key) == 0 && !f.Ordered && f.Path != "" {
			a.note(n, fmt.Sprintf("the list %q has no key", f.Name), "if a field identifies its items, add `key: [field]`; scores pair items by it")
		}
	case Date:
		if len(f.Written) == 0 {
			a.note(n, fmt.Sprintf("the date %q does not say how documents write it", f.Name), "add `written: [D.M.YYYY]`; without it, 03.04.2031 is what the document's other days and its language make of it, and a problem where they tell nothing")
		}
	case DateTime:
		if f.Zone == "" {
			a.note(n, fmt.Sprintf("the datetime %q does not say of what zone times are that are printed without one", f.Name), "add `zone: Europe/Lisbon` or another, or `zone: none`; without it the offset is what the model thinks")
		}
	case Number, Money, Quantity:
		if f.Numbers.Decimal == "" {
			a.plain = append(a.plain, f)
		}
	case Choice:
		a.synonyms(f, n)
	}
	if f.Type == Text && slices.Contains(Types, strings.ToLower(f.About)) {
		a.note(n, fmt.Sprintf("the text %q has the name of a type for its description", f.Name), fmt.Sprintf("for a field of that type, write {%s: what it is}", strings.ToLower(f.About)))
	} else if len(strings.Fields(f.About)) < 2 {
		a.bare = append(a.bare, f)
	}
	parent := f.Path[:strings.LastIndexByte("."+f.Path, '.')]
	for _, label := range f.PrintedAs {
		key := parent + "\n" + strings.ToLower(strings.Trim(label, " .:"))
		if other := a.labels[key]; other != nil && other != f {
			a.note(n, fmt.Sprintf("the label %q is also that of %q", label, other.Name), "a value behind it could be either; make them differ")
		}
		a.labels[key] = f
	}
}

// synonyms finds words that mean two choices.
func (a *adviser) synonyms(f *Field, n *place.Node) {
	seen := map[string]string{}
	if f.List != nil {
		a.listWords(f, n)
		return
	}
	for _, o := range f.Of {
		for _, word := range append([]string{o.Value}, o.Also...) {
			key := strings.ToLower(strings.NewReplacer("_", " ", "-", " ").Replace(word))
			if other, clash := seen[key]; clash && other != o.Value {
				a.note(n, fmt.Sprintf("the word %q means both %q and %q", word, other, o.Value), "keep it with one of them")
			}
			seen[key] = o.Value
		}
	}
}

// listWords says how many words of a list mean several of its values.
func (a *adviser) listWords(f *Field, n *place.Node) {
	seen, several := map[string]string{}, map[string]bool{}
	first := ""
	for _, o := range f.Of {
		for _, word := range append([]string{o.Value}, o.Also...) {
			key := strings.ToLower(word)
			if other, known := seen[key]; known && other != o.Value {
				if several[key] = true; first == "" {
					first = fmt.Sprintf("%q means %s and %s", word, other, o.Value)
				}
			}
			seen[key] = o.Value
		}
	}
	if len(several) > 0 {
		a.note(n, fmt.Sprintf("words of %s that mean several of its values: %d, such as %s", f.List.File, len(several), first), "such a word is left open, with a problem; add what tells them apart to the list")
	}
}
