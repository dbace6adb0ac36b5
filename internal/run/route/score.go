package route

import (
	"slices"
	"sort"
)

// Truth is what reviewed gold says: a document is for the job whose gold set has it, and a part of a
// file begins where gold says that it does.
type Truth struct {
	Jobs   map[string]string       // by document
	Starts map[string]map[int]bool // of files that gold splits, pages on which documents begin
}

// NewTruth takes the documents of the gold set of each job.
func NewTruth(documents map[string][]string) *Truth {
	t := &Truth{Jobs: map[string]string{}, Starts: map[string]map[int]bool{}}
	for job, ids := range documents {
		for _, id := range ids {
			t.Jobs[id] = job
			if file, from, ok := PagesOf(id); ok {
				if t.Starts[file] == nil {
					t.Starts[file] = map[int]bool{}
				}
				t.Starts[file][from] = true
			}
		}
	}
	return t
}

// Measured is how routes stand against gold.
type Measured struct {
	Jobs      []string // the names in the order of the table, Other and open ("") last
	Table     [][]int  // rows gold, columns routes
	Right, Of int
	// Boundaries: the starts of documents within files that gold splits, but for first pages.
	Found, Missed, Extra int
}

// Measure holds routes against gold. Documents without gold do not count.
func Measure(t *Truth, routes []Route) *Measured {
	m := &Measured{}
	names := map[string]bool{}
	for _, job := range t.Jobs {
		names[job] = true
	}
	for name := range names {
		m.Jobs = append(m.Jobs, name)
	}
	sort.Strings(m.Jobs)
	m.Jobs = append(m.Jobs, Other, "")
	at := func(job string) int { return slices.Index(m.Jobs, job) }
	m.Table = make([][]int, len(m.Jobs))
	for i := range m.Table {
		m.Table[i] = make([]int, len(m.Jobs))
	}
	starts := map[string]map[int]bool{}
	for _, r := range routes {
		if file, from, ok := PagesOf(r.Document); ok && t.Starts[file] != nil {
			if starts[file] == nil {
				starts[file] = map[int]bool{}
			}
			starts[file][from] = true
		} else if t.Starts[r.Document] != nil && starts[r.Document] == nil {
			starts[r.Document] = map[int]bool{1: true}
		}
		want, known := t.Jobs[r.Document]
		if !known {
			continue
		}
		got := at(r.Job)
		if got < 0 {
			m.Jobs = slices.Insert(m.Jobs, len(m.Jobs)-2, r.Job) // a job without gold of its own
			for i := range m.Table {
				m.Table[i] = slices.Insert(m.Table[i], len(m.Table[i])-2, 0)
			}
			m.Table = slices.Insert(m.Table, len(m.Table)-2, make([]int, len(m.Jobs)))
			got = at(r.Job)
		}
		m.Table[at(want)][got]++
		if m.Of++; r.Job == want {
			m.Right++
		}
	}
	for file, want := range t.Starts {
		got, seen := starts[file]
		if !seen {
			continue
		}
		for page := range want {
			if page > 1 && got[page] {
				m.Found++
			} else if page > 1 {
				m.Missed++
			}
		}
		for page := range got {
			if page > 1 && !want[page] {
				m.Extra++
			}
		}
	}
	return m
}
