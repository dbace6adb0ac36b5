package export

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// longestName is how long a name may be, in bytes: what the strictest target takes.
const longestName = 63

// fold gives a name that every target takes: letters of ASCII in lower case, digits
// and underscores. other is used where nothing is left.
func fold(name, other string) string {
	var b strings.Builder
	for _, r := range norm.NFD.String(name) {
		switch {
		case r < 0x80 && (unicode.IsLetter(r) || unicode.IsDigit(r)):
			b.WriteRune(unicode.ToLower(r))
		case unicode.Is(unicode.Mn, r):
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	out := strings.Trim(b.String(), "_")
	if out == "" {
		return other
	}
	if out[0] >= '0' && out[0] <= '9' {
		out = "n" + out
	}
	return out
}

// names folds the names of columns to what every target takes, tells those that
// were changed, and finds those that clash.
func (p *Plan) names() error {
	tables := map[string]bool{}
	for _, t := range p.Tables {
		for tables[t.Name] {
			t.Name += "_items"
		}
		tables[t.Name] = true
		if len(t.Name) > longestName {
			return fmt.Errorf("table %s: a name has at most %d letters; shorten the lists' names", t.Name, longestName)
		}
		taken := map[string]int{}
		for i := range t.Columns {
			c := &t.Columns[i]
			name := fold(c.Name, "value")
			if at, clash := taken[name]; clash {
				other := &t.Columns[at]
				if other.Field != nil || c.Field == nil {
					return fmt.Errorf("table %s: %s and %s would both be column %q; rename one of them", t.Name, pathOf(other), pathOf(c), name)
				}
				name += "_" // a field that is called as a key is
				p.Notes = append(p.Notes, fmt.Sprintf("%s is column %s of table %s: %s is a key there", c.Field.Path, name, t.Name, strings.TrimSuffix(name, "_")))
			}
			if len(name) > longestName {
				return fmt.Errorf("table %s, column %s: a name has at most %d letters; shorten the fields' names", t.Name, name, longestName)
			}
			if c.Field != nil && name != c.Name && name != c.Name+"_" {
				p.Notes = append(p.Notes, fmt.Sprintf("%s is column %s of table %s", c.Field.Path, name, t.Name))
			}
			taken[name] = i
			for l := range t.Links {
				for k, column := range t.Links[l].Columns {
					if column == c.Name {
						t.Links[l].Columns[k] = name
					}
				}
			}
			c.Name = name
		}
	}
	return nil
}

func pathOf(c *Column) string {
	if c.Field == nil {
		return "the key " + c.Name
	}
	if c.Part != "" {
		return "the " + c.Part + " of " + c.Field.Path
	}
	return c.Field.Path
}

// sortedNames gives the values of a map, in order.
func sortedNames(m map[uint64]string) []string {
	return slices.Sorted(maps.Values(m))
}
