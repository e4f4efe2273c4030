package scim

import (
	"context"
	"strings"
)

// The URIs of what a service says of itself (RFC 7643, sections 5 to 7).
const (
	configSchema   = "urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig"
	typeSchema     = "urn:ietf:params:scim:schemas:core:2.0:ResourceType"
	schemaSchema   = "urn:ietf:params:scim:schemas:core:2.0:Schema"
	documentsStand = "https://www.rfc-editor.org/rfc/rfc7644"
)

// Config says what the service can do (RFC 7643, section 5).
func (c *Client) Config() Resource {
	no := Resource{"supported": false}
	return Resource{"schemas": []any{configSchema}, "documentationUri": documentsStand,
		"patch": Resource{"supported": true}, "bulk": Resource{"supported": false, "maxOperations": 0, "maxPayloadSize": 0},
		"filter": Resource{"supported": true, "maxResults": MostResults}, "changePassword": no, "sort": Resource{"supported": true}, "etag": Resource{"supported": true},
		"pagination":            Resource{"cursor": false, "index": true, "defaultPaginationMethod": "index", "defaultPageSize": 100, "maxPageSize": MostResults},
		"authenticationSchemes": []any{Resource{"type": "oauthbearertoken", "name": "API token", "description": "The token of a machine account, in the Authorization header (RFC 6750).", "primary": true}},
		"meta":                  Resource{"resourceType": "ServiceProviderConfig", "location": c.Base + "/ServiceProviderConfig"}}
}

// Types are the types of resources (RFC 7643, section 6).
func (c *Client) Types() []Resource {
	one := func(kind, description, schema string, extensions ...any) Resource {
		name := strings.TrimSuffix(kind, "s")
		out := Resource{"schemas": []any{typeSchema}, "id": name, "name": name, "endpoint": "/" + kind, "description": description, "schema": schema,
			"meta": Resource{"resourceType": "ResourceType", "location": c.Base + "/ResourceTypes/" + name}}
		if extensions != nil {
			out["schemaExtensions"] = extensions
		}
		return out
	}
	return []Resource{
		one(Users, "People who have accounts", UserSchema, Resource{"schema": EnterpriseSchema, "required": false}, Resource{"schema": RosterSchema, "required": false}),
		one(Groups, "Groups of users and groups", GroupSchema),
	}
}

// Schemas are what resources have (RFC 7643, section 7).
func (c *Client) Schemas(ctx context.Context) (out []Resource) {
	v := c.Service.Now(ctx, c.Caller)
	for _, kind := range []string{Users, Groups} {
		for _, s := range schemasOf(v, kind) {
			out = append(out, Resource{"schemas": []any{schemaSchema}, "id": s.ID, "name": s.Name, "description": s.Description, "attributes": s.Attributes,
				"meta": Resource{"resourceType": "Schema", "location": c.Base + "/Schemas/" + s.ID}})
		}
	}
	return out
}
