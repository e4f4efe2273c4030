package scim

import (
	"slices"
	"strings"

	"ableroster/internal/filter"
	"ableroster/internal/seeing"
)

// The URIs of schemas (RFC 7643, section 10.3); the last is our own.
const (
	UserSchema       = "urn:ietf:params:scim:schemas:core:2.0:User"
	GroupSchema      = "urn:ietf:params:scim:schemas:core:2.0:Group"
	EnterpriseSchema = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	RosterSchema     = "urn:able-roster:scim:schemas:1.0:User"
)

// Attribute is an attribute as its schema describes it (RFC 7643, section 7).
type Attribute struct {
	Name        string      `json:"name"`
	Type        string      `json:"type"`
	Sub         []Attribute `json:"subAttributes,omitempty"`
	Multi       bool        `json:"multiValued"`
	Description string      `json:"description"`
	Required    bool        `json:"required"`
	Canonical   []string    `json:"canonicalValues,omitempty"`
	CaseExact   bool        `json:"caseExact"`
	Mutability  string      `json:"mutability"`
	Returned    string      `json:"returned"`
	Uniqueness  string      `json:"uniqueness"`
	References  []string    `json:"referenceTypes,omitempty"`
}

const (
	readOnly  = "readOnly"
	readWrite = "readWrite"
	immutable = "immutable"
)

func text(name, description string) Attribute {
	return Attribute{Name: name, Type: "string", Description: description, Mutability: readWrite, Returned: "default", Uniqueness: "none"}
}

func truth(name, description string) Attribute {
	a := text(name, description)
	a.Type = "boolean"
	return a
}

func reference(name string, to ...string) Attribute {
	a := text(name, "The address of it.")
	a.Type, a.CaseExact, a.Mutability, a.References = "reference", true, readOnly, to
	return a
}

func complexOf(name, description string, sub ...Attribute) Attribute {
	a := text(name, description)
	a.Type, a.Sub = "complex", sub
	return a
}

// list is a complex attribute of many values.
func list(name, description string, sub ...Attribute) Attribute {
	a := complexOf(name, description, sub...)
	a.Multi = true
	return a
}

// only makes an attribute, and all in it, one that is read.
func only(a Attribute) Attribute {
	a.Mutability = readOnly
	a.Sub = slices.Clone(a.Sub)
	for i := range a.Sub {
		a.Sub[i].Mutability = readOnly
	}
	return a
}

func unique(a Attribute) Attribute {
	a.Uniqueness = "server"
	return a
}

func required(a Attribute) Attribute {
	a.Required = true
	return a
}

func never(a Attribute) Attribute { // altered once it is there
	a.Mutability = immutable
	return a
}

// common are the attributes that every resource has beside its schema (RFC 7643, section 3.1).
var common = []Attribute{
	{Name: "id", Type: "string", CaseExact: true, Mutability: readOnly, Returned: "always", Uniqueness: "server"},
	{Name: "externalId", Type: "string", CaseExact: true, Mutability: readWrite, Returned: "default", Uniqueness: "none"},
	{Name: "schemas", Type: "reference", Multi: true, CaseExact: true, Mutability: readOnly, Returned: "always"},
	only(complexOf("meta", "", text("resourceType", ""), reference("location"), text("version", ""))),
}

var userAttributes = []Attribute{
	never(unique(required(text("userName", "Who they are when they sign in. It stays as it was made, and is never another's.")))),
	complexOf("name", "Their name.", text("formatted", "As it is written; the same as displayName.")),
	text("displayName", "Their name as people write it."),
	text("title", "What they do."),
	text("userType", "Their employment type."),
	truth("active", "Whether they may sign in and have access; false suspends them."),
	list("emails", "Their e-mail address: one is kept, the primary.", text("value", "The address."), text("type", "work."), truth("primary", "True.")),
	only(list("groups", "The groups that list them.", text("value", "The id of the group."), reference("$ref", "Group"), text("display", "Its label."), text("type", "direct."))),
	only(list("roles", "The roles that were given to them themselves.", text("value", "The key of the role."), text("display", "Its label."))),
	onRequest(only(list("entitlements", "What they can do now, when it is asked for by name.", text("value", "Application, action and pattern."), text("display", "The application.")))),
}

