package schema

import (
	"fmt"
	"regexp"
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/shopspring/decimal"

	"filler/internal/base/value"
)

// native gives a value as rules see it: objects as maps that hold every field
// (nil where unknown), numbers as decimals.
func native(v *value.Value, f *Field) any {
	kin := f.Kin()
	switch {
	case f.Type == Group:
		m := map[string]any{}
		for _, kid := range f.Fields {
			m[kid.Name] = native(v.Get(kid.Name), kid)
		}
		return m
	case f.Type == List:
		list := []any{}
		if v != nil && v.Kind == value.Array {
			for i := range v.Kids {
				list = append(list, native(&v.Kids[i], f.Item))
			}
		}
		return list
	case v == nil || v.Empty() || kin.Type != Text && !kin.fits(v):
		return nil
	case v.Kind == value.Number:
		return number(v.Text)
	case v.Kind == value.Bool:
		return v.Text == "true"
	case v.Kind == value.String:
		return v.Text
	case kin.Type == Money || kin.Type == Quantity:
		name, _ := kin.Measure()
		d := number(v.Get("amount").Text)
		if d == nil {
			return nil
		}
		return measured{"amount": d, name: v.Get(name).Text}
	}
	return nil
}

// measured is money or a quantity: its amount, and its currency or unit.
type measured map[string]any

// measure gives the currency or unit.
func (m measured) measure() string {
	for _, name := range []string{"currency", "unit"} {
		if s, ok := m[name].(string); ok {
			return s
		}
	}
	return ""
}

// like gives another amount in the same measure.
func (m measured) like(amount decimal.Decimal) measured {
	out := measured{}
	for name, v := range m {
		out[name] = v
	}
	out["amount"] = amount
	return out
}

// mixed is what comes of two measures that were put together: like the unknown,
// but told.
type mixed []string

// together tells whether two values are of two measures, or one is mixed already.
func together(a, b any) (m mixed, is bool) {
	for _, v := range []any{a, b} {
		if m, is = v.(mixed); is {
			return m, true
		}
	}
	x, ok1 := a.(measured)
	y, ok2 := b.(measured)
	if ok1 && ok2 && x.measure() != y.measure() {
		return mixed{x.measure(), y.measure()}, true
	}
	return nil, false
}

// number gives a literal as a decimal, or nil beyond any measure.
func number(literal string) any {
	d, err := decimal.NewFromString(literal)
	if err != nil || d.Exponent() > 1000 || d.Exponent() < -1000 {
		return nil
	}
	return d
}

// rewriter replaces operators by functions that take decimals and nil.
type rewriter struct{}

var operatorNames = map[string]string{"+": "plus_", "-": "minus_", "*": "times_", "/": "over_", "%": "rest_", "**": "power_", "^": "power_",
	"==": "same_", "!=": "differs_", "<": "less_", "<=": "upto_", ">": "more_", ">=": "from_", "and": "and_", "&&": "and_", "or": "or_", "||": "or_",
	"in": "in_", "matches": "matches_", "contains": "contains_", "startsWith": "starts_", "endsWith": "ends_"}

func call(name string, args ...ast.Node) ast.Node {
	return &ast.CallNode{Callee: &ast.IdentifierNode{Value: name}, Arguments: args}
}

// Visit is called for every node, inner ones first.
func (*rewriter) Visit(node *ast.Node) {
	switch n := (*node).(type) {
	case *ast.BinaryNode:
		if name, ok := operatorNames[n.Operator]; ok {
			ast.Patch(node, call(name, n.Left, n.Right))
		}
	case *ast.UnaryNode:
		switch n.Operator {
		case "not", "!":
			ast.Patch(node, call("not_", n.Node))
		case "-":
			ast.Patch(node, call("minus_", &ast.IntegerNode{Value: 0}, n.Node))
		}
	case *ast.MemberNode:
		n.Optional = true
	case *ast.PredicateNode:
		ast.Patch(node, &ast.PredicateNode{Node: n.Node})
	case *ast.BuiltinNode:
		rewriteBuiltin(node, n)
	}
}

// rewriteBuiltin lets all, any and the like take unknown answers, and sums be
// decimals.
func rewriteBuiltin(node *ast.Node, n *ast.BuiltinNode) {
	mapped := func() ast.Node {
		if len(n.Arguments) == 2 {
			return &ast.BuiltinNode{Name: "map", Arguments: n.Arguments}
		}
		return n.Arguments[0]
	}
	switch n.Name {
	case "sum", "all", "any", "none", "one", "count":
		if len(n.Arguments) > 0 {
			ast.Patch(node, call(n.Name+"_of", mapped()))
		}
	case "min", "max", "abs", "round", "floor", "ceil":
		ast.Patch(node, call(n.Name+"_of", &ast.ArrayNode{Nodes: n.Arguments}))
	case "filter":
		if p, ok := n.Arguments[1].(*ast.PredicateNode); ok {
			p.Node = call("sure_", p.Node)
		}
	}
}

