package export

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode"

	_ "modernc.org/sqlite" // the driver
)

// Rows of a question, and the limits within which it is answered.
const (
	mostAnswerRows = 1000
	queryTime      = 10 * time.Second
	queryMemory    = 256 << 20
)

// Answer is what a question to tables came to.
type Answer struct {
	Columns []string
	Rows    [][]string // "" with Null where there is no value
	Nulls   [][]bool
	Numbers [][]bool // the cell is a number
	More    bool     // rows beyond the limit are left out
}

// Refused says why a statement is not run.
type Refused struct{ Why string }

func (r *Refused) Error() string { return r.Why }

// Query answers one SELECT from an exported SQLite file, which can't be changed by it: the
// file is opened to be read only, nothing else can be attached, and time, memory and rows
// are bounded.
func Query(ctx context.Context, file, statement string) (*Answer, error) {
	if err := onlyReads(statement); err != nil {
		return nil, err
	}
	at := url.URL{Scheme: "file", Opaque: (&url.URL{Path: file}).EscapedPath(), RawQuery: fmt.Sprintf("mode=ro&immutable=1&_pragma=query_only(1)&_pragma=trusted_schema(0)&_pragma=hard_heap_limit(%d)", queryMemory)}
	db, err := sql.Open("sqlite", at.String())
	if err != nil {
		return nil, err
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, queryTime)
	defer cancel()
	rows, err := db.QueryContext(ctx, statement)
	if err != nil {
		return nil, asked(ctx, err)
	}
	defer rows.Close()
	a := &Answer{}
	if a.Columns, err = rows.Columns(); err != nil {
		return nil, asked(ctx, err)
	}
	for rows.Next() {
		if len(a.Rows) == mostAnswerRows {
			a.More = true
			break
		}
		cells := make([]any, len(a.Columns))
		into := make([]any, len(cells))
		for i := range cells {
			into[i] = &cells[i]
		}
		if err := rows.Scan(into...); err != nil {
			return nil, asked(ctx, err)
		}
		a.add(cells)
	}
	return a, asked(ctx, rows.Err())
}

// add adds a row.
func (a *Answer) add(cells []any) {
	row, nulls, numbers := make([]string, len(cells)), make([]bool, len(cells)), make([]bool, len(cells))
	for i, c := range cells {
		switch c := c.(type) {
		case nil:
			nulls[i] = true
		case int64:
			row[i], numbers[i] = strconv.FormatInt(c, 10), true
		case float64:
			row[i], numbers[i] = strconv.FormatFloat(c, 'f', -1, 64), !math.IsInf(c, 0) && !math.IsNaN(c)
		case bool:
			row[i] = strconv.FormatBool(c)
		case []byte:
			row[i] = strings.ToValidUTF8(string(c), "\uFFFD")
		case time.Time:
			row[i] = c.Format(time.RFC3339)
		default:
			row[i] = fmt.Sprint(c)
		}
	}
	a.Rows, a.Nulls, a.Numbers = append(a.Rows, row), append(a.Nulls, nulls), append(a.Numbers, numbers)
}

// asked says in words why a statement failed.
func asked(ctx context.Context, err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return &Refused{fmt.Sprintf("the statement took longer than %s, and was stopped", queryTime)}
	case ctx.Err() != nil:
		return ctx.Err()
	}
	text, _, _ := strings.Cut(strings.TrimPrefix(err.Error(), "SQL logic error: "), " (")
	return &Refused{text}
}

// onlyReads refuses what is not one SELECT. SQLite itself would not write, since the file
// is opened to be read; this says so in words, and keeps other files out.
func onlyReads(statement string) error {
	words, semicolons := wordsOf(statement)
	switch {
	case len(words) == 0:
		return &Refused{"there is no statement"}
	case words[0] != "select" && words[0] != "with":
		return &Refused{fmt.Sprintf("only a SELECT is run, and this begins with %s", strings.ToUpper(words[0]))}
	case semicolons:
		return &Refused{"only one statement is run"}
	}
	for _, w := range words {
		switch {
		case w == "attach", w == "detach", w == "vacuum", w == "load_extension", w == "readfile", w == "writefile", w == "edit", strings.HasPrefix(w, "pragma"), strings.HasPrefix(w, "fts"), w == "into", w == "insert", w == "update", w == "delete", w == "drop", w == "create", w == "alter", w == "replace" && words[0] != "select" && words[0] != "with":
			return &Refused{fmt.Sprintf("%s is not allowed in a question", strings.ToUpper(w))}
		}
	}
	return nil
}

// wordsOf gives the words of a statement outside of texts, quoted names and remarks, in
// lower case; and whether anything stands behind a semicolon.
func wordsOf(statement string) (words []string, further bool) {
	var b strings.Builder
	flush := func() {
		if b.Len() > 0 {
			words = append(words, strings.ToLower(b.String()))
			b.Reset()
		}
	}
	ended := false
	for i := 0; i < len(statement); {
		rest := statement[i:]
		switch c := statement[i]; {
		case strings.HasPrefix(rest, "--"):
			flush()
			i += lengthTo(rest, "\n")
			continue
		case strings.HasPrefix(rest, "/*"):
			flush()
			i += lengthTo(rest[2:], "*/") + 2
			continue
		case c == '\'' || c == '"' || c == '`':
			flush()
			further = further || ended
			i += 1 + lengthTo(rest[1:], string(c))
			continue
		case c == '[':
			flush()
			further = further || ended
			i += lengthTo(rest, "]")
			continue
		case c == ';':
			flush()
			ended = true
		case c == '_' || c >= 0x80 || unicode.IsLetter(rune(c)) || unicode.IsDigit(rune(c)):
			further = further || ended
			b.WriteByte(c)
		default:
			flush()
			further = further || ended && !unicode.IsSpace(rune(c))
		}
		i++
	}
	flush()
	return words, further
}

// lengthTo gives how far it is to behind a sign, or to the end.
func lengthTo(text, sign string) int {
	if i := strings.Index(text, sign); i >= 0 {
		return i + len(sign)
	}
	return len(text)
}
