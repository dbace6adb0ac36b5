package project

import (
	"errors"
	"net/url"
	"path/filepath"
	"strings"

	"filler/internal/base/place"
)

// LedgerVariable names the ledger for all projects of a machine, or of one in its .env.
const LedgerVariable = "FILLER_LEDGER"

// readLedger reads the address of the database that runs are kept in.
func (p *Project) readLedger(n *place.Node) {
	at := n.Filled("the ledger's address")
	if at == "" {
		return
	}
	u := database(at)
	if u == nil {
		n.Fault("this is not the address of a database", "write it as postgres://host:5432/database, or leave `ledger` out: runs are then kept in .filler/ledger.db")
		return
	}
	if _, has := u.User.Password(); has || u.Query().Has("password") {
		n.Fault("a password does not belong in this file", "put "+LedgerVariable+"=postgres://… into .env, or the password into PGPASSWORD or ~/.pgpass")
		return
	}
	p.ledger = at
}

// database takes the address of a database apart; nil where it is none.
func database(at string) *url.URL {
	u, err := url.Parse(at)
	if err != nil || u.Scheme != "postgres" && u.Scheme != "postgresql" || u.Host == "" && u.Query().Get("host") == "" {
		return nil
	}
	return u
}

// Ledger is where the project's runs are kept: the address of a database, or the path of a file.
func (p *Project) Ledger() (string, error) {
	at, err := LedgerAt(p.Dir)
	switch {
	case err != nil || at != "":
		return at, err
	case p.ledger != "":
		return p.ledger, nil
	}
	return p.LedgerFile(), nil
}

// LedgerFile is the file in which the project's runs are kept where nothing names another place.
func (p *Project) LedgerFile() string { return filepath.Join(p.Dir, ".filler", "ledger.db") }

// LedgerAt gives the ledger that the environment, or .env in a folder, names; "" where neither does.
func LedgerAt(dir string) (string, error) {
	at, err := Secret(dir, LedgerVariable)
	if _, none := err.(*NotSet); none {
		return "", nil
	}
	if at = strings.TrimSpace(at); err == nil && at != "" && database(at) == nil {
		err = errors.New(LedgerVariable + " is not the address of a database; write it as postgres://host:5432/database, or leave it out")
	}
	return at, err
}
