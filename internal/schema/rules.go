package schema

import (
	"fmt"
	"sort"
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/builtin"
	"github.com/expr-lang/expr/parser"
	"github.com/expr-lang/expr/types"
	"github.com/expr-lang/expr/vm"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Rule is a condition that records keep:
//
//   - holds: next_visit > visited
//     say: The next visit comes after this one.
//   - for: bays[]
//     holds: length > 0
//
// Fields stand by name, lists are arrays; with `for` the fields of the item
// come first, and `record` is the whole. Dates compare in time, numbers and
// sums as exact decimals, money and quantities by their amounts where both are of
// one currency or unit. A comparison over something unknown, or over a value that
// is not of its field's type, is unknown, and a rule that is unknown holds.
type Rule struct {
	Holds    string
	Say      string
	For      string   // the path of a list's items, or ""
	Fields   []string // the names or paths that it speaks of
	prog     *vm.Program
	compared []comparison
	equals   string      // of a rule that says that a field equals something: the field
	other    *vm.Program // what it equals
}

// rules reads the rules of a schema.
func (l *loader) rules(n *place.Node) {
	if !n.IsList() {
		n.Fault("rules are a list", "write `- {holds: next_visit > visited, say: The next visit comes later.}`")
		return
	}
	for _, kid := range n.Items() {
		if kid.IsScalar() {
			text := kid.Text()
			if meant := rewritten(text, l.s.Record(), l.reads(l.s.Record())); meant != "" {
				text = meant
			}
			kid.Fault("a rule needs `holds`", "write `- {holds: '"+strings.ReplaceAll(text, "'", "''")+"'}`")
			continue
		}
		kid.Known("holds", "say", "for")
		holds := kid.Get("holds")
		if holds == nil {
			kid.Fault("a rule needs `holds`", "write `holds: next_visit > visited`")
			continue
		}
		r := &Rule{Holds: holds.Filled("the condition")}
		if say := kid.Get("say"); say != nil {
			r.Say = say.Prose("what to say where the rule is broken")
		}
		scope := l.s.Record()
		if f := kid.Get("for"); f != nil {
			r.For = f.Filled("the list")
			if scope = l.itemsOf(f, r.For); scope == nil {
				continue
			}
		}
		if err := r.compile(l.s.Record(), scope); err != nil {
			hint := ruleHint(r.Holds, scope, err, l.reads(scope))
			switch {
			case hint == "":
				hint = "fields stand by their names: " + strings.Join(names(scope), ", ")
			case !strings.HasPrefix(hint, "write `"):
				hint += "; fields stand by their names: " + strings.Join(names(scope), ", ")
			}
			holds.Fault("the rule can't be read: "+err.Error(), hint)
			continue
		}
		l.s.Rules = append(l.s.Rules, r)
	}
}

// reads gives what tells whether a rule for a scope can be read.
func (l *loader) reads(scope *Field) func(string) bool {
	return func(text string) bool { return (&Rule{Holds: text}).compile(l.s.Record(), scope) == nil }
}

func (l *loader) itemsOf(n *place.Node, path string) *Field {
	var lists []string
	var found *Field
	l.s.Record().Walk(func(f *Field, _ int) {
		if f.Type == List && f.Path != "" && f.Item.Type == Group {
			lists = append(lists, f.Path+"[]")
			if f.Path+"[]" == path {
				found = f.Item
			}
		}
	})
	if found == nil {
		n.Fault(fmt.Sprintf("%q is not a list of items with fields", path), place.Suggest(path, lists))
	}
	return found
}

func names(g *Field) []string {
	var list []string
	for _, f := range g.Fields {
		list = append(list, f.Name)
	}
	return list
}

// typed gives what the checker is told of a field.
func (f *Field) typed() types.Type {
	switch f.Type {
	case Group:
		return f.typedFields()
	case List:
		return types.Array(f.Item.typed())
	case Link:
		return f.Kin().typedLeaf()
	}
	return f.typedLeaf()
}

// typedFields gives what the checker is told of a group.
func (f *Field) typedFields() types.Map {
	m := types.Map{}
	for _, kid := range f.Fields {
		m[kid.Name] = kid.typed()
	}
	return m
}

func (f *Field) typedLeaf() types.Type {
	switch f.Type {
	case Integer, Number:
		return types.Float64
	case Boolean:
		return types.Bool
	case Any:
		return types.Any
	case Money:
		return types.Map{"amount": types.Float64, "currency": types.String, measuredMark: types.Bool}
	case Quantity:
		return types.Map{"amount": types.Float64, "unit": types.String, measuredMark: types.Bool}
	}
	return types.String
}

// compile checks names and types against the schema, then builds the program
// that is run: the same expression with every operator replaced by one of ours
// that knows decimals and the unknown.
func (r *Rule) compile(record, scope *Field) error {
	whole := record.typedFields()
	env := scope.typedFields()
	if _, shadowed := env["record"]; !shadowed {
		env["record"] = whole
	}
	if record != scope {
		for name, t := range whole {
			if _, shadowed := env[name]; !shadowed {
				env[name] = t
			}
		}
	}
	if _, err := expr.Compile(r.Holds, append(functions(), expr.Env(aside(env)), expr.AsBool(), expr.Patch(byAmount{}))...); err != nil {
		return plainError(err)
	}
	tree, err := parser.Parse(r.Holds)
	if err != nil {
		return plainError(err)
	}
	r.Fields = spokenOf(tree.Node, env)
	options := append(functions(), operators()...)
	options = append(options, expr.Env(map[string]any{}), expr.AllowUndefinedVariables(), expr.Optimize(false), expr.Patch(&rewriter{}))
	if r.prog, err = expr.Compile(r.Holds, options...); err != nil {
		return plainError(err)
	}
	r.compared = comparisonsOf(tree.Node, options)
	r.solvable(tree.Node)
	return nil
}

// measuredMark tells the checker's maps of money and quantities from groups. No
// field can have that name.
const measuredMark = "is measured"

// byAmount shows the checker what rules compute with: of money and quantities
// the amount. It also takes fields that are called like a function aside.
type byAmount struct{}

func (byAmount) Visit(node *ast.Node) {
	amount := func(n *ast.Node) {
		of := (*n).Nature()
		if of == nil || of.TypeData == nil {
			return
		}
		if _, measured := of.Fields[measuredMark]; measured {
			*n = &ast.MemberNode{Node: *n, Property: &ast.StringNode{Value: "amount"}}
		}
	}
	switch n := (*node).(type) {
	case *ast.IdentifierNode:
		if isFunction[n.Value] {
			n.Value = asideMark + n.Value
		}
	case *ast.BinaryNode:
		if n.Operator != "in" {
			amount(&n.Left)
			amount(&n.Right)
		}
	case *ast.UnaryNode:
		amount(&n.Node)
	case *ast.BuiltinNode:
		for i := range n.Arguments {
			if p, ok := n.Arguments[i].(*ast.PredicateNode); ok {
				amount(&p.Node)
			} else {
				amount(&n.Arguments[i])
			}
		}
	case *ast.ArrayNode:
		for i := range n.Nodes {
			amount(&n.Nodes[i])
		}
	}
}

// asideMark stands before the name of a field that is called like a function,
// so that the checker does not take the one for the other.
const asideMark = "field "

var isFunction = func() map[string]bool {
	m := map[string]bool{}
	for _, f := range builtin.Builtins {
		m[f.Name] = true
	}
	return m
}()

// aside renames the fields that are called like a function.
func aside(env types.Map) types.Map {
	out := types.Map{}
	for name, t := range env {
		if isFunction[name] {
			name = asideMark + name
		}
		out[name] = t
	}
	return out
}

// spokenOf gives the fields that an expression names, as far down as it names
// them.
func spokenOf(node ast.Node, env types.Map) []string {
	found := map[string]bool{}
	v := &visitor{visit: func(n ast.Node) {
		if id, ok := n.(*ast.IdentifierNode); ok {
			if _, known := env[id.Value]; known && id.Value != "record" {
				found[id.Value] = true
			}
		}
		if m, ok := n.(*ast.MemberNode); ok {
			if base, ok := m.Node.(*ast.IdentifierNode); ok && base.Value == "record" {
				if name, ok := m.Property.(*ast.StringNode); ok {
					found["record."+name.Value] = true
				}
			}
		}
	}}
	ast.Walk(&node, v)
	var list []string
	for name := range found {
		list = append(list, name)
	}
	sort.Strings(list)
	return list
}

type visitor struct{ visit func(ast.Node) }

func (v *visitor) Visit(n *ast.Node) { v.visit(*n) }

// Broken is a place where a rule does not hold.
type Broken struct {
	At     value.Pointer   // the record or item
	Fields []value.Pointer // what the rule speaks of
	Mixed  []string        // of two currencies or units that it would have to put together
	Sides  []string        // what the sides of its comparisons come to: "total is 76.4 kg"
}

// Check gives the places of one record where the rule does not hold. base is
// where the record stands: "" or an entry's index.
func (r *Rule) Check(s *Schema, rec *value.Value, whole Whole, base value.Pointer) []Broken {
	var broken []Broken
	r.each(s.Record(), rec, base, func(scope *Field, item *value.Value, at value.Pointer) {
		out, err := expr.Run(r.prog, whole.scoped(s, scope, item))
		m, isMixed := out.(mixed)
		if holds, known := out.(bool); err != nil || !isMixed && (!known || holds) {
			return // an error comes of something unknown, such as an item that is not there
		}
		b := Broken{At: at, Fields: r.pointers(scope, at, base), Mixed: m}
		if !isMixed && r.tellable(s, scope) {
			b.Sides = r.sides(whole.scoped(s, scope, item))
		}
		broken = append(broken, b)
	})
	return broken
}

// Whole is a record as rules compute with it.
type Whole struct{ env map[string]any }

// Operands gives a record as rules compute with it, for Check.
func Operands(s *Schema, rec *value.Value) Whole {
	whole := native(rec, s.Record()).(map[string]any)
	env := make(map[string]any, len(whole)+1)
	env["record"] = whole // unless a field has that name
	for name, v := range whole {
		env[name] = v
	}
	return Whole{env}
}

// pointers gives the places that a rule speaks of.
func (r *Rule) pointers(scope *Field, at, base value.Pointer) []value.Pointer {
	var list []value.Pointer
	for _, name := range r.Fields {
		whole, top := strings.CutPrefix(name, "record.")
		if top || scope.Child(name) == nil {
			list = append(list, base.Key(whole))
		} else {
			list = append(list, at.Key(name))
		}
	}
	return list
}

// each calls do for every item that the rule is for, or for the record.
func (r *Rule) each(record *Field, rec *value.Value, base value.Pointer, do func(*Field, *value.Value, value.Pointer)) {
	if rec == nil || rec.Kind != value.Object {
		return
	}
	if r.For == "" {
		do(record, rec, base)
		return
	}
	var walk func(f *Field, v *value.Value, p value.Pointer)
	walk = func(f *Field, v *value.Value, p value.Pointer) {
		switch {
		case v == nil:
		case f.Path == r.For && v.Kind == value.Object:
			do(f, v, p)
		case f.Type == Group:
			for _, kid := range f.Fields {
				walk(kid, v.Get(kid.Name), p.Key(kid.Name))
			}
		case f.Type == List && v.Kind == value.Array && strings.HasPrefix(r.For, f.Path+"[]"):
			for i := range v.Kids {
				walk(f.Item, &v.Kids[i], p.Index(i))
			}
		}
	}
	walk(record, rec, base)
}
