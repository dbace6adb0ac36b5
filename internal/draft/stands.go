package draft

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// A draft from records takes each of their values as it stands there: "12.5" in quotes is a text,
// whatever it reads as, and what it reads as is said beside it.

// stood notes a value as it stands in a record.
func (n *node) stood(v *value.Value) {
	if v.Kind == value.Object && !isAmount(v) || v.Kind == value.Array {
		return
	}
	if n.stands == nil {
		n.stands = map[string]value.Value{}
	}
	own := v.Named("")
	if text := own.String(); len(n.stands) < mostStood {
		if _, known := n.stands[text]; !known {
			n.stands[text] = own.Clone()
		}
		return
	}
	n.kinds |= 1 << v.Kind
}

// mostStood is how many different values of a field are tried one by one; of more, what they are
// counts, and no type is taken that only some texts fit.
const mostStood = 10000

// typeOf gives the type key of a leaf, or of a list's items: what its values read as, where they
// are of that type as they stand; and what they read as, where they are not. fits tells whether
// all of them may stand in the field.
func (n *node) typeOf(about string) (key, reads string, fits bool) {
	read := typeText(n.values, about)
	if n.forms == 0 { // of what documents print
		return read, "", true
	}
	quoted := schema.Quote(about)
	tries := []string{read}
	if n.kinds != 0 { // texts that nobody tried
		tries = nil
	}
	for _, t := range []string{"boolean", "integer", "number", "money", "quantity", "text"} {
		tries = append(tries, t+": "+quoted)
	}
	for i, key := range tries {
		if !n.takes(key) {
			continue
		}
		if i > 0 && strings.HasPrefix(key, "text: ") && !strings.HasPrefix(read, "text: ") && n.kinds == 0 {
			name, rest, _ := strings.Cut(read, ": "+quoted)
			reads = fmt.Sprintf("; reads as {%s: …%s}", name, rest)
		}
		return key, reads, true
	}
	return "any: " + quoted, "; its values have no one form", false
}

// takes tells whether a field of this type takes all values as they stand.
func (n *node) takes(key string) bool {
	s, err := schema.Parse("draft", []byte("schema: draft\nfields:\n  all: {list: All., items: {"+key+"}}\n"))
	if err != nil {
		return false
	}
	check, err := record.NewValidator(s)
	if err != nil {
		return false
	}
	all := value.List()
	for _, v := range n.stands {
		if v.Kind != value.Null || n.list {
			all.Kids = append(all.Kids, v)
		}
	}
	whole := value.Obj(all.Named("all"))
	if len(check.Check(&whole)) > 0 {
		return false
	}
	for kind, t := range map[value.Kind]string{value.String: "text: ", value.Number: "number: ", value.Bool: "boolean: "} {
		if n.kinds&(1<<kind) != 0 && !strings.HasPrefix(key, t) {
			return false
		}
	}
	return n.kinds&(1<<value.Object) == 0
}
