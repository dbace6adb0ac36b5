package export

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Postgres writes tables into a PostgreSQL database, in one transaction. Tables that
// are not there are made, columns that are missing are added, and none is ever
// dropped. Rows that are there are brought up to date by their keys, items that are
// gone are deleted, and with them the documents that are, where All says that the
// export has all there are.
type Postgres struct {
	All  bool
	plan *Plan
	ctx  context.Context
	at   string // the address without its password
	conn *pgx.Conn
	tx   pgx.Tx
	into []string // what rows are copied into: the table itself, or one beside it
	wait []*bytes.Buffer
	n    []int
	said []string // all statements that were run
	gone []string // documents that are no more
	nuls int      // texts with characters that no text of the database holds
	dry  bool
}

// copiedAtOnce is how many bytes of rows go out at a time.
const copiedAtOnce = 4 << 20

// NewPostgres connects, and makes what is missing. With dry all of it is undone in the
// end.
func NewPostgres(ctx context.Context, p *Plan, address string, dry bool) (*Postgres, error) {
	d := &Postgres{plan: p, ctx: ctx, at: ShownAddress(address), dry: dry}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return nil, d.fault(err)
	}
	d.conn = conn
	if d.tx, err = conn.Begin(ctx); err != nil {
		d.Abandon()
		return nil, d.fault(err)
	}
	p.Tables = slices.DeleteFunc(p.Tables, func(t *Table) bool { return t.gone })
	for _, t := range p.Tables {
		if t.loose {
			d.Abandon()
			return nil, &Error{d.at, "a flat table has no keys to update its rows by", "leave out --wide and --rows; a view can join the tables"}
		}
		if err := d.prepare(t); err != nil {
			d.Abandon()
			return nil, d.fault(err)
		}
	}
	return d, nil
}

// ShownAddress gives a target as it may be shown: an address without its password.
func ShownAddress(address string) string {
	if !strings.Contains(address, "://") {
		return address
	}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" && u.Path == "" {
		return "the database"
	}
	u.User = nil
	if q := u.Query(); q.Has("password") {
		q.Del("password")
		u.RawQuery = q.Encode()
	}
	return u.String()
}

func (d *Postgres) exec(statement string) error {
	d.said = append(d.said, statement)
	_, err := d.tx.Exec(d.ctx, statement)
	return err
}

// prepare makes a table what it is to be, and says where its rows are copied.
func (d *Postgres) prepare(t *Table) error {
	there, err := d.columns(t)
	if err != nil {
		return err
	}
	if len(there) == 0 {
		if err := d.exec(postgres.create(t, "", true)); err != nil {
			return err
		}
		for _, l := range t.Links { // without one, a check of the key reads the whole table
			if err := d.exec(fmt.Sprintf("CREATE INDEX ON %s (%s)", name(t.Name), names(l.Columns))); err != nil {
				return err
			}
		}
	} else {
		for _, fault := range compared(t, there, postgres) {
			if !strings.HasSuffix(fault, "is missing") {
				return &Error{d.at, fault, "rename the field, or the table that is there; nothing was changed"}
			}
		}
		for i := range t.Columns {
			c := &t.Columns[i]
			if _, ok := there[c.Name]; !ok && i < t.Keys {
				return &Error{d.at, fmt.Sprintf("table %s is there and has no column %s, which is a key", t.Name, c.Name), "it is not of an export of this schema; rename it"}
			} else if !ok {
				if err := d.exec(fmt.Sprintf("ALTER TABLE %s ADD COLUMN %s", name(t.Name), postgres.column(c, false))); err != nil {
					return err
				}
			}
		}
	}
	for _, s := range postgres.about(t, "") {
		if err := d.exec(s); err != nil {
			return err
		}
	}
	into := t.Name
	var some bool
	if len(there) > 0 {
		if err := d.tx.QueryRow(d.ctx, fmt.Sprintf("SELECT EXISTS (SELECT FROM %s)", name(t.Name))).Scan(&some); err != nil {
			return err
		}
	}
	if some {
		into = "new_" + t.Name[:min(len(t.Name), longestName-4)]
		if err := d.exec(fmt.Sprintf("CREATE TEMPORARY TABLE %s (LIKE %s INCLUDING INDEXES) ON COMMIT DROP", name(into), name(t.Name))); err != nil {
			return err
		}
	}
	d.into, d.wait, d.n = append(d.into, into), append(d.wait, &bytes.Buffer{}), append(d.n, 0)
	return nil
}

