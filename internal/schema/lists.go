package schema

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/base64"
	"encoding/csv"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// A choice of thousands is one of a list in a file:
//
//	river: {choice: The river that it crosses., of: {file: lists/rivers.csv, value: code, also: [name, old_name], about: reach}}
//
// The file is CSV in UTF-8 with a head line, or TSV by its name; its columns are named by that line.
// The path is that from the schema's folder, or from the project's. A schema that is kept keeps the
// lists with it, behind its own text, so that a run is judged by the list that it was filled with, and
// the schema's hash is another where the list is.

// Reference is the list that a choice is one of.
type Reference struct {
	File  string   // as the schema names it
	Value string   // the column of the values that records hold
	Also  []string // the columns of other words for them
	About string   // the column of what they mean; "" for none
	Hash  string   // of the file's bytes

	index *listIndex
}

// Limits of a list.
const (
	mostListBytes = 20 << 20
	mostListRows  = 200_000
)

const (
	keptLists = "\n# the lists of this schema, as they were when it was kept\n"
	keptList  = "# list "
)

// keep gives the schema's text with its lists behind it.
func (s *Schema) keep(lists map[string][]byte) {
	if len(lists) == 0 {
		return
	}
	var b bytes.Buffer
	b.Write(s.Source)
	b.WriteString(keptLists)
	names := make([]string, 0, len(lists))
	for name := range lists {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		var packed bytes.Buffer
		z, _ := gzip.NewWriterLevel(&packed, gzip.BestCompression)
		_, _ = z.Write(lists[name])
		_ = z.Close()
		fmt.Fprintf(&b, "%s%s %s\n", keptList, strconv.Quote(name), base64.StdEncoding.EncodeToString(packed.Bytes()))
	}
	s.Source = b.Bytes()
}

// Written gives the text of a schema as its file has it, without the lists that are kept with it.
func (s *Schema) Written() []byte {
	own, _, _ := bytes.Cut(s.Source, []byte(keptLists))
	return own
}

// with gives another text of the schema with the lists that are kept with this one.
func (s *Schema) with(text []byte) []byte {
	if _, lists, kept := bytes.Cut(s.Source, []byte(keptLists)); kept {
		return append(append(slices.Clip(text), keptLists...), lists...)
	}
	return text
}

// splitKept parts the text of a schema from the lists that are kept with it; nil where none are.
func splitKept(data []byte) (own []byte, lists map[string][]byte, err error) {
	own, rest, kept := bytes.Cut(data, []byte(keptLists))
	if !kept {
		return data, nil, nil
	}
	lists = map[string][]byte{}
	for line := range strings.Lines(string(rest)) {
		line, is := strings.CutPrefix(strings.TrimSuffix(line, "\n"), keptList)
		quoted, err := strconv.QuotedPrefix(line)
		if !is || err != nil {
			return own, nil, errors.New("the lists behind it are damaged")
		}
		name, _ := strconv.Unquote(quoted)
		packed, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(line[len(quoted):], " "))
		if err == nil {
			var z *gzip.Reader
			if z, err = gzip.NewReader(bytes.NewReader(packed)); err == nil {
				lists[name], err = io.ReadAll(io.LimitReader(z, mostListBytes+1))
			}
		}
		if err != nil {
			return own, nil, errors.New("the lists behind it are damaged")
		}
	}
	return own, lists, nil
}

// list reads the list that a field is one of.
func (l *loader) list(n *place.Node, f *Field) {
	n.Known("file", "value", "also", "about")
	r := &Reference{}
	for _, kid := range n.Pairs() {
		switch kid.Key() {
		case "file":
			r.File = kid.Filled("the path of the list")
		case "value":
			r.Value = kid.Filled("the column of the values")
		case "also":
			r.Also = kid.Texts()
		case "about":
			r.About = kid.Filled("the column of what they mean")
		}
	}
	if r.File == "" || r.Value == "" {
		n.Fault("a list in a file has a path and a column of values", "write `of: {file: lists/rivers.csv, value: code, also: [name]}`")
		return
	}
	data, err := l.listBytes(r.File)
	if err != nil {
		n.Get("file").Fault(fmt.Sprintf("the list %s %s", r.File, err), "check the path, which goes from the schema's folder or from the project's")
		return
	}
	sum := sha256.Sum256(data)
	r.Hash = hex.EncodeToString(sum[:])
	options, err := r.read(data)
	if err != nil {
		n.Fault(r.File+": "+err.Error(), "correct the list, or the columns that are named here")
		return
	}
	if len(options) < 2 {
		n.Fault(fmt.Sprintf("the list %s has fewer than two values", r.File), "add the others, or make the field a text")
		return
	}
	r.index = &listIndex{options: options}
	f.Of, f.List = options, r
}

