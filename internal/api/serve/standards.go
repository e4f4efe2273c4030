package serve

import (
	"net/http"
	"strconv"
	"strings"

	"ableroster/internal/authzen"
	"ableroster/internal/scim"
	"ableroster/internal/seeing"

	"github.com/gofiber/fiber/v3"
)

// writeError answers an error of the Authorization API: its status and a text (section 10.1.3).
func writeError(c fiber.Ctx, p *Problem) error {
	if p.Status == http.StatusUnprocessableEntity {
		p.Status = http.StatusBadRequest
	}
	c.Status(p.Status)
	return c.SendString(authzen.Words(&p.Problem) + "\n")
}

// SendSCIM answers with a document of SCIM (RFC 7644, section 3.1).
func SendSCIM(c fiber.Ctx, x any, status int) error {
	c.Status(status)
	if err := c.JSON(x); err != nil {
		return err
	}
	c.Set("Content-Type", scim.MediaType)
	return nil
}

// scimError is section 3.12.
type scimError struct {
	Schemas []string `json:"schemas"`
	Type    string   `json:"scimType,omitempty"`
	Detail  string   `json:"detail,omitempty"`
	Status  string   `json:"status"`
}

// writeSCIMError answers an error of SCIM.
func writeSCIMError(c fiber.Ctx, p *Problem) error {
	kind, ours := strings.CutPrefix(p.Type, "scim ")
	if !ours {
		kind = ""
		if p.Status == http.StatusUnprocessableEntity || p.Type == seeing.KindInvalid {
			p.Status, kind = http.StatusBadRequest, "invalidValue"
		}
	}
	detail := p.Detail
	if detail == "" {
		detail = p.Title
	}
	for _, f := range p.Faults {
		detail += "; " + f.Place + " " + f.Message
	}
	return SendSCIM(c, scimError{[]string{"urn:ietf:params:scim:api:messages:2.0:Error"}, kind, detail, strconv.Itoa(p.Status)}, p.Status)
}
