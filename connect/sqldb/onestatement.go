package sqldb

import (
	"strings"

	"rovik/core/value"
)

// Lexis says how a database's texts, names and comments are written, beside '…', "…", -- … and /* … */.
type Lexis struct {
	Backslash bool // escapes within '…' and "…"
	Escaped   bool // E'…' has backslashes
	Backtick  bool // `…` is a name
	Bracket   bool // […] is a name
	Hash      bool // # begins a comment
	Dashes    bool // -- begins a comment only before a blank
	Dollar    bool // $tag$…$tag$ is a text
	Nests     bool // comments stand within comments
	Commands  bool // /*! … */ is run
}

// OneStatement fails for a statement that is not one whole statement: that goes on behind a semicolon,
// closes a parenthesis that it did not open, or leaves one, a text or a comment open. What stands
// around it could otherwise be made to end before it does.
func OneStatement(source, statement string, l Lexis) error {
	wrong := func(what string) error {
		return value.Errorf(value.CodeSyntax, "%s: a statement as it stands is one whole statement, but this %s", source, what).
			WithHint("write one SELECT, whose parentheses, texts and comments are closed")
	}
	depth := 0
	for i := 0; i < len(statement); {
		rest := statement[i:]
		end, what := 0, ""
		switch c := statement[i]; {
		case c == '(':
			depth++
		case c == ')':
			if depth--; depth < 0 {
				return wrong("closes a parenthesis that it does not open")
			}
		case c == ';':
			if strings.Trim(rest, "; \t\r\n") != "" {
				return wrong("goes on behind a semicolon")
			}
		case c == '\'':
			escapes := l.Backslash || l.Escaped && i > 0 && (statement[i-1] == 'E' || statement[i-1] == 'e') && (i == 1 || !inName(statement[i-2]))
			end, what = quoted(rest, '\'', escapes), "leaves a text open"
		case c == '"':
			end, what = quoted(rest, '"', l.Backslash), "leaves a name or a text open"
		case c == '`' && l.Backtick:
			end, what = quoted(rest, '`', false), "leaves a name open"
		case c == '[' && l.Bracket:
			end, what = closed(rest, "]", 1), "leaves a name open"
		case c == '$' && l.Dollar && (i == 0 || !inName(statement[i-1])):
			if tag := dollarTag(rest); tag != "" {
				end, what = closed(rest, tag, len(tag)), "leaves a text open"
			}
		case c == '#' && l.Hash, strings.HasPrefix(rest, "--") && (!l.Dashes || len(rest) == 2 || rest[2] <= ' '):
			if end = strings.IndexByte(rest, '\n'); end < 0 {
				end = len(rest)
			}
		case strings.HasPrefix(rest, "/*"):
			if l.Commands && len(rest) > 2 && (rest[2] == '!' || strings.HasPrefix(rest[2:], "M!")) {
				return wrong("has a comment that is run")
			}
			end, what = comment(rest, l.Nests), "leaves a comment open"
		case c == 0:
			return wrong("has a byte of zero in it")
		}
		if end < 0 {
			return wrong(what)
		}
		i += max(end, 1)
	}
	if depth > 0 {
		return wrong("leaves a parenthesis open")
	}
	return nil
}

func inName(c byte) bool {
	return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
}

// quoted is how long a text in quotation marks is, which are doubled within it; −1 where it does not end.
func quoted(s string, mark byte, escapes bool) int {
	for i := 1; i < len(s); i++ {
		switch {
		case escapes && s[i] == '\\':
			i++
		case s[i] != mark:
		case i+1 < len(s) && s[i+1] == mark:
			i++
		default:
			return i + 1
		}
	}
	return -1
}

// closed is how long a text is that ends with end, from a place on; −1 where it does not.
func closed(s, end string, from int) int {
	i := strings.Index(s[from:], end)
	if i < 0 {
		return -1
	}
	return from + i + len(end)
}

// dollarTag is the $tag$ that a text begins with, or nothing.
func dollarTag(s string) string {
	end := strings.IndexByte(s[1:], '$')
	if end < 0 {
		return ""
	}
	for i := range end {
		if c := s[1+i]; !inName(c) || c == '$' || i == 0 && c >= '0' && c <= '9' {
			return ""
		}
	}
	return s[:end+2]
}

// comment is how long a comment is; −1 where it does not end.
func comment(s string, nests bool) int {
	depth := 0
	for i := 0; i < len(s); i++ {
		switch {
		case strings.HasPrefix(s[i:], "/*") && (nests || depth == 0):
			depth++
			i++
		case strings.HasPrefix(s[i:], "*/"):
			i++
			if depth--; depth == 0 {
				return i + 1
			}
		}
	}
	return -1
}