// columns gives the columns of a table that is there, with their types.
func (d *Postgres) columns(t *Table) (map[string]string, error) {
	rows, err := d.tx.Query(d.ctx, `SELECT a.attname, format_type(a.atttypid, NULL) FROM pg_attribute a WHERE a.attrelid = to_regclass($1) AND a.attnum > 0 AND NOT a.attisdropped`, name(t.Name))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	there := map[string]string{}
	for rows.Next() {
		var column, kind string
		if err := rows.Scan(&column, &kind); err != nil {
			return nil, err
		}
		there[column] = shortType(kind)
	}
	return there, rows.Err()
}

func shortType(kind string) string {
	switch kind {
	case "timestamp with time zone":
		return "timestamptz"
	case "time without time zone":
		return "time"
	}
	return kind
}

// escaped writes a text as COPY wants it.
var escaped = strings.NewReplacer("\\", "\\\\", "\t", "\\t", "\n", "\\n", "\r", "\\r")

// Row takes a row.
func (d *Postgres) Row(t int, row []Cell) error {
	b := d.wait[t]
	for i, c := range row {
		if i > 0 {
			b.WriteByte('\t')
		}
		if c.Null {
			b.WriteString(`\N`)
			continue
		}
		text := withoutNul(&d.plan.Tables[t].Columns[i], c.Text)
		if len(text) < len(c.Text) {
			d.nuls++
		}
		escaped.WriteString(b, text)
	}
	b.WriteByte('\n')
	d.n[t]++
	if b.Len() < copiedAtOnce {
		return nil
	}
	return d.copy(t)
}

// copy sends the rows of a table that wait.
func (d *Postgres) copy(t int) error {
	b := d.wait[t]
	if b.Len() == 0 {
		return nil
	}
	table := d.plan.Tables[t]
	var columns []string
	for _, c := range table.Columns {
		columns = append(columns, c.Name)
	}
	_, err := d.conn.PgConn().CopyFrom(d.ctx, io.Reader(b), fmt.Sprintf("COPY %s (%s) FROM STDIN", name(d.into[t]), names(columns)))
	b.Reset()
	if err != nil {
		return d.fault(err)
	}
	return nil
}

// merge brings a table up to date with the rows that were copied beside it.
func (d *Postgres) merge(i int) error {
	t := d.plan.Tables[i]
	if d.into[i] == t.Name {
		return nil
	}
	var all, set, differ, same []string
	for k, c := range t.Columns {
		all = append(all, c.Name)
		if k < t.Keys {
			same = append(same, fmt.Sprintf("n.%s = t.%s", name(c.Name), name(c.Name)))
			continue
		}
		set = append(set, fmt.Sprintf("%s = excluded.%s", name(c.Name), name(c.Name)))
		differ = append(differ, fmt.Sprintf("t.%s IS DISTINCT FROM excluded.%s", name(c.Name), name(c.Name)))
	}
	gone := fmt.Sprintf("DELETE FROM %s t WHERE NOT EXISTS (SELECT FROM %s n WHERE %s)", name(t.Name), name(d.into[i]), strings.Join(same, " AND "))
	if !d.All {
		root := d.into[0]
		gone += fmt.Sprintf(" AND t.\"document\" IN (SELECT \"document\" FROM %s)", name(root))
	}
	then := "NOTHING"
	if len(set) > 0 {
		then = fmt.Sprintf("UPDATE SET %s WHERE %s", strings.Join(set, ", "), strings.Join(differ, " OR "))
	}
	if err := d.exec(gone); err != nil {
		return err
	}
	return d.exec(fmt.Sprintf("INSERT INTO %s AS t (%s) SELECT %s FROM %s ON CONFLICT (%s) DO %s", name(t.Name), names(all), names(all), name(d.into[i]), names(t.keyNames()), then))
}

