package api

import (
	"bytes"
	_ "embed"
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/labstack/echo/v5"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

//go:embed openapi.yaml
var contract []byte

// routes are the operations of the contract, by method and path as the router has it.
var routes = sync.OnceValues(func() (map[string]*routers.Route, error) {
	doc, err := openapi3.NewLoader().LoadFromData(contract)
	if err != nil {
		return nil, fmt.Errorf("read the contract: %w", err)
	}
	// The core reads a change itself, as strictly, and says better what is wrong with it.
	*doc.Components.Schemas["Change"].Value = openapi3.Schema{}
	out := map[string]*routers.Route{}
	for path, item := range doc.Paths.Map() {
		for method, operation := range item.Operations() {
			out[method+" "+routed(path)] = &routers.Route{Spec: doc, Path: path, PathItem: item, Method: method, Operation: operation}
		}
	}
	return out, nil
})

var inBraces = regexp.MustCompile(`\{(\w+)\}`)

// routed is a path of the contract as the router has it: {id} is :id.
func routed(path string) string { return inBraces.ReplaceAllString(path, ":$1") }

// checked holds every request against the contract before a handler sees it: whatever
// is missing, of another kind, or outside its range is refused.
func checked(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		all, err := routes()
		if err != nil {
			return err
		}
		r := c.Request()
		route := all[r.Method+" "+c.Path()]
		if route == nil {
			return next(c)
		}
		if strings.ContainsRune(r.URL.Path, 0) || strings.Contains(r.URL.RawQuery, "%00") {
			return &change.Refused{Reason: "the address holds a NUL character"}
		}
		params := map[string]string{}
		for _, m := range inBraces.FindAllStringSubmatch(route.Path, -1) {
			params[m[1]] = c.Param(m[1])
		}
		json := strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") && uploadOf(r.URL.Path) < someAudio // audio is never held in memory
		if json && r.Body != nil {
			body, err := io.ReadAll(r.Body)
			if err != nil {
				return err
			}
			if template.HoldsNUL(body) {
				return &change.Refused{Reason: "a text holds a NUL character; leave it out"}
			}
			r.Body = io.NopCloser(bytes.NewReader(body))
		}
		err = openapi3filter.ValidateRequest(r.Context(), &openapi3filter.RequestValidationInput{
			Request: r, PathParams: params, QueryParams: r.URL.Query(), Route: route,
			Options: &openapi3filter.Options{ExcludeRequestBody: !json, AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, SkipSettingDefaults: true},
		})
		if err != nil {
			return outside(err)
		}
		return next(c)
	}
}

// outside says in plain words what of a request the contract does not allow.
func outside(err error) error {
	var request *openapi3filter.RequestError
	var schema *openapi3.SchemaError
	if !errors.As(err, &request) {
		return err
	}
	where, reason := "the request", request.Reason
	if request.Parameter != nil {
		where = request.Parameter.Name
	}
	if errors.As(err, &schema) {
		if at := strings.Join(schema.JSONPointer(), "."); at != "" {
			where = at
		}
		reason = schema.Reason
	} else if request.Err != nil && reason == "" {
		reason = request.Err.Error()
	}
	var parse *openapi3filter.ParseError
	if errors.As(err, &parse) && schema == nil && request.Parameter == nil {
		return echo.NewHTTPError(http.StatusBadRequest, "the request is not JSON that follows the contract")
	}
	return &outsideError{where, reason}
}

// outsideError is a request that the contract does not allow.
type outsideError struct{ where, reason string }

func (e *outsideError) Error() string { return e.where + ": " + e.reason }
