// Package scim is the form in which directories tell of people and groups: the resources of SCIM 2.0 with their
// attributes (RFC 7643), how these are changed, chosen, searched and sorted (RFC 7644), and what they are in a
// design.
package scim

import (
	"slices"
	"strings"
	"sync"

	"fachwerk/internal/core/filter"
)

// The schemas of resources and of messages (RFC 7643 §8.7, RFC 7644 §8.2).
const (
	CoreUser     = "urn:ietf:params:scim:schemas:core:2.0:User"
	CoreGroup    = "urn:ietf:params:scim:schemas:core:2.0:Group"
	Enterprise   = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	ErrorSchema  = "urn:ietf:params:scim:api:messages:2.0:Error"
	ListSchema   = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
	PatchSchema  = "urn:ietf:params:scim:api:messages:2.0:PatchOp"
	BulkSchema   = "urn:ietf:params:scim:api:messages:2.0:BulkRequest"
	BulkAnswer   = "urn:ietf:params:scim:api:messages:2.0:BulkResponse"
	SearchSchema = "urn:ietf:params:scim:api:messages:2.0:SearchRequest"
)

// Attribute is one attribute of a schema, as RFC 7643 §7 describes it.
type Attribute struct {
	Name        string      `json:"name"`
	Type        string      `json:"type"`
	Multi       bool        `json:"multiValued"`
	Description string      `json:"description"`
	Required    bool        `json:"required"`
	Canonical   []string    `json:"canonicalValues,omitempty"`
	Exact       bool        `json:"caseExact"`
	Mutability  string      `json:"mutability"`
	Returned    string      `json:"returned"`
	Uniqueness  string      `json:"uniqueness"`
	Targets     []string    `json:"referenceTypes,omitempty"`
	Parts       []Attribute `json:"subAttributes,omitempty"`
}

// Schema is a set of attributes.
type Schema struct {
	ID          string      `json:"id"`
	Name        string      `json:"name"`
	Description string      `json:"description"`
	Attributes  []Attribute `json:"attributes"`
}

// text and its like make attributes that hold one text; what differs is said by the options.
func text(name, description string, options ...func(*Attribute)) Attribute {
	a := Attribute{
		Name:        name,
		Type:        "string",
		Description: description,
		Mutability:  "readWrite",
		Returned:    "default",
		Uniqueness:  "none",
	}
	for _, o := range options {
		o(&a)
	}
	return a
}

func as(kind string) func(*Attribute)             { return func(a *Attribute) { a.Type = kind } }
func required(a *Attribute)                       { a.Required = true }
func exact(a *Attribute)                          { a.Exact = true }
func unique(a *Attribute)                         { a.Uniqueness = "server" }
func readOnly(a *Attribute)                       { a.Mutability = "readOnly" }
func immutable(a *Attribute)                      { a.Mutability = "immutable" }
func always(a *Attribute)                         { a.Returned = "always" }
func multi(a *Attribute)                          { a.Multi = true }
func canonical(values ...string) func(*Attribute) { return func(a *Attribute) { a.Canonical = values } }
func referring(targets ...string) func(*Attribute) {
	return func(a *Attribute) { a.Type, a.Exact, a.Targets = "reference", true, targets }
}
func of(parts ...Attribute) func(*Attribute) {
	return func(a *Attribute) { a.Type, a.Parts = "complex", parts }
}
func many(name, description, what string, kinds ...string) Attribute {
	return listing(name, description, text("value", what), kinds...)
}

// listing makes an attribute with several values, each of a type, of which one is primary.
func listing(name, description string, value Attribute, kinds ...string) Attribute {
	return text(
		name,
		description,
		multi,
		of(
			value,
			text("display", "How it is shown."),
			text("type", "What it is for.", canonical(kinds...)),
			text("primary", "The one to use first.", as("boolean")),
		),
	)
}

// common are the attributes that every resource has (RFC 7643 §3.1).
var common = []Attribute{
	text("schemas", "The schemas of the resource.", multi, required, always, referring("uri")),
	text("id", "Fachwerk's own id, which never changes.", exact, unique, readOnly, always),
	text("externalId", "The directory's id.", exact),
	text(
		"meta",
		"Of the resource as such.",
		readOnly,
		of(
			text("resourceType", "Which kind of resource it is.", exact, readOnly),
			text("created", "When it came.", as("dateTime"), readOnly),
			text("lastModified", "When it was last changed.", as("dateTime"), readOnly),
			text(
				"location",
				"Where it is.",
				referring("uri"),
				readOnly,
			),
			text("version", "Which version of it this is.", exact, readOnly),
		),
	),
}

