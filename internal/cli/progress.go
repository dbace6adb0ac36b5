package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"

	"filler/internal/ask/model"
	"filler/internal/record"
	"filler/internal/run/job"
	"filler/internal/source/fetch"
)

// progress shows how far a run is: a line that renews itself on a terminal,
// else a plain line every few seconds.
type progress struct {
	a      *app
	bar    *progressbar.ProgressBar
	began  time.Time
	last   time.Time
	waited time.Time
	start  int // documents that were done before
}

// lineEvery is how often a plain line comes.
const lineEvery = 3 * time.Second

func (a *app) newProgress() *progress {
	return &progress{a: a, began: time.Now(), last: time.Now(), start: -1}
}

func (p *progress) show(now job.Progress) {
	if p.start < 0 {
		p.start = now.Done - 1
	}
	if now.Status == record.Failed {
		p.clear()
		if !strings.HasPrefix(now.Problem, now.Last+":") { // most problems of reading name the place themselves
			now.Problem = now.Last + ": " + now.Problem
		}
		p.a.notef("failed: %s\n", now.Problem)
	}
	if p.a.term.err {
		p.onTerminal(now)
		return
	}
	if time.Since(p.last) >= lineEvery {
		p.last = time.Now()
		p.a.notef("%s\n", p.line(now))
	}
}

func (p *progress) line(now job.Progress) string {
	rate := float64(now.Done-p.start) / time.Since(p.began).Seconds()
	left := "?"
	if rate > 0 {
		left = seconds(time.Duration(float64(now.All-now.Done) / rate * float64(time.Second)))
	}
	return fmt.Sprintf("%d / %d · %.1f a second · %s left · spent %s · %d flagged · %d failed", now.Done, now.All, rate, left, p.a.cost(now.SpentNano), now.Flagged, now.Failed)
}

func (p *progress) onTerminal(now job.Progress) {
	if time.Since(p.began) < time.Second && p.bar == nil {
		return
	}
	if p.bar == nil {
		p.bar = progressbar.NewOptions(now.All, progressbar.OptionSetWriter(p.a.err.(*screen).to), progressbar.OptionSetWidth(24),
			progressbar.OptionClearOnFinish(), progressbar.OptionSetElapsedTime(false), progressbar.OptionSetPredictTime(false),
			progressbar.OptionThrottle(80*time.Millisecond),
			progressbar.OptionSetTheme(progressbar.Theme{Saucer: "▪", SaucerPadding: "·", BarStart: "", BarEnd: ""}))
	}
	p.bar.Describe(visible(p.line(now)))
	_ = p.bar.Set(now.Done)
}

func (p *progress) waiting(t fetch.Try) {
	if time.Since(p.waited) < time.Second {
		return // many wait at once where a server is busy; one line tells it
	}
	p.waited = time.Now()
	p.clear()
	p.a.notef("%s\n", model.Waited(t))
}

func (p *progress) clear() {
	if p.bar != nil {
		_ = p.bar.Clear()
	}
}

func (p *progress) end() {
	if p.bar != nil {
		_ = p.bar.Finish()
	}
}
