package builder

import (
	"fmt"
	"testing"

	"rovik/core/form"
)

// Names say that two columns hold the same where the words of one are those of the
// other with its relation's; words that say nothing do not count.
func TestLikenessOfNames(t *testing.T) {
	for _, c := range []struct {
		lrel, l, rrel, r string
		at               string // strong, some, or none
	}{
		{"lending.loans", "loan_id", "lending.loan_lines", "loan_id", "strong"},
		{"lending.loan_lines", "object_no", "registry.objects", "accession_no", "strong"},
		{"registry.objects", "accession_no", "lending.loan_lines", "object_no", "strong"},
		{"intake.loan", "institution_code", "intake.institution", "code", "strong"},
		{"registry.rooms", "site_id", "registry.sites", "site_id", "strong"},
		{"a.items", "supplier_key", "b.orders", "supplier_key", "strong"},
		{"lending.institutions", "code", "facility.partner", "code", "some"},
		{"a.x", "id", "b.y", "id", "some"},
		{"a.x", "shelf_code", "b.y", "old_shelf_code", "strong"},
		{"a.x", "name", "b.y", "name", "none"},
		{"a.x", "remarks", "b.y", "remarks", "none"},
		{"a.x", "title", "b.y", "title", "none"},
		{"registry.makers", "maker_id", "lending.couriers", "courier_id", "none"},
		{"registry.makers", "born", "lending.couriers", "van_count", "none"},
		{"a.objects", "object_code", "b.objects", "object_id", "none"},
		{"a.x", "status", "b.y", "status", "none"},
		{"a.x", "loan no", "b.loans", "no", "strong"},
		{"a.x", "_", "b.y", "_", "strong"},
		{"a.x", "_", "b.y", "__", "none"},
		{"a._", "id", "b.y", "-", "none"},
	} {
		like := likeness(c.lrel, c.l, c.rrel, c.r)
		at := "none"
		switch {
		case like >= 0.85:
			at = "strong"
		case like >= leastLikeness:
			at = "some"
		}
		if at != c.at {
			t.Errorf("%s.%s and %s.%s are alike by %.2f, which is %s, want %s", c.lrel, c.l, c.rrel, c.r, like, at, c.at)
		}
		if back := likeness(c.rrel, c.r, c.lrel, c.l); back != like {
			t.Errorf("%s.%s and %s.%s are alike by %.2f, and by %.2f the other way", c.lrel, c.l, c.rrel, c.r, like, back)
		}
	}
}

// Columns of other types are written so that they can be equal and never fail, or
// not at all.
func TestComparableColumns(t *testing.T) {
	for _, c := range []struct{ left, right, want string }{
		{"integer", "bigint", "l = r"}, {"text", "char(5)", "l = r"}, {"numeric(10,0)", "integer", "l = r"}, {"uuid", "uuid", "l = r"}, {"date", "timestamp", "l = r"},
		{"text", "integer", "l = CAST(r AS text)"}, {"smallint", "text", "CAST(l AS text) = r"},
		{"text", "date", ""}, {"text", "numeric", ""}, {"boolean", "integer", ""}, {"text[]", "text[]", ""}, {"jsonb", "text", ""}, {"nothing", "text", ""},
	} {
		l, r, note, ok := comparable(form.Column{SQL: "l", Type: c.left}, form.Column{SQL: "r", Type: c.right})
		got := ""
		if ok {
			got = fmt.Sprint(l, " = ", r)
		}
		if got != c.want || (note != "") != (got != "" && got != "l = r") {
			t.Errorf("%s and %s: %q with the note %q, want %q", c.left, c.right, got, note, c.want)
		}
	}
}
