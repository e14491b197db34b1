package shape

import (
	"regexp"
	"strconv"
	"strings"

	"rovik/core/value"
)

// A record is nested JSON as value.JSONValue, in which Leafs may stand, or an
// XML element as *xmlquery.Node. A node is what a path selects in one: a part of
// it, or what an expression of XPath computes.

// Leaf is a value of a record that JSON has no form for, as its text. ID marks
// an identifier that a server makes.
type Leaf struct {
	Kind value.Kind
	Text string
	ID   bool
}

// selector returns the nodes that a path leads to from a row.
type selector func(row any) ([]any, error)

// compile prepares a path below a row.
func compile(l Language, path string) (selector, error) {
	if l == XPath {
		return compileXPath(path)
	}
	return compileJSONPath(path)
}

// checkPath says what is wrong with a path; inFile is for one that leads to the
// records of a file.
func checkPath(l Language, path string, inFile bool) error {
	if _, err := compile(l, path); err != nil {
		return err
	}
	if inFile {
		_, err := InFile(l, path)
		return err
	}
	return nil
}

// Segment is one step of a plain path: to a member by its name (an element, in
// XML), to an element of a list by its index, or to all. Deep is a step to any
// depth.
type Segment struct {
	Name  string
	Index int
	Kind  SegmentKind
	Deep  bool
}

// SegmentKind says what a Segment leads to.
type SegmentKind int

// The kinds of segments.
const (
	ByName SegmentKind = iota
	ByIndex
	ToAll      // members of an object, elements of a list
	ToElements // of a list alone
)

// InFile returns the steps of a path to the records of a file, which are matched
// while the file is read. Only plain paths can be.
func InFile(l Language, path string) ([]Segment, error) {
	steps, ok := Plain(l, path)
	if l == XPath && (!ok || !strings.HasPrefix(path, "/")) {
		return nil, wrong("the path %s cannot be matched while a file is read", path).
			WithHint("lead to the records by names from the root, as /facilities/facility or //facility, and filter in a view")
	}
	if !ok {
		return nil, wrong("the path %s cannot be matched while a file is read", path).
			WithHint("lead to the records by names, numbers and [*], as $.reports[*], and filter in a view")
	}
	return steps, nil
}

// Plain takes a path apart that consists of names, indexes and wildcards alone;
// ok is false for any other.
func Plain(l Language, path string) (steps []Segment, ok bool) {
	if l == XPath {
		return plainXPath(path)
	}
	return plainJSONPath(path)
}

// jsonStep is one segment, as RFC 9535 writes plain ones.
var jsonStep = regexp.MustCompile(`^(?:\.(\*|[A-Za-z_\x{80}-\x{10FFFF}][A-Za-z0-9_\x{80}-\x{10FFFF}]*)|\[\s*(?:(\*|:)|(-?[0-9]+)|'((?:[^'\\]|\\['\\])*)'|"((?:[^"\\]|\\["\\])*)")\s*\])`)

func plainJSONPath(path string) (steps []Segment, ok bool) {
	rest, ok := strings.CutPrefix(path, "$")
	for ok && rest != "" {
		m := jsonStep.FindStringSubmatch(rest)
		if m == nil {
			return nil, false
		}
		rest = rest[len(m[0]):]
		switch {
		case m[1] == "*" || m[2] == "*":
			steps = append(steps, Segment{Kind: ToAll})
		case m[2] == ":":
			steps = append(steps, Segment{Kind: ToElements})
		case m[3] != "":
			n, err := strconv.Atoi(m[3])
			if err != nil {
				return nil, false
			}
			steps = append(steps, Segment{Kind: ByIndex, Index: n})
		default:
			name := m[1]
			if name == "" {
				name = strings.NewReplacer(`\\`, `\`, `\'`, `'`, `\"`, `"`).Replace(m[4] + m[5])
			}
			steps = append(steps, Segment{Name: name})
		}
	}
	return steps, ok
}

// JSONName is the segment of a member's name.
func JSONName(name string) string {
	if m := jsonStep.FindString("." + name); m == "."+name {
		return m
	}
	return "['" + strings.NewReplacer(`\`, `\\`, `'`, `\'`).Replace(name) + "']"
}

var xmlStep = regexp.MustCompile(`^(//?)(\*|[\p{L}_][\p{L}\p{N}_.-]*(?::[\p{L}_][\p{L}\p{N}_.-]*)?)`)

func plainXPath(path string) (steps []Segment, ok bool) {
	rest := path
	if !strings.HasPrefix(rest, "/") {
		rest = "/" + rest
	}
	for rest != "" {
		m := xmlStep.FindStringSubmatch(rest)
		if m == nil {
			return nil, false
		}
		rest = rest[len(m[0]):]
		s := Segment{Name: m[2], Deep: m[1] == "//"}
		if m[2] == "*" {
			s = Segment{Kind: ToAll, Deep: s.Deep}
		}
		steps = append(steps, s)
	}
	return steps, true
}
