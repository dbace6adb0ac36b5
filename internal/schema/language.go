package schema

import (
	"filler/internal/base/value"
)

// Language gives a JSON Schema of the schema language itself, made of the same
// tables that the loader goes by, so that editors complete and check as one
// types. What the loader checks beyond single values (keys that name a field,
// links, rules, answers of examples) is the loader's alone.
func Language() value.Value {
	root := value.Obj(value.Str("https://json-schema.org/draft/2020-12/schema").Named("$schema"), value.Str("Filler schema").Named("title"))
	about := map[string]value.Value{
		"schema":   patterned(schemaName.String(), "A name for the schema."),
		"about":    described("string", "What one record is about."),
		"version":  described("", "Yours to count."),
		"each":     oneOfTexts([]string{"document", "entry"}, "One record a document, or as many as it holds."),
		"key":      textOrTexts("What tells entries apart."),
		"fields":   reference("fields", "The fields of a record."),
		"shared":   keyed(reference("uses", ""), "Groups that fields take in with `uses`."),
		"rules":    listOf(reference("rule", ""), "Conditions that a record keeps."),
		"examples": reference("examples", "Solved records for the model."),
		"entity":   entityLanguage(),
		"keywords": described("object", "Kept keywords of an imported JSON Schema."),
	}
	properties := value.Obj()
	for _, k := range RootKeys {
		properties.Set(k, about[k])
	}
	root.Kids = append(root.Kids, object(properties.Kids, []string{"schema", "fields"}).Kids...)
	defs := value.Obj()
	defs.Set("fields", value.Obj(value.Str("object").Named("type"), value.Num("1").Named("minProperties"),
		value.Obj(value.Str(fieldName.String()).Named("pattern")).Named("propertyNames"), reference("field", "").Named("additionalProperties")))
	defs.Set("field", fieldLanguage())
	defs.Set("uses", object([]value.Value{described("string", "What the group is about.").Named("group"), reference("fields", "").Named("fields"), entityLanguage().Named("entity")}, []string{"fields"}))
	defs.Set("rule", object([]value.Value{described("string", "The condition.").Named("holds"), described("string", "What to say where it is broken.").Named("say"), described("string", "The list whose items it is for, such as bays[].").Named("for")}, []string{"holds"}))
	defs.Set("examples", listOf(object([]value.Value{described("string", "A snippet of a document.").Named("text"), described("", "The answer.").Named("gives")}, []string{"text", "gives"}), ""))
	root.Set("$defs", defs)
	return root
}

// entityLanguage: true, or the key and the kind of things.
func entityLanguage() value.Value {
	said := object([]value.Value{textOrTexts("The values that make two mentions the same.").Named("key"), described("string", "The kind of thing, where that is not the field's name.").Named("called")}, nil)
	return value.Obj(value.List(described("boolean", "It is one thing across documents."), said).Named("anyOf"))
}

// fieldLanguage: a text, a part, or an object with just one type key.
func fieldLanguage() value.Value {
	forms := value.List(value.Obj(value.Str("string").Named("type"), value.Num("1").Named("minLength")),
		object([]value.Value{described("string", "The shared group that is taken in.").Named("uses"), described("string", "What to tell the model.").Named("about"), described("boolean", "").Named("required"), textOrTexts("").Named("printed_as"), textOrTexts("").Named("was"), entityLanguage().Named("entity")}, []string{"uses"}))
	for _, name := range Types {
		properties := value.Obj()
		for _, k := range KeysOf(Type(name)) {
			properties.Set(k, keyLanguage(Type(name), k))
		}
		forms.Kids = append(forms.Kids, object(properties.Kids, []string{name}))
	}
	for _, name := range Forms {
		properties := value.Obj()
		for _, k := range keysOfForm(name) {
			switch k {
			case name:
				properties.Set(k, keyLanguage(Type(name), k))
			case "keys", "by":
				properties.Set(k, described("string", ""))
			case "values":
				properties.Set(k, reference("field", "What one value is."))
			case "of":
				properties.Set(k, listOf(reference("field", ""), "What stands at each place."))
			case "forms":
				form := object([]value.Value{described("string", "What the form is.").Named("about"), reference("fields", "").Named("fields")}, nil)
				properties.Set(k, keyed(value.Obj(value.List(described("null", ""), form).Named("anyOf")), "The forms, by name."))
			default:
				properties.Set(k, keyLanguage(Any, k))
			}
		}
		needs := map[string][]string{"map": {"map", "values"}, "tuple": {"tuple", "of"}, "one of": {"one of", "forms"}}[name]
		forms.Kids = append(forms.Kids, object(properties.Kids, needs))
	}
	return value.Obj(forms.Named("anyOf"))
}

