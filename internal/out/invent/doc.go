// Package invent makes documents whose records are known, because the record came first.
//
// Rules it keeps:
//
//   - A record keeps its schema: types, bounds, patterns, choices, keys, links and rules.
//   - Where it looks like existing records, no value of theirs that is sensitive is in it.
//   - Every value of a record stands in its document, where it was written; what could not
//     be written there is not in the record.
//   - The same schema, records and seed give the same bytes.
package invent
