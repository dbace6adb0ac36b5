package cli

import (
	"fmt"
	"io"
	"strings"
	"time"

	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

func writeLine(to io.Writer, s *schema.Schema, run int64, r store.Record, bare bool) error {
	line, err := fill.ToLine(run, r, s)
	if err != nil {
		return err
	}
	v := line.JSON(s.EachEntry())
	if bare {
		v = line.Record
	}
	if _, err = fmt.Fprintf(to, "%s\n", v.JSON()); err != nil {
		return &document.Error{File: "standard output", Msg: "can't be written", Hint: "the records are in the ledger; `filler fill --resume` prints them again"}
	}
	return nil
}

// summary says how a run ended, on standard error.
func (a *app) summary(run int64, t store.Totals, took time.Duration, err error) {
	waiting := ""
	if err == nil && t.Waiting > 0 {
		waiting = fmt.Sprintf(" · %d waiting", t.Waiting)
	}
	a.notef("run %d: %s · %d unflagged · %d repaired · %d flagged · %d failed%s\n", run, plural(t.Documents, "document"), t.Unflagged, t.Repaired, t.Flagged, t.Failed, waiting)
	if t.Unflagged > 0 {
		a.notef("unflagged: no check objected; accuracy is what `filler score` says\n")
	}
	guess := a.estimated(t)
	cached := ""
	if t.Cached > 0 {
		cached = fmt.Sprintf(" and %s from the cache", thousands(t.Cached))
	}
	a.notef("%s%s · %s tokens in, %s out · cost %s%s · %s\n", plural(t.Exchanges, "exchange"), cached, thousands(t.TokensIn), thousands(t.TokensOut), a.cost(t.CostNano), guess, seconds(took))
	switch {
	case err != nil:
		a.notef("stopped with %s left to fill; continue with `filler fill --resume=%d`\n", plural(t.Waiting, "document"), run)
	case t.Waiting > 0:
	case t.Failed > 0:
		a.notef("`filler trace DOC` shows why a document failed; `filler fill --resume=%d --fresh` asks for the failed ones again\n", run)
	case t.Flagged > 0:
		a.notef("`filler trace DOC` shows what is wrong with a flagged record\n")
	}
}

// noteEmpty names records that no check objected to, and that have nothing in them.
func (a *app) noteEmpty(f *fill.Filler) {
	n, first := f.Empty()
	if n == 0 {
		return
	}
	names := strings.Join(first, ", ")
	if n > len(first) {
		names += fmt.Sprintf(" and %d more", n-len(first))
	}
	a.notef("note: nothing is in %s, and no check objected: %s; `filler trace %s` shows what the model said\n", plural(n, "record"), names, first[0])
}

func (a *app) printOne(f *fill.Filler, run int64) error {
	return f.Ledger.Records(run, 0, func(r store.Record) error {
		line, err := fill.ToLine(run, r, f.Schema)
		if err == nil {
			line = record.NewCover(f.Schema).Line(line)
			a.printRecord(f.Schema, &line)
		}
		return err
	})
}

// estimated says how much of a cost is an estimate: what a server does not count, and requests that
// were cut off.
func (a *app) estimated(t store.Totals) string {
	switch {
	case t.EstimatedNano > 0 && t.EstimatedNano < t.CostNano:
		return fmt.Sprintf(" (%s of it estimated)", a.cost(t.EstimatedNano))
	case t.Estimated && t.EstimatedNano == t.CostNano:
		return " (estimated)"
	case t.Estimated:
		return " (partly estimated)"
	}
	return ""
}
