package shape

import (
	"fmt"
	"strings"
	"unicode"
)

// CleanName turns a text into a name that needs no quotes: lower case, with _
// in the place of what names cannot have.
func CleanName(s string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(strings.TrimSpace(s)) {
		switch {
		case unicode.IsLetter(r) || r >= '0' && r <= '9' && b.Len() > 0:
			b.WriteRune(r)
		case r >= '0' && r <= '9':
			b.WriteString("c" + string(r))
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	name := strings.TrimSuffix(b.String(), "_")
	if name == "" {
		return "column"
	}
	return name
}

// Names are names that are taken, each by one. The zero value has none.
type Names struct {
	taken map[string]bool
	next  map[string]int // by a name: the number that may be free behind it
}

// Take takes a name, with _2 and so on behind it where it is taken already.
func (n *Names) Take(name string) string {
	if n.taken == nil {
		n.taken, n.next = map[string]bool{}, map[string]int{}
	}
	is := name
	for n.taken[is] {
		n.next[name] = max(2, n.next[name]+1)
		is = fmt.Sprintf("%s_%d", name, n.next[name])
	}
	n.taken[is] = true
	return is
}
