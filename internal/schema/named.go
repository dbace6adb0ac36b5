package schema

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
)

// What the name of a field says of its values, in words.

// SpokenName gives the words of a field's name: of an item those of its list, and of a boolean those
// behind "is" or "has".
func (f *Field) SpokenName() string {
	name := f.Name
	if name == "" {
		name = strings.TrimSuffix(f.Path, "[]")
		name = name[strings.LastIndexByte(name, '.')+1:]
	}
	name = Spoken(name)
	if lead, rest, _ := strings.Cut(name, " "); f.Kin().Type == Boolean && rest != "" && lang.BooleanLead.Has(lead) { // isPaid
		return rest
	}
	return name
}

// NamedBy tells whether a word of a field's name is of a kind.
func (f *Field) NamedBy(kind lang.Kind) bool {
	return slices.ContainsFunc(strings.Fields(f.SpokenName()), kind.Has)
}

// KeptAsIs tells a field whose values no rule changes.
func (f *Field) KeptAsIs() bool { return len(f.Normalize) > 0 && f.Normalize[0] == "none" }
