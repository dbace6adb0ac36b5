package gold

import (
	"fmt"
	"os"
	"path/filepath"

	"filler/internal/base/value"
	"filler/internal/record"
)

// Look is one time that records were measured against a gold set. Who looks often at a
// test split, and changes something in between, fits to it: a statement says how often.
type Look struct {
	On      string // day and time, RFC 3339
	Command string
	Records string // a run, or a file of records
	Split   string // that was counted; "" for all
	Mark    string // of the gold that it was measured against: of the test split, where gold is split
}

// TestMark gives the hash of what a statement is about: the test split of a set, or all
// reviewed gold where it is not split.
func TestMark(set Set) (mark string, split bool) {
	var all, test Mark
	for _, id := range set.Documents() {
		g := set[id]
		if g.State != Reviewed || g.Fault != "" {
			continue
		}
		all.Add(g)
		if g.Split == Test {
			test.Add(g)
		}
	}
	if len(test.members) > 0 {
		return test.Sum(), true
	}
	return all.Sum(), false
}

// Keep adds a look to a file of JSON Lines.
func (l *Look) Keep(file string) error {
	v := value.Obj(value.Str(l.On).Named("on"), value.Str(l.Command).Named("command"), value.Str(l.Records).Named("records"), value.Str(l.Split).Named("split"), value.Str(l.Mark).Named("gold"))
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o644)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(f, "%s\n", v.JSON())
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	return err
}

// Looks gives the looks that were kept at a gold set with this mark, the tune split alone
// left out; no file is none.
func Looks(file, mark string) (all []Look, err error) {
	if _, err := os.Stat(file); err != nil {
		return nil, nil
	}
	err = record.ReadValues(file, func(_ int, v *value.Value, err error) error {
		if err == nil && v.Word("gold") == mark && v.Word("split") != Tune {
			own := v.Detach()
			all = append(all, Look{own.Word("on"), own.Word("command"), own.Word("records"), own.Word("split"), mark})
		}
		return nil // a line that a crash cut short is no look
	})
	return all, err
}