func onRequest(a Attribute) Attribute {
	a.Returned = "request"
	return a
}

var enterpriseAttributes = []Attribute{
	text("employeeNumber", "Their number, where the attribute employee_number is declared."),
	text("costCenter", "Their cost centre, where the attribute cost_center is declared."),
	text("organization", "The company they work for, when it is another."),
	text("division", "Their division, where the attribute division is declared."),
	text("department", "Their unit, by its path."),
	complexOf("manager", "Whom they report to.", text("value", "The id of that user."), reference("$ref", "User"), onlyText("displayName", "Their name.")),
}

func onlyText(name, description string) Attribute {
	a := text(name, description)
	a.Mutability = readOnly
	return a
}

var groupAttributes = []Attribute{
	required(text("displayName", "What people call the group.")),
	list("members", "Users and groups that it lists; whom its filter chooses are not among them.", never(text("value", "The id of the user or group.")), never(reference("$ref", "User", "Group")), never(text("type", "User or Group.")), onlyText("display", "Their name.")),
}

// declared are the keys of declared attributes that enterprise ones stand for.
var declared = map[string]string{"employeeNumber": "employee_number", "costCenter": "cost_center", "division": "division"}

// Schema is a schema with what it describes (RFC 7643, section 7).
type Schema struct {
	ID          string
	Name        string
	Description string
	Attributes  []Attribute
}

// schemasOf are those of a type of resource, the core one first; our own has the attributes that
// the organisation declares.
func schemasOf(v *seeing.View, kind string) []Schema {
	if kind == Groups {
		return []Schema{{GroupSchema, "Group", "Group", groupAttributes}}
	}
	own := []Attribute{text("location", "Where they work."), text("startDate", "Their first day, such as 2027-01-31."), text("endDate", "Their last day.")}
	for _, a := range v.Uncut().Attributes() {
		if !a.Retired {
			x := text(a.Key, a.Label)
			x.CaseExact = a.CaseExact
			if a.Fill != nil {
				x.Mutability = readOnly
			}
			if a.Identifies {
				x = unique(x)
			}
			own = append(own, x)
		}
	}
	return []Schema{{UserSchema, "User", "User account", userAttributes}, {EnterpriseSchema, "EnterpriseUser", "Enterprise user", enterpriseAttributes},
		{RosterSchema, "RosterUser", "What Able Roster has of a user beside", own}}
}

// find is the attribute of a name, without case, and the schema it is of.
func find(schemas []Schema, uri, name string) (a *Attribute, in string) {
	for _, s := range schemas {
		if uri != "" && !strings.EqualFold(uri, s.ID) {
			continue
		}
		if a := among(s.Attributes, name); a != nil {
			return a, s.ID
		}
	}
	if uri == "" || strings.EqualFold(uri, schemas[0].ID) {
		return among(common, name), schemas[0].ID
	}
	return nil, ""
}

func among(all []Attribute, name string) *Attribute {
	i := slices.IndexFunc(all, func(a Attribute) bool { return strings.EqualFold(a.Name, name) })
	if i < 0 {
		return nil
	}
	return &all[i]
}

// filterSchema is what a filter may name.
func filterSchema(schemas []Schema) (out filter.Schema) {
	out = filterable(common)
	for _, s := range schemas {
		out = append(out, filterable(s.Attributes)...)
	}
	return out
}

func filterable(all []Attribute) (out filter.Schema) {
	for _, a := range all {
		x := filter.Attribute{Name: a.Name, Type: filter.String, CaseExact: a.CaseExact, Sub: filterable(a.Sub)}
		switch a.Type {
		case "boolean":
			x.Type = filter.Boolean
		case "complex":
			x.Type = filter.Complex
		}
		out = append(out, x)
	}
	return out
}
