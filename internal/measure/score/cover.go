package score

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// CoverErrors hides the values of sensitive fields, and the lines that they stand in.
func CoverErrors(s *schema.Schema, all []LeafError) {
	for i := range all {
		m := &all[i]
		if !s.IsSensitive(m.Field.Path) {
			continue
		}
		hide(&m.Gold, &m.Filled)
		m.GoldLine, m.FilledLine = Line{N: m.GoldLine.N, Text: record.Hidden}, Line{N: m.FilledLine.N, Text: record.Hidden}
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
