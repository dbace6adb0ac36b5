package record

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

	jsonpatch "github.com/evanphx/json-patch/v5"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Bounds say what a patch may do to a record.
type Bounds struct {
	Schema   *schema.Schema
	Problems []Problem // of the record as it was sent
	// Finish normalizes and arranges a patched record.
	Finish func(v *value.Value)
	// Check gives the problems of a finished record.
	Check func(v *value.Value) []Problem
	// Evident gives the paths of the values that have a place in the source.
	Evident func(v *value.Value) map[value.Pointer]bool
	// Locked gives the values that stand in their place in the source, which
	// nothing changes; nil: none.
	Locked func(v *value.Value) map[value.Pointer]bool
	// Invented tells whether the document has nothing of an item of a list but what
	// other items say: it may be taken out whole. nil: none may.
	Invented func(v *value.Value, item value.Pointer) bool
}

// Rejected is an operation that was not applied, and why.
type Rejected struct {
	Op  value.Value
	Why string
}

// Each applies what it can: the patch as a whole, since corrections may belong
// together; else each operation by itself, so that one that is refused does not
// take the others along. Removals come last, from the end of a list on, since
// paths mean the record as it was sent.
func (b *Bounds) Each(record *value.Value, patch *value.Value) (after value.Value, taken value.Value, rejected []Rejected) {
	whole, err := b.Apply(record, patch)
	if err == nil {
		return whole, *patch, nil
	}
	after, taken = record.Clone(), value.List()
	if len(patch.Kids) <= 1 || patch.Kind != value.Array {
		return after, taken, []Rejected{{first(patch), err.Error()}}
	}
	own := *b
	for _, op := range inOrder(patch.Kids) {
		one := value.List(op)
		next, err := own.Apply(&after, &one)
		if err != nil {
			rejected = append(rejected, Rejected{op, err.Error()})
			continue
		}
		after = next
		taken.Kids = append(taken.Kids, op)
		if own.Problems = own.Check(&after); len(own.Problems) == 0 {
			break
		}
	}
	return after, taken, rejected
}

func first(patch *value.Value) value.Value {
	if patch.Kind == value.Array && len(patch.Kids) > 0 {
		return patch.Kids[0]
	}
	return value.Value{}
}

// inOrder gives operations with removals last, those of later items first.
func inOrder(ops []value.Value) []value.Value {
	var others, removals []value.Value
	for _, op := range ops {
		if op.Word("op") == "remove" {
			removals = append(removals, op)
		} else {
			others = append(others, op)
		}
	}
	slices.SortStableFunc(removals, func(a, b value.Value) int {
		x, y := value.Pointer(a.Word("path")), value.Pointer(b.Word("path"))
		i, _ := value.ArrayIndex(x.Last())
		j, _ := value.ArrayIndex(y.Last())
		if x.Parent() != y.Parent() {
			return cmp.Compare(y, x)
		}
		return j - i
	})
	return append(others, removals...)
}

// Refusal says why a patch was not applied.
type Refusal struct {
	Op  int // the operation at fault, from 0; -1: the patch as a whole
	Why string
}

func (r *Refusal) Error() string {
	if r.Op < 0 {
		return "the patch was refused: " + r.Why
	}
	return fmt.Sprintf("the patch was refused: operation %d %s", r.Op+1, r.Why)
}

// maxOps and maxCopied bound what a patch may cost.
const (
	maxOps    = 500
	maxCopied = 1 << 20
)

// operation is one operation of RFC 6902, read.
type operation struct {
	op         string
	path, from value.Pointer
	null       bool // its value is null
}

// Apply gives the patched record, or a *Refusal. The patch is an array of
// operations; the record itself is never changed.
func (b *Bounds) Apply(record *value.Value, patch *value.Value) (value.Value, error) {
	if patch.Kind != value.Array || len(patch.Kids) == 0 {
		return value.Value{}, &Refusal{-1, "it holds no operations"}
	}
	if len(patch.Kids) > maxOps {
		return value.Value{}, &Refusal{-1, fmt.Sprintf("it holds more than %d operations", maxOps)}
	}
	var ops []operation
	var moved []value.Pointer // arrays whose later indices have shifted, as the pointer of the first
	for i := range patch.Kids {
		op, why := readOperation(&patch.Kids[i])
		if why == "" {
			why = b.mayTouch(record, op)
		}
		if why == "" {
			why = shifted(moved, op)
		}
		if why != "" {
			return value.Value{}, &Refusal{i, why}
		}
		moved = append(moved, shifts(record, op)...)
		ops = append(ops, op)
	}
	after, err := apply(record, patch)
	if err != nil {
		return value.Value{}, &Refusal{-1, "it can't be applied: " + err.Error()}
	}
	b.Finish(&after)
	out := b.doubled(record, &after) // items that are taken out whole
	for _, o := range ops {
		if b.takesOut(record, o) {
			out = append(out, o.path)
		}
	}
	if why := b.worse(record, &after, movesOf(record, ops), out); why != "" {
		return value.Value{}, &Refusal{-1, why}
	}
	if len(moved) == 0 {
		if i := b.idle(ops, b.Check(&after)); i >= 0 {
			return value.Value{}, &Refusal{i, fmt.Sprintf("leaves %s as wrong as it was", show(ops[i].path))}
		}
	}
	return after, nil
}

