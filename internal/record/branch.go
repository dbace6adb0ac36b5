package record

import (
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
)

// branchMeant gives, of a union that no form of fits, the form that is meant: one whose constants
// are kept, and of those the one that is nearest. What is wrong with the others says nothing. nil
// where it is no such error.
func branchMeant(e *jsonschema.ValidationError) *jsonschema.ValidationError {
	switch e.ErrorKind.(type) {
	case *kind.OneOf, *kind.AnyOf:
	default:
		return nil
	}
	if len(e.Causes) < 2 {
		return nil
	}
	var best *jsonschema.ValidationError
	bestOther, bestErrors := 0, 0
	for _, cause := range e.Causes {
		other, errors := 0, 0
		leaves(cause, func(leaf *jsonschema.ValidationError) {
			errors++
			switch k := leaf.ErrorKind.(type) {
			case *kind.Const:
				other++
			case *kind.Type: // of the value itself, and not of something in it
				if len(leaf.InstanceLocation) == len(e.InstanceLocation) {
					other++
				}
			case *kind.Enum:
				if len(k.Want) == 1 {
					other++
				}
			}
		})
		if best == nil || other < bestOther || other == bestOther && errors < bestErrors {
			best, bestOther, bestErrors = cause, other, errors
		}
	}
	return best
}

func leaves(e *jsonschema.ValidationError, do func(*jsonschema.ValidationError)) {
	if len(e.Causes) == 0 {
		do(e)
		return
	}
	for _, cause := range e.Causes {
		leaves(cause, do)
	}
}
