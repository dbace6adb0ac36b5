package standin

import (
	"filler/internal/base/lazy"
	"fmt"
	"slices"
	"strings"
)

// table is a table as a request describes it.
type table struct {
	name    string
	of      string // what a row of it is
	columns []column
	up      string            // the table whose items it holds
	keys    map[string]string // its columns that are columns of that row
}

type column struct {
	name, kind, about string
	choices           []string
}

var (
	tableHead  = lazy.New(`^table ("?\w+"?): one row for each (?:item of )?([\w.\[\]]+)(?:; its (.+) (?:is|are) (.+) of a row of (\w+))?$`)
	columnLine = lazy.New(`^  ("?\w+"?): ([^;]*)(?:; (.*))?$`)
)

// readTables reads the tables of a text that describes them; none where it does not.
func readTables(text string) (all []table) {
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, "\n")
		if m := tableHead.FindStringSubmatch(line); m != nil {
			t := table{name: m[1], of: m[2], up: m[5], keys: map[string]string{}}
			if m[3] != "" {
				own, theirs := strings.Split(m[3], ", "), strings.Split(m[4], ", ")
				for i := range min(len(own), len(theirs)) {
					t.keys[own[i]] = theirs[i]
				}
			}
			all = append(all, t)
			continue
		}
		m := columnLine.FindStringSubmatch(line)
		if m == nil || len(all) == 0 {
			continue
		}
		c := column{name: m[1], kind: m[2], about: m[3]}
		if kind, of, ok := strings.Cut(m[2], ", one of "); ok {
			c.kind, c.choices = kind, strings.Split(of, ", ")
		}
		t := &all[len(all)-1]
		t.columns = append(t.columns, c)
	}
	return all
}

// asked is a question to tables, as far as it is understood.
type asked struct {
	tables []table
	words  []string
	joined map[int]bool // tables that the statement needs
	where  []string
}

// plain takes the endings of a word off by which one thing and several differ.
func plain(word string) string {
	word = strings.ToLower(word)
	for _, end := range []string{"ies", "es", "s"} {
		if cut, ok := strings.CutSuffix(word, end); ok && len(cut) > 2 {
			if end == "ies" {
				return cut + "y"
			}
			if end == "es" && !strings.HasSuffix(cut, "s") && !strings.HasSuffix(cut, "x") && !strings.HasSuffix(cut, "ch") {
				return word[:len(word)-1]
			}
			return cut
		}
	}
	return word
}

var wordPart = lazy.New(`[\pL\d]+`)

func plainWords(text string) (all []string) {
	for _, w := range wordPart.FindAllString(text, -1) {
		all = append(all, plain(w))
	}
	return all
}

// has tells where in the question all words of a name stand in a row; -1 where they do not.
func (q *asked) has(name string) int {
	parts := plainWords(strings.ReplaceAll(name, "_", " "))
	for i := range q.words {
		if i+len(parts) <= len(q.words) && slices.Equal(q.words[i:i+len(parts)], parts) {
			return i
		}
	}
	return -1
}

// table finds the table that a word from a place on names, the nearest: by its whole name
// or the last part of it.
func (q *asked) table(from int) int {
	best, at := -1, len(q.words)
	for i := range q.tables {
		t := &q.tables[i]
		last := t.name[strings.LastIndexByte(t.name, '_')+1:]
		for _, name := range []string{t.name, last} {
			if p := q.has(name); p >= from && p < at {
				best, at = i, p
			}
		}
	}
	return best
}

// column finds the column that is named from a place on, the nearest.
func (q *asked) column(from, to int) (t, c int) {
	t, c, at := -1, -1, to
	for i := range q.tables {
		for j := range q.tables[i].columns {
			name := q.tables[i].columns[j].name
			if name == "document" || name == "position" || strings.HasSuffix(name, "_line") || strings.HasSuffix(name, "_position") {
				continue
			}
			short := strings.TrimSuffix(strings.TrimSuffix(name, "_amount"), "_name")
			for _, n := range []string{name, short} {
				if p := q.has(n); p >= from && p < at {
					t, c, at = i, j, p
				}
			}
		}
	}
	return t, c
}

// filters are the choices, the yes and no, and the years that a question names.
func (q *asked) filters(but string) {
	seen := map[string]bool{}
	for i := range q.tables {
		for _, c := range q.tables[i].columns {
			full := q.tables[i].name + "." + c.name
			if full == but || seen[c.name] {
				continue
			}
			switch p := q.has(c.name); {
			case c.kind == "0 or 1" && p >= 0:
				is := 1
				if p > 0 && (q.words[p-1] == "not" || q.words[p-1] == "open") {
					is = 0
				}
				q.filter(i, fmt.Sprintf("%s = %d", full, is))
				seen[c.name] = true
			case len(c.choices) > 0:
				for _, choice := range c.choices {
					if q.has(choice) >= 0 {
						q.filter(i, fmt.Sprintf("%s = '%s'", full, strings.ReplaceAll(choice, "'", "''")))
						seen[c.name] = true
					}
				}
			}
		}
	}
}

