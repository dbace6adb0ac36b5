package model

import (
	"context"
	"math"
	"slices"
	"sync"
	"time"

	"filler/internal/base/project"
	"filler/internal/store"
)

// shared is the pace of all processes that share a store: each has a part of the requests that may
// be under way, and of those that may go out in a minute, and asks for another now and then.
type shared struct {
	keeper store.Pacing
	server string

	mu       sync.Mutex
	turn     *sync.Cond
	pace     project.Pace
	holds    int  // requests that may be under way here
	grew     bool // it had fewer before
	most     int  // while the store is asked: no more than it was told of
	out      int  // that are
	waiting  int  // that wait beside
	line     []*ticket
	reserved int64
	used     int64 // since the store heard of it last; likewise good and tooMuch
	good     int
	tooMuch  bool
	workers  int
	err      error
	asking   bool          // a goroutine asks the store
	kick     chan struct{} // it should ask soon
}

// ticket is a request that may go out when the minute has room.
type ticket struct {
	tokens int64
	held   bool // its tokens are reserved
	gone   bool // it waits no more
	at     chan time.Time
}

// paces are those of this process: all who ask a server through one store share one.
var paces sync.Map

type paceKey struct {
	keeper store.Pacing
	server string
}

func newShared(keeper store.Pacing, server string, pace project.Pace) *shared {
	s := &shared{keeper: keeper, server: server, kick: make(chan struct{}, 1), workers: 1}
	s.turn = sync.NewCond(&s.mu)
	if was, there := paces.LoadOrStore(paceKey{keeper, server}, s); there {
		s = was.(*shared)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.pace = pace
	return s
}

// late is how long after its time a request may still go out: the spacing of all allows for it.
const late = time.Second

func (s *shared) enter(ctx context.Context, tokens int) error {
	if err := s.place(ctx); err != nil {
		return err
	}
	if s.pace.PerMinute == 0 && s.pace.TokensPerMinute == 0 {
		return nil
	}
	t := &ticket{tokens: int64(tokens), at: make(chan time.Time, 1)}
	for {
		s.mu.Lock()
		s.line = append(s.line, t)
		s.mu.Unlock()
		s.soon()
		select {
		case at, open := <-t.at:
			if !open {
				s.leaveLine(t)
				return s.failed()
			}
			if err := pause(ctx, time.Until(at), nil); err != nil {
				s.leaveLine(t)
				return err
			}
			if time.Since(at) <= late {
				return nil
			}
		case <-ctx.Done():
			s.leaveLine(t)
			return ctx.Err()
		}
	}
}

// place waits until one more request may be under way here.
func (s *shared) place(ctx context.Context) error {
	stop := context.AfterFunc(ctx, func() {
		s.mu.Lock() // not between a waiter's look at ctx and its wait
		defer s.mu.Unlock()
		s.turn.Broadcast()
	})
	defer stop()
	s.mu.Lock()
	defer s.mu.Unlock()
	s.waiting++
	defer func() { s.waiting-- }()
	if s.full() {
		s.begin()
	}
	for s.full() {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if s.err != nil {
			return s.err
		}
		s.turn.Wait()
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	s.out++
	return nil
}

// begins is the share of a process that has not heard of its own yet.
const begins = 16

func (s *shared) share() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !s.asking {
		return min(begins, s.pace.AtOnce)
	}
	return s.holds
}

// full tells whether no more requests may be under way here now.
func (s *shared) full() bool { return s.out >= min(s.holds, s.most) }

func (s *shared) failed() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.err
}

// leaveLine gives up a request that has its place and did not go out.
func (s *shared) leaveLine(t *ticket) {
	s.mu.Lock()
	defer s.mu.Unlock()
	t.gone = true
	if i := slices.Index(s.line, t); i >= 0 {
		s.line = slices.Delete(slices.Clone(s.line), i, i+1)
	}
	if t.held {
		s.reserved -= t.tokens
	}
	s.out--
	s.turn.Broadcast()
}

func (s *shared) leave(tokens, used int, tooMuch bool) {
	s.mu.Lock()
	s.out--
	if s.pace.TokensPerMinute > 0 {
		s.reserved -= int64(tokens)
		s.used += int64(used)
	}
	if tooMuch {
		s.tooMuch = true
	} else {
		s.good++
	}
	s.turn.Broadcast()
	s.mu.Unlock()
	if tooMuch {
		s.soon()
	}
}

// soon has the store asked.
func (s *shared) soon() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.begin()
	select {
	case s.kick <- struct{}{}:
	default:
	}
}

// begin has a goroutine ask the store, unless one does.
func (s *shared) begin() {
	if !s.asking {
		s.asking, s.err = true, nil
		go s.ask()
	}
}

// Between two questions to the store: often while requests wait for their time, by how many ask;
// seldom to keep the share; and idle is how long one goes on where nothing is to be asked.
const (
	often   = 50 * time.Millisecond
	perHand = 10 * time.Millisecond
	seldom  = time.Second
	idle    = 3 * time.Second
)

// ask asks the store for a share, again and again, until nothing is to be asked.
func (s *shared) ask() {
	last := time.Now()
	for {
		a, asked, busy := s.question()
		if busy {
			last = time.Now()
		}
		share, err := s.keeper.Pace(a)
		s.mu.Lock()
		s.take(asked, share, err)
		over := err != nil || time.Since(last) > idle && s.out+s.waiting == 0
		if over {
			s.asking, s.holds = false, 0 // asked again by who comes next
		}
		pause := max(often, time.Duration(s.workers)*perHand)
		s.mu.Unlock()
		if over {
			return
		}
		time.Sleep(pause)
		select {
		case <-s.kick:
		case <-time.After(s.wait()):
		}
	}
}