// idle gives the first replacement that leaves as many problems at its place as
// there were; -1: none.
func (b *Bounds) idle(ops []operation, problems []Problem) int {
	count := func(all []Problem, p value.Pointer) (n int) {
		for _, problem := range all {
			if problem.Code() != Rule && problem.Path.Within(p) {
				n++
			}
		}
		return n
	}
	for i, o := range ops {
		if before := count(b.Problems, o.path); o.op == "replace" && before > 0 && count(problems, o.path) >= before {
			return i
		}
	}
	return -1
}

func readOperation(v *value.Value) (operation, string) {
	text := func(name string) (string, bool) {
		kid := v.Get(name)
		if kid == nil || kid.Kind != value.String {
			return "", false
		}
		return kid.Text, true
	}
	var o operation
	o.op, _ = text("op")
	path, ok := text("path")
	if !ok || !value.Pointer(path).Valid() {
		return o, "has no valid path"
	}
	o.path = value.Pointer(path)
	switch o.op {
	case "add", "replace", "test":
		v := v.Get("value")
		if v == nil {
			return o, "has no value"
		}
		o.null = v.Kind == value.Null
	case "move", "copy":
		from, ok := text("from")
		if !ok || !value.Pointer(from).Valid() {
			return o, "has no valid `from`"
		}
		o.from = value.Pointer(from)
		if o.path.Within(o.from) {
			return o, "moves or copies a part into itself"
		}
	case "remove":
	default:
		return o, fmt.Sprintf("is not a JSON Patch operation (%q)", o.op)
	}
	return o, ""
}

// mayTouch checks an operation against the problems and the record as sent.
func (b *Bounds) mayTouch(record *value.Value, o operation) string {
	if b.takesOut(record, o) {
		return ""
	}
	if o.op != "test" && !b.inBounds(o.path, o.op == "add") && !(o.op == "replace" && b.allFaulty(record, o.path)) {
		return fmt.Sprintf("changes %s, which has no problem", show(o.path))
	}
	if o.op == "move" && !b.inBounds(o.from, false) {
		return fmt.Sprintf("takes from %s, which has no problem", show(o.from))
	}
	if o.from != "" && record.At(o.from) == nil {
		return fmt.Sprintf("takes from %s, which is not in the record", show(o.from))
	}
	if o.op == "add" || o.op == "move" || o.op == "copy" {
		return addable(record, o.path)
	}
	if record.At(o.path) == nil {
		return fmt.Sprintf("names %s, which is not in the record", show(o.path))
	}
	return ""
}

// allFaulty tells whether each value of a list of plain values has a problem, so that it may be replaced whole.
func (b *Bounds) allFaulty(record *value.Value, p value.Pointer) bool {
	f := b.Schema.At(p)
	if f == nil || f.Type != schema.List || !f.Item.IsLeaf() {
		return false
	}
	faulty := map[value.Pointer]bool{}
	for _, problem := range b.Problems {
		faulty[problem.Path] = true
	}
	return p.EachItem(record, faulty)
}

// takesOut tells whether an operation takes out an item that is invented, or there twice.
func (b *Bounds) takesOut(record *value.Value, o operation) bool {
	if o.op != "remove" && !(o.op == "replace" && o.null) || b.Invented == nil {
		return false
	}
	list := record.At(o.path.Parent())
	if o.path == "" || list == nil || list.Kind != value.Array || record.At(o.path) == nil {
		return false
	}
	told := slices.ContainsFunc(b.Problems, func(p Problem) bool {
		return p.Path.Within(o.path) && (p.Code().Unfound() || p.Code() == Twice)
	})
	return told && b.Invented(record, o.path)
}

func show(p value.Pointer) string {
	if p == "" {
		return "the whole record"
	}
	return string(p)
}

// inBounds: at or below a problem's path, for a rule the fields that it names.
// What is missing may only be put there.
func (b *Bounds) inBounds(p value.Pointer, add bool) bool {
	for _, problem := range b.Problems {
		if problem.Code() == Rule {
			for _, field := range problem.Fields {
				if p.Within(field) {
					return true
				}
			}
			continue
		}
		if p.Within(problem.Path) && (problem.Code() != Missing || add || b.Schema.At(p) != nil) {
			return true
		}
	}
	return false
}

// addable checks that a value can be put at p in the record as it was sent.
func addable(record *value.Value, p value.Pointer) string {
	if p == "" {
		return ""
	}
	parent := record.At(p.Parent())
	switch {
	case parent == nil:
		return fmt.Sprintf("adds at %s, and there is nothing to add it to", p)
	case parent.Kind == value.Object:
		return ""
	case parent.Kind == value.Array:
		i, ok := value.ArrayIndex(p.Last())
		if p.Last() == "-" || (ok && i <= len(parent.Kids)) {
			return ""
		}
	}
	return fmt.Sprintf("adds at %s, which is not a place in the record", p)
}

