// Package api holds the forms of the requests and answers of the HTTP API that no use case
// has as its own, and the type of its operations. Answers that are a use case's result have
// its form; the records and the files of a project have forms of their own, so that none of
// these changes with another.
//
// serve/openapi.yaml describes the API; serve/apidoc makes it from the operations, the types
// of their bodies and what their comments say.
package api
