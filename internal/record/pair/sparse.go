package pair

import (
	"container/heap"
	"math"
)

// assignSparse gives for each row its column, or -1, so that no column is taken twice and
// the sum of the weights of the edges is the greatest. It is the shortest augmenting path method
// of Assign on the edges alone, each row with a column of its own that weighs nothing.
func assignSparse(edges [][]edge, columns int) []int {
	a := &sparse{edges: edges, of: make([]int32, columns), columnPrice: make([]float64, columns), dist: make([]float64, columns), from: make([]int32, columns), done: make([]bool, columns), rowPrice: make([]float64, len(edges)), at: make([]int32, len(edges))}
	for j := range a.of {
		a.of[j], a.dist[j] = -1, math.Inf(1)
	}
	var open []int32
	for i, row := range edges {
		a.at[i] = -1
		best := edge{to: -1}
		for _, e := range row {
			if e.w > best.w {
				best = e
			}
		}
		a.rowPrice[i] = -best.w
		switch {
		case best.to < 0:
		case a.of[best.to] < 0:
			a.of[best.to], a.at[i] = int32(i), best.to
		default:
			open = append(open, int32(i))
		}
	}
	for _, i := range open {
		a.augment(i)
	}
	out := make([]int, len(edges))
	for i := range out {
		out[i] = int(a.at[i])
	}
	return out
}

type sparse struct {
	edges       [][]edge
	of          []int32 // by column: its row, or -1
	at          []int32 // by row: its column, or -1
	rowPrice    []float64
	columnPrice []float64
	dist        []float64 // by column, on the way; infinite where it was not met
	from        []int32   // by column: the row it was met from
	done        []bool
	met         []int32
	queue       reached
}

// reach is a column met at a distance; a negative one stands for the own column of row -1-column.
type reach struct {
	dist   float64
	column int32
}

type reached []reach

func (q reached) Len() int { return len(q) }
func (q reached) Less(a, b int) bool {
	return q[a].dist < q[b].dist || q[a].dist == q[b].dist && q[a].column < q[b].column
}
func (q reached) Swap(a, b int) { q[a], q[b] = q[b], q[a] }
func (q *reached) Push(x any)   { *q = append(*q, x.(reach)) }
func (q *reached) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// augment places one more row along the cheapest path.
func (a *sparse) augment(row int32) {
	a.queue, a.met = a.queue[:0], a.met[:0]
	a.relax(row, 0)
	var end reach
	for {
		end = heap.Pop(&a.queue).(reach)
		if end.column < 0 {
			break
		}
		if a.done[end.column] {
			continue
		}
		a.done[end.column] = true
		if a.of[end.column] < 0 {
			break
		}
		a.relax(a.of[end.column], end.dist)
	}
	a.rowPrice[row] += end.dist
	for _, j := range a.met {
		if a.done[j] && j != end.column {
			a.columnPrice[j] += a.dist[j] - end.dist
			a.rowPrice[a.of[j]] += end.dist - a.dist[j]
		}
	}
	a.walkBack(row, end.column)
	for _, j := range a.met {
		a.dist[j], a.done[j] = math.Inf(1), false
	}
}

// relax meets the columns of a row that was reached at a distance.
func (a *sparse) relax(row int32, at float64) {
	for _, e := range a.edges[row] {
		if a.done[e.to] {
			continue
		}
		if d := at + max(0, -e.w-a.rowPrice[row]-a.columnPrice[e.to]); d < a.dist[e.to] {
			if math.IsInf(a.dist[e.to], 1) {
				a.met = append(a.met, e.to)
			}
			a.dist[e.to], a.from[e.to] = d, row
			heap.Push(&a.queue, reach{d, e.to})
		}
	}
	heap.Push(&a.queue, reach{at + max(0, -a.rowPrice[row]), -1 - row})
}

// walkBack changes the places along the path that ends at a column.
func (a *sparse) walkBack(row, column int32) {
	if column < 0 { // a row gives its column up
		last := -1 - column
		if last == row {
			return
		}
		column, a.at[last] = a.at[last], -1
	}
	for {
		r := a.from[column]
		before := a.at[r]
		a.of[column], a.at[r] = r, column
		if r == row {
			return
		}
		column = before
	}
}

// chain takes the edges, none of which cross, that weigh the most together.
func chain(edges [][]edge, columns int, partner []int) {
	type link struct {
		row, column, before int32
		sum                 float64
	}
	var links []link
	best := make([]int32, columns+1) // of a Fenwick tree: the link with the greatest sum up to a column
	for i := range best {
		best[i] = -1
	}
	upTo := func(column int) int32 {
		top := int32(-1)
		for ; column > 0; column -= column & -column {
			if k := best[column]; k >= 0 && (top < 0 || links[k].sum > links[top].sum) {
				top = k
			}
		}
		return top
	}
	for i, row := range edges {
		first := len(links)
		for _, e := range row {
			l := link{int32(i), e.to, upTo(int(e.to)), e.w}
			if l.before >= 0 {
				l.sum += links[l.before].sum
			}
			links = append(links, l)
		}
		for k := first; k < len(links); k++ { // those of one row don't follow each other
			for at := int(links[k].column) + 1; at <= columns; at += at & -at {
				if b := best[at]; b < 0 || links[k].sum > links[b].sum {
					best[at] = int32(k)
				}
			}
		}
	}
	for k := upTo(columns); k >= 0; k = links[k].before {
		partner[links[k].row] = int(links[k].column)
	}
}
