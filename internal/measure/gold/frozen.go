package gold

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"filler/internal/base/lazy"
	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Frozen is a set of gold records that is fixed by hashes: figures that are given for it
// are for these records of these documents, and for no others.
type Frozen struct {
	Name, On string // the day
	Split    string // of which; "" for all
	How      string // its documents were chosen, in the words of who froze it
	Schema   string // name and version
	Hash     string // of the schema's source
	Members  []Member
	File     string
}

// Member is one gold record of a frozen set.
type Member struct {
	Document string
	Seal     string // of the record, its document and that document's text
	Reviewer string
}

var frozenName = lazy.New(`^[A-Za-z0-9][A-Za-z0-9._-]{0,59}$`)

// frozenEnd is what files of frozen sets end in: they stand beside the gold.
const frozenEnd = ".frozen"

// FrozenFile gives the file of a frozen set of a gold folder or file.
func FrozenFile(gold, name string) (string, error) {
	if !frozenName.MatchString(name) {
		return "", fmt.Errorf("%q is not a name for a set; use letters, figures, `.`, `-` and `_`, at most 60", name)
	}
	dir := gold
	if info, err := os.Stat(gold); err == nil && !info.IsDir() {
		dir = filepath.Dir(gold)
	}
	return filepath.Join(dir, name+frozenEnd), nil
}

// Freeze takes the reviewed records of a set that count, of one split or of all.
func Freeze(set Set, s *schema.Schema, name, split, how string, on time.Time) (*Frozen, error) {
	f := &Frozen{Name: name, On: on.Format(dayForm), Split: split, How: how, Schema: strings.TrimSpace(s.Name + " " + s.Version), Hash: SchemaHash(s)}
	for _, id := range set.Documents() {
		g := set[id]
		if g.State == Reviewed && g.Fault == "" && g.Reviewer != Invented && (split == "" || g.Split == split) {
			f.Members = append(f.Members, Member{id, g.SealNow(), g.Reviewer})
		}
	}
	if len(f.Members) == 0 {
		return nil, errors.New("no reviewed record counts there, so there is nothing to freeze; `filler gold status` shows what there is")
	}
	return f, nil
}

// HashOf gives the SHA-256 of data, in hexadecimal figures.
func HashOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// SchemaHash gives the SHA-256 of a schema's source.
func SchemaHash(s *schema.Schema) string { return HashOf(s.Source) }

// Mark gives the hash of the set: of all its documents and records, whatever it is called.
func (f *Frozen) Mark() string {
	var all []byte
	for _, m := range f.Members {
		all = fmt.Appendf(all, "%s\n%s\n", m.Document, m.Seal)
	}
	return HashOf(all)
}

// Has tells whether a document is in the set.
func (f *Frozen) Has(document string) bool {
	_, found := slices.BinarySearchFunc(f.Members, document, func(m Member, id string) int { return strings.Compare(m.Document, id) })
	return found
}

// Differs says how gold is another one than when it was frozen; nil where it is the same.
func (f *Frozen) Differs(find func(id string) *Record) (why []string) {
	for _, m := range f.Members {
		switch g := find(m.Document); {
		case g == nil:
			why = append(why, m.Document+" has no gold any more")
		case g.State != Reviewed:
			why = append(why, m.Document+" is "+g.State+" now")
		case g.SealNow() != m.Seal:
			why = append(why, m.Document+" is another record now")
		}
	}
	return why
}

// Write writes the set into a file that is not there yet.
func (f *Frozen) Write(file string) error {
	if _, err := os.Stat(file); err == nil {
		return place.Faults{{File: file, Msg: "there is a frozen set of this name", Hint: "a frozen set stays as it is; take another name"}}
	}
	v := value.Obj(value.Str(f.Name).Named("frozen"), value.Str(f.On).Named("on"))
	for _, m := range [][2]string{{"split", f.Split}, {"sampled", f.How}, {"schema", f.Schema}, {"schema_sha256", f.Hash}, {"sha256", f.Mark()}} {
		if m[1] != "" {
			v.Set(m[0], value.Str(m[1]))
		}
	}
	list := value.List()
	for _, m := range f.Members {
		one := value.Obj(value.Str(m.Document).Named("document"), value.Str(m.Seal).Named("seal"))
		if m.Reviewer != "" {
			one.Set("reviewer", value.Str(m.Reviewer))
		}
		list.Kids = append(list.Kids, one)
	}
	v.Set("gold", list)
	if err := process.WriteFile(file, append(v.Indent(), '\n'), false); err != nil {
		return place.Faults{{File: file, Msg: "can't be written", Hint: "check its permissions, and that the disk is not full"}}
	}
	return nil
}

// ReadFrozen reads a frozen set; one that was edited is refused.
func ReadFrozen(file string) (*Frozen, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, place.Faults{{File: file, Msg: "there is no such frozen set", Hint: "`filler gold freeze NAME` makes one, `filler gold status` lists them"}}
	}
	v, err := value.ParseBytes(data)
	if err != nil {
		return nil, place.Faults{jsonFault(file, 0, err)}
	}
	f := &Frozen{Name: v.Word("frozen"), On: v.Word("on"), Split: v.Word("split"), How: v.Word("sampled"), Schema: v.Word("schema"), Hash: v.Word("schema_sha256"), File: file}
	if list := v.Get("gold"); list != nil {
		for i := range list.Kids {
			f.Members = append(f.Members, Member{list.Kids[i].Word("document"), list.Kids[i].Word("seal"), list.Kids[i].Word("reviewer")})
		}
	}
	if f.Mark() != v.Word("sha256") {
		return nil, place.Faults{{File: file, Msg: "this frozen set was edited: its hash is not that of its records", Hint: "put it back, or freeze another"}}
	}
	return f, nil
}

// AllFrozen reads the frozen sets beside a gold folder or file, by name.
func AllFrozen(gold string) (all []*Frozen, err error) {
	dir := gold
	if info, err := os.Stat(gold); err == nil && !info.IsDir() {
		dir = filepath.Dir(gold)
	}
	entries, err := os.ReadDir(dir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), frozenEnd) && !e.IsDir() {
			f, err := ReadFrozen(filepath.Join(dir, e.Name()))
			if err != nil {
				return nil, err
			}
			all = append(all, f)
		}
	}
	return all, nil
}

// Mark gives the hash of gold records as Frozen.Mark does, in the order in which they
// are added, which is to be that of their documents.
type Mark struct{ members []Member }

// Add adds a record.
func (m *Mark) Add(g *Record) {
	m.members = append(m.members, Member{g.Document, g.SealNow(), g.Reviewer})
}

// Sum gives the hash.
func (m *Mark) Sum() string {
	slices.SortFunc(m.members, func(a, b Member) int { return strings.Compare(a.Document, b.Document) })
	f := Frozen{Members: m.members}
	return f.Mark()
}
