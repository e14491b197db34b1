package syntax

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"rovik/core/value"
)

// Token is a word or sign of a text, or a comment.
type Token struct {
	Span
	Comment bool
	Line    bool // a comment to the end of its line
}

// Tokens cuts a text into its tokens, comments among them.
func Tokens(sql string) ([]Token, error) {
	if len(sql) > MaxText {
		return nil, value.Errorf(value.CodeSyntax, "the query is longer than %d bytes", MaxText)
	}
	r, err := pg.Scan(sql)
	if err != nil {
		return nil, syntaxError(sql, err)
	}
	out := make([]Token, len(r.Tokens))
	for i, t := range r.Tokens {
		out[i] = Token{Span{int(t.Start), int(t.End)}, isComment(t), t.Token == pg.Token_SQL_COMMENT}
	}
	return out, nil
}

// withoutComments writes spaces in the place of comments: the parser takes them for
// words where it looks ahead, as between NOT and IN.
func withoutComments(sql string, tokens []*pg.ScanToken) string {
	if !slices.ContainsFunc(tokens, isComment) {
		return sql
	}
	out := []byte(sql)
	for _, t := range tokens {
		for i := t.Start; isComment(t) && i < t.End; i++ {
			if out[i] != '\n' {
				out[i] = ' '
			}
		}
	}
	return string(out)
}

func isComment(t *pg.ScanToken) bool {
	return t.Token == pg.Token_SQL_COMMENT || t.Token == pg.Token_C_COMMENT
}

// Enclosable returns a query's text as it can stand in parentheses: without a
// semicolon at its end, and what follows that.
func Enclosable(sql string) string {
	tokens, err := Tokens(sql)
	if err != nil {
		return sql
	}
	end := len(sql)
	for i := len(tokens) - 1; i >= 0; i-- {
		switch {
		case tokens[i].Comment:
		case sql[tokens[i].Start:tokens[i].End] == ";":
			end = tokens[i].Start
		default:
			return sql[:end]
		}
	}
	return sql[:end]
}

// Identifier writes a name as SQL reads it, in quotes where it needs them.
func Identifier(name string) string {
	if plainName(name) {
		return name
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

// plainName reports whether a name means itself without quotes, as a column, a
// table or an alias.
func plainName(name string) bool {
	for i, r := range name {
		if r != '_' && (r < 'a' || r > 'z') && (i == 0 || r < '0' || r > '9') {
			return false
		}
	}
	if name == "" {
		return false
	}
	r, err := pg.Scan(name)
	if err != nil || len(r.Tokens) != 1 {
		return false
	}
	k := r.Tokens[0].KeywordKind
	return k == pg.KeywordKind_NO_KEYWORD || k == pg.KeywordKind_UNRESERVED_KEYWORD
}

// Dotted writes the parts of a name.
func Dotted(parts ...string) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = Identifier(p)
	}
	return strings.Join(out, ".")
}

// Text writes a text as a literal.
func Text(s string) string { return `'` + strings.ReplaceAll(s, `'`, `''`) + `'` }
