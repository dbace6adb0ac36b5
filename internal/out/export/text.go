package export

import (
	"bufio"
	"encoding/csv"
	"filler/internal/base/value"
	"io"
	"os"
	"path/filepath"
)

// Sink takes the rows of tables.
type Sink interface {
	// Row takes a row of the table with this number. The row is used again.
	Row(table int, row []Cell) error
	// Close ends what was written, whole.
	Close() error
}

// CSV writes tables as comma-separated values (RFC 4180), UTF-8, with a line of names.
type CSV struct {
	Null string // what stands for no value
	// Raw leaves cells as they are that a spreadsheet would take for a formula.
	Raw    bool
	plan   *Plan
	files  []*os.File
	out    []*csv.Writer
	buffer []*bufio.Writer
	cells  []string
}

// NewCSV begins a file for each table, in a folder.
func NewCSV(p *Plan, dir string) (*CSV, error) {
	c := &CSV{plan: p}
	for _, t := range p.Tables {
		f, err := os.Create(filepath.Join(dir, t.Name+".csv"))
		if err != nil {
			c.end()
			return nil, err
		}
		c.files = append(c.files, f)
		c.begin(f)
	}
	return c, c.heads()
}

// NewFlatCSV writes the one table of a plan.
func NewFlatCSV(p *Plan, w io.Writer) (*CSV, error) {
	c := &CSV{plan: p}
	c.begin(w)
	return c, c.heads()
}

func (c *CSV) begin(w io.Writer) {
	b := bufio.NewWriterSize(w, 1<<16)
	c.buffer, c.out = append(c.buffer, b), append(c.out, csv.NewWriter(b))
}

func (c *CSV) heads() error {
	for i, t := range c.plan.Tables {
		var names []string
		for _, column := range t.Columns {
			names = append(names, column.Name)
		}
		if err := c.out[i].Write(names); err != nil {
			return err
		}
	}
	return nil
}

// Row writes a row.
func (c *CSV) Row(t int, row []Cell) error {
	c.cells = c.cells[:0]
	for i, cell := range row {
		switch {
		case cell.Null:
			c.cells = append(c.cells, c.Null)
		case c.Raw || c.plan.Tables[t].Columns[i].Kind != Text && !cell.Misfit:
			c.cells = append(c.cells, cell.Text)
		default:
			c.cells = append(c.cells, value.Defused(cell.Text))
		}
	}
	return c.out[t].Write(c.cells)
}

// Close ends the files.
func (c *CSV) Close() error {
	for i := range c.out {
		c.out[i].Flush()
		if err := c.out[i].Error(); err != nil {
			c.end()
			return err
		}
		if err := c.buffer[i].Flush(); err != nil {
			c.end()
			return err
		}
	}
	return c.end()
}

func (c *CSV) end() (err error) {
	for _, f := range c.files {
		if e := f.Close(); err == nil {
			err = e
		}
	}
	c.files = nil
	return err
}
