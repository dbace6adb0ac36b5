package score

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// CoverErrors hides the values of sensitive fields, and under a schema that has one all lines:
// what else stands on them nobody knows.
func CoverErrors(s *schema.Schema, all []LeafError) {
	cover := record.NewCover(s)
	for i := range all {
		m := &all[i]
		if s.IsSensitive(m.Field.Path) {
			hide(&m.Gold, &m.Filled)
		}
		m.GoldLine.Text, m.FilledLine.Text = cover.Words(m.GoldLine.Text), cover.Words(m.FilledLine.Text)
	}
}

// CoverLeaves hides the values of sensitive fields.
func CoverLeaves(s *schema.Schema, leaves []LeafPair) {
	for i := range leaves {
		if s.IsSensitive(leaves[i].Field) {
			hide(&leaves[i].Gold, &leaves[i].A, &leaves[i].B)
		}
	}
}

func hide(all ...*value.Value) {
	for _, v := range all {
		if !v.Empty() {
			*v = value.Str(record.Hidden)
		}
	}
}

// Cover hides what a fix would write of the values of sensitive fields.
func (c *Fixes) Cover(s *schema.Schema) {
	for i := range c.Chosen {
		if x := &c.Chosen[i]; s.IsSensitive(x.Field) {
			key, _, _ := strings.Cut(x.Write, ":")
			x.Write = key + ": " + record.Hidden
		}
	}
}
