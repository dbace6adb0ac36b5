package evidence

import "slices"

// exchanged takes their places from values that two items of a list in running text have of each other: most values of the
// one stand in a sentence, this one in that of the other, whose value of the same field stands in the sentence of the one.
func (s *slots) exchanged() {
	if !s.shareLines() {
		return
	}
	home, strays := make([]span, len(s.list)), make([][]*leaf, len(s.list))
	in := map[span][]int{} // which items have values in a sentence
	sentence := func(l *leaf) span {
		if at := s.places[l.path]; at.Found() && !at.Basis && l.fixed == nil {
			return s.ix.SentenceSpan(at.Start, at.End)
		}
		return span{}
	}
	for i, it := range s.list {
		count := map[span]int{}
		for _, l := range it.leaves {
			if at := sentence(l); at.End > 0 {
				if count[at]++; count[at] == 1 {
					in[at] = append(in[at], i)
				}
			}
		}
		if len(count) != 2 {
			continue
		}
		for at, n := range count {
			if n > 1 && n > count[home[i]] {
				home[i] = at
			}
		}
		for _, l := range it.leaves {
			if at := sentence(l); home[i].End > 0 && at.End > 0 && at != home[i] {
				strays[i] = append(strays[i], l)
			}
		}
	}
	for i, all := range strays {
		if len(all) != 1 || len(in[home[i]]) != 2 {
			continue
		}
		from := sentence(all[0])
		for _, j := range in[from] {
			o := leafOf(s.list[j], all[0].f)
			others := slices.DeleteFunc(slices.Clone(s.list[j].leaves), func(l *leaf) bool { return l == o || sentence(l).End == 0 })
			away := func(l *leaf) bool { return sentence(l) != from }
			if o == nil || j == i || sentence(o) != home[i] || len(others) == 0 || slices.ContainsFunc(others, away) {
				continue
			}
			for _, l := range []*leaf{all[0], o} {
				s.places[l.path] = Place{Kind: l.lacking, Misplaced: s.places[l.path].Line, InParts: true}
			}
			break
		}
	}
}

// shareLines tells whether values of two items stand in one line.
func (s *slots) shareLines() bool {
	of := map[int]*item{}
	for _, it := range s.list {
		for _, l := range it.leaves {
			at := s.places[l.path]
			if !at.Found() || at.Basis {
				continue
			}
			if o := of[at.Line]; o != nil && o != it {
				return true
			}
			of[at.Line] = it
		}
	}
	return false
}
