package kernel

import (
	"strings"

	"rovik/core/value"
)

// MostRows is more than any result has, and small enough that sums of LIMITs
// and OFFSETs stay numbers.
const MostRows = 1 << 50

// OpRowCount is the operator that checks the number of rows which a clause,
// LIMIT or OFFSET, is given: it is not negative, and at most MostRows.
func OpRowCount(clause string) string { return "rows of " + strings.ToLower(clause) }

func addLimits(r *registry) {
	for clause, code := range map[string]string{"LIMIT": value.CodeBadLimit, "OFFSET": value.CodeBadOffset} {
		def1(r, OpRowCount(clause), value.Int8, value.Int8, func(n int64) (int64, error) {
			if n < 0 {
				return 0, value.Errorf(code, "%s must not be negative", clause)
			}
			return min(n, MostRows), nil
		})
	}
}
