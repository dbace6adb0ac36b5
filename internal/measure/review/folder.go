package review

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Folder keeps gold records: a folder with one file a document.
type Folder struct {
	Schema   *schema.Schema
	Check    *record.Validator
	Reviewer string
	Time     bool // how long a review takes is kept
	Blind    bool // drafts are shown without their values, and are no drafts of the model then
	Now      func() time.Time

	files   map[string]string // by document
	done    map[string]bool   // signed, by what stands at the file's head
	ids     []string
	open    map[string]*gold.Page
	since   time.Time       // when the last decision was made, or a document opened
	touched map[string]bool // documents about which something was decided here
	first   *Folder         // of a second reviewer: what another has signed
}

// Second gives the folder of a second reviewer: what others have signed here, to be
// reviewed again without their values, each in a file of the same name below dir.
func (k *Folder) Second(dir string) (*Folder, error) {
	second, err := openFolder(dir, k.Schema, k.Check, k.Reviewer, true)
	if err != nil {
		return nil, err
	}
	second.first = k
	ids := map[string]bool{}
	for _, id := range second.ids {
		ids[id] = true
	}
	for _, id := range k.ids {
		if !k.done[id] {
			continue
		}
		page, err := gold.OpenPage(k.files[id], k.Schema, k.Check)
		if err != nil {
			return nil, err
		}
		if ids[id] = page.Reviewer != k.Reviewer; ids[id] && second.files[id] == "" {
			second.files[id] = gold.FileOf(dir, id)
		}
	}
	second.ids = nil
	for id, wanted := range ids {
		if wanted {
			second.ids = append(second.ids, id)
		}
	}
	sort.Strings(second.ids)
	return second, nil
}

// OpenFolder finds the gold files below a folder. It reads none of them to the end:
// what a file is of stands at its head, or in its name.
func OpenFolder(dir string, s *schema.Schema, check *record.Validator, reviewer string) (*Folder, error) {
	return openFolder(dir, s, check, reviewer, false)
}

func openFolder(dir string, s *schema.Schema, check *record.Validator, reviewer string, mayBeNew bool) (*Folder, error) {
	k := &Folder{Schema: s, Check: check, Reviewer: reviewer, Now: time.Now, files: map[string]string{}, done: map[string]bool{}, touched: map[string]bool{}, open: map[string]*gold.Page{}}
	head := make([]byte, 512)
	err := filepath.WalkDir(dir, func(path string, entry fs.DirEntry, err error) error {
		if mayBeNew && errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".json") {
			return err
		}
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		defer f.Close()
		n, _ := f.Read(head)
		id, ok := documentAtHead(head[:n])
		if !ok {
			page, err := gold.OpenPage(path, s, check)
			if err != nil {
				return err
			}
			id = page.Document
		}
		if other, twice := k.files[id]; twice {
			return gold.Twice(id, path, other)
		}
		k.ids = append(k.ids, id)
		k.files[id] = path
		above, _, _ := strings.Cut(string(head[:n]), `"record`)
		k.done[id] = strings.Contains(above, "\"state\": \""+gold.Reviewed+"\"")
		return nil
	})
	sort.Strings(k.ids)
	return k, err
}