// Close sends the rest, merges, and ends the transaction.
func (d *Postgres) Close() error {
	defer d.conn.Close(context.WithoutCancel(d.ctx))
	for t := range d.plan.Tables {
		if err := d.copy(t); err != nil {
			return err
		}
	}
	for t := range d.plan.Tables {
		if err := d.merge(t); err != nil {
			return d.fault(err)
		}
	}
	for _, document := range d.gone {
		if err := d.exec(fmt.Sprintf("DELETE FROM %s WHERE \"document\" = %s", name(d.plan.Tables[0].Name), quoted(document, '\''))); err != nil {
			return d.fault(err)
		}
	}
	if d.dry {
		return d.tx.Rollback(d.ctx)
	}
	return d.fault(d.tx.Commit(d.ctx))
}

// Abandon undoes all of it.
func (d *Postgres) Abandon() {
	ctx := context.WithoutCancel(d.ctx)
	if d.tx != nil {
		d.tx.Rollback(ctx)
	}
	if d.conn != nil {
		d.conn.Close(ctx)
	}
}

// Statements gives all that was run, but for the rows.
func (d *Postgres) Statements() []string { return d.said }

// fault says in one line what the database refused.
func (d *Postgres) fault(err error) error {
	var own *Error
	var refused *pgconn.PgError
	switch {
	case err == nil || errors.As(err, &own):
		return err
	case errors.As(err, &refused):
		return &Error{d.at, refusalOf(refused), hintOf(refused)}
	}
	return &Error{d.at, "the database can't be reached (" + firstWords(cause(err).Error()) + ")", "check the address; nothing was changed"}
}

func refusalOf(e *pgconn.PgError) string {
	where := ""
	if e.TableName != "" {
		where = "table " + e.TableName
		if e.ColumnName != "" {
			where += ", column " + e.ColumnName
		}
		where += ": "
	}
	detail := ""
	if e.Detail != "" {
		detail = " (" + firstWords(e.Detail) + ")"
	}
	return "the database refused: " + where + firstWords(e.Message) + detail
}

func hintOf(e *pgconn.PgError) string {
	switch {
	case e.Code == "42501":
		return "grant it: `filler help export` names the rights that are needed; nothing was changed"
	case strings.HasPrefix(e.Code, "28"):
		return "check the user and the password in the address"
	case e.Code == "3D000":
		return "make the database first"
	}
	return "nothing was changed"
}

// firstWords gives the first line of a message, clipped.
func firstWords(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	if len(line) > 200 {
		line = line[:200] + "…"
	}
	return line
}

// checkPostgres says what of a database's tables is not as the plan has them.
func checkPostgres(ctx context.Context, p *Plan, address string) (faults []string, err error) {
	d := &Postgres{plan: p, ctx: ctx, at: ShownAddress(address)}
	if d.conn, err = pgx.Connect(ctx, address); err != nil {
		return nil, d.fault(err)
	}
	defer d.Abandon()
	if d.tx, err = d.conn.BeginTx(ctx, pgx.TxOptions{AccessMode: pgx.ReadOnly}); err != nil {
		return nil, d.fault(err)
	}
	for _, t := range p.Tables {
		there, err := d.columns(t)
		if err != nil {
			return nil, d.fault(err)
		}
		faults = append(faults, compared(t, there, postgres)...)
	}
	return faults, nil
}
