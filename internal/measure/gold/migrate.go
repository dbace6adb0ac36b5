package gold

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Migration is what bringing one gold record to a newer schema has changed.
type Migration struct {
	Renamed []schema.Renaming // a value each
	Retyped []Retyped
	Dropped []Moved  // values of fields that the schema no longer has
	Look    []ByHand // what only a person can put right
}

// Retyped is a value that a rule brought to another type.
type Retyped struct {
	Path     value.Pointer
	Field    string
	From, To value.Value
}

// Moved is a value that was taken out of the record.
type Moved struct {
	Path  value.Pointer
	Field string // its path as a field's
	Value value.Value
}

// ByHand is a value that the schema does not allow and no rule changes.
type ByHand struct {
	Path value.Pointer
	Why  string
}

// Changed tells whether the file is another one now.
func (m *Migration) Changed() bool { return len(m.Renamed)+len(m.Retyped)+len(m.Dropped) > 0 }

// dropped is the member of a gold file that keeps values of fields that are gone.
const dropped = "dropped"

// Migrate brings a gold file to a newer schema, in place. Values go to where their fields
// are now (`was`); those of another type are normalized, where one reading of them is
// legal; those of fields that are gone are kept under `dropped`. A seal that held before
// holds after: what was changed is kept under `migrated`. Of what is left, Look says
// what breaks the schema.
func Migrate(s *schema.Schema, check *record.Validator, file *value.Value, on time.Time) Migration {
	var m Migration
	rec := file.Get(record.Key(s.EachEntry()))
	if rec == nil {
		return m
	}
	renew(s, file, func(r schema.Renaming) { m.Renamed = append(m.Renamed, r) })
	resealed(file, rec, func() bool {
		m.retype(s, check, rec)
		m.drop(s, check, rec)
		return len(m.Retyped)+len(m.Dropped) > 0
	})
	cover := record.NewCover(s)
	for _, p := range check.Check(rec) {
		if !isNone(rec, &p) {
			m.Look = append(m.Look, ByHand{p.Path, cover.Problem(p).String()})
		}
	}
	if !m.Changed() {
		return m
	}
	members := []value.Value{m.note(file.Get("migrated"), s, on).Named("migrated")}
	if len(m.Dropped) > 0 {
		kept := value.Obj()
		if at := file.Get(dropped); at != nil {
			kept = at.Named("")
		}
		for _, d := range m.Dropped {
			kept.Set(string(d.Path), d.Value)
			m.forget(file, d.Path)
		}
		members = append(members, kept.Named(dropped))
	}
	if s.Version != "" {
		members = append(members, value.Str(s.Version).Named("version"))
	}
	setMembers(file, members)
	return m
}

// retype normalizes the values that the schema refuses. A list of one is that one where
// a single value belongs.
func (m *Migration) retype(s *schema.Schema, check *record.Validator, rec *value.Value) {
	tried := map[value.Pointer]bool{}
	for {
		again := false
		for _, p := range check.Check(rec) {
			f, at := s.At(p.Path), rec.At(p.Path)
			if f == nil || at == nil || tried[p.Path] || isNone(rec, &p) || p.Code() == record.Unexpected {
				continue
			}
			tried[p.Path] = true
			now := at.Clone()
			unknown := fit(f, p.Path, &now)
			if now.String() != at.String() && (unknown || !now.Empty()) && soundAt(p.Path, rec, now, check) {
				m.Retyped = append(m.Retyped, Retyped{p.Path, f.Path, at.Clone().Named(""), now.Clone().Named("")})
				*at = now.Named(at.Name)
				again = true
				break // the problems below it are others now
			}
		}
		if !again {
			return
		}
	}
}

// fit changes a value by rule into one of a field's type, if it can. It tells whether the
// value says that nothing is known: only then may it become none.
func fit(f *schema.Field, p value.Pointer, v *value.Value) (unknown bool) {
	if f.Type != schema.List && v.Kind == value.Array && len(v.Kids) == 1 {
		*v = v.Kids[0].Clone().Named(v.Name)
	}
	if f.Type == schema.List && v.Kind != value.Array && v.Kind != value.Null {
		*v = value.List(v.Clone().Named("")).Named(v.Name)
	}
	if amount := v.Get("amount"); amount != nil && (f.Type == schema.Number || f.Type == schema.Integer) {
		*v = amount.Clone().Named(v.Name)
	}
	if f.Type == schema.Text && v.Kind == value.Object && v.Get("amount") != nil {
		unit := v.Word("currency") + v.Word("unit")
		*v = value.Str(strings.TrimSpace(v.Word("amount") + " " + unit)).Named(v.Name)
	}
	if (f.Type == schema.Money || f.Type == schema.Quantity) && v.Kind == value.Number {
		if name, want := f.Measure(); want != "" {
			*v = value.Obj(v.Clone().Named("amount"), value.Str(want).Named(name)).Named(v.Name)
		}
	}
	for _, c := range normalize.Field(f, p, v) {
		unknown = unknown || c.Rule == normalize.RuleUnknown
	}
	return unknown
}

// soundAt tells whether a place has no problem with another value.
func soundAt(p value.Pointer, rec *value.Value, now value.Value, check *record.Validator) bool {
	with := rec.Clone()
	with.Put(p, now)
	return !slices.ContainsFunc(check.Check(&with), func(x record.Problem) bool { return x.Path.Within(p) && x.Code() != record.Missing })
}

