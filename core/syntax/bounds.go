package syntax

import (
	pg "github.com/pganalyze/pg_query_go/v6"

	"rovik/core/value"
)

// MaxDepth bounds how deep the tree of a text may be. The parser recurses over it on a thread's own
// stack: on one of 2 MiB it has failed at 5,800 levels, and its answer is refused past 5,000.
const MaxDepth = 1000

// level counts what makes a tree deep within one pair of parentheses, brackets, or CASE and END.
type level struct {
	outer    int // of all levels around
	chain    int // joins and set operations, which hang on each other
	deepest  int // of the parts so far
	signs    int // of the part that is being read: operators, and words that may be some
	inner    int // the deepest parentheses within it
	betweens int // whose AND is still to come
}

func (l *level) next() {
	l.deepest, l.signs, l.inner = max(l.deepest, l.signs+l.inner), 0, 0
}

func (l *level) depth() int {
	l.next()
	return l.chain + l.deepest
}

// checkDepth refuses a text whose tree might be deeper than MaxDepth.
func checkDepth(tokens []*pg.ScanToken) error {
	if _, past := depthOfText(tokens, MaxDepth); past != nil {
		return value.Errorf("54001", "the text is nested or chained deeper than %d", MaxDepth).
			WithHint("take parts of it into WITH queries or views; write lists of values as VALUES or IN (…)").At("", int(past.Start), int(past.End))
	}
	return nil
}

// depthOfText is how deep the tree of a text may be, and the token that takes it past most. It counts
// on the safe side: every token of a part, between commas, AND, OR and the words of clauses, that is
// no name and no constant.
func depthOfText(tokens []*pg.ScanToken, most int) (depth int, past *pg.ScanToken) {
	levels := []level{{}}
	var before pg.Token
	for _, t := range tokens {
		l := &levels[len(levels)-1]
		switch t.Token {
		case pg.Token_ASCII_40, pg.Token_ASCII_91, pg.Token_CASE:
			l.signs++
			levels = append(levels, level{outer: l.outer + l.chain + l.signs})
		case pg.Token_ASCII_41, pg.Token_ASCII_93, pg.Token_END_P:
			if len(levels) > 1 { // else parsing says what is wrong
				inner := l.depth() + 1
				levels = levels[:len(levels)-1]
				l = &levels[len(levels)-1]
				l.inner = max(l.inner, inner)
			}
		case pg.Token_JOIN, pg.Token_UNION, pg.Token_INTERSECT, pg.Token_EXCEPT:
			l.next()
			l.chain++
		case pg.Token_BETWEEN:
			l.signs++
			l.betweens++
		case pg.Token_AND, pg.Token_OR:
			if l.betweens > 0 && t.Token == pg.Token_AND {
				l.betweens--
			} else {
				l.next()
			}
		case pg.Token_FROM:
			if before == pg.Token_DISTINCT {
				l.signs++
			} else {
				l.next()
			}
		case pg.Token_ASCII_44, pg.Token_SELECT, pg.Token_WHERE, pg.Token_GROUP_P, pg.Token_HAVING, pg.Token_ORDER, pg.Token_LIMIT, pg.Token_OFFSET, pg.Token_WINDOW,
			pg.Token_ON, pg.Token_WHEN, pg.Token_THEN, pg.Token_ELSE:
			l.next()
		case pg.Token_IDENT, pg.Token_SCONST, pg.Token_ICONST, pg.Token_FCONST, pg.Token_PARAM, pg.Token_ASCII_46, pg.Token_AS:
		default:
			l.signs++
		}
		before = t.Token
		if depth = max(depth, l.outer+l.chain+max(l.deepest, l.signs+l.inner)); depth > most {
			return depth, t
		}
	}
	return depth, nil
}
