package value

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
)

// Error is what went wrong with a query, told to the person who wrote it:
// what, where, and what to do. View names the view whose text the span counts
// in; it is empty for the query itself. Start and End are byte offsets, both
// -1 where no place in the text is to blame.
type Error struct {
	Code       string // SQLSTATE
	Message    string
	Hint       string
	View       string
	Start, End int
}

// The SQLSTATE codes that Rovik itself raises.
const (
	CodeSyntax          = "42601"
	CodeUnsupported     = "0A000"
	CodeUndefinedTable  = "42P01"
	CodeUndefinedColumn = "42703"
	CodeAmbiguous       = "42702"
	CodeUndefinedFunc   = "42883"
	CodeTypeMismatch    = "42804"
	CodeGrouping        = "42803"
	CodeDuplicate       = "42710"
	CodeRecursion       = "42P19"
	CodeDivisionByZero  = "22012"
	CodeOutOfRange      = "22003"
	CodeBadText         = "22P02"
	CodeBadDate         = "22008"
	CodeBadDateText     = "22007"
	CodeCardinality     = "21000"
	CodeBadEscape       = "22025"
	CodeBadParameter    = "22023"
	CodeBadLimit        = "2201W"
	CodeBadOffset       = "2201X"
	CodeCancelled       = "57014"
	CodeMemory          = "53200"
	CodeDisk            = "53100"
	CodeTooMany         = "53300" // runs, or connections
	CodeTooComplex      = "54000"
	CodeSource          = "58000"
	CodeChanged         = "58R01" // the source is not as the plan relies on
	CodeConnection      = "08006" // the way to a source is cut, for now perhaps
	CodeInternal        = "XX000"
)

// Errorf makes an Error without a place.
func Errorf(code, format string, args ...any) *Error {
	return &Error{Code: code, Message: fmt.Sprintf(format, args...), Start: -1, End: -1}
}

// Catch turns a panic with an *Error into that error; any other goes on. It is
// deferred where code far below gives up with an *Error.
func Catch(err *error) {
	switch r := recover().(type) {
	case nil:
	case *Error:
		*err = r
	default:
		panic(r)
	}
}

// Guard turns any panic into an error, so that one query ends and not the
// server. It is deferred where work on a query begins. A panic with anything
// but an *Error, or the end of a context, is logged with its stack under the id that the error names.
func Guard(err *error) {
	if r := recover(); r != nil {
		*err = recovered(r)
	}
}

// Guarded calls f and returns its error, or that of its panic; see Guard. Every
// goroutine does its work within it.
func Guarded(f func() error) (err error) {
	defer Guard(&err)
	return f()
}

func recovered(r any) error {
	if err, is := r.(error); is {
		var e *Error
		if errors.As(err, &e) || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
			return err
		}
	}
	id := make([]byte, 4)
	_, _ = rand.Read(id)
	slog.Error("internal error", "id", hex.EncodeToString(id), "panic", r, "stack", string(debug.Stack()))
	return Errorf(CodeInternal, "internal error %x: %v", id, r).WithHint("nothing was changed; please report it with this id, the query and the log")
}

func (e *Error) Error() string {
	if e.Hint != "" {
		return e.Message + " (" + e.Hint + ")"
	}
	return e.Message
}

// WithHint returns a copy of e that says what to do.
func (e *Error) WithHint(format string, args ...any) *Error {
	c := *e
	c.Hint = fmt.Sprintf(format, args...)
	return &c
}

// At returns a copy of e that points at a span, unless it points somewhere
// already: the innermost place is the most telling one.
func (e *Error) At(view string, start, end int) *Error {
	if e.Start >= 0 {
		return e
	}
	c := *e
	c.View, c.Start, c.End = view, start, end
	return &c
}

// Code returns the SQLSTATE of the first *Error in err's chain, or "".
func Code(err error) string {
	var e *Error
	if errors.As(err, &e) {
		return e.Code
	}
	return ""
}

// The arithmetic errors, which carry no operands.
var (
	ErrDivisionByZero = Errorf(CodeDivisionByZero, "division by zero")
	ErrSmallintRange  = Errorf(CodeOutOfRange, "smallint out of range")
	ErrIntegerRange   = Errorf(CodeOutOfRange, "integer out of range")
	ErrBigintRange    = Errorf(CodeOutOfRange, "bigint out of range")
	ErrNumericRange   = Errorf(CodeOutOfRange, "numeric result needs more than %d digits", MaxDigits).
				WithHint("round the operands or cast to double precision")
	ErrFloatRange = Errorf(CodeOutOfRange, "value out of range for double precision")
	ErrSpanRange  = Errorf(CodeBadDate, "interval out of range")
	ErrDateRange  = Errorf(CodeBadDate, "date out of range")
	ErrStampRange = Errorf(CodeBadDate, "timestamp out of range")
)
