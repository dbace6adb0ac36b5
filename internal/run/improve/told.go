package improve

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/rogpeppe/go-internal/diff"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/schema"
)

// Remark says why a change is in a schema, as its comment does.
func (c *Candidate) Remark() string {
	text := fmt.Sprintf("%s; %d values fixed, %d broken on %d documents", strings.TrimRight(c.Why, "."), c.Gain.Fixed, c.Gain.Broken, c.Gain.Documents)
	if c.State == Together {
		text += ", kept together with others"
	}
	switch {
	case c.Free:
		return text + ", on the replies that were there"
	case c.Gain.Documents == 0:
		return c.Why
	}
	cost := ""
	if c.Cost.Nano > 0 {
		cost = fmt.Sprintf(", cost %.3g", float64(c.Cost.Nano)/1e9)
	}
	return text + fmt.Sprintf(" (p %s), %d requests%s", probability(c.Holm), c.Cost.Requests+c.Cost.Cached, cost)
}

func probability(p float64) string {
	if p < 0.001 {
		return "< 0.001"
	}
	return strconv.FormatFloat(p, 'f', 3, 64)
}

// IsKept tells whether a change is kept.
func (c *Candidate) IsKept() bool { return c.State == Kept || c.State == Together }

// With gives the schema with the changes of some numbers, from 1, each with its remark.
func With(s *schema.Schema, all []Candidate, numbers []int) (*schema.Schema, error) {
	var edits []schema.Edit
	for _, n := range numbers {
		if n < 1 || n > len(all) {
			return nil, fmt.Errorf("there is no change %d; there are %d", n, len(all))
		}
		c := &all[n-1]
		if c.State == Refused {
			return nil, fmt.Errorf("change %d was refused: %s", n, c.Note)
		}
		e := c.Edit
		e.Remark = c.Remark()
		edits = append(edits, e)
	}
	return s.Edited(merged(edits)...)
}

// Numbers gives the numbers of what is kept.
func Numbers(all []Candidate) (numbers []int) {
	for i := range all {
		if all[i].IsKept() {
			numbers = append(numbers, i+1)
		}
	}
	return numbers
}

// Diff shows how two schemas differ, line by line; nil where they are the same.
func Diff(old, now *schema.Schema) []string {
	text := string(diff.Diff("a", old.Written(), "b", now.Written()))
	lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
	if i := slices.IndexFunc(lines, func(l string) bool { return strings.HasPrefix(l, "@@") }); i >= 0 {
		return lines[i:]
	}
	return nil
}

func number(name string, n int) value.Value { return value.Num(strconv.Itoa(n)).Named(name) }

func decimalOf(name string, x float64) value.Value {
	return value.Num(strconv.FormatFloat(x, 'f', 6, 64)).Named(name)
}

func money(name string, nano int64) value.Value {
	return value.Num(strconv.FormatFloat(float64(nano)/1e9, 'f', 9, 64)).Named(name)
}

// comparison gives the figures of a comparison, without single values.
func comparison(c *score.Comparison) value.Value {
	v := value.Obj(number("documents", c.Documents))
	if a, b := c.A.F1(), c.B.F1(); a.Exists && b.Exists {
		v.Kids = append(v.Kids, decimalOf("f1_before", a.Value), decimalOf("f1_after", b.Value), decimalOf("difference", c.By))
	}
	if c.Difference.Exists {
		v.Kids = append(v.Kids, decimalOf("difference_low", c.Difference.Low), decimalOf("difference_high", c.Difference.High))
	}
	v.Kids = append(v.Kids, decimalOf("p", c.P), number("fixed", c.Fixed), number("broken", c.Broken))
	return v
}

// JSON gives the machine form of docs/formats.md.
func (r *Result) JSON() value.Value {
	changes := value.List()
	for i := range r.Candidates {
		changes.Kids = append(changes.Kids, r.Candidates[i].json(i+1))
	}
	v := value.Obj(number("tune", r.Tune), number("test", r.Test), comparison(&r.Before).Named("asked_again"), changes.Named("changes"))
	if len(r.Advice) > 0 {
		list := value.List()
		for _, a := range r.Advice {
			list.Kids = append(list.Kids, value.Obj(value.Str(a.Field).Named("field"), value.Str(a.Text).Named("text"), value.Str(a.By).Named("by")))
		}
		v.Set("advice", list)
	}
	if r.Schema != nil {
		v.Set("on_tune", comparison(&r.OnTune))
	}
	if r.OnTest != nil {
		v.Set("on_test", comparison(r.OnTest))
	}
	if r.Crossed != nil {
		v.Set("cross_fitted", comparison(r.Crossed))
		list := value.List()
		for _, f := range r.Folds {
			kept := value.List()
			for _, k := range f.Kept {
				kept.Kids = append(kept.Kids, value.Str(k))
			}
			list.Kids = append(list.Kids, value.Obj(number("documents", f.Documents), kept.Named("kept")))
		}
		v.Set("folds", list)
	}
	v.Kids = append(v.Kids, number("requests", r.Cost.Requests), number("cached", r.Cost.Cached), money("cost", r.Cost.Nano))
	if r.PriceWas > 0 {
		v.Kids = append(v.Kids, money("thousand_before", 1000*r.PriceWas))
	}
	if r.PriceNow > 0 {
		v.Kids = append(v.Kids, money("thousand_after", 1000*r.PriceNow))
	}
	v.Set("budget_spent", value.Boolean(r.Budget))
	return v
}