// HasLists tells whether a field of the schema is one of a list in a file.
func (s *Schema) HasLists() bool {
	found := false
	s.Root.Walk(func(f *Field, _ int) { found = found || f.List != nil || f.Item != nil && f.Item.List != nil })
	return found
}

// listBytes gives a list: as it was kept with the schema, or as it lies on the disk.
func (l *loader) listBytes(name string) ([]byte, error) {
	if data, known := l.lists[name]; known {
		return data, nil
	}
	if l.kept {
		return nil, errors.New("is not among those that were kept with the schema")
	}
	if filepath.IsAbs(name) || !filepath.IsLocal(filepath.Clean(name)) && !strings.HasPrefix(filepath.ToSlash(filepath.Clean(name)), "../") {
		return nil, errors.New("is named by a path from elsewhere")
	}
	folder := filepath.Dir(l.s.File)
	top := projectAbove(folder)
	for _, dir := range []string{folder, top} {
		at := filepath.Join(dir, filepath.FromSlash(name))
		if rel, err := filepath.Rel(top, at); err != nil || !filepath.IsLocal(rel) {
			continue // out of the project
		}
		info, err := os.Stat(at)
		if err != nil || !info.Mode().IsRegular() || !isBelow(at, top) {
			continue
		}
		if info.Size() > mostListBytes {
			return nil, fmt.Errorf("has %d bytes, and at most %d are read", info.Size(), mostListBytes)
		}
		data, err := os.ReadFile(at)
		if err != nil {
			return nil, errors.New("can't be read")
		}
		if l.lists == nil {
			l.lists = map[string][]byte{}
		}
		l.lists[name] = data
		return data, nil
	}
	return nil, errors.New("is not there")
}

// isBelow tells whether a file lies below a folder, links followed.
func isBelow(file, folder string) bool {
	file, err := filepath.EvalSymlinks(file)
	if err != nil {
		return false
	}
	if folder, err = filepath.EvalSymlinks(folder); err != nil {
		return false
	}
	if file, err = filepath.Abs(file); err != nil {
		return false
	}
	if folder, err = filepath.Abs(folder); err != nil {
		return false
	}
	rel, err := filepath.Rel(folder, file)
	return err == nil && filepath.IsLocal(rel)
}

// projectAbove gives the folder of the project that a folder lies in, or the folder itself.
func projectAbove(folder string) string {
	abs, err := filepath.Abs(folder)
	if err != nil {
		return folder
	}
	for at := abs; ; at = filepath.Dir(at) {
		if _, err := os.Stat(filepath.Join(at, "filler.yaml")); err == nil {
			if rel, err := filepath.Rel(abs, at); err == nil {
				return filepath.Join(folder, rel)
			}
			return at
		}
		if at == filepath.Dir(at) {
			return folder
		}
	}
}

