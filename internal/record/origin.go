package record

import (
	"errors"
	"fmt"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"filler/internal/base/value"
)

// Origin judges records by a JSON Schema as it is, without ours: what it became can be held
// against it.
type Origin struct{ compiled *jsonschema.Schema }

// NewOrigin makes ready a JSON Schema. No reference is followed out of it.
func NewOrigin(v *value.Value) (*Origin, error) {
	c := jsonschema.NewCompiler()
	c.UseLoader(refuse{})
	if err := c.AddResource("filler:origin", native(v)); err != nil {
		return nil, notCompiled(err)
	}
	compiled, err := c.Compile("filler:origin")
	if err != nil {
		return nil, notCompiled(err)
	}
	return &Origin{compiled}, nil
}

// Refuses says why a record is refused, in the words of what judges it; "" where it is not.
func (o *Origin) Refuses(rec *value.Value) string {
	err := o.compiled.Validate(native(rec))
	var ve *jsonschema.ValidationError
	if !errors.As(err, &ve) {
		return ""
	}
	return deepest(ve)
}

// deepest says in one line what is wrong where a judgment begins.
func deepest(ve *jsonschema.ValidationError) string {
	for len(ve.Causes) > 0 {
		ve = ve.Causes[0]
	}
	return "/" + strings.Join(ve.InstanceLocation, "/") + ": " + ve.ErrorKind.LocalizedString(message.NewPrinter(language.English))
}

// notCompiled says in one line why a JSON Schema can't be compiled: mostly a keyword has a value that it
// can't have.
func notCompiled(err error) error {
	var ve *jsonschema.ValidationError
	if errors.As(err, &ve) {
		return fmt.Errorf("it is no valid JSON Schema at %s", deepest(ve))
	}
	var sve *jsonschema.SchemaValidationError
	if errors.As(err, &sve) && errors.As(sve.Err, &ve) {
		return fmt.Errorf("it is no valid JSON Schema at %s", deepest(ve))
	}
	return fmt.Errorf("it can't be compiled: %s", strings.Join(strings.Fields(err.Error()), " "))
}
