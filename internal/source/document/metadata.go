package document

import (
	"errors"
	"fmt"
	"maps"
	"math/big"
	"path"
	"slices"
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/file"

	"filler/internal/base/place"
)

// Metadata are what is known of a document before it is read, as written.
type Metadata map[string]string

// Names gives the names of the metadata, sorted.
func (f Metadata) Names() []string { return slices.Sorted(maps.Keys(f)) }

// LoadMetadata reads a table of metadata: a column `document` with ids (a pattern
// such as forms/* stands for several, the first row that fits counts), and a
// column a fact.
func LoadMetadata(file string) (*MetadataTable, error) {
	t := &MetadataTable{file: file, exact: map[string]Metadata{}}
	_, err := (&tableFile{file: file}).each([]string{"document"}, nil, func(row tableCells, fault error) error {
		if fault != nil {
			return fault
		}
		line, columns, get := row.line, row.columns, row.get
		t.columns = columns
		id, _ := get("document")
		id = strings.TrimSpace(id)
		if id == "" {
			return &Error{fmt.Sprintf("%s:%d", file, line), "the row names no document", "fill in the column `document`"}
		}
		metadata := Metadata{}
		for _, c := range columns {
			if v, ok := get(c); ok && c != "document" && strings.TrimSpace(v) != "" {
				metadata[c] = strings.TrimSpace(v)
			}
		}
		if strings.ContainsAny(id, "*?[") {
			if _, err := path.Match(id, ""); err != nil {
				return &Error{fmt.Sprintf("%s:%d", file, line), fmt.Sprintf("%q is not a pattern", id), "write it as forms/*"}
			}
			t.patterns = append(t.patterns, pattern{id, metadata})
			return nil
		}
		if _, again := t.exact[id]; again {
			return &Error{fmt.Sprintf("%s:%d", file, line), fmt.Sprintf("a second row for %s", id), "keep one of the two"}
		}
		t.exact[id] = metadata
		return nil
	})
	return t, err
}

// MetadataTable is a table of metadata by document.
type MetadataTable struct {
	file     string
	columns  []string
	exact    map[string]Metadata
	patterns []pattern
}

type pattern struct {
	id       string
	metadata Metadata
}

// Of gives the metadata of a document: those of its own row, else of the first
// pattern that fits.
func (t *MetadataTable) Of(id string) Metadata {
	if f, ok := t.exact[id]; ok {
		return f
	}
	for _, p := range t.patterns {
		if ok, _ := path.Match(p.id, id); ok {
			return p.metadata
		}
	}
	return nil
}

// Add adds the table's metadata to those that sources have; their own win.
func (t *MetadataTable) Add(sources []Source) {
	for i := range sources {
		metadata := maps.Clone(t.Of(sources[i].ID))
		if metadata == nil {
			continue
		}
		maps.Copy(metadata, sources[i].Metadata)
		sources[i].Metadata = metadata
	}
}

// Unused gives the documents that the table names and sources do not hold.
func (t *MetadataTable) Unused(sources []Source) []string {
	left := maps.Clone(t.exact)
	for _, s := range sources {
		delete(left, s.ID)
	}
	return slices.Sorted(maps.Keys(left))
}

// Condition picks documents by their metadata.
type Condition struct {
	text  string
	names []string
	known map[string]bool
	tree  func(env map[string]any) (bool, error)
}

// ConditionError says what is wrong with a condition.
type ConditionError struct {
	Text string
	Msg  string
	Hint string
}

func (e *ConditionError) Error() string {
	return fmt.Sprintf("the condition %q: %s; %s", shortened(e.Text), e.Msg, e.Hint)
}

// names finds the metadata that a condition speaks of.
type names struct{ found []string }

func (v *names) Visit(n *ast.Node) {
	if id, ok := (*n).(*ast.IdentifierNode); ok && !slices.Contains(v.found, id.Value) {
		v.found = append(v.found, id.Value)
	}
}

// maxCondition is how long a condition may be: patterns in it cost more than the
// square of their length.
const maxCondition = 2000

// ParseCondition reads a condition such as `year > 2030 and valley == "Ossel"`
// over the metadata that sources have. A fact that reads as a number is one.
func ParseCondition(text string, sources []Source) (*Condition, error) {
	if len(text) > maxCondition {
		return nil, &ConditionError{text, fmt.Sprintf("it has %d signs, and at most %d are read", len(text), maxCondition), "name the documents in place of it"}
	}
	known := map[string]bool{}
	numeric := map[string]bool{}
	for _, s := range sources {
		for name, v := range s.Metadata {
			_, isNumber := metadataValue(v).(float64)
			numeric[name] = isNumber && (!known[name] || numeric[name])
			known[name] = true
		}
	}
	if len(known) == 0 {
		return nil, &ConditionError{text, "the documents have no metadata", "name a table: `metadata: documents.csv` in filler.yaml"}
	}
	env := map[string]any{}
	for name := range known {
		if numeric[name] {
			env[name] = 0.0
		} else {
			env[name] = ""
		}
	}
	seen := &names{}
	program, err := expr.Compile(text, expr.Env(env), expr.AsBool(), expr.Patch(seen))
	if err != nil {
		return nil, conditionFault(text, err, known)
	}
	c := &Condition{text: text, names: seen.found, known: numeric}
	c.tree = func(env map[string]any) (bool, error) {
		out, err := expr.Run(program, env)
		if err != nil {
			return false, err
		}
		return out.(bool), nil
	}
	return c, nil
}

func conditionFault(text string, err error, known map[string]bool) error {
	var at *file.Error
	msg := err.Error()
	if errors.As(err, &at) {
		msg = at.Message
	}
	msg, _, _ = strings.Cut(msg, "\n")
	all := slices.Sorted(maps.Keys(known))
	if _, name, ok := strings.Cut(msg, "unknown name "); ok {
		name, _, _ = strings.Cut(name, " ")
		return &ConditionError{text, fmt.Sprintf("the metadata have no field %q", name), place.Suggest(name, all)}
	}
	return &ConditionError{text, msg, `write it as year > 2030 and valley == "Ossel"`}
}

// metadataValue gives a fact as a number where it reads as one.
func metadataValue(s string) any {
	if s == "" || strings.ContainsAny(s, "xXeE_pP/") {
		return s
	}
	if len(s) > 1 && s[0] == '0' && s[1] != '.' {
		return s // 007 is a mark
	}
	if r, ok := new(big.Rat).SetString(s); ok {
		f, _ := r.Float64()
		return f
	}
	return s
}

// Holds tells whether a document is meant. known is false where a fact that the
// condition speaks of is not known of it; it is then not meant.
func (c *Condition) Holds(f Metadata) (holds, known bool, err error) {
	env := map[string]any{}
	for name, isNumber := range c.known {
		v, ok := f[name]
		if !ok && slices.Contains(c.names, name) {
			return false, false, nil
		}
		env[name] = v
		if isNumber {
			env[name] = 0.0
			if n, is := metadataValue(v).(float64); is {
				env[name] = n
			}
		}
	}
	holds, err = c.tree(env)
	if err != nil {
		err = conditionFault(c.text, err, map[string]bool{})
	}
	return holds, true, err
}

// shortened gives the beginning of a condition: enough to know it by.
func shortened(text string) string {
	if r := []rune(text); len(r) > 80 {
		return string(r[:79]) + "…"
	}
	return text
}
