package schema

import (
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/vm"
	"github.com/shopspring/decimal"
)

// comparison is one of the comparisons that all have to hold for a rule to hold. What its
// sides come to tells a person which figure is off.
type comparison struct {
	left, right side
	holds       func(order int) bool
}

// side is one side of a comparison, as it is written and as a program.
type side struct {
	text     string
	constant bool
	prog     *vm.Program
}

// comparisonsOf gives the comparisons of an expression: itself, or those that stand in it with
// `and` between.
func comparisonsOf(node ast.Node, options []expr.Option) []comparison {
	n, ok := node.(*ast.BinaryNode)
	if !ok {
		return nil
	}
	if n.Operator == "and" || n.Operator == "&&" {
		return append(comparisonsOf(n.Left, options), comparisonsOf(n.Right, options)...)
	}
	if holds := comparisons[operatorNames[n.Operator]]; holds != nil {
		return []comparison{{sideOf(n.Left, options), sideOf(n.Right, options), holds}}
	}
	return nil
}

func sideOf(n ast.Node, options []expr.Option) side {
	s := side{text: n.String()}
	switch n.(type) {
	case *ast.IntegerNode, *ast.FloatNode, *ast.StringNode, *ast.BoolNode, *ast.NilNode, *ast.ConstantNode:
		s.constant = true
	}
	s.prog, _ = expr.Compile(s.text, options...)
	return s
}

// sides tells what the sides of the comparisons that do not hold come to: "total is 76.4 kg"
// and "sum(parts, .weight) comes to 77.4 kg". Of constants, long expressions and what is no
// single value it tells nothing.
func (r *Rule) sides(env map[string]any) (said []string) {
	for _, c := range r.compared {
		left, right := c.left.value(env), c.right.value(env)
		order, known := compare(left, right)
		if !known || c.holds(order) {
			continue
		}
		for _, text := range []string{c.left.says(left), c.right.says(right)} {
			if text != "" {
				said = append(said, text)
			}
		}
	}
	return said
}

func (s side) value(env map[string]any) any {
	if s.prog == nil {
		return nil
	}
	out, err := expr.Run(s.prog, env)
	if err != nil {
		return nil
	}
	return out
}

func (s side) says(v any) string {
	is := ""
	switch v := v.(type) {
	case decimal.Decimal:
		is = v.String()
	case measured:
		is = strings.TrimSpace(toDecimal(v).String() + " " + v.measure())
	case string:
		is = v
	default:
		if d := toDecimal(v); d != nil {
			is = d.String()
		}
	}
	switch {
	case is == "" || s.constant || len(is) > 40 || len(s.text) > 80:
		return ""
	case strings.ContainsAny(s.text, " ("):
		return s.text + " comes to " + is
	}
	return s.text + " is " + is
}

// tellable tells whether the values that a rule speaks of may be shown: no field that it names,
// and nothing in one, is sensitive.
func (r *Rule) tellable(s *Schema, scope *Field) bool {
	for _, name := range r.Fields {
		whole, top := strings.CutPrefix(name, "record.")
		f := scope.Child(whole)
		if top || f == nil {
			f = s.Record().Child(whole)
		}
		if f == nil || f.hides() {
			return false
		}
	}
	return true
}

// hides tells whether the field, or anything in it, is sensitive.
func (f *Field) hides() bool {
	if f.IsHidden() || f.Item != nil && f.Item.hides() {
		return true
	}
	for _, kid := range f.Fields {
		if kid.hides() {
			return true
		}
	}
	return false
}
