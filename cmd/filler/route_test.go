package main

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const orderSchema = `schema: order
fields:
  order_no: {text: Number of the order., printed_as: [Order number]}
  customer: {text: Who ordered., printed_as: [Customer]}
  due: {date: Day of delivery., printed_as: [Deliver by], written: [D.M.YYYY]}
  items:
    list: What was ordered.
    fields:
      article: {text: Name of the article., printed_as: [Article]}
      pieces: {integer: How many., printed_as: [Pieces]}
`

// orderPages gives an order of one to three pages, with its record.
func orderPages(r *rand.Rand, n int) (pages []string, rec string) {
	no, who := fmt.Sprintf("OR-%05d", n), []string{"Brade & Son", "Quill Mills", "Ossel Stores"}[r.IntN(3)]
	head := fmt.Sprintf("ORDER\nOrder number: %s\nCustomer: %s\nDeliver by: %d.%d.2031\n\nArticle        Pieces\n", no, who, 1+r.IntN(28), 1+r.IntN(12))
	for page := range 1 + r.IntN(3) {
		text := ""
		if page == 0 {
			text = head
		} else {
			text = fmt.Sprintf("Order number: %s, continued\n\nArticle        Pieces\n", no)
		}
		for range 2 + r.IntN(4) {
			text += fmt.Sprintf("%-14s %d\n", []string{"Bolt", "Plank", "Rope", "Hinge"}[r.IntN(4)], 1+r.IntN(90))
		}
		pages = append(pages, text)
	}
	return pages, fmt.Sprintf(`{"order_no": %q, "customer": %q, "due": null, "items": []}`, no, who)
}

func writeStack(t *testing.T, file string, pages []string) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Courier", "", 11)
	for _, page := range pages {
		p.AddPage()
		for i, line := range strings.Split(page, "\n") {
			p.Text(20, 25+6*float64(i), line)
		}
	}
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, p.OutputFileAndClose(file))
}

// Stacks of scanned slips and orders, put into one file each, come apart at their pages, and each
// document goes to its job: by what they print, and by a pattern; both held against gold. `fill` fills
// each by its route.
func TestStacksComeApart(t *testing.T) {
	r := rand.New(rand.NewPCG(28, 2))
	dir := t.TempDir()
	write := func(name, text string) {
		at := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoError(t, os.WriteFile(at, []byte(text), 0o644))
	}
	project := func(stacks string) {
		write("filler.yaml", "documents: [pile]\nuse: m\nmodels: {m: {at: \"standin:careful\"}}\nstacks: "+stacks+"\njobs:\n  slips: {schema: slip.yaml, gold: gold-slips, about: Slips of visits to bridges.}\n  orders: {schema: order.yaml, gold: gold-orders, about: Orders of parts.}\n")
	}
	write("slip.yaml", slipSchema)
	write("order.yaml", orderSchema)
	documents := 0
	for n := range 4 {
		var pages []string
		file := fmt.Sprintf("pile/stack%02d.pdf", n)
		for range 2 + r.IntN(5) {
			documents++
			from := len(pages) + 1
			job, rec := "slips", ""
			if r.IntN(2) == 0 {
				s := newSlip(r, documents)
				pages, rec = append(pages, s.text()), s.record()
			} else {
				own, record := orderPages(r, documents)
				pages, rec, job = append(pages, own...), record, "orders"
			}
			id := fmt.Sprintf("%s#%d-%d", file, from, len(pages))
			if from == len(pages) {
				id = fmt.Sprintf("%s#%d", file, from)
			}
			write("gold-"+job+"/"+id+".json", fmt.Sprintf(`{"document": %q, "record": %s}`, id, rec))
		}
		writeStack(t, filepath.Join(dir, file), pages)
	}
	project("printed")
	for _, job := range []string{"slips", "orders"} {
		out, err := run(dir, "gold", "sign", "--job", job, "pile", "--reviewer", "ann")
		require.NoError(t, err, out)
	}
	for _, stacks := range []string{"printed", `{begins: '^(Report no\.|Customer)'}`} {
		project(stacks)
		out, err := run(dir, "route", "--score", "--json")
		require.NoError(t, err, out)
		var got struct {
			Documents, Right int
			Boundaries       struct{ Found, Missed, Extra int }
		}
		at := strings.Index(out, "{")
		require.GreaterOrEqual(t, at, 0, out)
		require.NoError(t, json.NewDecoder(strings.NewReader(out[at:])).Decode(&got), out)
		t.Logf("%s: %+v", stacks, got)
		b := got.Boundaries
		assert.GreaterOrEqual(t, float64(b.Found)/float64(b.Found+b.Extra), 0.95, stacks)
		assert.GreaterOrEqual(t, float64(b.Found)/float64(b.Found+b.Missed), 0.95, stacks)
		assert.Equal(t, got.Documents, got.Right, stacks)
		assert.GreaterOrEqual(t, got.Documents, documents*9/10)
	}
	out, _ := run(dir, "fill", "-o", "{job}.jsonl")
	slips, orders := documentsIn(t, filepath.Join(dir, "slips.jsonl")), documentsIn(t, filepath.Join(dir, "orders.jsonl"))
	assert.Len(t, append(slips, orders...), documents, out)
	assert.Regexp(t, `^pile/stack\d\d\.pdf#\d`, slips[0])
	out, err := run(dir, "score", "--job", "slips", "--json")
	require.NoError(t, err, out)
	assert.Regexp(t, `"f1": ?(1|0\.9)`, out)
	out, err = run(dir, "fill", "-o", "all.jsonl")
	require.Error(t, err)
	assert.Contains(t, out, "write {job} in the name")
}
