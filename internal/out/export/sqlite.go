package export

import (
	"context"
	"database/sql"
	"fmt"
	"strconv"
	"strings"

	_ "modernc.org/sqlite" // the driver
)

// SQLite writes tables into a database in a file: keys, indices on what joins them,
// the fields' descriptions in the table `fields`, and for each list a view that has
// what it stands in beside it.
type SQLite struct {
	plan *Plan
	db   *sql.DB
	tx   *sql.Tx
	into []*sql.Stmt
	args []any
}

// NewSQLite begins a database in an empty file.
func NewSQLite(p *Plan, file string) (*SQLite, error) {
	db, err := sql.Open("sqlite", "file:"+strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(file)+"?_pragma=journal_mode(OFF)&_pragma=synchronous(OFF)")
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	s := &SQLite{plan: p, db: db}
	if err := s.begin(); err != nil {
		db.Close()
		return nil, err
	}
	return s, nil
}

func (s *SQLite) begin() (err error) {
	if s.tx, err = s.db.Begin(); err != nil {
		return err
	}
	for _, t := range s.plan.Tables {
		if _, err = s.tx.Exec(lite.create(t, "", false)); err != nil {
			return err
		}
		marks := strings.TrimSuffix(strings.Repeat("?, ", len(t.Columns)), ", ")
		stmt, err := s.tx.Prepare(fmt.Sprintf("INSERT INTO %s VALUES (%s)", name(t.Name), marks))
		if err != nil {
			return err
		}
		s.into = append(s.into, stmt)
	}
	if _, err = s.tx.Exec(`CREATE TABLE "fields" ("table_name" TEXT, "column_name" TEXT, "field" TEXT, "about" TEXT, PRIMARY KEY ("table_name", "column_name"))`); err != nil {
		return err
	}
	for _, t := range s.plan.Tables {
		for i := range t.Columns {
			c := &t.Columns[i]
			field := ""
			if c.Field != nil {
				field = c.Field.Path
			}
			if _, err = s.tx.Exec(`INSERT INTO "fields" VALUES (?, ?, ?, ?)`, t.Name, c.Name, field, c.About()); err != nil {
				return err
			}
		}
	}
	return nil
}

// Row writes a row.
func (s *SQLite) Row(t int, row []Cell) error {
	s.args = s.args[:0]
	for i, c := range row {
		s.args = append(s.args, plainValue(&s.plan.Tables[t].Columns[i], c))
	}
	_, err := s.into[t].Exec(s.args...)
	return err
}

// plainValue gives a cell as Go has it: a number as one where it is the same, else as
// text.
func plainValue(c *Column, cell Cell) any {
	switch {
	case cell.Null:
		return nil
	case c.Kind == Integer:
		if n, err := strconv.ParseInt(cell.Text, 10, 64); err == nil {
			return n
		}
	case c.Kind == Number:
		if f, err := strconv.ParseFloat(cell.Text, 64); err == nil {
			return f
		}
	case c.Kind == Boolean:
		if cell.Text == "true" {
			return int64(1)
		}
		return int64(0)
	}
	return cell.Text
}

// Close makes the indices and the views, and ends the database.
func (s *SQLite) Close() error {
	err := s.finish()
	if cerr := s.db.Close(); err == nil {
		err = cerr
	}
	return err
}

func (s *SQLite) finish() error {
	for _, t := range s.plan.Tables {
		for i, l := range t.Links {
			if _, err := s.tx.Exec(fmt.Sprintf("CREATE INDEX %s ON %s (%s)", name(fmt.Sprintf("%s_link_%d", t.Name, i+1)), name(t.Name), names(l.Columns))); err != nil {
				return err
			}
		}
		if view := t.view(); view != "" {
			if _, err := s.tx.Exec(view); err != nil {
				return err
			}
		}
	}
	return s.tx.Commit()
}

// Abandon ends the database half written.
func (s *SQLite) Abandon() {
	s.tx.Rollback()
	s.db.Close()
}

// view gives the statement for a view of a list with what it stands in; "" for the
// record's own table.
func (t *Table) view() string {
	if t.Parent == nil || t.Parent.Keys == 0 {
		return ""
	}
	var along []*Table
	for at := t; at != nil; at = at.Parent {
		along = append([]*Table{at}, along...)
	}
	var columns, joins []string
	taken := map[string]bool{}
	for i, at := range along {
		alias := fmt.Sprintf("t%d", i)
		for k := range at.Columns {
			c := &at.Columns[k]
			if i > 0 && k < at.Keys-1 || c.up > 0 {
				continue // it stands in the table before
			}
			as := c.Name
			if i > 0 {
				as = at.Name + "_" + c.Name
			}
			for taken[as] {
				as += "_"
			}
			taken[as] = true
			columns = append(columns, fmt.Sprintf("%s.%s AS %s", alias, name(c.Name), name(as)))
		}
		if i == 0 {
			joins = append(joins, name(at.Name)+" "+alias)
			continue
		}
		up := along[i-1]
		var on []string
		for k, key := range up.keyNames() {
			on = append(on, fmt.Sprintf("t%d.%s = %s.%s", i-1, name(key), alias, name(at.Columns[k].Name)))
		}
		joins = append(joins, fmt.Sprintf("LEFT JOIN %s %s ON %s", name(at.Name), alias, strings.Join(on, " AND ")))
	}
	return fmt.Sprintf("CREATE VIEW %s AS SELECT %s FROM %s", name(t.Name+"_wide"), strings.Join(columns, ", "), strings.Join(joins, " "))
}

// checkSQLite says what of a database's tables is not as the plan has them.
func checkSQLite(ctx context.Context, p *Plan, file string) (faults []string, err error) {
	db, err := sql.Open("sqlite", "file:"+file+"?mode=ro")
	if err != nil {
		return nil, err
	}
	defer db.Close()
	for _, t := range p.Tables {
		rows, err := db.QueryContext(ctx, "SELECT name, type FROM pragma_table_info(?)", t.Name)
		if err != nil {
			return nil, &Error{file, "not a database that can be read", "name one that an export made"}
		}
		there := map[string]string{}
		for rows.Next() {
			var column, kind string
			if err := rows.Scan(&column, &kind); err != nil {
				rows.Close()
				return nil, err
			}
			there[column] = kind
		}
		rows.Close()
		faults = append(faults, compared(t, there, lite)...)
	}
	return faults, nil
}

// compared says which columns of a table are missing, or of another type.
func compared(t *Table, there map[string]string, d dialect) (faults []string) {
	if len(there) == 0 {
		return []string{fmt.Sprintf("table %s is missing", t.Name)}
	}
	for i := range t.Columns {
		c := &t.Columns[i]
		kind, ok := there[c.Name]
		switch {
		case !ok:
			faults = append(faults, fmt.Sprintf("table %s: column %s is missing", t.Name, c.Name))
		case !strings.EqualFold(kind, d.types[c.Kind]):
			faults = append(faults, fmt.Sprintf("table %s: column %s is %s, not %s", t.Name, c.Name, kind, d.types[c.Kind]))
		}
	}
	return faults
}
