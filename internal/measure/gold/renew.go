package gold

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// saysOfPlaces are the members of a gold file whose own members are named by places in the record.
var saysOfPlaces = []string{"evidence", "risk", "decisions", "notes"}

// renew gives a gold file, in place, the names that fields have now. Its seal and the mark of
// its draft become those of the record as it is then, where they were those of the record
// before; told is that of record.Renew; the result tells whether anything changed.
func renew(s *schema.Schema, file *value.Value, told func(schema.Renaming)) bool {
	rec := file.Get(record.Key(s.EachEntry()))
	if !s.HasRenamed() || rec == nil {
		return false
	}
	return resealed(file, rec, func() bool {
		if !record.Renew(s, rec, told) {
			return false
		}
		for _, name := range saysOfPlaces {
			if at := file.Get(name); at != nil {
				at.Kids = record.RenewPlaces(s, at.Kids)
			}
		}
		return true
	})
}

// resealed changes the record of a gold file. A seal that was that of the record before is
// that of the record after, and so is the mark of a draft that nobody touched.
func resealed(file, rec *value.Value, change func() bool) bool {
	sealed := file.Word("seal") != "" && file.Word("seal") == sealIn(file, rec)
	drafted := file.Get("drafted")
	asDrafted := drafted != nil && drafted.Word("mark") == markOf(rec)
	if !change() {
		return false
	}
	if sealed {
		file.Set("seal", value.Str(sealIn(file, rec)))
	}
	if asDrafted {
		drafted.Set("mark", value.Str(markOf(rec)))
	}
	return true
}

func sealIn(file, rec *value.Value) string {
	r := Record{Document: file.Word("document"), Record: *rec}
	r.Hashes.Text = file.Word("text_sha256")
	return strings.Clone(r.SealNow())
}
