package route

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/schema"
)

// A stack is a file of several documents, split at pages.

// Starts gives the pages, from 1, on which documents begin: the first, and those that print the
// pattern.
func Starts(pages []string, begins *regexp.Regexp) []int {
	starts := []int{1}
	for i := 1; i < len(pages); i++ {
		if begins.MatchString(pages[i]) {
			starts = append(starts, i+1)
		}
	}
	return starts
}

// PrintedStarts gives them by what pages print: a page begins a document where it prints a value,
// behind its own label, of a field that a document has once and that the document so far has already;
// or where what it prints is of another job.
func (r *Router) PrintedStarts(pages []string) []int {
	starts := []int{1}
	from := 0
	for i := 1; i < len(pages); i++ {
		before, page := strings.Join(pages[from:i], "\n"), pages[i]
		was, now := r.ByText("", before), r.ByText("", page)
		begins := was.Job != "" && now.Job != "" && was.Job != now.Job
		if job := r.job(was.Job); job != nil && !begins {
			begins = repeats(job.Schema, before, page)
		}
		if begins {
			starts, from = append(starts, i+1), i
		}
	}
	return starts
}

func (r *Router) job(name string) *Job {
	for i := range r.jobs {
		if r.jobs[i].Name == name {
			return &r.jobs[i]
		}
	}
	return nil
}

// repeats tells whether a page prints, of the fields that a record has once, two or more that stand
// before it already, or its only one, with another value.
func repeats(s *schema.Schema, before, page string) bool {
	a, b := printed.Sure(s, before), printed.Sure(s, page)
	if s.EachEntry() {
		return false // a document holds many
	}
	again, differ := 0, 0
	for _, f := range s.Record().Fields {
		if !f.IsLeaf() {
			continue
		}
		x, y := a.Get(f.Name), b.Get(f.Name)
		if !x.Empty() && !y.Empty() {
			if again++; !value.Equal(x, y) {
				differ++
			}
		}
	}
	return differ > 0 && (again >= 2 || onceOnly(s))
}

func onceOnly(s *schema.Schema) bool {
	n := 0
	for _, f := range s.Record().Fields {
		if f.IsLeaf() {
			n++
		}
	}
	return n < 3
}

// StartsQuestion gives the schema of the record that a model is asked for: the pages on which
// documents begin.
func StartsQuestion(pages int) (*schema.Schema, error) {
	return schema.Parse("stack", fmt.Appendf(nil, "schema: stack\nabout: A file in which several documents lie one behind the other. Each page stands behind a line with its number.\nfields:\n  %s: {list: \"The numbers of the pages on which a document begins, page 1 among them.\", items: {integer: Number of one page., min: 1, max: %d, evidence: inferred}}\n", startsField, pages))
}

// Numbered gives the text of pages, each behind a line with its number.
func Numbered(pages []string) string {
	var b strings.Builder
	for i, p := range pages {
		fmt.Fprintf(&b, "Page %d\n%s\n\n", i+1, strings.TrimSpace(p))
	}
	return b.String()
}

// AnsweredStarts reads the pages of such a record; those that are none are left out, page 1 is always
// one.
func AnsweredStarts(rec *value.Value, pages int) []int {
	is := map[int]bool{1: true}
	if list := rec.Get(startsField); list != nil {
		for i := range list.Kids {
			if n, err := strconv.Atoi(list.Kids[i].Text); err == nil && n >= 1 && n <= pages {
				is[n] = true
			}
		}
	}
	var starts []int
	for n := 1; n <= pages; n++ {
		if is[n] {
			starts = append(starts, n)
		}
	}
	return starts
}

// Parts gives the ids of the documents of a stack: the file's with the pages behind it.
func Parts(id string, starts []int, pages int) (ids []string) {
	if len(starts) < 2 {
		return []string{id}
	}
	for i, from := range starts {
		to := pages
		if i+1 < len(starts) {
			to = starts[i+1] - 1
		}
		if from == to {
			ids = append(ids, fmt.Sprintf("%s#%d", id, from))
		} else {
			ids = append(ids, fmt.Sprintf("%s#%d-%d", id, from, to))
		}
	}
	return ids
}

var partPages = lazy.New(`^(.*)#(\d+)(?:-(\d+))?$`)

// PagesOf gives the file and the first page of a part of one.
func PagesOf(id string) (file string, from int, ok bool) {
	m := partPages.FindStringSubmatch(id)
	if m == nil {
		return "", 0, false
	}
	from, err := strconv.Atoi(m[2])
	return m[1], from, err == nil
}
