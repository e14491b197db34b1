// Package annotate is for tests whose cases are files of SQL, a statement a line, with what
// is expected of a part in a comment behind it:
//
//	SELECT id FROM ma.t WHERE lower(code) = 'x' /* filter narrowed function-differs */
package annotate

import (
	"io/fs"
	"iter"
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// Notes are what is said of the parts of a text, by where a part ends, in bytes.
type Notes map[int][]string

var comment = regexp.MustCompile(` ?/\*.*?\*/`)

// Plain returns a line without its comments.
func Plain(line string) string { return comment.ReplaceAllString(line, "") }

// With returns a text with notes in comments.
func With(text string, notes Notes) string {
	for _, at := range slices.Backward(slices.Sorted(maps.Keys(notes))) {
		text = text[:at] + " /* " + strings.Join(notes[at], "; ") + " */" + text[at:]
	}
	return text
}

// Statements returns the statements of a file, without what is noted of them. Empty lines and
// those that begin with -- are for the reader.
func Statements(t *testing.T, from fs.FS, path string) []string {
	t.Helper()
	var statements []string
	for _, line := range lines(t, from, path) {
		statements = append(statements, Plain(line))
	}
	return statements
}

// File holds every line of a file to what say says of the statement in it.
func File(t *testing.T, from fs.FS, path string, say func(sql string) Notes) {
	t.Helper()
	for i, line := range lines(t, from, path) {
		sql := Plain(line)
		if got := With(sql, say(sql)); got != line {
			t.Errorf("%s:%d\ngot  %s\nwant %s", path, i, got, line)
		}
	}
}

// lines yields the lines of a file that hold statements, with their numbers, and fails where
// there are none.
func lines(t *testing.T, from fs.FS, path string) iter.Seq2[int, string] {
	t.Helper()
	b, err := fs.ReadFile(from, path)
	if err != nil {
		t.Fatal(err)
	}
	return func(yield func(int, string) bool) {
		found := false
		for i, line := range strings.Split(string(b), "\n") {
			if line == "" || strings.HasPrefix(line, "--") {
				continue
			}
			found = true
			if !yield(i+1, line) {
				return
			}
		}
		if !found {
			t.Errorf("%s has no statements", path)
		}
	}
}
