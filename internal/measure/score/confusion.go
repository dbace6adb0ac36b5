package score

import (
	"math"
	"slices"
	"sort"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// None stands for no value in a confusion table.
const None = ""

// Confusion is how often each choice of gold came out as each other.
type Confusion struct {
	Field   string
	Options []string // rows and columns, in schema order; then what else came; None last
	Table   [][]int  // [gold][filled]
	counts  map[[2]string]*int
}

func (c *Confusion) add(l Leaf) {
	if l.Outcome == Blank {
		return
	}
	var g, d string
	if !l.Gold.Empty() {
		g = named(l.Gold)
	}
	if !l.Filled.Empty() {
		d = named(l.Filled)
	}
	c.plus([2]string{g, d}, 1)
}

// named gives a value as a row or column is called.
func named(v *value.Value) string {
	if v.Text == "" {
		return v.Named("").String()
	}
	return v.Text
}

// plus counts a cell. The texts are good for a while only: a map that is written
// to with them would keep them, also where it has the cell.
func (c *Confusion) plus(cell [2]string, times int) {
	n := c.counts[cell]
	if n == nil {
		n = new(int)
		c.counts[[2]string{strings.Clone(cell[0]), strings.Clone(cell[1])}] = n
	}
	*n += times
}

// finish puts the counts into a table.
func (c *Confusion) finish(f *schema.Field) {
	for _, o := range f.Of {
		if f.List != nil { // those that came alone
			break
		}
		c.Options = append(c.Options, o.Value)
	}
	var more []string
	for pair := range c.counts {
		for _, name := range pair {
			if name != None && !slices.Contains(c.Options, name) && !slices.Contains(more, name) {
				more = append(more, name)
			}
		}
	}
	sort.Strings(more)
	c.Options = append(append(c.Options, more...), None)
	c.Table = make([][]int, len(c.Options))
	for i, g := range c.Options {
		c.Table[i] = make([]int, len(c.Options))
		for j, d := range c.Options {
			if n := c.counts[[2]string{g, d}]; n != nil {
				c.Table[i][j] = *n
			}
		}
	}
}

func (c *Confusion) json() value.Value {
	rows := value.List()
	for i, g := range c.Options {
		for j, d := range c.Options {
			if n := c.Table[i][j]; n > 0 {
				rows.Kids = append(rows.Kids, value.Obj(orNull(g).Named("gold"), orNull(d).Named("filled"), count("times", n)))
			}
		}
	}
	return value.Obj(value.Str(c.Field).Named("field"), rows.Named("cells"))
}

func orNull(option string) value.Value {
	if option == None {
		return value.Value{}
	}
	return value.Str(option)
}

// Kappa gives Cohen's kappa of a table of agreements (Cohen 1960): how far two
// agree beyond what their own shares would give by chance; false where chance
// alone would agree always.
func Kappa(table [][]int) (kappa float64, ok bool) {
	n, same := 0, 0
	rows, columns := make([]int, len(table)), make([]int, len(table))
	for i := range table {
		for j, c := range table[i] {
			n += c
			rows[i] += c
			columns[j] += c
			if i == j {
				same += c
			}
		}
	}
	if n == 0 {
		return 0, false
	}
	chance := 0.0
	for i := range rows {
		chance += float64(rows[i]) * float64(columns[i])
	}
	chance /= float64(n) * float64(n)
	if math.Abs(1-chance) < 1e-12 {
		return 0, false
	}
	return (float64(same)/float64(n) - chance) / (1 - chance), true
}