// drop takes out what the schema has no field for.
func (m *Migration) drop(s *schema.Schema, check *record.Validator, rec *value.Value) {
	for _, p := range check.Check(rec) {
		home := rec.At(p.Path.Parent())
		if p.Code() != record.Unexpected || home == nil || home.Kind != value.Object {
			continue
		}
		if gone := home.Get(p.Path.Last()); gone != nil && !gone.Empty() {
			m.Dropped = append(m.Dropped, Moved{p.Path, fieldAt(s, p.Path), gone.Clone().Named("")})
		}
		home.Drop(p.Path.Last())
	}
}

// fieldAt gives the path of a field that a place is of, also of one that is gone.
func fieldAt(s *schema.Schema, p value.Pointer) string {
	var b strings.Builder
	for i, step := range p.Steps() {
		_, item := value.ArrayIndex(step)
		switch {
		case item && i == 0 && s.EachEntry():
		case item:
			b.WriteString("[]")
		default:
			if b.Len() > 0 {
				b.WriteByte('.')
			}
			b.WriteString(step)
		}
	}
	return b.String()
}

// forget takes away what a file says of a place that is gone.
func (m *Migration) forget(file *value.Value, gone value.Pointer) {
	for _, name := range saysOfPlaces[:3] { // a note stays: somebody wrote it
		if at := file.Get(name); at != nil {
			at.Kids = slices.DeleteFunc(at.Kids, func(kid value.Value) bool { return value.Pointer(kid.Name).Within(gone) })
		}
	}
}

// note says what was done, behind what was done before.
func (m *Migration) note(before *value.Value, s *schema.Schema, on time.Time) value.Value {
	list := value.List()
	if before != nil && before.Kind == value.Array {
		list = before.Named("")
	}
	one := value.Obj(value.Str(on.Format(dayForm)).Named("on"))
	if s.Version != "" {
		one.Set("version", value.Str(s.Version))
	}
	if len(m.Renamed) > 0 {
		names := value.Obj()
		for _, r := range m.Renamed {
			names.Set(strings.Join(r.From, "."), value.Str(r.Field.Path))
		}
		one.Set("renamed", names)
	}
	if len(m.Retyped) > 0 {
		values := value.Obj()
		for _, r := range m.Retyped {
			values.Set(string(r.Path), r.From)
		}
		one.Set("was", values)
	}
	list.Kids = append(list.Kids, one)
	return list
}

// Migrated is the migration of one gold record.
type Migrated struct {
	Document, File string
	Migration
	Lines []int // of what is to be looked at, in the file as it is then; 0: not known
}

// MigrateAll brings all gold of a folder, or of a file of JSON Lines, to a newer schema;
// with dry nothing is written. Each file is written in one piece.
func MigrateAll(path string, s *schema.Schema, on time.Time, dry bool) ([]Migrated, error) {
	info, l, err := begin(path, s)
	if err != nil {
		return nil, err
	}
	m := &migrating{loader: l, on: on, dry: dry}
	if info.IsDir() {
		err = filepath.WalkDir(path, m.file)
	} else {
		err = m.linesOf(path)
	}
	if err == nil {
		err = m.faults.Err()
	}
	return m.done, err
}

type migrating struct {
	*loader
	on   time.Time
	dry  bool
	done []Migrated
}

func (m *migrating) file(path string, entry fs.DirEntry, err error) error {
	if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".json") {
		return err
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return place.Faults{{File: path, Msg: "can't be read", Hint: "check its permissions"}}
	}
	v, err := value.ParseBytes(data)
	if err != nil {
		m.faults = append(m.faults, jsonFault(path, 0, err))
		return nil
	}
	one := Migrated{Document: v.Word("document"), File: path, Migration: Migrate(m.schema, m.check, &v, m.on)}
	if one.Changed() && !m.dry {
		if err := Write(path, &v); err != nil {
			return err
		}
	}
	lines := linesOf(&Record{File: path})
	for _, look := range one.Look {
		one.Lines = append(one.Lines, lines.at(look.Path))
	}
	m.done = append(m.done, one)
	return nil
}

// linesOf brings a file of JSON Lines to the schema.
func (m *migrating) linesOf(path string) error {
	var out bytes.Buffer
	changed := false
	err := record.ReadValues(path, func(n int, v *value.Value, err error) error {
		if err != nil {
			m.faults = append(m.faults, jsonFault(path, n, err))
			return nil
		}
		own := v.Detach()
		one := Migrated{Document: own.Word("document"), File: path, Migration: Migrate(m.schema, m.check, &own, m.on)}
		changed = changed || one.Changed()
		for range one.Look {
			one.Lines = append(one.Lines, n)
		}
		m.done = append(m.done, one)
		out.Write(append(own.JSON(), '\n'))
		return nil
	})
	if err != nil || len(m.faults) > 0 || m.dry || !changed {
		return err
	}
	if err := process.WriteFile(path, out.Bytes(), false); err != nil {
		return place.Faults{{File: path, Msg: "can't be written", Hint: "check its permissions, and that the disk is not full"}}
	}
	return nil
}
