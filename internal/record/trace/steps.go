package trace

import (
	"filler/internal/base/value"
	"filler/internal/record"
)

// Read is a document that was read.
type Read struct {
	Document, Format, Notes string
	Bytes                   int // of the source text
	Text                    string
}

// Unreadable is a document that could not be read; the record was worked on
// without it.
type Unreadable struct{ Why string }

// Example is a solved document of the prompt that this one is, or nearly is.
type Example struct{ Document string }

// Printed is a record that was filled by what the document prints, without a
// model: so many values.
type Printed struct{ Values int }

// Plan is what was asked for, where it took more than one request.
type Plan struct {
	Requests, Parts int
	Pieces          []Piece
}

// Piece is what one request of a plan was for: bytes of the document, if it was
// cut.
type Piece struct {
	Request    string
	Cut        bool
	Start, End int
	Inside     bool // the piece begins within an entry
}

// Asked is a request that was answered.
type Asked struct {
	Request, Shape string
	Cached         bool
}

// NoAnswer is a request for corrections that nothing came back for.
type NoAnswer struct{ Request, Why string }

// ShapeRefused is a shape that the server did not take or follow.
type ShapeRefused struct{ Shape, Why string }

// TakenOver says which model works on from here.
type TakenOver struct{ Model string }

// Split is a reply that was cut short, and asked for again in chunks.
type Split struct {
	Request string
	Chunks  int
	Why     string
}

// NotSplit is a split that did no better: the first reply is kept as far as it
// goes.
type NotSplit struct{ Request, Why string }

// Lenient is what of a reply was read though it was not the JSON asked for.
type Lenient struct {
	Kind   string
	Offset int // in bytes of the reply
	Note   string
}

// Unused is a stretch of a reply that no value came from.
type Unused struct {
	Offset, Line int
	Text, Reason string
	Chatter      bool // words around the answer
}

// Pointed is a value that was copied from where the model pointed.
type Pointed struct {
	Path         value.Pointer
	Said, Copied string
}

// PointerRefused is a pointer that points to nothing.
type PointerRefused struct {
	Path      value.Pointer
	Said, Why string
}

// PlaceRefused is a place on a page that is on none.
type PlaceRefused struct {
	Path value.Pointer
	Why  string
}

// Normalized is a value that a rule changed.
type Normalized struct {
	Path     value.Pointer
	Rule     string
	From, To value.Value
}

// Merged is what was decided where records of parts became one.
type Merged struct {
	What string // one of package merge
	Path value.Pointer
	Note string
	Was  value.Value // what is no more; null: nothing
}

// Uncovered are lines that nothing came from, which were asked for once more.
type Uncovered struct {
	Round int
	Lines []Line
}

// Line is a line of the document, from 1, with the field that it names, or that
// something which was left over in it may be of.
type Line struct {
	Line        int
	Field, Text string
	Left        bool
}

// Checked is a check of the record, with all problems found.
type Checked struct{ Problems []record.Problem }

// Operation is a change that a model asked for.
type Operation struct {
	Do    string // add, replace or remove
	Path  value.Pointer
	Value *value.Value // nil: none
	Quote string       // the words it rests on, if it names any
}

// Corrected is a correction that was taken.
type Corrected struct {
	Request    string
	Operations []Operation
	Left       []record.Problem
}

// CorrectionRefused is one that was not.
type CorrectionRefused struct {
	Request    string
	Operations []Operation
	Why        string
}

// AskingEnded says that problems of one kind are not asked about any more: so many
// requests in a row left all that they named.
type AskingEnded struct {
	Field    string // its path in the schema; "": the record
	Code     record.Code
	Requests int
	Left     int // problems of this kind
}

// NewDocument is a document that a record is brought up to date by.
type NewDocument struct {
	Document, Format string
	Bytes            int
	Text             string
}

// SameText is a new document that the record was filled from already.
type SameText struct{ Document string }

// SourceChanged says that the record's own document is not what it was.
type SourceChanged struct{}

// NothingNew is an answer by which a new document changes nothing.
type NothingNew struct{ Request string }

// Updated is what a new document changed.
type Updated struct {
	Request    string
	Operations []Operation
	Refused    []Refusal
	New        []value.Value // entries that are told and not kept
	Confirmed  int           // values said once more
}

// Refusal is an operation, from 1, that was not taken.
type Refusal struct {
	Operation int
	Path      value.Pointer
	Why       string
}

// Kept is a value that stays though a new document says another.
type Kept struct {
	Path       value.Pointer
	Was, Other value.Value
	Document   string
}

// History is what updates changed in a record since it was filled. Of its
// changes the first Before are older than this run. Changes are kept as records
// have them.
type History struct {
	Before  int
	Changes value.Value
}

// Reviewed is what people decided about the document's record in production, in an
// earlier run. Stale: its text is another now, and nothing of it is heeded.
type Reviewed struct {
	By, On  string
	Done    bool // all of it is decided
	Stale   bool
	Values  value.Value // a list of the paths that they have looked at
	Changes value.Value // a list, as records have their history
}

// Evidence counts the values by their kind of evidence.
type Evidence struct{ Quoted, Restated, Lookalike, Pictured, Inferred, None int }

// Ended is the outcome.
type Ended struct {
	Status   record.Status
	Problems []record.Problem
}

// Other is a step that this program does not know, kept as it is.
type Other struct {
	Step string
	Is   value.Value
}
