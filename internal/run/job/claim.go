package job

import (
	"context"
	"errors"
	"time"

	"filler/internal/store"
)

// look counts the tasks that are not done, here or elsewhere. Where records are handed out it
// sees which are.
func (r *running) look() (left int, err error) {
	var tasks []store.Task
	all := 0
	if r.Hooks.Record == nil {
		all, left, err = r.Store.Left(r.Run)
	} else {
		tasks, err = r.Store.Tasks(r.Run)
		all = len(tasks)
	}
	if err != nil {
		return 0, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.done == nil && tasks != nil {
		r.done = make([]bool, all)
	}
	for _, t := range tasks {
		r.done[t.N] = r.done[t.N] || t.Done
		if !r.done[t.N] {
			left++
		}
	}
	r.progress.All, r.progress.Done = all, all-left
	return left, nil
}

// How often what others have done is looked at while there is work here: seldom where that takes
// long.
const (
	lookEvery = 3 * time.Second
	lookShare = 50 // times as long as a look takes
)

func (r *running) lookNowAndThen() error {
	if time.Since(r.looked) < max(lookEvery, lookShare*r.lookTook) {
		return nil
	}
	began := time.Now()
	_, err := r.look()
	r.looked, r.lookTook = time.Now(), time.Since(began)
	return err
}

// elsewhere is how long to wait before looking again at what others are at, longest where that
// was in vain again and again.
const (
	elsewhere = 200 * time.Millisecond
	longest   = time.Second
)

// claim puts claimed tasks into the queue until all are done. Few are claimed at
// a time, so that others who join have their share.
func (r *running) claim(ctx context.Context, queue chan<- store.Task) error {
	pause := elsewhere
	for ctx.Err() == nil {
		if err := r.lookNowAndThen(); err != nil {
			return err
		}
		held := r.hold(0)
		most := r.most(held)
		var tasks []store.Task
		if most > 0 {
			var err error
			if tasks, err = r.Store.Claim(r.Run, most); errors.Is(err, store.ErrHalted) {
				r.halted = true
				return nil
			} else if err != nil {
				return err
			}
			held = r.hold(len(tasks))
		}
		for _, t := range tasks {
			select {
			case queue <- t:
			case <-ctx.Done():
				return nil
			}
		}
		if len(tasks) > 0 {
			pause = elsewhere
			continue
		}
		if held == 0 {
			if left, err := r.look(); err != nil || left == r.putBy() {
				return err
			}
		}
		select { // what is left is at work, here or elsewhere
		case <-ctx.Done():
		case <-time.After(pause):
			pause = min(2*pause, longest)
		case <-r.more:
		}
	}
	return nil
}

// most is how many tasks may be claimed now. Where others are at the same model few are held beyond
// the share in it, so that none waits here while another is idle; and not one by one.
func (r *running) most(held int) int {
	if r.Share == nil {
		return r.AtOnce
	}
	share := min(max(r.Share(), 1), r.AtOnce)
	room := 2*share - held
	if held > 0 && room < (share+1)/2 {
		return 0
	}
	return min(share, room)
}

// putBy counts tasks that wait for another go.
func (r *running) putBy() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.waiting
}

// hold counts tasks that are ours and at work.
func (r *running) hold(n int) int {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held += n
	return r.held - r.waiting
}
