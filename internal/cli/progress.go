package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"

	"filler/internal/ask/model"
	"filler/internal/record"
	"filler/internal/run/fill"
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

	run    *fill.Filler // whose pace and load say how long it takes; may be nil
	budget int64        // what may be spent in this go, in billionths; 0: any amount
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
	took := time.Since(p.began)
	made := now.Done - p.start
	goes := now.All - now.Done // documents that are still to come
	short := ""
	if p.budget > 0 && now.SpentNano > 0 && made > 0 {
		if more := int(float64(p.budget-now.SpentNano) / (float64(now.SpentNano) / float64(made))); more < goes {
			goes, short = max(more, 0), fmt.Sprintf(" · budget for about %d more", max(more, 0))
		}
	}
	left := "?"
	if made > 0 {
		left = seconds(p.left(goes, made, took))
	}
	return fmt.Sprintf("%d / %d · %.1f a second · %s left · spent %s%s · %d flagged · %d failed", now.Done, now.All, float64(made)/took.Seconds(), left, p.a.cost(now.SpentNano), short, now.Flagged, now.Failed)
}

// left gives how long so many documents take, when made took so long: no less than
// the limits of a minute allow, which the first minute does not show.
func (p *progress) left(goes, made int, took time.Duration) time.Duration {
	each := took.Seconds() / float64(made)
	if p.run != nil {
		requests, tokens := p.run.Load()
		if n := p.run.Pace.PerMinute; n > 0 {
			each = max(each, float64(requests)/float64(made)/float64(n)*60)
		}
		if n := p.run.Pace.TokensPerMinute; n > 0 {
			each = max(each, float64(tokens)/float64(made)/float64(n)*60)
		}
	}
	return time.Duration(float64(goes) * each * float64(time.Second))
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
