package schema

import (
	"filler/internal/base/lang"
)

// Schemas that programs write ask models for more than what documents print: how sure they are,
// why, a summary, tags. Such values stand nowhere, and held against the document each would be a
// problem, and asked for again.

// modelsOwn gives the field of such values, where the name of a field or of a list of them says that they
// are so, and it does not let them be inferred; nil for any other.
func (f *Field) modelsOwn() *Field {
	of := f
	if f.Type == List {
		of = f.Item
	}
	switch of.Type {
	case Text, Number, Integer:
		if !of.AllowsInferred() && f.Name != "" && f.NamedBy(lang.Concluded) {
			return of
		}
	}
	return nil
}

// conclude lets such values of an imported schema be inferred.
func (s *Schema) conclude() {
	s.Root.Walk(func(f *Field, _ int) {
		if of := f.modelsOwn(); of != nil {
			of.Evidence, of.Concludes = "inferred", true
			s.Concluded = append(s.Concluded, f.Path)
		}
	})
}
