package nightly

import (
	"fmt"
	"strconv"
	"strings"
)

// Metrics gives a night's figures as OpenMetrics text (the standard's version 1.0.0), for whatever
// gathers such from files. All are gauges: each night replaces the last one's.
func (n *Night) Metrics() string {
	var b strings.Builder
	labels := fmt.Sprintf(`project=%s,schema=%s`, labelValue(n.Project), labelValue(n.Schema))
	family := func(name, unit, help string) {
		fmt.Fprintf(&b, "# TYPE %s gauge\n", name)
		if unit != "" {
			fmt.Fprintf(&b, "# UNIT %s %s\n", name, unit)
		}
		fmt.Fprintf(&b, "# HELP %s %s\n", name, help)
	}
	sample := func(name, more string, v float64) {
		if more != "" {
			more = "," + more
		}
		fmt.Fprintf(&b, "%s{%s%s} %s\n", name, labels, more, strconv.FormatFloat(v, 'g', -1, 64))
	}
	one := func(name, unit, help string, v float64) {
		family(name, unit, help)
		sample(name, "", v)
	}
	t, p := n.Totals, n.Picked
	family("filler_documents", "", "Documents filled in the last night, by how they ended.")
	for _, s := range []struct {
		status string
		n      int
	}{{"unflagged", t.Unflagged}, {"repaired", t.Repaired}, {"flagged", t.Flagged}, {"failed", t.Failed}, {"not_reached", t.Waiting}} {
		sample("filler_documents", `status="`+s.status+`"`, float64(s.n))
	}
	if !n.Unbegun {
		family("filler_pile_documents", "", "Documents of the pile, by what the last night found of them.")
		for _, s := range []struct {
			state string
			n     int
		}{{"new", p.New}, {"failed_before", p.Again}, {"changed", p.Changed + p.Left}, {"as_they_were", p.Same}, {"gone", len(p.Gone)}} {
			sample("filler_pile_documents", `state="`+s.state+`"`, float64(s.n))
		}
	}
	family("filler_tokens", "", "Tokens of the last night's exchanges.")
	sample("filler_tokens", `direction="in"`, float64(t.TokensIn))
	sample("filler_tokens", `direction="out"`, float64(t.TokensOut))
	one("filler_exchanges", "", "Requests that were sent in the last night.", float64(t.Exchanges))
	one("filler_cache_answers", "", "Requests that the cache answered in the last night.", float64(t.Cached))
	one("filler_cost", "", "What the last night cost, in the currency of the prices.", float64(n.Spent)/1e9)
	one("filler_took_seconds", "seconds", "How long the last night took.", n.Took.Seconds())
	one("filler_ended_timestamp_seconds", "seconds", "When the last night ended, since 1970.", float64(n.Began.Add(n.Took).UnixMilli())/1000)
	one("filler_exit_code", "", "The exit code of the last night.", float64(n.Exit))
	one("filler_drifted_measures", "", "Measures that differ from the approved run beyond chance.", float64(len(n.Changed())))
	if r := n.Recheck; r != nil {
		family("filler_recheck_f1_ratio", "ratio", "F1 on the documents of the recheck, when approved and now.")
		sample("filler_recheck_f1_ratio", `when="approved"`, r.Was.Value)
		sample("filler_recheck_f1_ratio", `when="now"`, r.Now.Value)
		one("filler_recheck_p_value", "", "Probability of such a difference by chance.", r.P)
	}
	b.WriteString("# EOF\n")
	return b.String()
}

func labelValue(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`).Replace(s) + `"`
}
