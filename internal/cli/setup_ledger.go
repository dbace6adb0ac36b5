package cli

import (
	"cmp"
	"fmt"
	"path/filepath"
	"strings"

	"filler/internal/base/project"
	"filler/internal/base/secret"
	"filler/internal/store"
	"filler/internal/store/postgres"
	"filler/internal/store/sqlite"
)

// ledgerFile gives the file that runs are kept in where nothing names another place: in the
// project, or without one in the folder at hand.
func (w *work) ledgerFile() string {
	if w != nil && w.project != nil {
		return w.project.LedgerFile()
	}
	return filepath.Join(".filler", "ledger.db")
}

// ledgerAt gives where runs are kept: a file, or the address of a database.
func (w *work) ledgerAt() (string, error) {
	if w != nil && w.project != nil {
		return w.project.Ledger()
	}
	at, err := project.LedgerAt(".")
	return cmp.Or(at, w.ledgerFile()), err
}

// job is the project's, whose runs are meant by "last".
func (w *work) job() string {
	if w != nil && w.project != nil {
		return w.project.Job
	}
	return ""
}

// keptRuns opens the ledger to read. The runs of another job are not its own.
func (w *work) keptRuns() (store.Store, error) {
	at, err := w.ledgerAt()
	if err != nil {
		return nil, err
	}
	return openToRead(at, w.job())
}

// openRuns opens the ledger to write.
func (w *work) openRuns() (store.Store, error) {
	at, err := w.ledgerAt()
	if err != nil {
		return nil, err
	}
	return openLedger(at, w.job())
}

// noSuchPlace says of an address that a ledger can't be there.
func noSuchPlace(at string) error {
	if strings.Contains(at, "://") {
		return fmt.Errorf("%s: a ledger is a file, or a database such as postgres://host/database", secret.Address(at))
	}
	return nil
}

// openLedger opens the ledger at a place, a file or the address of a database, to write.
func openLedger(at, job string) (store.Store, error) {
	return openWith(at, job, postgres.Open, sqlite.Open)
}

// openToRead opens the ledger at a place to read; one that is not there is not made.
func openToRead(at, job string) (store.Store, error) {
	return openWith(at, job, postgres.OpenToRead, sqlite.OpenToRead)
}

func openWith(at, job string, database func(string) (*postgres.Ledger, error), file func(string) (*sqlite.Ledger, error)) (store.Store, error) {
	if postgres.Is(at) {
		l, err := database(at)
		if err != nil {
			return nil, err
		}
		l.Job = job
		return l, nil
	}
	if err := noSuchPlace(at); err != nil {
		return nil, err
	}
	l, err := file(at)
	if err != nil {
		return nil, err
	}
	l.Job = job
	return l, nil
}
