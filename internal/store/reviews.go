package store

import "time"

// Review is what people made of the record of a document: kept by document and text, so
// that later runs find it.
type Review struct {
	Schema    string // its name
	Document  string
	Run       int64  // whose record was reviewed
	TextHash  string // of the text that it was reviewed beside
	By        string // who decided last
	At        time.Time
	Done      bool   // all of it is decided
	Record    []byte // JSON, as people have put it right
	Evidence  []byte // JSON, places by path
	Decisions []byte // JSON: verdicts by path
	Notes     []byte // JSON: texts by path
}

// Reviews keeps what people made of records. Pruning a run leaves it; forgetting a
// document does not.
type Reviews interface {
	SaveReview(r Review) error
	// ReviewOf gives the review of a document's record beside the text with this hash,
	// or beside the newest other; nil where there is none.
	ReviewOf(schema, document, text string) (*Review, error)
	// Reviews calls each for the reviews of a schema, in the order of their documents,
	// the newest of a document first.
	Reviews(schema string, each func(Review) error) error
}