// documentAtHead reads the document at the head of a gold file, as Filler writes it.
func documentAtHead(head []byte) (string, bool) {
	text, ok := strings.CutPrefix(strings.TrimLeft(string(head), " \n\r\t{"), `"document":`)
	if !ok {
		return "", false
	}
	line, _, ok := strings.Cut(text, "\n")
	if !ok {
		return "", false
	}
	id, err := strconv.Unquote(strings.TrimSuffix(strings.TrimSpace(line), ","))
	return id, err == nil && id != "" && !strings.Contains(line, `\`)
}

// Documents names the documents that have gold records, sorted.
func (k *Folder) Documents() []string { return k.ids }

// Done tells whether a document is signed, as far as the head of its file says.
func (k *Folder) Done(document string) bool { return k.done[document] }

// Only leaves the documents that are meant.
func (k *Folder) Only(meant func(id, file string) bool) {
	var ids []string
	for _, id := range k.ids {
		if meant(id, k.files[id]) {
			ids = append(ids, id)
		}
	}
	k.ids = ids
}

// Open reads the gold record of a document.
func (k *Folder) Open(document string) (*Kept, error) {
	page, err := k.page(document)
	if err != nil {
		return nil, err
	}
	k.open[document], k.since = page, k.Now()
	if k.Blind && page.State == gold.Draft && len(page.Decisions.Kids) == 0 {
		page.Forget(k.Schema)
	}
	kept := &Kept{Document: document, Hashes: page.Hashes, Record: page.Record.Record, Risk: map[value.Pointer]float64{}, Made: map[string]Verdict{}, Notes: map[string]string{},
		Places: evidence.PlacesFromJSON(&page.Places), Reviewer: page.Reviewer, Signed: page.State == gold.Reviewed, Test: page.Split == gold.Test, Was: page.Record.Record}
	for i := range page.Risk.Kids {
		if r, ok := figure(page.Risk.Kids[i].Text); ok {
			kept.Risk[value.Pointer(page.Risk.Kids[i].Name)] = r
		}
	}
	for i := range page.Decisions.Kids {
		kept.Made[page.Decisions.Kids[i].Name] = Verdict(page.Decisions.Kids[i].Text)
	}
	for i := range page.Notes.Kids {
		kept.Notes[page.Notes.Kids[i].Name] = page.Notes.Kids[i].Text
	}
	return kept, nil
}

// page opens a gold file, or begins one of a second reviewer.
func (k *Folder) page(document string) (*gold.Page, error) {
	file := k.files[document]
	if _, err := os.Stat(file); err == nil || k.first == nil {
		return gold.OpenPage(file, k.Schema, k.Check)
	}
	signed, err := gold.OpenPage(k.first.files[document], k.Schema, k.Check)
	if err != nil {
		return nil, err
	}
	return gold.NewPage(file, k.Schema, &record.Line{Document: document, Hashes: signed.Hashes}), nil
}

// longestPause is what between two decisions is no time of reviewing.
const longestPause = 2 * time.Minute

// Keep writes a record as it is now.
func (k *Folder) Keep(kept *Kept) error {
	page := k.open[kept.Document]
	k.touched[kept.Document] = true
	decisions, notes := madeJSON(kept.Made), notesJSON(kept.Notes)
	members := []value.Value{kept.Record.Named(record.Key(k.Schema.EachEntry())), orGone("decisions", decisions), notes.Named("notes")}
	if places := kept.Places.JSON(&kept.Record); len(places.Kids) > 0 {
		members = append(members, places.Named("evidence"))
	}
	if len(kept.Risk) > 0 {
		risk := value.Obj()
		for _, p := range sorted(kept.Risk) {
			risk.Kids = append(risk.Kids, value.Num(strconv.FormatFloat(kept.Risk[p], 'f', 3, 64)).Named(string(p)))
		}
		members = append(members, risk.Named("risk"))
	}
	if k.Time {
		now := k.Now()
		if took := now.Sub(k.since); took < longestPause {
			page.Seconds += took.Seconds()
		}
		k.since = now
		members = append(members, value.Num(strconv.FormatFloat(page.Seconds, 'f', 1, 64)).Named("seconds"))
	}
	err := page.Write(members...)
	if errors.Is(err, gold.ErrMeanwhile) {
		return &Meanwhile{Where: page.File}
	}
	if err == nil {
		page.SetRecord(k.Schema, k.Check, kept.Record)
	}
	return err
}

func figure(text string) (float64, bool) {
	f, err := strconv.ParseFloat(text, 64)
	return f, err == nil
}

func madeJSON(made map[string]Verdict) value.Value {
	v := value.Obj()
	for _, key := range sorted(made) {
		v.Kids = append(v.Kids, value.Str(string(made[key])).Named(key))
	}
	return v
}

func notesJSON(notes map[string]string) value.Value {
	v := value.Obj()
	for _, key := range sorted(notes) {
		v.Kids = append(v.Kids, value.Str(notes[key]).Named(key))
	}
	return v
}

func orGone(name string, v value.Value) value.Value {
	if len(v.Kids) == 0 {
		return value.Value{Name: name}
	}
	return v.Named(name)
}

func sorted[K ~string, V any](m map[K]V) []K {
	keys := make([]K, 0, len(m))
	for key := range m {
		keys = append(keys, key)
	}
	sort.Slice(keys, func(i, j int) bool { return naturally(string(keys[i]), string(keys[j])) })
	return keys
}

// naturally orders paths with the numbers in them by their size.
func naturally(a, b string) bool {
	for a != "" && b != "" {
		x, y := digits(a), digits(b)
		switch {
		case x > 0 && y > 0:
			if n, m := strings.TrimLeft(a[:x], "0"), strings.TrimLeft(b[:y], "0"); n != m {
				return len(n) < len(m) || len(n) == len(m) && n < m
			}
			a, b = a[x:], b[y:]
		case a[0] != b[0]:
			return a[0] < b[0]
		default:
			a, b = a[1:], b[1:]
		}
	}
	return len(a) < len(b)
}

func digits(s string) int {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return n
}

// Sign marks a gold record as reviewed, by its reviewer and today.
func (k *Folder) Sign(kept *Kept, now record.Hashes) (string, error) {
	page := k.open[kept.Document]
	if why := page.Unsignable(func() (record.Hashes, error) { return now, nil }); why != "" {
		return why, nil
	}
	by := k.Reviewer
	if kept.Reviewer != "" && !k.touched[kept.Document] { // all was decided by another, in production
		by = kept.Reviewer
	}
	err := page.Sign(by, k.Now())
	if errors.Is(err, gold.ErrMeanwhile) {
		return "", &Meanwhile{Where: page.File}
	}
	if err == nil {
		kept.Signed, kept.Reviewer, k.done[kept.Document] = true, by, true
	}
	return "", err
}

// Unsign makes a gold record a draft again.
func (k *Folder) Unsign(kept *Kept) error {
	err := k.open[kept.Document].Unsign()
	if errors.Is(err, gold.ErrMeanwhile) {
		return &Meanwhile{Where: k.open[kept.Document].File}
	}
	if err == nil {
		kept.Signed, kept.Reviewer, k.done[kept.Document] = false, "", false
	}
	return err
}
