package gold

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// dayForm is how gold files write the day of a review.
const dayForm = "2006-01-02"

// FileOf gives the file of a document's gold below a folder: the document's whole
// name with `.json` behind it. No two documents have the same.
func FileOf(dir, document string) string {
	var b strings.Builder
	for i, part := range strings.Split(document, "/") {
		if i > 0 {
			b.WriteByte('/')
		}
		if part == "" || strings.Trim(part, ".") == "" { // it would lead elsewhere
			b.WriteString("%" + strings.ReplaceAll(part, ".", "%2E"))
			continue
		}
		for _, r := range part {
			if r < ' ' || strings.ContainsRune(`%\:*?"<>|`, r) {
				fmt.Fprintf(&b, "%%%02X", r)
				continue
			}
			b.WriteRune(r)
		}
	}
	return filepath.Join(dir, filepath.FromSlash(b.String()+".json"))
}

// NewDraft makes the gold file of a filled record, for review; with blind, an empty
// one, so that nobody follows what the model says.
func NewDraft(s *schema.Schema, l *record.Line, model string, blind bool) value.Value {
	v := value.Obj(value.Str(l.Document).Named("document"))
	if l.Hashes.Text != "" {
		v.Set("text_sha256", value.Str(l.Hashes.Text))
	}
	if l.Hashes.File != "" {
		v.Set("file_sha256", value.Str(l.Hashes.File))
	}
	if s.Version != "" {
		v.Set("version", value.Str(s.Version))
	}
	v.Set("state", value.Str(Draft))
	name, rec := "record", l.Record
	if s.EachEntry() {
		name = schema.Wrapper
	}
	if blind || rec.Kind == value.Null {
		rec = record.Arrange(s, &value.Value{Kind: value.Object})
		if s.EachEntry() {
			rec = value.List()
		}
	} else if model != "" {
		drafted := value.Obj(value.Str(model).Named("model"), value.Str(markOf(&rec)).Named("mark"))
		if l.Run > 0 {
			drafted.Set("run", value.Num(fmt.Sprint(l.Run)))
		}
		v.Set("drafted", drafted)
	}
	v.Set("notes", value.Obj())
	v.Set(name, rec)
	if !blind && len(l.Evidence.Kids) > 0 {
		v.Set("evidence", l.Evidence)
	}
	if !blind && len(l.Risk.Kids) > 0 {
		v.Set("risk", l.Risk)
	}
	return v
}

// Write writes a gold file, in one piece: what was there is never half
// overwritten.
func Write(file string, v *value.Value) error {
	fault := func(msg, hint string) error { return place.Faults{{File: file, Msg: msg, Hint: hint}} }
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return fault("its folder can't be created", "check the permissions")
	}
	if err := process.WriteFile(file, append(v.Indent(), '\n'), false); err != nil {
		return fault("can't be written", "check its permissions, and that the disk is not full")
	}
	return nil
}

// Change rewrites a gold file with other members; all else of it stays.
func Change(file string, members ...value.Value) error {
	return change(file, func(v *value.Value) { setMembers(v, members) })
}

func change(file string, do func(v *value.Value)) error {
	data, err := os.ReadFile(file)
	if err != nil {
		return place.Faults{{File: file, Msg: "can't be read", Hint: "check its permissions"}}
	}
	v, err := value.ParseBytes(data)
	if err != nil {
		return place.Faults{jsonFault(file, 0, err)}
	}
	do(&v)
	return Write(file, &v)
}

// setMembers puts members into a gold file; null takes one out.
func setMembers(v *value.Value, members []value.Value) {
	for _, m := range members {
		if m.Kind == value.Null {
			v.Drop(m.Name)
			continue
		}
		if v.Get(m.Name) == nil { // beside the state, not behind the record
			for i := range v.Kids {
				if v.Kids[i].Name == "state" {
					v.Kids = append(v.Kids[:i+1], append([]value.Value{m}, v.Kids[i+1:]...)...)
					break
				}
			}
		}
		v.Set(m.Name, m.Named(""))
	}
}

// Sign marks a gold record reviewed, and seals it.
func Sign(s *schema.Schema, r *Record, by string, on time.Time) error {
	return change(r.File, func(v *value.Value) {
		renew(s, v, nil) // what is signed is the record under the names of now
		setMembers(v, signature(r, by, on))
	})
}

// Dispute marks a gold record as disputed. Who reviewed it stays where nobody is named.
func Dispute(r *Record, by string) error {
	members := []value.Value{value.Str(Disputed).Named("state")}
	if by != "" {
		members = append(members, value.Str(by).Named("reviewer"))
	}
	return Change(r.File, members...)
}

func signature(r *Record, by string, on time.Time) []value.Value {
	return []value.Value{value.Str(Reviewed).Named("state"), value.Str(r.SealNow()).Named("seal"), value.Str(on.Format(dayForm)).Named("on"), value.Str(by).Named("reviewer")}
}

// SealNow gives the seal of a record as it is: a hash of its document, that
// document's text and its values. It shows that something was changed after it was
// signed, and nothing about who did: whoever can write the file can seal it.
func (r *Record) SealNow() string {
	h := sha256.New()
	fmt.Fprintf(h, "%s\n%s\n", r.Document, r.Hashes.Text)
	h.Write(appendPlain(nil, &r.Record))
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// appendPlain writes a value so that what means the same is written the same: fields
// by their names, numbers without signs that say nothing, and no field that is
// empty.
func appendPlain(b []byte, v *value.Value) []byte {
	switch v.Kind {
	case value.Number:
		return value.AppendCanonicalNumber(b, v.Text)
	case value.Array:
		b = append(b, '[')
		for i := range v.Kids {
			b = append(appendPlain(b, &v.Kids[i]), ',')
		}
		return append(b, ']')
	case value.Object:
		kids := make([]*value.Value, 0, len(v.Kids))
		for i := range v.Kids {
			if kid := &v.Kids[i]; !kid.Empty() {
				kids = append(kids, kid)
			}
		}
		slices.SortStableFunc(kids, func(a, b *value.Value) int { return strings.Compare(a.Name, b.Name) })
		b = append(b, '{')
		for _, kid := range kids {
			b = append(appendPlain(append(value.AppendQuoted(b, kid.Name), ':'), kid), ',')
		}
		return append(b, '}')
	}
	bare := v.Named("")
	return append(b, bare.JSON()...)
}

// Unsignable says why a record can't be signed, or "". hashes gives those of its
// document as it is now.
func (r *Record) Unsignable(hashes func() (record.Hashes, error)) string {
	if r.Fault != "" {
		return "it breaks the schema: " + r.Fault
	}
	if r.Hashes.Text == "" {
		return ""
	}
	now, err := hashes()
	switch {
	case err != nil:
		return "its document can't be read: " + err.Error()
	case r.Hashes.Since(now) == record.Changed:
		return "its document has changed since the draft; draft it again, or put the new hash into `text_sha256`"
	}
	return ""
}