// functions are what rules have beyond the library's own.
func functions() []expr.Option {
	return []expr.Option{
		expr.Function("stated", func(args ...any) (any, error) { return args[0] != nil, nil }, new(func(any) bool)),
		expr.Function("days", func(args ...any) (any, error) { return days(args[0], args[1]), nil }, new(func(string, string) float64)),
		expr.Function("minutes", func(args ...any) (any, error) { return minutes(args[0], args[1]), nil }, new(func(string, string) float64)),
	}
}

func operators() []expr.Option {
	var options []expr.Option
	two := func(name string, do func(a, b any) any) {
		options = append(options, expr.Function(name, func(args ...any) (any, error) {
			if len(args) != 2 {
				return nil, fmt.Errorf("two values were expected")
			}
			return do(args[0], args[1]), nil
		}))
	}
	for name, do := range arithmetic {
		two(name, func(a, b any) any {
			if m, is := together(a, b); is {
				return m
			}
			x, y := toDecimal(a), toDecimal(b)
			if x == nil || y == nil {
				if s, ok := a.(string); ok && name == "plus_" {
					if t, ok := b.(string); ok {
						return s + t
					}
				}
				return nil
			}
			return inMeasure(name, a, b, do(*x, *y))
		})
	}
	for name, holds := range comparisons {
		two(name, func(a, b any) any {
			if m, is := together(a, b); is {
				return m
			}
			c, known := compare(a, b)
			if !known {
				return nil
			}
			return holds(c)
		})
	}
	two("and_", func(a, b any) any { return logic(a, b, false) })
	two("or_", func(a, b any) any { return logic(a, b, true) })
	two("in_", isIn)
	for name, do := range textTests {
		two(name, func(a, b any) any {
			s, ok1 := a.(string)
			t, ok2 := b.(string)
			if !ok1 || !ok2 {
				return nil
			}
			return do(s, t)
		})
	}
	one := func(name string, do func(v any) any) {
		options = append(options, expr.Function(name, func(args ...any) (any, error) { return do(args[0]), nil }))
	}
	one("not_", func(v any) any {
		if b, ok := v.(bool); ok {
			return !b
		}
		if m, ok := v.(mixed); ok {
			return m
		}
		return nil
	})
	one("sure_", func(v any) any { b, ok := v.(bool); return ok && b })
	for name, do := range folds {
		one(name, func(v any) any {
			list, ok := v.([]any)
			if !ok {
				return nil
			}
			return do(list)
		})
	}
	return options
}

// inMeasure gives what came of two amounts the measure that it has: a sum of
// money is money, and a part of money by money is a number.
func inMeasure(name string, a, b, out any) any {
	d, ok := out.(decimal.Decimal)
	if !ok {
		return out
	}
	x, ok1 := a.(measured)
	y, ok2 := b.(measured)
	switch {
	case name == "plus_" || name == "minus_" || name == "rest_":
		if ok1 {
			return x.like(d)
		} else if ok2 {
			return y.like(d)
		}
	case ok1 && !ok2 && (name == "times_" || name == "over_"):
		return x.like(d)
	case ok2 && !ok1 && name == "times_":
		return y.like(d)
	}
	return out
}

var arithmetic = map[string]func(x, y decimal.Decimal) any{
	"plus_":  func(x, y decimal.Decimal) any { return x.Add(y) },
	"minus_": func(x, y decimal.Decimal) any { return x.Sub(y) },
	"times_": func(x, y decimal.Decimal) any { return x.Mul(y) },
	"over_": func(x, y decimal.Decimal) any {
		if y.IsZero() {
			return nil
		}
		return x.DivRound(y, 20)
	},
	"rest_": func(x, y decimal.Decimal) any {
		if y.IsZero() {
			return nil
		}
		return x.Mod(y)
	},
	"power_": func(x, y decimal.Decimal) any {
		if !y.IsInteger() || y.Abs().GreaterThan(decimal.NewFromInt(64)) {
			return nil
		}
		return x.Pow(y)
	},
}

var comparisons = map[string]func(c int) bool{
	"same_": func(c int) bool { return c == 0 }, "differs_": func(c int) bool { return c != 0 }, "less_": func(c int) bool { return c < 0 },
	"upto_": func(c int) bool { return c <= 0 }, "more_": func(c int) bool { return c > 0 }, "from_": func(c int) bool { return c >= 0 },
}

