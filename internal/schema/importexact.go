package schema

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// exact gives a subschema as it is enforced: in the spelling of 2020-12, without what says
// nothing about values, and with each reference to a definition that the schema keeps at its
// top. That form means what the origin means, whatever ours makes of it for asking.
func (im *importer) exact(v *value.Value, path string) value.Value {
	if im.count++; im.count > mostParts {
		im.tooMany(path)
		return value.Boolean(true)
	}
	if v.Kind != value.Object {
		return v.Clone().Named("")
	}
	if ref := v.Get("$ref"); ref != nil && ref.Kind == value.String {
		to := im.defined(ref.Text, path)
		if im.draft == draft7 { // what stands beside it is not read
			return to
		}
		rest := v.Clone().Named("")
		rest.Drop("$ref")
		out := im.exact(&rest, path)
		if len(out.Kids) == 0 || to.Kind != value.Object {
			return to
		}
		out.Kids = append(to.Kids, out.Kids...)
		return out
	}
	if im.dynamic(v, path) {
		return value.Boolean(true)
	}
	out := value.Obj()
	for i := range v.Kids {
		k := &v.Kids[i]
		if slices.Contains(annotations, k.Name) || strings.HasPrefix(k.Name, "x-") {
			continue
		}
		if kept, ok := im.exactKeyword(k, path); ok {
			out.Kids = append(out.Kids, kept.Named(k.Name))
		}
	}
	return im.respelt(out)
}

// dynamic refuses references that mean another schema wherever they are taken in.
func (im *importer) dynamic(v *value.Value, path string) bool {
	for _, name := range []string{"$dynamicRef", "$recursiveRef"} {
		if v.Get(name) != nil {
			im.fault(path, "it uses "+name+", which means another schema wherever it is taken in", "write the reference out as $ref")
			return true
		}
	}
	return false
}

// exactKeyword gives a keyword as it is enforced; false where it can't be.
func (im *importer) exactKeyword(k *value.Value, path string) (value.Value, bool) {
	if im.own {
		return k.Clone(), true
	}
	isSchema := func(v *value.Value) bool { return v.Kind == value.Object || v.Kind == value.Bool }
	switch {
	case k.Name == "pattern" && k.Kind == value.String:
		return *k, im.compiles(k.Text, path)
	case k.Name == "patternProperties" && k.Kind == value.Object:
		out := value.Obj()
		for i := range k.Kids {
			if im.compiles(k.Kids[i].Name, path) {
				out.Kids = append(out.Kids, im.exact(&k.Kids[i], path).Named(k.Kids[i].Name))
			}
		}
		return out, true
	case slices.Contains(oneSchema, k.Name) && isSchema(k):
		return im.exact(k, path), true
	case slices.Contains(schemaList, k.Name) && k.Kind == value.Array:
		out := value.List()
		for i := range k.Kids {
			out.Kids = append(out.Kids, im.exact(&k.Kids[i], path))
		}
		return out, true
	case slices.Contains(schemaMap, k.Name) && k.Kind == value.Object:
		out := value.Obj()
		for i := range k.Kids {
			kid := k.Kids[i].Clone()
			if isSchema(&kid) {
				kid = im.exact(&kid, path)
			}
			out.Kids = append(out.Kids, kid.Named(k.Kids[i].Name))
		}
		return out, true
	}
	return k.Clone(), true
}

// compiles tells whether a pattern can be enforced; one that can't is listed.
func (im *importer) compiles(pattern, path string) bool {
	if _, err := regexp.Compile(pattern); err != nil {
		im.keepNote(path, fmt.Sprintf("pattern %q, which is not enforced: %s", pattern, patternError(err)))
		return false
	}
	return true
}

func (im *importer) keepNote(path, keyword string) {
	if k := (Kept{path, keyword}); !slices.Contains(im.kept, k) {
		im.kept = append(im.kept, k)
	}
}

// respelt turns the spellings of drafts 04 to 2019-09 into those of 2020-12.
func (im *importer) respelt(v value.Value) value.Value {
	v = modern(v)
	if im.draft == draft2020 {
		return v
	}
	if items := v.Get("items"); items != nil && items.Kind == value.Array {
		first := items.Named("prefixItems")
		rest := v.Get("additionalItems")
		v.Drop("items")
		if rest != nil {
			more := rest.Named("items")
			v.Set("items", more)
		}
		v.Set("prefixItems", first)
	}
	v.Drop("additionalItems")
	deps := v.Get("dependencies")
	if deps == nil || deps.Kind != value.Object {
		return v
	}
	names, schemas := value.Obj(), value.Obj()
	for _, d := range deps.Kids {
		switch d.Kind {
		case value.Array:
			names.Kids = append(names.Kids, d)
		case value.String:
			names.Kids = append(names.Kids, value.List(d.Named("")).Named(d.Name))
		default:
			schemas.Kids = append(schemas.Kids, d)
		}
	}
	v.Drop("dependencies")
	if len(names.Kids) > 0 {
		v.Set("dependentRequired", names)
	}
	if len(schemas.Kids) > 0 {
		v.Set("dependentSchemas", schemas)
	}
	return v
}

// metaschemas are the only addresses that a reference may lead to outside of the file: what
// checks records knows them.
var metaschemas = lazy.New(`^https?://json-schema\.org/(draft-0[4-7]/schema|draft/(2019-09|2020-12)/schema)#?$`)

// defined gives the reference to a kept definition of what a reference of the origin names.
func (im *importer) defined(ref, path string) value.Value {
	if metaschemas.MatchString(ref) {
		return value.Obj(value.Str(ref).Named("$ref"))
	}
	target, ok := im.target(ref, path)
	if !ok {
		return value.Boolean(true)
	}
	name, known := im.defs[ref]
	if !known {
		name = fmt.Sprintf("def-%d", len(im.defs)+1)
		im.defs[ref] = name
		at := len(im.definitions.Kids)
		im.definitions.Kids = append(im.definitions.Kids, value.Obj().Named(name)) // before what it holds, which may lead back
		body := im.exact(target, path)
		def := value.Obj(value.Str(name).Named("$anchor"))
		if body.Kind == value.Object {
			def.Kids = append(def.Kids, body.Kids...)
		} else if body.Text == "false" {
			def.Set("not", value.Obj())
		}
		im.definitions.Kids[at] = def.Named(name)
	}
	return value.Obj(value.Str("#" + name).Named("$ref"))
}