// The schemas that Fachwerk knows.
var (
	userSchema = Schema{CoreUser, "User", "A person with an account.", []Attribute{
		text("userName", "What the person signs in by; unique, and case does not count.", required, unique),
		text(
			"name",
			"The parts of the person's name.",
			of(
				text("formatted", "The whole name."),
				text("familyName", "The family name."),
				text("givenName", "The given name."),
				text("middleName", "The middle names."),
				text("honorificPrefix", "What goes before."),
				text("honorificSuffix", "What comes after."),
			),
		),
		text("displayName", "The name that is shown; made of the name's parts if it is not given."),
		text("nickName", "What the person is called."),
		text("profileUrl", "A page about the person.", referring("external")),
		text("title", "What the person does."),
		text("userType", "How the person belongs to the organisation."),
		text("preferredLanguage", "The language to write in."),
		text("locale", "How dates and numbers are written."),
		text("timezone", "Where the clock is read."),
		text("active", "Whether the account may be used. A person who is locked in Fachwerk stays so.", as("boolean")),
		many("emails", "Addresses of mail; the primary one is used.", "The address.", "work", "home", "other"),
		many("phoneNumbers", "Telephones.", "The number.", "work", "home", "mobile", "fax", "pager", "other"),
		many("ims", "Addresses for messages.", "The address."),
		listing(
			"photos",
			"Pictures.",
			text("value", "Where the picture is.", referring("external")),
			"photo",
			"thumbnail",
		),
		text(
			"addresses",
			"Where the person is reached.",
			multi,
			of(
				text("formatted", "The whole address."),
				text("streetAddress", "The street."),
				text("locality", "The town."),
				text("region", "The region."),
				text("postalCode", "The code of the post."),
				text("country", "The country."),
				text("type", "What it is for.", canonical("work", "home", "other")),
				text("primary", "The one to use first.", as("boolean")),
			),
		),
		text(
			"groups",
			"The groups that the person is in, directly or through others.",
			multi,
			readOnly,
			of(
				text("value", "The group's id.", exact, readOnly),
				text("$ref", "Where the group is.", referring("Group"), readOnly),
				text("display", "The group's name.", readOnly),
				text("type", "How the person is in it.", canonical("direct", "indirect"), readOnly),
			),
		),
		many(
			"entitlements",
			"What the directory says the person is entitled to; it gives nothing here.",
			"What it is.",
		),
		many("roles", "What the directory says the person is; it gives nothing here.", "What it is."),
	}}
	groupSchema = Schema{CoreGroup, "Group", "People taken together.", []Attribute{
		text("displayName", "The group's name.", required),
		text(
			"members",
			"The people and groups in it.",
			multi,
			of(
				text("value", "The id of the person or group.", exact, immutable),
				text("$ref", "Where it is.", referring("User", "Group"), readOnly),
				text("type", "Which it is.", canonical("User", "Group"), immutable),
				text("display", "What it is called.", readOnly),
			),
		),
	}}
	enterpriseSchema = Schema{Enterprise, "Enterprise User", "A person's place in the organisation.", []Attribute{
		text("employeeNumber", "The number in the staff register."),
		text("costCenter", "Who pays."),
		text("organization", "The organisation."),
		text("division", "The division."),
		text("department", "The department."),
		text(
			"manager",
			"Whom the person reports to.",
			of(
				text("value", "The manager's id.", exact),
				text("$ref", "Where the manager is.", referring("User"), readOnly),
				text("displayName", "What the manager is called.", readOnly),
			),
		),
	}}
)

// Schemas lists the schemas that Fachwerk knows.
func Schemas() []Schema { return []Schema{userSchema, groupSchema, enterpriseSchema} }

// Type is a kind of resource (RFC 7643 §6).
type Type struct {
	Name     string
	Endpoint string
	schema   Schema
	extended *Schema // nil: by none

	once   sync.Once
	filter *filter.Schema
	byName map[string]place
}

// The kinds of resource.
var (
	Users  = &Type{Name: "User", Endpoint: "/Users", schema: userSchema, extended: &enterpriseSchema}
	Groups = &Type{Name: "Group", Endpoint: "/Groups", schema: groupSchema}
)

// Anything stands for a resource of whichever kind, in searches over all.
var Anything = &Type{
	Name:     "Resource",
	schema:   Schema{Attributes: slices.Concat(userSchema.Attributes, groupSchema.Attributes[1:])},
	extended: &enterpriseSchema,
}

// Schema gives the id of the kind's own schema.
func (t *Type) Schema() string { return t.schema.ID }

// Extension gives the id of the schema that extends it; empty if none does.
func (t *Type) Extension() string {
	if t.extended == nil {
		return ""
	}
	return t.extended.ID
}

// place is where an attribute is: among the kind's own, or in its extension.
type place struct {
	*Attribute
	extended bool
}

func (t *Type) prepare() {
	t.byName = map[string]place{}
	var attributes []filter.Attribute
	add := func(list []Attribute, extended bool) {
		for i := range list {
			a := &list[i]
			t.byName[strings.ToLower(a.Name)] = place{a, extended}
			attributes = append(attributes, filtering(*a))
		}
	}
	add(common, false)
	add(t.schema.Attributes, false)
	if t.extended != nil {
		add(t.extended.Attributes, true)
	}
	t.filter = filter.NewSchema(attributes...).AsSent()
}

func filtering(a Attribute) filter.Attribute {
	f := filter.Attribute{Name: a.Name, Type: filter.Text}
	switch {
	case a.Type == "boolean":
		f.Type = filter.Boolean
	case a.Type == "dateTime":
		f.Type = filter.Instant
	case a.Exact:
		f.Type = filter.Exact
	}
	for _, part := range a.Parts {
		f.Parts = append(f.Parts, filtering(part))
	}
	return f
}

// find gives the attribute of a name, in any case, with or without the schema before it.
func (t *Type) find(name string) (place, bool) {
	t.once.Do(t.prepare)
	name = strings.ToLower(name)
	for _, s := range []string{t.schema.ID, t.Extension()} {
		if s != "" {
			name = strings.TrimPrefix(name, strings.ToLower(s)+":")
		}
	}
	p, ok := t.byName[name]
	return p, ok
}

// part gives a part of an attribute, in any case.
func (a *Attribute) part(name string) (*Attribute, bool) {
	for i := range a.Parts {
		if strings.EqualFold(a.Parts[i].Name, name) {
			return &a.Parts[i], true
		}
	}
	return nil, false
}
