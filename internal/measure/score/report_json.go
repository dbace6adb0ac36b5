package score

import (
	"fmt"
	"strconv"

	"filler/internal/base/value"
)

func (r Ratio) json(name string) value.Value {
	if !r.Exists {
		return value.Value{Name: name}
	}
	return value.Num(strconv.FormatFloat(r.Value, 'f', -1, 64)).Named(name)
}

func count(name string, n int) value.Value { return value.Num(strconv.Itoa(n)).Named(name) }

func (c Counts) json() []value.Value {
	return []value.Value{count("right", c.Right), count("wrong", c.Wrong), count("missed", c.Missed), count("extra", c.Extra), count("blank", c.Blank),
		c.Precision().json("precision"), c.Recall().json("recall"), c.F1().json("f1"), c.Accuracy().json("accuracy")}
}

// json gives the bounds, null where there are none.
func (i Interval) json() []value.Value {
	return []value.Value{Ratio{i.Low, i.Exists}.json("f1_low"), Ratio{i.High, i.Exists}.json("f1_high")}
}

// more gives what was asked for beyond fields and records.
func (r *Report) more() (members []value.Value) {
	if len(r.Slices) > 0 {
		list := value.List()
		for _, s := range r.Slices {
			list.Kids = append(list.Kids, value.Obj(append(append([]value.Value{value.Str(s.Name).Named("slice"), count("documents", s.Documents)}, s.Counts.json()...), s.F1Interval.json()...)...))
		}
		members = append(members, list.Named("slices"))
	}
	if len(r.Confusions) > 0 {
		list := value.List()
		for _, c := range r.Confusions {
			list.Kids = append(list.Kids, c.json())
		}
		members = append(members, list.Named("confusion"))
	}
	if e := r.Evident; e.Known {
		v := value.Obj(count("right_found", e.RightWith), count("right_not_found", e.RightWithout), count("wrong_or_extra_found", e.WrongWith), count("wrong_or_extra_not_found", e.WrongWithout))
		if e.SamePlace+e.OtherPlace > 0 {
			v.Kids = append(v.Kids, count("right_place", e.SamePlace), count("other_place", e.OtherPlace))
		}
		members = append(members, v.Named("evidence"))
	}
	if nano, ok := r.PerRight(); ok {
		members = append(members, value.Obj(value.Num(fmt.Sprintf("%.9f", float64(r.Spent.CostNano)/1e9)).Named("total"), value.Num(fmt.Sprintf("%.9f", nano/1e9)).Named("per_right_value")).Named("cost"))
	}
	if r.Sampled != nil {
		members = append(members, r.Sampled.json(r.Fields).Named("sampled"))
	}
	if r.TooLong > 0 {
		members = append(members, count("lists_too_long", r.TooLong))
	}
	if r.FewErr {
		members = append(members, value.Boolean(true).Named("few_documents_err"))
	}
	if r.Reread > 0 {
		members = append(members, count("read_differently_since_review", r.Reread))
	}
	if r.ByPeople > 0 {
		members = append(members, count("decided_by_people", r.ByPeople))
	}
	if r.Untouched > 0 {
		members = append(members, count("gold_as_drafted", r.Untouched))
	}
	if r.Misfits > 0 {
		members = append(members, count("misfits", r.Misfits))
	}
	if r.Invented > 0 {
		members = append(members, count("gold_made_up", r.Invented))
	}
	if r.Unseen.Counted+r.Unseen.Apart > 0 {
		members = append(members, value.Obj(count("counted", r.Unseen.Counted), count("left_out", r.Unseen.Apart)).Named("unseen"))
	}
	if r.Drafted > 0 {
		members = append(members, count("drafted_by_this_model", r.Drafted))
	}
	return members
}

// Brief gives the figures over all values, as they stand in the machine form.
func (r *Report) Brief() value.Value {
	return value.Obj(append(append([]value.Value{count("documents", r.Documents)}, r.Overall.json()...), r.F1.json()...)...)
}

// JSON gives the machine form of docs/formats.md.
func (r *Report) JSON() value.Value {
	v := value.Obj()
	if r.Run > 0 {
		v.Kids = append(v.Kids, value.Num(strconv.FormatInt(r.Run, 10)).Named("run"))
	}
	v.Kids = append(v.Kids, count("documents", r.Documents))
	left := value.List()
	for _, l := range r.LeftOut {
		left.Kids = append(left.Kids, value.Obj(value.Str(l.Document).Named("document"), value.Str(l.Why).Named("why")))
	}
	if r.Split != "" {
		v.Set("split", value.Str(r.Split))
	}
	v.Kids = append(v.Kids, left.Named("left_out"), value.Obj(append(r.Overall.json(), r.F1.json()...)...).Named("overall"))
	p, q, f := r.Macro()
	v.Kids = append(v.Kids, value.Obj(p.json("precision"), q.json("recall"), f.json("f1")).Named("macro"),
		value.Obj(count("right", r.RecordsRight), count("of", r.RecordsOf)).Named("records"))
	if w, any := r.Weighted(); any {
		v.Kids = append(v.Kids, value.Obj(w.json("f1")).Named("weighted"))
	}
	lists := value.List()
	for _, l := range r.Lists {
		lists.Kids = append(lists.Kids, value.Obj(value.Str(l.Path).Named("list"), count("found", l.Found), count("missed", l.Missed), count("extra", l.Extra)))
	}
	fields := value.List()
	for _, f := range r.Fields {
		fields.Kids = append(fields.Kids, value.Obj(append([]value.Value{value.Str(f.Path).Named("field")}, f.Counts.json()...)...))
	}
	v.Kids = append(v.Kids, lists.Named("items"), fields.Named("fields"))
	if len(r.Edges) > 0 {
		edges := value.List()
		for _, e := range r.Edges {
			edges.Kids = append(edges.Kids, value.Obj(value.Str(e.Path).Named("list"), count("right", e.Right), count("missed", e.Missed), count("extra", e.Extra)))
		}
		v.Kids = append(v.Kids, edges.Named("edges"))
	}
	v.Kids = append(v.Kids, r.more()...)
	if r.Review.Leaves > 0 {
		v.Kids = append(v.Kids, value.Obj(count("values", r.Review.Leaves), count("errors", r.Review.Errors), count("riskiest_fifth", r.Review.Top),
			value.Num(strconv.FormatFloat(r.Review.TopErrors, 'f', 1, 64)).Named("errors_in_it"), count("errors_never_filled", r.NeverFilled())).Named("risk"))
	}
	return v
}