func (q *asked) filter(t int, condition string) {
	q.joined[t] = true
	q.where = append(q.where, condition)
}

// from joins the tables that are needed, from the deepest up; false where one does not
// stand above another.
func (q *asked) from() (string, bool) {
	base, deep := -1, -1
	for i := range q.tables {
		if q.joined[i] && q.depth(i) > deep {
			base, deep = i, q.depth(i)
		}
	}
	text := q.tables[base].name
	left := len(q.joined)
	for at := base; ; {
		if q.joined[at] {
			left--
		}
		up := q.find(q.tables[at].up)
		if up < 0 || left == 0 {
			return text, left == 0
		}
		var on []string
		for _, c := range q.tables[at].columns {
			if theirs, ok := q.tables[at].keys[c.name]; ok {
				on = append(on, fmt.Sprintf("%s.%s = %s.%s", q.tables[up].name, theirs, q.tables[at].name, c.name))
			}
		}
		text += " JOIN " + q.tables[up].name + " ON " + strings.Join(on, " AND ")
		at = up
	}
}

func (q *asked) find(name string) int {
	return slices.IndexFunc(q.tables, func(t table) bool { return t.name == name && name != "" })
}

func (q *asked) depth(i int) int {
	n := 0
	for up := q.find(q.tables[i].up); up >= 0; up = q.find(q.tables[up].up) {
		n++
	}
	return n
}

// statement writes a SELECT for a simple question: how many, which has the most or least,
// per what, the sum, the mean, the first and the last, which with what; "" for any other.
func statement(question string, tables []table) string {
	q := &asked{tables: tables, words: plainWords(question), joined: map[int]bool{}}
	if len(tables) == 0 || len(q.words) == 0 {
		return ""
	}
	group, gt := "", -1
	per := slices.IndexFunc(q.words, func(w string) bool { return w == "per" || w == "each" || w == "by" })
	most := slices.IndexFunc(q.words, func(w string) bool { return w == "most" || w == "least" || w == "fewest" })
	switch which := slices.Index(q.words, "which"); {
	case per >= 0:
		if t, c := q.column(per+1, len(q.words)); t >= 0 {
			group, gt = tables[t].name+"."+tables[t].columns[c].name, t
		}
	case most > 0 && which >= 0 && which < most:
		if t, c := q.column(which+1, most); t >= 0 {
			group, gt = tables[t].name+"."+tables[t].columns[c].name, t
		}
	}
	q.filters(group)
	measure, mt := q.measure(group)
	if mt < 0 {
		return q.which()
	}
	q.joined[mt] = true
	if gt < 0 {
		text, ok := q.from()
		if !ok || most >= 0 {
			return ""
		}
		return "SELECT " + measure + " FROM " + text + q.conditions()
	}
	q.joined[gt] = true
	text, ok := q.from()
	if !ok {
		return ""
	}
	out := fmt.Sprintf("SELECT %s, %s FROM %s%s GROUP BY %s", group, measure, text, q.conditions(), group)
	if most >= 0 {
		order := " DESC"
		if q.words[most] != "most" {
			order = ""
		}
		out += " ORDER BY 2" + order
	}
	return out
}

func (q *asked) conditions() string {
	if len(q.where) == 0 {
		return ""
	}
	return " WHERE " + strings.Join(q.where, " AND ")
}

// measures are the words for what is made of a column.
var measures = map[string]string{"total": "sum", "sum": "sum", "average": "avg", "mean": "avg", "highest": "max", "largest": "max", "longest": "max", "latest": "max", "newest": "max", "lowest": "min", "smallest": "min", "shortest": "min", "earliest": "min", "oldest": "min"}

// measure is what is counted or made of a column, and the table of it; -1 where the
// question is for neither.
func (q *asked) measure(group string) (string, int) {
	for i, w := range q.words {
		make, ok := measures[w]
		if !ok {
			continue
		}
		if t, c := q.column(i+1, len(q.words)); t >= 0 && q.tables[t].name+"."+q.tables[t].columns[c].name != group {
			col := q.tables[t].name + "." + q.tables[t].columns[c].name
			return fmt.Sprintf("%s(%s) AS %s", make, col, w), t
		}
	}
	for i, w := range q.words {
		if w == "many" || w == "number" || w == "most" || w == "least" || w == "fewest" {
			if t := q.table(i + 1); t >= 0 {
				return "count(*) AS n", t
			}
			return "count(*) AS n", 0
		}
	}
	return "", -1
}

// which lists a column of rows that meet what the question names.
func (q *asked) which() string {
	at := slices.IndexFunc(q.words, func(w string) bool { return w == "which" || w == "list" || w == "what" })
	if at < 0 {
		return ""
	}
	t, c := q.column(at+1, len(q.words))
	if t < 0 {
		return ""
	}
	q.joined[t] = true
	text, ok := q.from()
	if !ok {
		return ""
	}
	name := q.tables[t].name
	return fmt.Sprintf("SELECT DISTINCT %s.%s, %s.document FROM %s%s", name, q.tables[t].columns[c].name, name, text, q.conditions())
}
