package cli

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/schema"
	"filler/internal/store"
)

// What flags say that several commands have. A flag has one meaning, whichever
// command it stands at.
const (
	schemaUsage  = "a schema `FILE`, in place of the project's"
	goldUsage    = "gold `PATH`: a folder, or a file of JSON Lines, in place of the project's"
	recordsUsage = "a `FILE` of JSON Lines, or - for standard input, in place of a run"
	modelUsage   = "the `MODEL`: a name in filler.yaml, a base URL, standin:CHARACTER, or printed"
	splitUsage   = "only this `SPLIT` of the gold set: tune or test"
	freshUsage   = "ask again what the cache could answer"
	bareUsage    = "print the records alone, without status, problems and evidence"
	outputUsage  = "write the records to this `FILE`"
	nameUsage    = "the run's `NAME`"

	sensitiveUsage = "show the values of sensitive fields"

	reviewerUsage = "the reviewer's `NAME`, kept with what is decided"
)

// askedTypes are the flags of fill that name fields, in the order of help.
var askedTypes = []struct {
	of    schema.Type
	usage string
}{
	{schema.Text, "a text field at `PATH`, such as inspector.name; all of these are repeatable"},
	{schema.Integer, "an integer at `PATH`, such as 'bays[].number'"},
	{schema.Number, "a number at `PATH`, such as load"},
	{schema.Boolean, "a boolean at `PATH`, such as closed"},
	{schema.Date, "a date at `PATH[=FORMAT]`, such as visited=D.M.YYYY"},
	{schema.Time, "a time at `PATH`, such as began"},
	{schema.DateTime, "a date with time at `PATH`, such as logged"},
	{schema.Choice, "a choice at `PATH=A,B`, such as weather=dry,wet"},
	{schema.Money, "an amount of money at `PATH[=CURRENCY]`, such as cost=EUR"},
	{schema.Quantity, "a quantity at `PATH[=UNIT]`, such as length=m"},
}

// accepted is how many flagged and failed documents a run may end with and
// still count as done.
type accepted struct{ flagged, failed string }

func (o *accepted) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.flagged, "max-flagged", "", "exit with 0 if at most this `SHARE` of the documents is flagged: 2%, or a count")
	cmd.Flags().StringVar(&o.failed, "max-failed", "", "exit with 0 if at most this `SHARE` of the documents failed: 1%, or a count")
}

func (o *accepted) check() error {
	for flag, text := range map[string]string{"--max-flagged": o.flagged, "--max-failed": o.failed} {
		if _, err := limitOf(text, 100); err != nil {
			return fmt.Errorf("%s is a share such as 2%%, or a count, not %q", flag, text)
		}
	}
	return nil
}

// limitOf reads a count, or a share of n documents; nothing is 0.
func limitOf(text string, n int) (int, error) {
	if text == "" {
		return 0, nil
	}
	if figure, isShare := strings.CutSuffix(text, "%"); isShare {
		share, err := strconv.ParseFloat(strings.TrimSpace(figure), 64)
		if err != nil || math.IsNaN(share) || share < 0 || share > 100 {
			return 0, errors.New("not a share")
		}
		return int(share*float64(n)/100 + 1e-9), nil
	}
	count, err := strconv.Atoi(text)
	if err != nil || count < 0 {
		return 0, errors.New("not a count")
	}
	return count, nil
}

// verdict gives the exit code of a run by what is accepted.
func (o *accepted) verdict(a *app, t store.Totals) error {
	flagged, _ := limitOf(o.flagged, t.Documents)
	failed, _ := limitOf(o.failed, t.Documents)
	within := true
	for _, x := range []struct {
		what        string
		have, limit int
		given       bool
	}{{"flagged", t.Flagged, flagged, o.flagged != ""}, {"failed", t.Failed, failed, o.failed != ""}} {
		if x.have > x.limit {
			within = false
			if x.given {
				a.notef("%s %s: more than the %d that --max-%s accepts\n", plural(x.have, "document"), x.what, x.limit, x.what)
			}
		}
	}
	if !within {
		return exit(codeFlagged)
	}
	return nil
}
