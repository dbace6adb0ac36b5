package evidence

import (
	"strings"
	"sync"

	"filler/internal/schema"
)

// ground is what a text and a schema tell by themselves, whatever record is looked at: most of the
// work. It is kept with the text, for a record is looked at again when it was put right, and for
// what of the text it leaves uncovered.
type ground struct {
	use        use
	unsure     bool // whether the OCR engine was in doubt of some words
	names      map[*schema.Field][][]string
	found      map[sought][]candidate
	against    map[sought]says
	talk       map[string]bool                 // who speaks in a talk, once asked for
	enumerated map[*schema.Field][]enumeration // see enumerations
	paras      []int                           // see paragraphs
	amounts    map[amountOf]*schema.Field
	numbers    map[*schema.Field]measureIn
	sentences  map[*schema.Field][]mention    // that have the words of a boolean's name
	years      *bool                          // whether it has years in all their figures, once asked for
	saying     map[saying]map[int]bool        // the lines that have the words for a value of a boolean or a choice
	all        *schema.Schema                 // whose record it is; nil where other fields do not matter
	others     map[string]*schema.Field       // fields by their labels
	called     map[*schema.Field]called       // the words that fields go by
	boxes      *boxes                         // those of forms
	ruled      map[int]int                    // of rows of tables: the line of the rule below their head
	tops       map[int]int                    // of rows of tables: the first row, where that has no figures; -1 for none
	groups     map[*schema.Field]string       // the groups whose names fields are, once asked for
	opposites  map[[2]string]bool             // whether words deny each other, once asked for
	options    map[optionsOf][]span           // where options of choices stand, once asked for
	cuts       []int                          // see cutOff
	series     map[int][][]span               // see seriesOf
	grids      map[gridOf]*grid               // tables that are ticked off, once asked for
	crossed    *bool                          // whether it has marks for yes and for no, once asked for
	form       *bool                          // whether wide gaps part labels from values, once asked for
	underHeads map[*schema.Field][]optionHead // see optionHeads
	legends    [][][]int                      // see legendsOf
	wholly     map[string]*schema.Field       // fields that stand in no list by their whole labels
	isName     map[string]bool                // what fields are called, all
	heads      map[*schema.Field][]string     // what heads the items of the list that a field is the key of
}

// use is what a ground is for. Only where places are looked for do the keys of lists go by the
// names of their items, too, and only where single values are read is nothing near enough.
type use int

const (
	forPlaces use = iota
	forLines
	forReading
	uses
)

// grounds are the last grounds of a text, while nobody stands on them.
type grounds struct {
	sync.Mutex
	last [uses]*ground
}

func newGround(s *schema.Schema, by use) *ground {
	g := &ground{all: s, use: by, names: map[*schema.Field][][]string{}, found: map[sought][]candidate{}, against: map[sought]says{}, heads: map[*schema.Field][]string{}}
	if s == nil || by != forPlaces {
		return g
	}
	s.Root.Walk(func(f *schema.Field, _ int) {
		for _, name := range f.Key {
			if kid := f.Item.Child(name); kid != nil {
				g.heads[kid] = append([]string{strings.TrimSuffix(schema.Spoken(f.Name), "s")}, f.PrintedAs...)
			}
		}
	})
	return g
}

// groundOf gives the ground of a schema to one who alone may stand on it until it is given back.
func (ix *Index) groundOf(s *schema.Schema, by use) *ground {
	ix.grounds.Lock()
	defer ix.grounds.Unlock()
	g := ix.grounds.last[by]
	if ix.grounds.last[by] = nil; g == nil || g.all != s || g.unsure != (ix.Unsure != nil) {
		g = newGround(s, by)
		g.unsure = ix.Unsure != nil
	}
	return g
}

// mostKept is how many values a ground that is kept has been asked for, at most.
const mostKept = 10_000

func (ix *Index) keepGround(g *ground) {
	ix.grounds.Lock()
	defer ix.grounds.Unlock()
	if len(g.found) <= mostKept {
		ix.grounds.last[g.use] = g
	}
}