// wait is how long to wait until the next question, unless one is due.
func (s *shared) wait() time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.line) > 0 || s.waiting > 0 && (s.grew || s.holds == 0) {
		return often
	}
	if s.waiting > 0 { // it would like more than its share
		return max(seldom/4, time.Duration(s.workers)*perHand)
	}
	return seldom
}

// mostAsked is how many requests are asked about together.
const mostAsked = 64

// question gives what the store is asked, for which requests, and whether anything goes on here.
func (s *shared) question() (a store.Ask, asked []*ticket, busy bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	asked = slices.Clone(s.line[:min(len(s.line), mostAsked)])
	a = store.Ask{Server: s.server, AtOnce: s.pace.AtOnce, PerMinute: s.pace.PerMinute, TokensPerMinute: s.pace.TokensPerMinute,
		Out: s.out, Wants: s.out + s.waiting, Good: s.good, TooMuch: s.tooMuch, Reserved: s.reserved, Used: s.used}
	for _, t := range asked {
		tokens := int(t.tokens)
		if t.held {
			tokens = 0
		}
		a.Next = append(a.Next, tokens)
	}
	s.good, s.tooMuch, s.used = 0, false, 0
	s.most = s.out
	return a, asked, s.out+s.waiting > 0
}

// take takes what the store gives to the requests that it was asked for.
func (s *shared) take(asked []*ticket, share store.Share, err error) {
	defer s.turn.Broadcast()
	if err != nil {
		s.err = err
		for _, t := range s.line {
			close(t.at)
		}
		s.line, s.holds, s.most = nil, 0, math.MaxInt
		return
	}
	s.grew = share.AtOnce > s.holds
	s.holds, s.most, s.workers = share.AtOnce, math.MaxInt, max(share.Workers, 1)
	now := time.Now()
	for i, t := range asked[:min(len(share.After), len(asked))] {
		if t.gone { // meanwhile; what it was given is corrected by the next question
			continue
		}
		if !t.held && s.pace.TokensPerMinute > 0 {
			t.held = true
			s.reserved += t.tokens
		}
		t.at <- now.Add(share.After[i])
		if i := slices.Index(s.line, t); i >= 0 {
			s.line = slices.Delete(slices.Clone(s.line), i, i+1)
		}
	}
}

// sharedPurse is a process's part of what a run may spend on all machines.
type sharedPurse struct {
	keeper store.Pacing
	run    int64

	mu     sync.Mutex
	left   int64 // of what is leased, neither spent nor set aside
	aside  int64
	seen   store.Lease
	closed bool
	beats  bool
	turn   sync.Mutex // one asks the store at a time
}

// NewSharedPurse gives the purse of a run that several machines share; nil where it has no budget.
func NewSharedPurse(keeper store.Pacing, run int64) (Purse, error) {
	p := &sharedPurse{keeper: keeper, run: run}
	if err := p.lease(0); err != nil || p.seen.Limit == 0 {
		return nil, err
	}
	return p, nil
}

// lease asks the store for more than is set aside.
func (p *sharedPurse) lease(like int64) error {
	p.turn.Lock()
	defer p.turn.Unlock()
	p.mu.Lock()
	aside, enough := p.aside, like > 0 && like <= p.left
	p.mu.Unlock()
	if enough { // by who asked before
		return nil
	}
	l, err := p.keeper.Lease(p.run, aside, like)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.seen = l
	// What was set aside or came back meanwhile counts from now on.
	p.left = l.Granted - l.Spent - p.aside
	return nil
}

// money is how long to wait for what others hold.
const money = 200 * time.Millisecond

func (p *sharedPurse) setAside(ctx context.Context, most int64) (bool, error) {
	for {
		p.mu.Lock()
		switch {
		case ctx.Err() != nil || p.closed:
			p.mu.Unlock()
			return false, nil
		case most <= p.left:
			p.left, p.aside = p.left-most, plus(p.aside, most)
			p.mu.Unlock()
			return true, nil
		}
		p.mu.Unlock()
		if err := p.lease(most); err != nil {
			return false, err
		}
		p.mu.Lock()
		if most > p.left && plus(p.seen.All, most) > p.seen.Limit && p.seen.Limit > 0 {
			p.closed = true // as where one process has it all: the run ends at one place
		}
		wait := most > p.left && !p.closed
		p.mu.Unlock()
		if wait {
			_ = pause(ctx, money, nil)
		}
	}
}

func (p *sharedPurse) reserve(most int64) bool {
	fits, err := p.setAside(context.Background(), most)
	return fits && err == nil
}

func (p *sharedPurse) settle(most, cost int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.aside -= most
	p.left = plus(p.left, most) - cost
	if !p.beats {
		p.beats = true
		time.AfterFunc(seldom, p.beat)
	}
}

// beat gives back what others lack, as long as anything is left here.
func (p *sharedPurse) beat() {
	err := p.lease(0)
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.beats = err == nil && p.left > 0; p.beats {
		time.AfterFunc(seldom, p.beat)
	}
}

func (p *sharedPurse) Left() int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return max(p.seen.Limit-p.seen.All, 0)
}

func (p *sharedPurse) Spent() int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.seen.All
}