func (c *Candidate) json(n int) value.Value {
	keys := value.List()
	for _, k := range c.Key {
		keys.Kids = append(keys.Kids, value.Str(k))
	}
	v := value.Obj(number("number", n), value.Str(c.Field).Named("field"), keys.Named("key"), value.Str(c.Edit.Write).Named("value"), value.Str(c.String()).Named("write"), value.Str(string(c.State)).Named("state"))
	for _, t := range [][2]string{{"note", c.Note}, {"why", c.Why}, {"by", c.By}} {
		if t[1] != "" {
			v.Set(t[0], value.Str(t[1]))
		}
	}
	if c.Gain.Documents > 0 {
		v.Set("gain", comparison(&c.Gain))
		v.Kids = append(v.Kids, decimalOf("p_holm", c.Holm))
	}
	v.Kids = append(v.Kids, value.Boolean(c.Free).Named("free"), value.Boolean(c.Sampled).Named("sample_only"), number("requests", c.Cost.Requests), number("cached", c.Cost.Cached), money("cost", c.Cost.Nano))
	lines := value.List()
	for _, l := range c.Lines {
		one := value.Obj(value.Str(l.Document).Named("document"))
		if l.N > 0 {
			one.Set("line", value.Num(strconv.Itoa(l.N)))
		}
		if l.Text != "" {
			one.Set("text", value.Str(l.Text))
		}
		lines.Kids = append(lines.Kids, one)
	}
	if len(lines.Kids) > 0 {
		v.Set("lines", lines)
	}
	return v
}

// Keep keeps what came out in a file, so that changes can be accepted later.
func (r *Result) Keep(file string, s *schema.Schema) error {
	v := r.JSON()
	v.Set("schema", value.Str(markOf(s)))
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	return process.WriteFile(file, append(v.JSON(), '\n'), true)
}

func markOf(s *schema.Schema) string {
	sum := sha256.Sum256(s.Source)
	return hex.EncodeToString(sum[:])
}

// ErrOther says that the schema is not the one that changes were tried on.
var ErrOther = errors.New("the schema has changed since; run `filler improve` again: what was answered is not paid twice")

// ErrNone says that nothing was kept.
var ErrNone = errors.New("no changes were tried here yet; `filler improve` tries them")

// Load gives the changes that were kept in a file.
func Load(file string, s *schema.Schema) (all []Candidate, err error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, ErrNone
	}
	v, err := value.ParseBytes(data)
	if err != nil || v.Get("changes") == nil {
		return nil, fmt.Errorf("%s: can't be read; run `filler improve` again", file)
	}
	if mark := v.Get("schema"); mark == nil || mark.Text != markOf(s) {
		return nil, ErrOther
	}
	text := func(v *value.Value, name string) string {
		if kid := v.Get(name); kid != nil {
			return kid.Text
		}
		return ""
	}
	count := func(v *value.Value, name string) int {
		n, _ := strconv.Atoi(text(v, name))
		return n
	}
	list := v.Get("changes").Kids
	for i := range list {
		x := &list[i]
		c := Candidate{Edit: schema.Edit{Field: text(x, "field"), Write: text(x, "value")}, State: State(text(x, "state")), Note: text(x, "note"), Why: text(x, "why"), By: text(x, "by"), Free: text(x, "free") == "true"}
		if keys := x.Get("key"); keys != nil {
			for _, k := range keys.Kids {
				c.Key = append(c.Key, k.Text)
			}
		}
		if g := x.Get("gain"); g != nil {
			c.Gain.Documents, c.Gain.Fixed, c.Gain.Broken = count(g, "documents"), count(g, "fixed"), count(g, "broken")
		}
		c.Holm, _ = strconv.ParseFloat(text(x, "p_holm"), 64)
		c.Cost.Requests, c.Cost.Cached = count(x, "requests"), count(x, "cached")
		paid, _ := strconv.ParseFloat(text(x, "cost"), 64)
		c.Cost.Nano = int64(math.Round(paid * 1e9))
		all = append(all, c)
	}
	return all, nil
}
