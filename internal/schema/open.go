package schema

// openSource is the schema of style `open`.
const openSource = `schema: open
about: What a document states, whatever kind of document it is.
fields:
  values:
    list: Every value that the document gives a name to, in its order.
    fields:
      of: {text: "What the value belongs to, where the document speaks of several such things; else null.", evidence: inferred}
      name: {text: What the document calls the value., required: true, evidence: inferred}
      value: {text: "The value, letter for letter.", required: true}
  things:
    list: Every person, place, firm and object that the document names.
    fields:
      name: {text: Its name as the document has it., required: true}
      kind: {text: "What kind of thing it is, in a word or two.", evidence: inferred}
  relations:
    list: How these things belong together, as far as the document says so.
    fields:
      from: {text: The name of the one thing., required: true}
      says: {text: "What the one is to the other, in a few words.", required: true, evidence: inferred}
      to: {text: The name of the other thing., required: true}
`

// Open gives the schema of style open: for documents of which no schema is
// known yet.
func Open() *Schema {
	s, err := Parse("the open schema", []byte(openSource))
	if err != nil {
		panic(err)
	}
	return s
}

// IsOpen tells whether a schema is the open one.
func (s *Schema) IsOpen() bool { return s.Name == "open" && string(s.Source) == openSource }