var textTests = map[string]func(s, t string) any{
	"contains_": func(s, t string) any { return strings.Contains(s, t) },
	"starts_":   func(s, t string) any { return strings.HasPrefix(s, t) },
	"ends_":     func(s, t string) any { return strings.HasSuffix(s, t) },
	"matches_": func(s, t string) any {
		re, err := regexp.Compile(t)
		if err != nil {
			return nil
		}
		return re.MatchString(s)
	},
}

func toDecimal(v any) *decimal.Decimal {
	switch x := v.(type) {
	case decimal.Decimal:
		return &x
	case measured:
		d, _ := x["amount"].(decimal.Decimal)
		return &d
	case int:
		d := decimal.NewFromInt(int64(x))
		return &d
	case float64:
		d := decimal.NewFromFloat(x)
		return &d
	}
	return nil
}

// compare orders two values of one kind; false where either is unknown. Texts
// that are dates of different precision compare as far as both go.
func compare(a, b any) (int, bool) {
	if x, y := toDecimal(a), toDecimal(b); x != nil && y != nil {
		return x.Cmp(*y), true
	}
	if s, ok := a.(string); ok {
		t, ok := b.(string)
		return strings.Compare(s, t), ok
	}
	if p, ok := a.(bool); ok {
		q, ok := b.(bool)
		if p == q {
			return 0, ok
		}
		return 1, ok
	}
	return 0, false
}

// logic is and (decisive false) or or (decisive true) with the unknown.
func logic(a, b any, decisive bool) any {
	x, ok1 := a.(bool)
	y, ok2 := b.(bool)
	switch {
	case ok1 && x == decisive, ok2 && y == decisive:
		return decisive
	case ok1 && ok2:
		return !decisive
	}
	if m, is := together(a, b); is {
		return m
	}
	return nil
}

func isIn(a, b any) any {
	list, ok := b.([]any)
	if !ok || a == nil {
		return nil
	}
	unknown := false
	for _, v := range list {
		c, known := compare(a, v)
		if known && c == 0 {
			return true
		}
		unknown = unknown || v == nil
	}
	if unknown {
		return nil
	}
	return false
}

// folds sum up lists; what is unknown in a list makes a sum unknown.
var folds = map[string]func(list []any) any{
	"sum_of": func(list []any) any {
		var sum any = decimal.Zero
		for _, v := range list {
			d := toDecimal(v)
			m, is := together(sum, v)
			if is {
				return m
			}
			if d == nil {
				return nil
			}
			sum = inMeasure("plus_", sum, v, toDecimal(sum).Add(*d))
		}
		return sum
	},
	"all_of": func(list []any) any {
		var out any = true
		for _, v := range list {
			out = logic(out, v, false)
		}
		return out
	},
	"any_of": func(list []any) any {
		var out any = false
		for _, v := range list {
			out = logic(out, v, true)
		}
		return out
	},
	"none_of":  func(list []any) any { return countTrue(list, func(n int) bool { return n == 0 }) },
	"one_of":   func(list []any) any { return countTrue(list, func(n int) bool { return n == 1 }) },
	"count_of": countOf,
	"min_of":   func(list []any) any { return extreme(list, -1) },
	"max_of":   func(list []any) any { return extreme(list, 1) },
	"abs_of":   func(list []any) any { return rounded(list, decimal.Decimal.Abs) },
	"round_of": func(list []any) any {
		return rounded(list, func(d decimal.Decimal) decimal.Decimal { return d.Round(0) })
	},
	"floor_of": func(list []any) any { return rounded(list, decimal.Decimal.Floor) },
	"ceil_of":  func(list []any) any { return rounded(list, decimal.Decimal.Ceil) },
}

func countOf(list []any) any {
	n := 0
	for _, v := range list {
		b, ok := v.(bool)
		if m, is := v.(mixed); is {
			return m
		}
		if !ok {
			return nil
		}
		if b {
			n++
		}
	}
	return decimal.NewFromInt(int64(n))
}

func countTrue(list []any, holds func(int) bool) any {
	count := countOf(list)
	n := toDecimal(count)
	if n == nil {
		return count
	}
	return holds(int(n.IntPart()))
}

func extreme(list []any, sign int) any {
	if len(list) == 1 {
		if inner, ok := list[0].([]any); ok {
			list = inner
		}
	}
	var best any
	for _, v := range list {
		d := toDecimal(v)
		if m, is := together(best, v); is {
			return m
		}
		if d == nil {
			return nil
		}
		if best == nil || d.Cmp(*toDecimal(best)) == sign {
			best = v
		}
	}
	return best
}

func rounded(list []any, do func(decimal.Decimal) decimal.Decimal) any {
	if m, ok := list[0].(measured); ok {
		return m.like(do(*toDecimal(m)))
	}
	if d := toDecimal(list[0]); d != nil {
		return do(*d)
	}
	return nil
}
