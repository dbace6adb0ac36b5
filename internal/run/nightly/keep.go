package nightly

import (
	"slices"
	"time"

	"filler/internal/base/project"
	"filler/internal/store"
)

// TooOld gives the runs that the rules no longer keep: a run goes where a rule is for it and every
// rule that is for it lets it go. The newest run, those that are going and the approved ones stay;
// kept counts them. Runs come the newest first.
func TooOld(runs []store.Run, rules []project.Keep, approved []int64, now time.Time) (old []int64, kept int) {
	for i, r := range runs {
		is, goes := false, true
		for _, k := range rules {
			if k.Runs == "named" && r.Name == "" || k.Runs == "unnamed" && r.Name != "" {
				continue
			}
			is = true
			goes = goes && k.For > 0 && now.Sub(r.Began) > k.For && i >= k.Last
		}
		switch {
		case !is || !goes:
		case i == 0 || r.State == store.Going || slices.Contains(approved, r.ID):
			kept++
		default:
			old = append(old, r.ID)
		}
	}
	return old, kept
}