// shifts gives the places from which on an operation moves the indices of an
// array.
func shifts(record *value.Value, o operation) []value.Pointer {
	var at []value.Pointer
	inArray := func(p value.Pointer) bool {
		parent := record.At(p.Parent())
		return parent != nil && parent.Kind == value.Array && p.Last() != "-"
	}
	if (o.op == "remove" || o.op == "add" || o.op == "copy" || o.op == "move") && inArray(o.path) {
		at = append(at, o.path)
	}
	if o.op == "move" && inArray(o.from) {
		at = append(at, o.from)
	}
	return at
}

// shifted: the indices of a patch mean the record as it was sent, and an
// operation after a removal or insertion would hit another item.
func shifted(moved []value.Pointer, o operation) string {
	for _, m := range moved {
		first, _ := value.ArrayIndex(m.Last())
		for _, p := range []value.Pointer{o.path, o.from} {
			if p == "" || !p.Within(m.Parent()) || p == m.Parent() {
				continue
			}
			rest := value.Pointer(p[len(m.Parent()):]).Steps()
			if i, ok := value.ArrayIndex(rest[0]); ok && i >= first {
				return fmt.Sprintf("names %s, whose index an earlier operation has moved", p)
			}
		}
	}
	return ""
}

// apply hands the operations to the library. It falls over on some that are
// valid (a test against null, as of v5.9.11); such a patch is refused.
func apply(record, patch *value.Value) (after value.Value, err error) {
	defer func() {
		if recover() != nil {
			err = errors.New("an operation on null")
		}
	}()
	decoded, err := jsonpatch.DecodePatch(patch.JSON())
	if err != nil {
		return value.Value{}, err
	}
	options := jsonpatch.NewApplyOptions()
	options.SupportNegativeIndices = false
	options.AccumulatedCopySizeLimit = maxCopied
	options.EscapeHTML = false
	out, err := decoded.ApplyWithOptions(record.JSON(), options)
	if err != nil {
		return value.Value{}, err
	}
	return value.ParseBytes(out)
}

// worse says what a patch has made worse, or "", but for items that it may take out.
func (b *Bounds) worse(before, after *value.Value, m moves, out []value.Pointer) string {
	isOut := func(p value.Pointer) bool { return slices.ContainsFunc(out, p.Within) }
	if why := b.vanished(before, after, m, isOut); why != "" {
		return why
	}
	problems, were := b.Check(after), m.problems(b.Problems)
	if !within(problems, were) || len(problems) >= len(b.Problems) {
		if more := Beyond(problems, were); len(more) > 0 {
			return fmt.Sprintf("it brings a new problem (%s)", more[0])
		}
		return "it fixes nothing"
	}
	if b.Locked != nil {
		for p := range b.Locked(before) {
			if at, there := m.after(p); !isOut(p) && (!there || !value.Equal(before.At(p), orNull(after.At(at)))) {
				return fmt.Sprintf("it changes %s, which stands in its place in the document", p)
			}
		}
	}
	evident := b.Evident(after)
	for p := range b.Evident(before) {
		if at, there := m.after(p); !isOut(p) && (!there || !evident[at]) {
			return fmt.Sprintf("it replaces %s, which has evidence, by a value that has none", p)
		}
	}
	return ""
}

func orNull(v *value.Value) *value.Value {
	if v == nil {
		return &value.Value{}
	}
	return v
}

// doubled gives the items of lists with a problem that stand there more than once, where one of them is
// left: nothing is lost with the others.
func (b *Bounds) doubled(before, after *value.Value) (all []value.Pointer) {
	for _, p := range b.Problems {
		list, now := before.At(p.Path), after.At(p.Path)
		if list == nil || list.Kind != value.Array || now == nil || now.Kind != value.Array || len(now.Kids) >= len(list.Kids) {
			continue
		}
		count, left := map[string]int{}, map[string]bool{}
		for i := range list.Kids {
			count[string(list.Kids[i].JSON())]++
		}
		for i := range now.Kids {
			left[string(now.Kids[i].JSON())] = true
		}
		for i := range list.Kids {
			if said := list.Kids[i].JSON(); count[string(said)] > 1 && left[string(said)] {
				all = append(all, p.Path.Index(i))
			}
		}
	}
	return all
}

// vanished finds a value that is gone although nothing allows it to go: only
// an unknown field or a value without evidence may be taken out.
func (b *Bounds) vanished(before, after *value.Value, m moves, isOut func(value.Pointer) bool) string {
	why := ""
	before.Walk(func(p value.Pointer, v *value.Value) bool {
		if v.Kind == value.Object || v.Kind == value.Array || v.Empty() || why != "" {
			return why == ""
		}
		if isOut(p) {
			return true
		}
		if at, there := m.after(p); there && !after.At(at).Empty() {
			return true
		}
		for _, problem := range b.Problems {
			if (problem.Code() == Unexpected || problem.Code().Unfound()) && p.Within(problem.Path) {
				return true
			}
		}
		why = fmt.Sprintf("it removes the value at %s, which fixes nothing", p)
		return false
	})
	return why
}
