package schema

import (
	"net/url"
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// How the keywords of JSON Schema hold further schemas. All others hold data.
var (
	oneSchema  = []string{"not", "if", "then", "else", "additionalProperties", "contains", "propertyNames", "unevaluatedItems", "unevaluatedProperties", "additionalItems", "contentSchema", "items"}
	schemaList = []string{"allOf", "anyOf", "oneOf", "prefixItems", "items"}
	schemaMap  = []string{"properties", "patternProperties", "dependentSchemas", "dependencies", "$defs", "definitions"}
)

// eachSchema calls do for every schema right below a schema, with the steps that lead there.
func eachSchema(v *value.Value, do func(steps []string, kid *value.Value)) {
	for i := range v.Kids {
		k := &v.Kids[i]
		isSchema := func(v *value.Value) bool { return v.Kind == value.Object || v.Kind == value.Bool }
		switch {
		case slices.Contains(oneSchema, k.Name) && isSchema(k):
			do([]string{k.Name}, k)
		case slices.Contains(schemaList, k.Name) && k.Kind == value.Array:
			for n := range k.Kids {
				if isSchema(&k.Kids[n]) {
					do([]string{k.Name, strconv.Itoa(n)}, &k.Kids[n])
				}
			}
		case slices.Contains(schemaMap, k.Name) && k.Kind == value.Object:
			for n := range k.Kids {
				if isSchema(&k.Kids[n]) { // a list of names, of `dependencies`, is none
					do([]string{k.Name, k.Kids[n].Name}, &k.Kids[n])
				}
			}
		}
	}
}

// Drafts of JSON Schema, as far as they read the same keywords otherwise.
const (
	draft7    = 7 // and before: what stands beside a $ref is not read
	draft2019 = 2019
	draft2020 = 2020
)

var draftName = lazy.New(`draft-0([3-7])|draft/(2019-09|2020-12)`)

// draftOf tells the draft that a schema names; 0 where it names none.
func draftOf(v *value.Value) int {
	s := v.Get("$schema")
	if s == nil {
		return 0
	}
	switch m := draftName.FindStringSubmatch(s.Text); {
	case m == nil:
		return 0
	case m[1] != "":
		return draft7
	case m[2] == "2019-09":
		return draft2019
	}
	return draft2020
}

// references turns every reference of a file into a pointer from its top ("#/$defs/a"), as
// far as it leads to something in the file.
type references struct {
	at     map[string]value.Pointer // resources by their address, and anchors by theirs
	clash  []string                 // addresses that are given twice
	bases  map[*value.Value]*url.URL
	places []*value.Value // schemas with a reference
	draft  int
}

// settle finds what each schema of a file is called, and rewrites the references.
func (im *importer) settle() {
	r := &references{at: map[string]value.Pointer{}, bases: map[*value.Value]*url.URL{}, draft: im.draft}
	top, _ := url.Parse("filler://file/")
	r.index(im.root, "", top, true)
	for _, at := range r.places {
		ref := at.Get("$ref")
		if ref.Kind != value.String {
			continue
		}
		if to, ok := r.resolve(ref.Text, r.bases[at]); ok {
			ref.Text = "#" + fragment(to)
		}
	}
	for _, twice := range r.clash {
		im.fault("", "two schemas of the file are called "+strconv.Quote(twice), "give each another $id or $anchor")
	}
}

// fragment writes a pointer as a reference has it.
func fragment(p value.Pointer) string { return (&url.URL{Fragment: string(p)}).EscapedFragment() }

func (r *references) index(v *value.Value, p value.Pointer, base *url.URL, top bool) {
	if v.Kind != value.Object {
		return
	}
	hasRef := v.Get("$ref") != nil
	add := func(name string, at value.Pointer) {
		if was, twice := r.at[name]; twice && was != at {
			r.clash = append(r.clash, name)
		}
		r.at[name] = at
	}
	if top {
		add(base.String(), p)
	}
	for _, name := range []string{"$id", "id"} {
		id := v.Get(name)
		if id == nil || id.Kind != value.String || name == "id" && v.Get("$id") != nil || hasRef && r.draft == draft7 {
			continue
		}
		u, err := url.Parse(id.Text)
		if err != nil {
			continue
		}
		if strings.HasPrefix(id.Text, "#") { // an anchor, as drafts to 07 have it
			add(base.String()+id.Text, p)
			continue
		}
		next := *base.ResolveReference(u)
		anchor := next.Fragment
		next.Fragment = ""
		base = &next
		add(base.String(), p)
		if anchor != "" {
			add(base.String()+"#"+anchor, p)
		}
	}
	for _, name := range []string{"$anchor", "$dynamicAnchor"} {
		if a := v.Get(name); a != nil && a.Kind == value.String {
			add(base.String()+"#"+a.Text, p)
		}
	}
	if hasRef {
		r.places, r.bases[v] = append(r.places, v), base
	}
	eachSchema(v, func(steps []string, kid *value.Value) {
		at := p
		for _, s := range steps {
			at = at.Key(s)
		}
		r.index(kid, at, base, false)
	})
}

// resolve gives where a reference leads from a base.
func (r *references) resolve(ref string, base *url.URL) (value.Pointer, bool) {
	u, err := url.Parse(ref)
	if err != nil {
		return "", false
	}
	to := *base.ResolveReference(u)
	name := to.Fragment
	to.Fragment, to.RawFragment = "", ""
	resource, known := r.at[to.String()]
	switch {
	case !known:
		return "", false
	case name == "" || strings.HasPrefix(name, "/"):
		return resource + value.Pointer(name), true
	}
	at, known := r.at[to.String()+"#"+name]
	return at, known
}

var ownRef = lazy.New(`^#def-\d+$`)

// isOwn tells what our export wrote, as long as nobody has put other references into it.
func isOwn(v *value.Value) bool {
	if v.Get(Annotation).Get("schema") == nil {
		return false
	}
	own := true
	v.Walk(func(_ value.Pointer, n *value.Value) bool {
		if n.Name == "$ref" && n.Kind == value.String && !ownRef.MatchString(n.Text) && !metaschemas.MatchString(n.Text) {
			own = false
		}
		return own
	})
	return own
}
