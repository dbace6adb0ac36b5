package score

import "filler/internal/base/value"

// ApartJSON gives the documents that were left out, as a member.
func ApartJSON(apart []LeftOut) value.Value {
	left := value.List()
	for _, l := range apart {
		left.Kids = append(left.Kids, value.Obj(value.Str(l.Document).Named("document"), value.Str(l.Why).Named("why")))
	}
	return left.Named("left_out")
}

// JSON gives the machine form of docs/formats.md.
func (c *Comparison) JSON() value.Value {
	fields, leaves := value.List(), value.List()
	for _, f := range c.Fields {
		fields.Kids = append(fields.Kids, value.Obj(value.Str(f.Path).Named("field"), f.A.F1().json("f1_first"), f.B.F1().json("f1_second"),
			count("fixed", f.Fixed), count("broken", f.Broken), count("both_right", f.BothRight), count("both_wrong", f.BothWrong), count("extra_first", f.A.Extra), count("extra_second", f.B.Extra)))
	}
	for _, x := range c.Leaves {
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(x.Document).Named("document"), value.Str(string(x.Path)).Named("path"), value.Str(x.Field).Named("field"),
			x.Gold.Named("gold"), x.A.Named("first"), x.B.Named("second"), value.Boolean(x.Fixed).Named("fixed")))
	}
	return value.Obj(count("documents", c.Documents), ApartJSON(c.Apart), value.Str(c.Words("A", "B")).Named("summary"),
		c.A.F1().json("f1_first"), c.B.F1().json("f1_second"), figure("difference", c.By), Ratio{c.Difference.Low, c.Difference.Exists}.json("difference_low"), Ratio{c.Difference.High, c.Difference.Exists}.json("difference_high"),
		figure("p", c.P), count("documents_needed", c.Needed), count("fixed", c.Fixed), count("broken", c.Broken), count("both_right", c.BothRight), count("both_wrong", c.BothWrong),
		value.Obj(count("first", c.RecordsA), count("second", c.RecordsB), count("of", c.RecordsOf), count("only_first", c.OnlyA), count("only_second", c.OnlyB), figure("p", c.McNemar)).Named("records"),
		fields.Named("fields"), leaves.Named("values"))
}

// JSON gives one of several sets beside the first.
func (x *Against) JSON() value.Value {
	v := value.Obj(x.B.F1().json("f1"), Ratio{x.F1.Low, x.F1.Exists}.json("f1_low"), Ratio{x.F1.High, x.F1.Exists}.json("f1_high"), figure("difference", x.By),
		Ratio{x.Difference.Low, x.Difference.Exists}.json("difference_low"), Ratio{x.Difference.High, x.Difference.Exists}.json("difference_high"),
		figure("p", x.P), figure("p_holm", x.Holm), count("documents_needed", x.Needed), count("fixed", x.Fixed), count("broken", x.Broken))
	return v
}