// read gives the rows as options. Rows of one value are one option with the words of all.
func (r *Reference) read(data []byte) ([]Option, error) {
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if !utf8.Valid(data) {
		return nil, errors.New("not UTF-8; save it as UTF-8")
	}
	c := csv.NewReader(bytes.NewReader(data))
	c.FieldsPerRecord, c.ReuseRecord, c.LazyQuotes = -1, true, false
	first, _, _ := bytes.Cut(data, []byte("\n"))
	switch {
	case strings.EqualFold(filepath.Ext(r.File), ".tsv") || bytes.ContainsRune(first, '\t'):
		c.Comma = '\t'
	case bytes.Count(first, []byte(";")) > bytes.Count(first, []byte(",")):
		c.Comma = ';'
	}
	head, err := c.Read()
	if err != nil {
		return nil, errors.New("it has no head line that names its columns")
	}
	columns := map[string]int{}
	for i, name := range head {
		if name = strings.TrimSpace(name); name != "" {
			if _, twice := columns[name]; twice {
				return nil, fmt.Errorf("line 1: the column %q is here twice", name)
			}
			columns[strings.Clone(name)] = i
		}
	}
	for _, name := range append([]string{r.Value, r.About}, r.Also...) {
		if _, known := columns[name]; !known && name != "" {
			return nil, fmt.Errorf("it has no column %q; %s", name, place.Suggest(name, head))
		}
	}
	var options []Option
	at := map[string]int{}
	for {
		row, err := c.Read()
		if err == io.EOF {
			return options, nil
		}
		if err != nil {
			return nil, fmt.Errorf("can't be read as CSV: %w", err)
		}
		cell := func(name string) string {
			if i, known := columns[name]; known && i < len(row) {
				return strings.Clone(strings.TrimSpace(row[i]))
			}
			return ""
		}
		line, _ := c.FieldPos(0)
		own := cell(r.Value)
		if own == "" {
			if strings.TrimSpace(strings.Join(row, "")) == "" {
				continue
			}
			return nil, fmt.Errorf("line %d: no value in column %q", line, r.Value)
		}
		if len(options) >= mostListRows {
			return nil, fmt.Errorf("it has over %d rows", mostListRows)
		}
		i, known := at[own]
		if !known {
			i = len(options)
			at[own], options = i, append(options, Option{Value: own})
		}
		o := &options[i]
		for _, name := range r.Also {
			if word := cell(name); word != "" && word != own && !slices.Contains(o.Also, word) {
				o.Also = append(o.Also, word)
			}
		}
		if about := cell(r.About); r.About != "" && o.About == "" {
			o.About = strings.Join(strings.Fields(about), " ")
		}
	}
}

// value gives what the schema says of the list.
func (r *Reference) value() value.Value {
	v := value.Obj(value.Str(r.File).Named("file"), value.Str(r.Value).Named("value"))
	if len(r.Also) > 0 {
		v.Set("also", texts(r.Also))
	}
	if r.About != "" {
		v.Set("about", value.Str(r.About))
	}
	return v
}

// listIndex finds options of a list by their words.
type listIndex struct {
	options []Option
	mu      sync.Mutex
	folded  map[string]map[string][]int32 // by the way of folding: options by their folded words
	words   *listWords
}

// Named gives the options of a list that have a word, as fold makes words alike; how names that
// way. The caller asks the same way with the same name.
func (r *Reference) Named(how string, fold func(string) string, word string) (found []*Option) {
	x := r.index
	x.mu.Lock()
	defer x.mu.Unlock()
	by := x.folded[how]
	if by == nil {
		by = map[string][]int32{}
		for i := range x.options {
			o := &x.options[i]
			for j := -1; j < len(o.Also); j++ {
				w := o.Value
				if j >= 0 {
					w = o.Also[j]
				}
				key := fold(w)
				if at := by[key]; len(at) == 0 || at[len(at)-1] != int32(i) {
					by[key] = append(at, int32(i))
				}
			}
		}
		if x.folded == nil {
			x.folded = map[string]map[string][]int32{}
		}
		x.folded[how] = by
	}
	for _, i := range by[fold(word)] {
		found = append(found, &x.options[i])
	}
	return found
}

// Meant gives the options that a text may mean by its words; several where it is open.
func (r *Reference) Meant(text string) []*Option { return r.Named("fold", FoldOption, text) }

// FoldOption makes spellings of an option alike that differ in case, in white space, or in the
// signs that join words.
func FoldOption(s string) string {
	s = strings.NewReplacer("_", " ", "-", " ").Replace(strings.ToLower(s))
	return strings.Trim(strings.Join(strings.Fields(s), " "), ".,;: ")
}

// Has tells whether a value is in the list, as it is written there.
func (r *Reference) Has(text string) bool {
	for _, o := range r.Named("", func(s string) string { return s }, text) {
		if o.Value == text {
			return true
		}
	}
	return false
}
