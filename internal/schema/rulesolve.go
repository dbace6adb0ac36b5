package schema

import (
	"fmt"
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/shopspring/decimal"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// solvable notes of a rule `field == expression` what the field has to be.
func (r *Rule) solvable(node ast.Node) {
	n, ok := node.(*ast.BinaryNode)
	if !ok || n.Operator != "==" || len(r.compared) != 1 {
		return
	}
	left, right := r.compared[0].left, r.compared[0].right
	if r.equals, r.other = fieldNamed(n.Left), right.prog; r.equals == "" {
		r.equals, r.other = fieldNamed(n.Right), left.prog
	}
	if r.equals == "" {
		r.other = nil
	}
}

// fieldNamed gives the field that a side of a comparison is, `total` or `record.total`; ""
// where it is anything else.
func fieldNamed(n ast.Node) string {
	if id, ok := n.(*ast.IdentifierNode); ok {
		return id.Value
	}
	if m, ok := n.(*ast.MemberNode); ok {
		base, isRecord := m.Node.(*ast.IdentifierNode)
		name, isName := m.Property.(*ast.StringNode)
		if isRecord && isName && base.Value == "record" {
			return "record." + name.Value
		}
	}
	return ""
}

// Solved is what a value has to be so that a rule holds: of money and quantities the
// amount.
type Solved struct {
	At    value.Pointer
	Value value.Value
}

// Solve gives what the fields have to be that a rule says to equal something; nothing of
// other rules, or where what they equal is unknown.
func (r *Rule) Solve(s *Schema, rec *value.Value, base value.Pointer) (all []Solved) {
	if r.other == nil {
		return nil
	}
	whole := Operands(s, rec)
	r.each(s.Record(), rec, base, func(scope *Field, item *value.Value, at value.Pointer) {
		env := whole.scoped(s, scope, item)
		out, err := expr.Run(r.other, env)
		if err != nil {
			return
		}
		p := Rule{Fields: []string{r.equals}}
		to := Solved{At: p.pointers(scope, at, base)[0]}
		switch out := out.(type) {
		case decimal.Decimal:
			to.Value = value.Num(out.String())
		case measured:
			amount, ok := out["amount"].(decimal.Decimal)
			if !ok {
				return
			}
			to.Value = value.Num(amount.String())
		case string:
			to.Value = value.Str(out)
		case bool:
			to.Value = value.Boolean(out)
		default:
			return
		}
		all = append(all, to)
	})
	return all
}

// scoped gives what a rule computes with in one item.
func (w Whole) scoped(s *Schema, scope *Field, item *value.Value) map[string]any {
	if scope == s.Record() {
		return w.env
	}
	env := make(map[string]any, len(w.env)+len(scope.Fields))
	for name, v := range w.env {
		env[name] = v
	}
	for name, v := range native(item, scope).(map[string]any) {
		env[name] = v
	}
	return env
}

var yearAfter = lazy.New(`(\w+)\s*(>=|<=|>|<)\s*(\d{4})\b`)

// Condition reads a condition on the record in the language of rules. A date may be
// compared with a year: visited > 2030.
func (s *Schema) Condition(text string) (*Rule, error) {
	holds := yearAfter.ReplaceAllStringFunc(text, func(part string) string {
		m := yearAfter.FindStringSubmatch(part)
		f := s.Record().Child(m[1])
		if f == nil || f.Type != Date && f.Type != DateTime {
			return part
		}
		day := m[3] + "-01-01"
		if m[2] == ">" || m[2] == "<=" {
			day = m[3] + "-12-31"
		}
		return fmt.Sprintf("%s %s %q", m[1], m[2], day)
	})
	r := &Rule{Holds: holds}
	if err := r.compile(s.Record(), s.Record()); err != nil {
		if hint := ruleHint(text, s.Record(), err, func(text string) bool { return (&Rule{Holds: text}).compile(s.Record(), s.Record()) == nil }); hint != "" {
			return nil, fmt.Errorf("the condition %q can't be read: %w; %s", text, err, hint)
		}
		return nil, fmt.Errorf("the condition %q can't be read: %w; fields stand by their names: %s", text, err, strings.Join(names(s.Record()), ", "))
	}
	return r, nil
}

// Meets tells whether a record is known to meet a condition.
func (r *Rule) Meets(s *Schema, rec *value.Value) bool {
	out, err := expr.Run(r.prog, Operands(s, rec).env)
	holds, known := out.(bool)
	return err == nil && known && holds
}
