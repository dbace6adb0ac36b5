package cli

import (
	"context"
	"log/slog"
	"os"

	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
)

// logTo has what happens added to a file, a line of JSON each: names, counts and codes, no value of any
// document.
func (a *app) logTo(file string) (func(), error) {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_APPEND|os.O_CREATE, 0o644)
	if err != nil {
		return nil, &document.Error{File: file, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	was := a.events
	a.events = slog.New(slog.NewJSONHandler(f, nil))
	return func() {
		a.events = was
		f.Close()
	}, nil
}

// logged adds to what hears of a run that it is written to the log.
func (a *app) logged(run int64, h fill.Hooks) fill.Hooks {
	progress, waiting := h.Progress, h.Waiting
	a.events.Info("begun", "run", run)
	h.Progress = func(now job.Progress) {
		level := slog.LevelInfo
		if now.Failed > 0 && string(now.Status) == "failed" {
			level = slog.LevelWarn
		}
		a.events.Log(context.Background(), level, "document", "run", run, "document", now.Last, "status", string(now.Status), "done", now.Done, "of", now.All, "cost", float64(now.SpentNano)/1e9)
		if progress != nil {
			progress(now)
		}
	}
	h.Waiting = func(t fetch.Try) {
		a.events.Warn("waiting", "run", run, "attempt", t.Number, "status", t.Status, "seconds", t.Wait.Seconds())
		if waiting != nil {
			waiting(t)
		}
	}
	return h
}
