package fill

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strconv"

	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/source/document"
	"filler/internal/store"
)

// keptSettings writes what a run was made by for the ledger, so that it can go
// on as it began; SettingsOf reads it back.
func (f *Filler) keptSettings(w Work, b Beginning, shared *order) []byte {
	s := f.Settings
	v := value.Obj()
	if b.Some {
		v.Set("some_fields", value.Boolean(true))
	}
	set := func(name, text string) {
		if text != "" {
			v.Set(name, value.Str(text))
		}
	}
	if shared != nil {
		text, _ := json.Marshal(shared) // plain values always go
		if kept, err := value.ParseBytes(text); err == nil {
			v.Set("shared", kept)
		}
	}
	set("layout", s.Layout)
	set("style", s.Style)
	set("instructions", s.Instructions)
	set("images", s.Images)
	set("job", f.Job)
	set("aside", b.Aside)
	set("shard", b.Shard)
	set("repairs", w.name())
	for _, other := range f.Models[1:] {
		set("then", other.Entry)
	}
	if s.Sparing {
		v.Set("sparing", value.Boolean(true))
	}
	if s.Prefill {
		v.Set("prefill", value.Boolean(true))
	}
	if s.Spaced {
		v.Set("spaced", value.Boolean(true))
	}
	if s.Template != nil {
		set("template", s.Template.Source)
	}
	if s.Chunk > 0 {
		v.Set("chunk", value.Num(strconv.Itoa(s.Chunk)))
	}
	if s.Overlap >= 0 {
		v.Set("overlap", value.Num(strconv.Itoa(s.Overlap)))
	}
	if len(s.Solved) > 0 {
		list := value.List()
		for _, e := range s.Solved {
			list.Kids = append(list.Kids, value.Obj(value.Str(e.Document).Named("document"), value.Str(e.Text).Named("text"), value.Str(e.Record).Named("record")))
		}
		v.Set("examples", list)
	}
	if u, is := w.(*Update); is {
		list := value.List()
		for _, id := range u.took() {
			list.Kids = append(list.Kids, value.Str(id))
		}
		v.Set("took_in", list)
	}
	return v.JSON()
}

// ShardOf gives the part of a pile that a run filled, such as 3/64; "" where it is none.
func ShardOf(r store.Run) string {
	v, err := value.ParseBytes(r.Settings)
	if err != nil {
		return ""
	}
	return v.Word("shard")
}

// WithoutShard gives the settings of a run as those of the whole.
func WithoutShard(settings []byte) []byte {
	v, err := value.ParseBytes(settings)
	if err != nil {
		return settings
	}
	v.Drop("shard")
	return v.JSON()
}

// TookIn gives the documents that an update brought into records.
func TookIn(r store.Run) (ids []string) {
	v, err := value.ParseBytes(r.Settings)
	if err != nil {
		return nil
	}
	if list := v.Get("took_in"); list != nil {
		for i := range list.Kids {
			ids = append(ids, list.Kids[i].Text)
		}
	}
	return ids
}

// promptMark is what is the same in all first requests of a run: by its hash
// runs with the same prompt are told.
func (f *Filler) promptMark() []byte {
	sample := &document.Document{Text: "\n", ID: "-"}
	a := f.asker(f.First(), sample)
	var b bytes.Buffer
	for i := range f.parts {
		for _, m := range a.ask(&f.parts[i], nil).Request().Messages {
			b.WriteString(m.Content + "\n")
		}
	}
	if s := f.Settings; s.Chunk > 0 || s.Images != "" {
		fmt.Fprintf(&b, "chunks of %d, pages %s\n", s.Chunk, s.Images)
	}
	return b.Bytes()
}

// Marks gives the hashes by which a run keeps its schema and its prompt.
func (f *Filler) Marks() (schema, prompt string) {
	return store.HashOf(f.Schema.Source), store.HashOf(f.promptMark())
}

// SettingsOf gives the settings of an older run, and the model that took over
// in it, or "".
func SettingsOf(r store.Run) (s prompt.Settings, then string) {
	s.Overlap = -1
	v, err := value.ParseBytes(r.Settings)
	if err != nil {
		return s, ""
	}
	get := func(name string) string {
		if kid := v.Get(name); kid != nil {
			return kid.Text
		}
		return ""
	}
	s.Layout, s.Style, s.Instructions, s.Images = get("layout"), get("style"), get("instructions"), get("images")
	s.Chunk, _ = strconv.Atoi(get("chunk"))
	s.Prefill, s.Spaced, s.Sparing = get("prefill") == "true", get("spaced") == "true", get("sparing") == "true"
	if n, err := strconv.Atoi(get("overlap")); err == nil {
		s.Overlap = n
	}
	if source := get("template"); source != "" {
		s.Template, _ = prompt.ParseTemplate("template", source) // it was sound when it was kept
	}
	if list := v.Get("examples"); list != nil {
		for i := range list.Kids {
			e := &list.Kids[i]
			s.Solved = append(s.Solved, prompt.Solved{Document: e.Get("document").Text, Text: e.Get("text").Text, Record: e.Get("record").Text})
		}
	}
	return s, get("then")
}

// MadeBy gives the command that made a run of existing records: repair or
// update; "" where documents were filled.
func MadeBy(r store.Run) string {
	v, err := value.ParseBytes(r.Settings)
	if err != nil || v.Get("repairs") == nil {
		return ""
	}
	if by := v.Get("repairs").Text; by == "update" {
		return by
	}
	return "repair"
}

// IsPartial tells whether a run asked for some fields of its schema only.
func IsPartial(r store.Run) bool {
	v, err := value.ParseBytes(r.Settings)
	return err == nil && v.Get("some_fields") != nil
}

// IsOpen tells whether a run was filled without a schema of its own.
func IsOpen(r store.Run) bool {
	s, _ := SettingsOf(r)
	return s.Style == prompt.Open
}

// Shown gives the documents that a run was shown solved.
func Shown(r store.Run) []string {
	s, _ := SettingsOf(r)
	var ids []string
	for _, e := range s.Solved {
		ids = append(ids, e.Document)
	}
	return ids
}

// AsideOf gives what a run was made aside for, or "".
func AsideOf(r store.Run) string { return settingOf(r, "aside") }

// JobOf gives the job of the project that a run was made for, or "".
func JobOf(r store.Run) string { return settingOf(r, "job") }

func settingOf(r store.Run, name string) string {
	v, err := value.ParseBytes(r.Settings)
	if err != nil || v.Get(name) == nil {
		return ""
	}
	return v.Get(name).Text
}

// LastAside gives the newest run that was made aside for a purpose.
func LastAside(l store.Store, purpose string) (run store.Run, found bool, err error) {
	all, err := l.Runs()
	if err != nil {
		return run, false, err
	}
	for _, r := range all {
		if AsideOf(r) == purpose && r.ID > run.ID {
			run, found = r, true
		}
	}
	if !found {
		return run, false, nil
	}
	run, err = l.Find(strconv.FormatInt(run.ID, 10))
	return run, true, err
}