func keyLanguage(t Type, k string) value.Value {
	switch k {
	case string(t):
		v := described("string", "What to tell the model.")
		v.Set("minLength", value.Num("1"))
		return v
	case "entity":
		return entityLanguage()
	case "edge":
		return object([]value.Value{described("string", "The value of an item that names one end.").Named("from"), described("string", "The value that names the other.").Named("to"), described("string", "The value that says how they are joined.").Named("kind")}, []string{"from", "to"})
	case "required", "sensitive", "basis", "ordered":
		return described("boolean", "")
	case "to":
		return value.Obj(value.List(textOrTexts("The paths of the fields that it may point to."), listInFile()).Named("anyOf"))
	case "printed_as", "avoid", "key", "removed_as", "was":
		return textOrTexts("")
	case "normalize":
		return textOrTexts("One or more of " + NormalizerNames[0] + " and the others.")
	case "min", "max", "weight":
		return value.Obj(texts([]string{"number", "string"}).Named("type"))
	case "style":
		return oneOfTexts(AskStyles, "How the field is asked for, where it is not as the rest.")
	case "evidence":
		return oneOfTexts(EvidenceKinds, "The loosest kind allowed.")
	case "pivot":
		return described("integer", "The first of the hundred years that years of two digits mean.")
	case "zone":
		return described("string", "Of times that documents print without one: a name of the IANA list, an offset, or none where records hold no offset.")
	case "precision":
		return oneOfTexts(Precisions, "The coarsest that is allowed.")
	case "currency":
		return patterned(currencyCode.String(), "Three letters of ISO 4217.")
	case "true", "false":
		return object([]value.Value{textOrTexts("Other words for it.").Named("also")}, []string{"also"})
	case "unit":
		also := object([]value.Value{textOrTexts("Other words for it.").Named("also")}, []string{"also"})
		return value.Obj(value.List(described("string", ""), value.Obj(value.Str("object").Named("type"), value.Num("1").Named("maxProperties"), also.Named("additionalProperties"))).Named("anyOf"))
	case "pattern", "uses":
		return described("string", "")
	case "compare":
		number := value.Obj(texts([]string{"number", "string"}).Named("type"))
		return value.Obj(value.List(oneOfTexts(Comparisons, ""), object([]value.Value{number.Named("within")}, []string{"within"}), object([]value.Value{number.Named("similar")}, []string{"similar"})).Named("anyOf"))
	case "written":
		if t == Date || t == DateTime {
			return textOrTexts("Formats of D, DD, M, MM, MMM, MMMM and YYYY, or YY with a pivot.")
		}
		return object([]value.Value{oneOfTexts([]string{".", ","}, "").Named("decimal"), described("string", "").Named("group")}, nil)
	case "signs":
		return object([]value.Value{textOrTexts("Words beside a figure that say that it is below 0.").Named("minus"), textOrTexts("And above.").Named("plus")}, nil)
	case "of":
		option := value.Obj(value.List(value.Obj(texts([]string{"string", "null"}).Named("type")),
			object([]value.Value{textOrTexts("Other words for it.").Named("also"), described("string", "What it means.").Named("about")}, nil)).Named("anyOf"))
		choices := value.Obj(value.Str("object").Named("type"), value.Num("2").Named("minProperties"), option.Named("additionalProperties"))
		list := listOf(value.Obj(texts([]string{"string", "number", "boolean", "null"}).Named("type")), "")
		return value.Obj(value.List(list, choices, listInFile()).Named("anyOf"))
	case "fields":
		return reference("fields", "")
	case "items":
		return reference("field", "")
	case "examples":
		return reference("examples", "")
	}
	return described("object", "")
}

func described(jsonType, about string) value.Value {
	v := value.Obj()
	if jsonType != "" {
		v.Set("type", value.Str(jsonType))
	}
	if about != "" {
		v.Set("description", value.Str(about))
	}
	return v
}

func patterned(pattern, about string) value.Value {
	v := described("string", about)
	v.Set("pattern", value.Str(pattern))
	return v
}

func oneOfTexts(list []string, about string) value.Value {
	v := described("", about)
	v.Set("enum", texts(list))
	return v
}

func textOrTexts(about string) value.Value {
	scalar := value.Obj(texts([]string{"string", "number", "boolean"}).Named("type"))
	v := value.Obj(value.List(scalar, listOf(scalar, "")).Named("anyOf"))
	if about != "" {
		v.Set("description", value.Str(about))
	}
	return v
}

func listOf(item value.Value, about string) value.Value {
	v := described("array", about)
	v.Set("items", item)
	return v
}

func keyed(item value.Value, about string) value.Value {
	v := described("object", about)
	v.Set("additionalProperties", item)
	return v
}

func reference(name, about string) value.Value {
	v := value.Obj(value.Str("#/$defs/" + name).Named("$ref"))
	if about != "" {
		v.Set("description", value.Str(about))
	}
	return v
}

// listInFile gives what a list in a file is named by.
func listInFile() value.Value {
	return object([]value.Value{described("string", "The path of a CSV file, from the schema's folder or the project's.").Named("file"), described("string", "The column of the values.").Named("value"),
		textOrTexts("The columns of other words for them.").Named("also"), described("string", "The column of what they mean.").Named("about")}, []string{"file", "value"})
}
