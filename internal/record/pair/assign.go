package pair

import "math"

// Assign solves the assignment problem: given weight[row][column] ≥ 0, it gives
// for each row its column, or -1, so that no column is taken twice and the sum
// of the weights is the greatest. All rows must have the same length.
//
// It is the shortest augmenting path method with potentials (Kuhn 1955,
// Munkres 1957, in the O(rows² · columns) form of Jonker and Volgenant 1987).
func Assign(weight [][]float64) []int {
	rows := len(weight)
	if rows == 0 {
		return nil
	}
	columns := len(weight[0])
	if rows > columns {
		return transposed(weight, rows, columns)
	}
	if result := apartAlready(weight); result != nil {
		return result
	}
	// Indices from 1; column 0 is the one that the row to be placed sits in.
	rowPrice, columnPrice := make([]float64, rows+1), make([]float64, columns+1)
	rowOf := make([]int, columns+1)
	least, from, done := make([]float64, columns+1), make([]int, columns+1), make([]bool, columns+1)
	placed := start(weight, rowPrice, rowOf)
	for row := 1; row <= rows; row++ {
		if placed[row] {
			continue
		}
		augment(weight, row, rowPrice, columnPrice, rowOf, least, from, done)
	}
	result := make([]int, rows)
	for i := range result {
		result[i] = -1
	}
	for column := 1; column <= columns; column++ {
		if rowOf[column] > 0 {
			result[rowOf[column]-1] = column - 1
		}
	}
	return result
}

// apartAlready gives each row its best column where no two rows have the same one,
// as most often; else nil.
func apartAlready(weight [][]float64) []int {
	var few [64]bool
	taken := few[:]
	if len(weight[0]) > len(few) {
		taken = make([]bool, len(weight[0]))
	}
	result := make([]int, len(weight))
	for i, row := range weight {
		best := 0
		for j, w := range row {
			if w > row[best] {
				best = j
			}
		}
		if taken[best] {
			return nil
		}
		taken[best], result[i] = true, best
	}
	return result
}

// start gives each row its best column as price, and that column where it is free
// yet: such rows need no path. All reduced costs are then 0 or more, and 0 where a
// row is placed.
func start(weight [][]float64, rowPrice []float64, rowOf []int) (placed []bool) {
	placed = make([]bool, len(rowPrice))
	for i, row := range weight {
		best := 0
		for j, w := range row {
			if w > row[best] {
				best = j
			}
		}
		rowPrice[i+1] = -row[best]
		if rowOf[best+1] == 0 {
			rowOf[best+1], placed[i+1] = i+1, true
		}
	}
	return placed
}

// augment places one more row along the cheapest alternating path.
func augment(weight [][]float64, row int, rowPrice, columnPrice []float64, rowOf []int, least []float64, from []int, done []bool) {
	columns := len(columnPrice) - 1
	for j := range least {
		least[j], done[j] = math.Inf(1), false
	}
	rowOf[0] = row
	at := 0
	for rowOf[at] != 0 {
		done[at] = true
		r, delta, next := rowOf[at], math.Inf(1), -1
		for j := 1; j <= columns; j++ {
			if done[j] {
				continue
			}
			if cost := -weight[r-1][j-1] - rowPrice[r] - columnPrice[j]; cost < least[j] {
				least[j], from[j] = cost, at
			}
			if least[j] < delta {
				delta, next = least[j], j
			}
		}
		for j := 0; j <= columns; j++ {
			if done[j] {
				rowPrice[rowOf[j]] += delta
				columnPrice[j] -= delta
			} else {
				least[j] -= delta
			}
		}
		at = next
	}
	for at != 0 {
		rowOf[at] = rowOf[from[at]]
		at = from[at]
	}
}

func transposed(weight [][]float64, rows, columns int) []int {
	flipped := make([][]float64, columns)
	for j := range flipped {
		flipped[j] = make([]float64, rows)
		for i := range weight {
			flipped[j][i] = weight[i][j]
		}
	}
	result := make([]int, rows)
	for i := range result {
		result[i] = -1
	}
	for column, row := range Assign(flipped) {
		if row >= 0 {
			result[row] = column
		}
	}
	return result
}
