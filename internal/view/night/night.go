// Package night writes the page that a night leaves: what was filled, what to look at, whether the
// model and the documents are as they were. No value of a document stands on it.
package night

import (
	"fmt"
	"strings"

	"filler/internal/run/nightly"
	"filler/internal/view/figures"
	"filler/internal/view/signs"
)

func cost(n *nightly.Night, nano int64) string {
	if n.Currency == "" {
		return figures.Money(nano)
	}
	return figures.Money(nano) + " " + n.Currency
}

// pileText says what a night found of its pile.
func pileText(b *strings.Builder, n *nightly.Night) {
	p := n.Picked
	fmt.Fprintf(b, "| documents | |\n|---|--:|\n| new | %d |\n| failed before | %d |\n| changed | %d |\n| as they were | %d |\n", p.New, p.Again, p.Changed, p.Same)
	if p.Left > 0 {
		fmt.Fprintf(b, "| changed, not asked for (--changed) | %d |\n", p.Left)
	}
	fmt.Fprintf(b, "| gone | %d |\n| renamed | %d |\n\n", len(p.Gone), len(p.Renamed))
}

// cell makes a name fit for a table of Markdown: nothing in it is a link, a tag, or a sign that is not
// seen.
func cell(s string) string {
	return strings.NewReplacer("\\", "\\\\", "|", "\\|", "<", "&lt;", "`", "'", "[", "\\[", "]", "\\]").Replace(signs.Visible(strings.Join(strings.Fields(s), " ")))
}

// Page gives the page, as Markdown that reads well as it stands.
func Page(n *nightly.Night) string {
	var b strings.Builder
	name := cell(n.Project)
	if n.Job != "" {
		name += ", " + cell(n.Job)
	}
	fmt.Fprintf(&b, "# %s: %s\n\n%s, %s\n\n", name, cell(n.Verdict()), n.Began.Format("2006-01-02 15:04"), figures.Seconds(n.Took))
	t := n.Totals
	if n.Picks {
		pileText(&b, n)
	}
	if n.Run > 0 {
		fmt.Fprintf(&b, "Run %d, model %s: %s, %d unflagged, %d repaired, %d flagged, %d failed", n.Run, cell(n.Model), figures.Plural(t.Documents, "document"), t.Unflagged, t.Repaired, t.Flagged, t.Failed)
		if t.Waiting > 0 {
			fmt.Fprintf(&b, ", %d not reached", t.Waiting)
		}
		fmt.Fprintf(&b, ". Unflagged says that no check objected, not that it is right.\n\n")
	}
	fmt.Fprintf(&b, "Spent: %s", cost(n, n.Spent))
	if n.RecheckSpent > 0 {
		fmt.Fprintf(&b, ", %s of it by the recheck", cost(n, n.RecheckSpent))
	}
	if n.Run > 0 {
		fmt.Fprintf(&b, "; %s, and %d answers from the cache", figures.Plural(t.Exchanges, "exchange"), t.Cached)
	}
	b.WriteString(".\n")
	if len(n.Look) > 0 {
		b.WriteString("\n## To look at\n\n| document | | problems |\n|---|---|---|\n")
		for _, l := range n.Look {
			fmt.Fprintf(&b, "| %s | %s | %s |\n", cell(l.Document), l.Status, strings.Join(l.Codes, ", "))
		}
		if n.MoreLook > 0 {
			fmt.Fprintf(&b, "\nand %d more; `filler review %d --show problems` shows them all.\n", n.MoreLook, n.Run)
		}
	}
	ofPile(&b, n)
	recheckText(&b, n)
	driftText(&b, n)
	return b.String()
}

// ofPile names the documents that no job had.
func ofPile(b *strings.Builder, n *nightly.Night) {
	p := n.Pile
	if p == nil || len(p.Open)+len(p.NotRead) == 0 {
		if p != nil && p.Spent > 0 {
			fmt.Fprintf(b, "\nThe model was asked which job documents are for: %s, for all jobs together.\n", cost(n, p.Spent))
		}
		return
	}
	b.WriteString("\n## Of the pile\n\n")
	if len(p.Open) > 0 {
		fmt.Fprintf(b, "For no job, and not filled; a rule under `route:` or a fuller `about` says which they are for:\n\n%s", names(p.Open))
	}
	if len(p.NotRead) > 0 {
		fmt.Fprintf(b, "Not read; `filler read DOC` says why:\n\n%s", names(p.NotRead))
	}
	if p.Spent > 0 {
		fmt.Fprintf(b, "Asking the model which job documents are for cost %s, for all jobs together.\n", cost(n, p.Spent))
	}
}

// names lists documents, at most as many as a summary names.
func names(ids []string) string {
	var b strings.Builder
	for _, id := range ids[:min(len(ids), nightly.MostLooks)] {
		fmt.Fprintf(&b, "- %s\n", cell(id))
	}
	if more := len(ids) - nightly.MostLooks; more > 0 {
		fmt.Fprintf(&b, "- and %d more\n", more)
	}
	return b.String() + "\n"
}

func recheckText(b *strings.Builder, n *nightly.Night) {
	r := n.Recheck
	if r == nil {
		if n.Skipped != "" {
			fmt.Fprintf(b, "\n## Recheck\n\nNot made: %s.\n", n.Skipped)
		}
		return
	}
	fmt.Fprintf(b, "\n## Recheck\n\nOf %s with gold, filled again past the cache (run %d) and held against run %d, which was approved: F1 %s then, %s now (%+.1f points", figures.Plural(r.Documents, "document"), r.Run, r.Approved, figures.Ratio(r.Was), figures.Ratio(r.Now), 100*r.Difference())
	if r.HasInterval && r.Low != r.High {
		fmt.Fprintf(b, ", 95 %% interval %+.1f to %+.1f", 100*r.Low, 100*r.High)
	}
	fmt.Fprintf(b, ", p = %.4f). ", r.P)
	switch {
	case r.Worse():
		fmt.Fprintf(b, "**Model %s is worse than it was**: %s.\n", cell(r.Model), lostIn(r))
	case r.Better():
		fmt.Fprintf(b, "Model %s is better than it was: it is another one.\n", cell(r.Model))
	default:
		b.WriteString("No difference beyond chance.\n")
	}
}

func lostIn(r *nightly.Recheck) string {
	if len(r.FieldsFurthest) == 0 {
		return fmt.Sprintf("%d values lost, %d gained", r.Broken, r.Fixed)
	}
	return "most in " + strings.Join(r.FieldsFurthest, ", ")
}

func driftText(b *strings.Builder, n *nightly.Night) {
	if n.Approved == 0 || n.Run == 0 {
		return
	}
	changed := n.Changed()
	fmt.Fprintf(b, "\n## Drift from run %d\n\n", n.Approved)
	if len(n.Drifts) == 0 {
		b.WriteString("Too few documents to say: of no measure there are five.\n")
		return
	}
	if len(changed) == 0 {
		fmt.Fprintf(b, "Of %d measures that need no gold none differs beyond chance.\n", len(n.Drifts))
		return
	}
	b.WriteString("| measure | then | now | p |\n|---|--:|--:|--:|\n")
	for _, d := range changed {
		fmt.Fprintf(b, "| %s | %.3f | %.3f | %.4f |\n", cell(d.Measure), d.Was, d.Now, d.P)
	}
}
